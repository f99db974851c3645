"""The server is killed amid a change: a table is taken in, a clip prepared, a report written, a class
comes in. Afterwards the thing is whole, or as it was before."""

import contextlib
import random
import re
import sqlite3
import threading
import time
from collections.abc import Callable
from contextlib import closing
from pathlib import Path

import httpx

from benchmarks.beside import announce_film, film_file, send_film
from benchmarks.chaos.outcome import Outcome
from benchmarks.chaos.server import PATIENCE, Server, until, world
from benchmarks.chaos.stored import integrity
from benchmarks.lesson import TASK, come_in

ROWS, PICTURES = 150_000, 60
REPORT = "/experiments/1/report"


def part(times: int) -> Outcome:
    """Kill the server so many times amid changes of each kind in turn."""
    outcome = Outcome(f"The server killed {times} times amid other changes")
    chance = random.Random(11)
    kinds = [Table(), Film(), Text(), Class()]
    with world() as folder:
        for number in range(times):
            kind = kinds[number % len(kinds)]
            server = Server(folder, [])
            begun = kind.begin(server)
            time.sleep(chance.uniform(0, kind.lasts))
            server.kill()
            begun.join(timeout=PATIENCE)
            with Server(folder, []) as again:
                try:
                    kind.look(again.signed_in(), again.address, folder)
                except (AssertionError, TimeoutError) as error:
                    outcome.hold(False, f"{kind.name}: {error}")
        outcome.hold(integrity(folder / "galena.sqlite3") == "ok", "the database is damaged")
    for kind in kinds:
        outcome.say(
            f"{kind.name}: {kind.whole} times whole afterwards, {kind.before} times as before"
        )
    return outcome


def ask(folder: Path, query: str, *given: object) -> list[tuple]:
    """Ask the database itself."""
    with closing(sqlite3.connect(folder / "galena.sqlite3", timeout=PATIENCE)) as database:
        return database.execute(query, given).fetchall()


def until_killed(act: Callable[[], None]) -> threading.Thread:
    """Do something in a thread that ends when the server does."""

    def go() -> None:
        with contextlib.suppress(httpx.TransportError):
            act()

    thread = threading.Thread(target=go, daemon=True)
    thread.start()
    return thread


class Change:
    """Something that is being changed when the server is killed.

    lasts: the latest moment of the kill, in s after it has begun.
    """

    name, lasts = "", 1.0

    def __init__(self) -> None:
        self.whole = self.before = 0

    def begin(self, server: Server) -> threading.Thread:
        """Begin the change; gives the thread that goes on with it."""
        raise NotImplementedError

    def look(self, client: httpx.Client, address: str, folder: Path) -> None:
        """See how it was left. Raises AssertionError where it is neither whole nor as before."""
        raise NotImplementedError

    def count(self, *, whole: bool) -> None:
        self.whole += whole
        self.before += not whole


class Table(Change):
    """A table of 150,000 rows is taken in as a new experiment."""

    name, lasts = "a table taken in", 0.3

    def begin(self, server: Server) -> threading.Thread:
        text = "t / s,h / mm\n" + "".join(f"{k / 100:.2f},{k % 977}\n" for k in range(ROWS))
        client, data = server.signed_in(), text.encode()
        begun = client.post("/arrivals/new", data={"name": "tide.csv", "size": len(data)}).json()
        client.post(f"{begun['piece']}?at=0", content=data,
                    headers={"Content-Type": "application/octet-stream"})  # fmt: skip
        self.page = begun["page"]

        def shown() -> str:
            page = client.get(self.page).text
            return page if 'name="take-' in page else ""

        page = until(shown, "the table to be understood")
        form = {"time": "0"}
        for tag in re.findall(r"<input [^>]*>", page):
            of = dict(re.findall(r'([\w-]+)="([^"]*)"', tag))
            if of.get("name", "").startswith(("head-", "take-")):
                form[of["name"]] = of.get("value", "yes")
        return until_killed(lambda: client.post(f"{self.page}/table", data=form))

    def look(self, client, address, folder):
        sizes = ask(folder, "select r.id, coalesce(sum(c.count), 0) from experiments_run r "
                    "join experiments_stream t on t.run_id = r.id join experiments_series s on "
                    "s.stream_id = t.id and s.quantity_id is null left join "
                    "experiments_serieschunk c on c.series_id = s.id where r.plan = 'taken' "
                    "group by r.id")  # fmt: skip
        assert all(size == ROWS for _, size in sizes), f"runs of {sizes} rows"
        empty = ask(folder, "select count(*) from experiments_experiment e where e.title = 'tide' "
                    "and not exists (select 1 from experiments_run r where r.experiment_id = e.id)")  # fmt: skip
        assert empty == [(0,)], "an experiment without its run"
        self.count(whole=len(sizes) > self.whole)
        page = client.get(self.page)
        assert page.status_code in (200, 302, 404), f"its page answers {page.status_code}"


