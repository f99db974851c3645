"""What the start of the server does not wait for is loaded a while after it."""

import subprocess
import sys

from galena.config.warming import LATER

AT_THE_START = f"""
import sys
import galena.config.asgi
from galena.config.warming import load_later
early = set({LATER!r}) & set(sys.modules)
load_later(0.0).join(60)
print(sorted(early), sorted(set({LATER!r}) - set(sys.modules)))
"""


def test_the_start_loads_what_it_needs_and_the_rest_comes_later(tmp_path, monkeypatch):
    monkeypatch.setenv("GALENA_DATA", str(tmp_path))
    monkeypatch.setenv("DJANGO_SETTINGS_MODULE", "galena.config.settings")
    words = [sys.executable, "-c", AT_THE_START]
    ended = subprocess.run(words, capture_output=True, text=True, timeout=120, check=True)
    assert ended.stdout.split("\n")[0] == "[] []"
