"""Debian's Firefox, driven over WebDriver BiDi (W3C), as far as a test of the main path needs."""

import base64
import json
import re
import subprocess
import tempfile
import time
from contextlib import suppress
from pathlib import Path

from websockets.sync.client import connect

FIREFOX = "/usr/bin/firefox-esr"
PATIENCE = 150.0  # s: how fast the machine is decides no test
KEYS = {"Enter": "\ue007", "Space": " ", "Escape": "\ue00c", "Tab": "\ue004"}
PLACE = """(() => {
  if (document.readyState !== "complete") return null;
  const shown = (one) => one.getClientRects().length > 0;
  const named = (one) => (one.getAttribute("aria-label") ?? one.innerText ?? "").trim();
  const all = [...document.querySelectorAll(SELECTOR)].filter(shown);
  const one = TEXT === null ? all[0] : all.find((each) => named(each).startsWith(TEXT));
  if (!one) return null;
  one.scrollIntoView({ block: "nearest" });
  const box = one.getBoundingClientRect();
  return JSON.stringify([box.x, box.y, box.width, box.height]);
})()"""


class Firefox:
    """One window of a Firefox with a profile of its own; `faults` are errors that its pages had."""

    def __init__(self) -> None:
        self._profile = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        command = [FIREFOX, "--headless", "--no-remote", "--profile", self._profile.name]
        self._process = subprocess.Popen(
            [*command, "--remote-debugging-port", "0"],
            stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True,
        )  # fmt: skip
        self._number, self.faults = 0, []
        for line in self._process.stderr:
            if match := re.search(r"ws://127\.0\.0\.1:\d+", line):
                break
        self._line = connect(f"{match[0]}/session", max_size=None, open_timeout=PATIENCE)
        self.ask("session.new", {"capabilities": {}})
        self.ask("session.subscribe", {"events": ["log.entryAdded"]})
        contexts = self.ask("browsingContext.getTree", {})["contexts"]
        self._window = contexts[0]["context"]
        size = {"viewport": {"width": 1280, "height": 800}}
        self.ask("browsingContext.setViewport", {"context": self._window} | size)

    def close(self) -> None:
        """End it."""
        with suppress(Exception):
            self.ask("browser.close", {})
        self._line.close()
        self._process.terminate()
        self._process.wait(timeout=180)
        self._process.stderr.close()
        self._profile.cleanup()

    def ask(self, method: str, params: dict) -> dict:
        """Ask for something and give the answer; what pages complain of meanwhile is noted."""
        self._number += 1
        self._line.send(json.dumps({"id": self._number, "method": method, "params": params}))
        while True:
            said = json.loads(self._line.recv(timeout=PATIENCE))
            if said.get("method") == "log.entryAdded" and said["params"]["level"] == "error":
                self.faults.append(said["params"]["text"])
            if said.get("id") == self._number:
                assert said["type"] == "success", said
                return said["result"]

    def goto(self, address: str) -> None:
        wait = {"context": self._window, "url": address, "wait": "complete"}
        self.ask("browsingContext.navigate", wait)

    def value(self, expression: str):
        """Give the value of an expression in the page."""
        where = {"target": {"context": self._window}, "awaitPromise": True}
        answer = self.ask("script.evaluate", {"expression": expression} | where)
        assert answer["type"] == "success", answer
        return answer["result"].get("value")

    def until(self, expression: str):
        """Wait until an expression in the page is true, and give its value."""
        end = time.monotonic() + PATIENCE
        while True:
            with suppress(AssertionError):  # the page is on its way
                if value := self.value(expression):
                    return value
            assert time.monotonic() < end, f"waited for {expression}: {self.text('body')[:600]}"

    def text(self, selector: str) -> str:
        return self.value(f"document.querySelector({json.dumps(selector)})?.innerText ?? ''")

    def place(self, selector: str, named: str | None = None) -> tuple[float, float, float, float]:
        """Give x, y, width and height of an element by selector and the beginning of its name."""
        script = PLACE.replace("SELECTOR", json.dumps(selector)).replace("TEXT", json.dumps(named))
        return tuple(json.loads(self.until(script)))

    def click(self, selector: str, named: str | None = None) -> None:
        """Click in the middle of an element."""
        x, y, width, height = self.place(selector, named)
        self.drag([(x + width / 2, y + height / 2)])

    def drag(self, places: list[tuple[float, float]]) -> None:
        """Press the mouse at the first place, move on to the others, and let it go."""
        moves = [{"type": "pointerMove", "x": round(x), "y": round(y), "duration": 60}
                 for x, y in places]  # fmt: skip
        down, up = {"type": "pointerDown", "button": 0}, {"type": "pointerUp", "button": 0}
        acts = [moves[0], down, *moves[1:], up]
        self._act({"type": "pointer", "id": "mouse", "actions": acts})

    def type(self, text: str) -> None:
        """Type where the focus is; a name of KEYS is that key."""
        acts = []
        for key in [KEYS[text]] if text in KEYS else text:
            acts += [{"type": "keyDown", "value": key}, {"type": "keyUp", "value": key}]
        self._act({"type": "key", "id": "keyboard", "actions": acts})

    def fill(self, selector: str, text: str) -> None:
        """Type into a field in place of what stands there."""
        self.click(selector)
        self.value(f"document.querySelector({json.dumps(selector)}).select()")
        self.type(text)

    def _act(self, source: dict) -> None:
        self.ask("input.performActions", {"context": self._window, "actions": [source]})

    def picture(self, path: Path) -> None:
        """Keep what the window shows as a PNG."""
        data = self.ask("browsingContext.captureScreenshot", {"context": self._window})["data"]
        path.write_bytes(base64.b64decode(data))
