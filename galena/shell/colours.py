"""Every colour, as static/shell/css/colours.css states it: for what draws on paper, and for marks.

Figures and reports are for light rooms. A page reads the same properties from its style sheet.
"""

import re
from pathlib import Path

_FILE = Path(__file__).parent / "static/shell/css/colours.css"
_RULE = re.compile(r"(:root[^{]*)\{([^}]*)\}")
_COLOUR = re.compile(r"--([\w-]+):\s*(#[0-9a-f]{6})\s*;")


def _read() -> tuple[dict[str, str], dict[str, str]]:
    light, dark = (dict(_COLOUR.findall(body)) for _, body in _RULE.findall(_FILE.read_text()))
    return light, light | dark


LIGHT, DARK = _read()
