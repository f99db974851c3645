"""Heavy work that a server does beside what is measured: reports printed, films prepared."""

import re
import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import httpx

from benchmarks import sizes

PICTURES = sizes.of(100, 12)  # of the film that is prepared


def film_file(pictures: int) -> bytes:
    """Give a film of so many pictures, 25 a second, as a file."""
    from tests.films import film

    with tempfile.TemporaryDirectory() as place:
        return film(Path(place) / "seed.mp4", [k / 25 for k in range(pictures)]).read_bytes()


def announce_film(client: httpx.Client, data: bytes, ticket: int) -> tuple[str, str]:
    """Say that a film comes to experiment 1; gives where its pieces go, and the clip's key."""
    about = {"name": f"seed {ticket}.mp4", "size": len(data), "ticket": str(ticket)}
    piece = client.post("/experiments/1/clips/new", data=about).json()["piece"]
    return piece, re.search(r"/clips/(\d+)/", piece)[1]


def send_film(client: httpx.Client, piece: str, data: bytes) -> None:
    """Send a film in one piece."""
    as_it_is = {"Content-Type": "application/octet-stream"}
    client.post(f"{piece}?at=0", content=data, headers=as_it_is).raise_for_status()


@dataclass
class Work:
    """What was done beside the measuring."""

    reports: int = 0
    clips: int = 0


@contextmanager
def hard_work(printing: httpx.Client, preparing: httpx.Client) -> Iterator[Work]:
    """Have a report printed and a film prepared, again and again, each by a client of its own."""
    over, work = threading.Event(), Work()
    data = film_file(PICTURES)
    tasks = (lambda: _print(printing, work), lambda: _prepare(preparing, data, work, over))

    def repeat(task) -> None:
        while not over.is_set():
            task()

    threads = [threading.Thread(target=repeat, args=(task,)) for task in tasks]
    for thread in threads:
        thread.start()
    try:
        yield work
    finally:
        over.set()
        for thread in threads:
            thread.join()


def _print(client: httpx.Client, work: Work) -> None:
    client.get("/experiments/1/report.pdf").raise_for_status()
    work.reports += 1


def _prepare(client: httpx.Client, data: bytes, work: Work, over: threading.Event) -> None:
    piece, clip = announce_film(client, data, work.clips + 1)
    send_film(client, piece, data)
    while client.get(f"/experiments/1/clips/{clip}/state").json()["state"] != "ready":
        time.sleep(0.05)
        if over.is_set():
            return
    work.clips += 1
