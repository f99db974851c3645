"""What the start of the server does not wait for is loaded a while after it."""

import subprocess
import sys

AT_THE_START = """
import sys
import galena.config.asgi, galena.config.serving, galena.config.urls
from galena.config.warming import LATER, load_later
late = {"scipy", "pint", "cryptography", "av"}
early = {name for name in sys.modules if name.split(".")[0] in late}
load_later(0.0).join(60)
print(len(LATER) > 5, sorted(early), sorted(LATER - set(sys.modules)))
"""


def test_the_start_loads_what_it_needs_and_the_rest_comes_later(tmp_path, monkeypatch):
    monkeypatch.setenv("GALENA_DATA", str(tmp_path))
    monkeypatch.setenv("DJANGO_SETTINGS_MODULE", "galena.config.settings")
    words = [sys.executable, "-c", AT_THE_START]
    ended = subprocess.run(words, capture_output=True, text=True, timeout=120, check=True)
    assert ended.stdout.split("\n")[0] == "True [] []"