class Film(Change):
    """A clip is prepared."""

    name, lasts = "a clip prepared", 1.0

    def begin(self, server: Server) -> threading.Thread:
        data = film_file(PICTURES)
        client = server.signed_in()
        piece, self.clip = announce_film(client, data, self.whole + self.before)
        return until_killed(lambda: send_film(client, piece, data))

    def look(self, client, address, folder):
        assert client.get("/experiments/1/clips").status_code == 200
        state = client.get(f"/experiments/1/clips/{self.clip}/state").json()
        if state["state"] == "sending":  # the page that sends it goes on where it broke off
            self.count(whole=False)
            return

        def settled() -> bool:
            now = client.get(f"/experiments/1/clips/{self.clip}/state").json()
            return now["state"] in ("ready", "failed")

        until(settled, "the clip to be prepared again")
        ((kept, trouble, pictures),) = ask(
            folder,
            "select state, trouble, length(times) from clips_clip where id = ?",
            int(self.clip),
        )
        assert kept == "ready" or trouble, "a clip that failed says nothing"
        if kept == "ready":
            page = client.get(f"/experiments/1/clips/{self.clip}")
            assert page.status_code == 200 and pictures, "a clip that is ready has no pictures"
        self.count(whole=kept == "ready")


class Text(Change):
    """A report is written, one version after the other."""

    name, lasts = "a report written", 1.0

    def begin(self, server: Server) -> threading.Thread:
        client = server.signed_in()
        page = client.get(REPORT).text
        version = int(re.search(r'data-version="(\d+)"', page)[1])
        self.sent, self.kept = [self._text(server.folder)], 0

        def write() -> None:
            nonlocal version
            for number in range(10_000):
                text = f"The water rose {number} times.\n\n" + "It fell again. " * 200
                base = self.sent[-1]
                self.sent.append(text)
                form = {
                    "text": text,
                    "base": base,
                    "title": "Tide",
                    "base_title": "Tide",
                    "version": version,
                }
                version = client.post(f"{REPORT}/write", data=form).json()["version"]
                self.kept = len(self.sent) - 1

        return until_killed(write)

    @staticmethod
    def _text(folder: Path) -> str:
        found = ask(folder, "select text from reports_report where experiment_id = 1")
        return found[0][0] if found else ""

    def look(self, client, address, folder):
        text = self._text(folder)
        assert self.kept, "nothing was written before the kill"
        assert text in self.sent[self.kept :], "a text that was kept is gone"
        assert client.get(REPORT).status_code == 200
        self.count(whole=text == self.sent[-1])


class Class(Change):
    """Groups come into a lesson."""

    name, lasts = "a class coming in", 1.5

    def begin(self, server: Server) -> threading.Thread:
        ada = server.signed_in()
        page = ada.post("/class/new", data=TASK | {"experiment": "1"}, follow_redirects=True)
        code = re.search(r'class="code">([^<]+)<', page.text)[1]
        self.groups: list[dict] = []

        def come() -> None:
            for number in range(30):
                self.groups.append(come_in(server.address, code, number))

        return until_killed(come)

    def look(self, client, address, folder):
        for group in self.groups:
            theirs = httpx.Client(base_url=address, cookies=group["cookies"], timeout=180)
            assert theirs.get("/lesson").status_code == 200, "a group does not come back"
            desk = theirs.get(f"/experiments/{group['copy']}/desk")
            assert desk.status_code == 200, "a group has lost its copy"
        alone = ask(folder, "select count(*) from classroom_person p where p.lesson_id is not null "
                    "and not exists (select 1 from experiments_experiment e where e.owner_id = p.id)")  # fmt: skip
        assert alone == [(0,)], "a group without a copy"
        self.count(whole=bool(self.groups))
