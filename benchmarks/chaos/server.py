"""A server that is started, killed and started again in one data folder."""

import os
import re
import shutil
import signal
import subprocess
import tempfile
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

import httpx

from benchmarks.serving import GALENA, answers, empty_world, signed_in, surroundings
from galena.shell import waiting

PATIENCE = 180.0


def until(condition: Callable[[], object], what: str, lasts: float = 0.0) -> object:
    """Give the condition's first true value; TimeoutError names what did not come.

    lasts: how long it takes in any case, in s.
    """
    return waiting.until(condition, what, lasts + PATIENCE)


@contextmanager
def world(experiments: int = 1) -> Iterator[Path]:
    """Give a data folder with one person's empty experiments."""
    with tempfile.TemporaryDirectory() as folder:
        shutil.copytree(empty_world(), folder, dirs_exist_ok=True)
        kept = Path(folder)
        if experiments > 1:
            with Server(kept, []) as server:
                client = server.signed_in()
                for number in range(1, experiments):
                    client.post("/experiments/new", data={"title": f"Bench {number}"})
        yield kept


class Server:
    """A server in a data folder; as a context it is stopped at the end, as a person would."""

    def __init__(self, folder: Path, boards: list[str], command: Sequence[str] = GALENA) -> None:
        self.folder, self.began = folder, time.monotonic()
        self.process = subprocess.Popen(
            [*command, "serve", "--port", "0"], env=surroundings(str(folder), boards),
            stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
        )  # fmt: skip
        line = self.process.stdout.readline()
        match = re.search(r"http://\S+", line)
        if match is None:
            raise RuntimeError(line + self.process.stderr.read())
        self.address = match[0].rstrip("/")
        until(lambda: answers(self.address), "the server")

    @property
    def pid(self) -> int:
        return self.process.pid

    @property
    def age(self) -> float:
        """Seconds since its process was started."""
        return time.monotonic() - self.began

    def __enter__(self) -> "Server":
        return self

    def __exit__(self, kind: object, error: BaseException | None, trace: object) -> None:
        ended = self.process.poll()
        if ended is None:
            self.process.terminate()
        errors = self.end()
        if error is not None and ended is not None:
            error.add_note(f"The server had ended by itself ({ended}): {errors[-2000:]}")

    def kill(self) -> None:
        """End it as a power cut or the system does: at once and without a word."""
        os.kill(self.pid, signal.SIGKILL)
        self.end()

    def end(self) -> str:
        """Wait for its end, and give what it wrote to its errors."""
        said = self.process.communicate(timeout=PATIENCE)[1]
        return said or ""

    def signed_in(self) -> httpx.Client:
        """Give a client that has come in, and asks as a page does."""
        client = signed_in(self.address)
        client.headers["HX-Request"] = "true"
        return client


def channels_of(client: httpx.Client, experiment: int, serial: int) -> list[str]:
    """Give the keys of a board's channels once they are live."""

    def listed() -> list[str]:
        page = client.get(f"/experiments/{experiment}/record").text
        boxes = re.findall(r'name="channel" value="(\d+)"', page)
        return boxes if len(boxes) >= 2 * serial else []

    return list(until(listed, f"board {serial}"))[2 * serial - 2 : 2 * serial]


def status(client: httpx.Client, experiment: int) -> dict:
    return client.get(f"/experiments/{experiment}/record/status").json()


def start_steady(client: httpx.Client, experiment: int, channels: list[str], **more: str) -> dict:
    """Start a steady run, and give its status once it has readings."""
    plan = {"plan": "steady", "rate": "1000", "duration": "600", "channel": channels} | more
    begun = time.monotonic()
    while status(client, experiment)["phase"] != "recording":
        said = client.post(f"/experiments/{experiment}/record/start", data=plan).text
        if time.monotonic() > begun + PATIENCE:
            raise TimeoutError(re.sub(r"\s+", " ", re.sub("<[^>]*>", "", said))[-500:])
    until(lambda: status(client, experiment).get("taken", 0), "readings")
    return status(client, experiment)
