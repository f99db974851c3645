"""The scripts, styles and fonts that ship with Galena, as a browser may keep them."""

import hashlib
from pathlib import Path

PACKAGE = Path(__file__).parents[1]
PREFIX = "/static/"


def address(package: Path = PACKAGE) -> str:
    """Give the address under which all that ships stands. Another state of the files has another
    one: so a browser keeps what it has fetched and never asks whether it is still the same, which
    for a page of forty scripts would cost more than the page itself."""
    state = hashlib.sha256()
    for file in sorted(package.glob("*/static/**/*")):
        facts = file.stat()
        state.update(f"{file.relative_to(package)} {facts.st_size} {facts.st_mtime_ns}\n".encode())
    return f"{PREFIX}{state.hexdigest()[:12]}/"


def is_kept(_path: str, url: str) -> bool:
    """Tell whether a browser may keep a file for good."""
    return url.startswith(PREFIX)
