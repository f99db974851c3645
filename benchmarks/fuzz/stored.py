"""Junk for what needs a database: experiment files, clips, and every address that takes a form.

The junk is drawn from a seed: real files with some of their octets, or some of their values, changed,
and forms whose fields hold what no page sends. What is changed is taken back after each piece.

Run: python -m benchmarks.fuzz.stored NAME SECONDS PIECES; prints what was reached as JSON.
"""

import contextlib
import hashlib
import io
import json
import os
import random
import sys
import tempfile
import time
import traceback
import zipfile
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path

os.environ["DJANGO_SETTINGS_MODULE"] = "tests.settings"

import django

from benchmarks.fuzz.targets import PATIENCE

MOST_FAULTS = 5
LEAVES = (None, True, 0, -1, 10**30, 1e308, -0.0, "", "²", "\x00", "9" * 400, "a" * 5000, [], {}, [[]],
          "h", "1e999", {"a": {}}, "../x", "\ud800")  # fmt: skip


class Slow(Exception):  # noqa: N818 - what it is called in words
    """A piece of junk has taken longer than it may."""


def thrown(piece: Callable[[random.Random], object], seconds: float, wanted: int) -> dict:
    """Throw so many pieces of junk, for so long at most; gives what was reached.

    piece: may give what is to be looked at afterwards, which may take as long as it does.
    """
    chance, began, pieces, faults = random.Random(time.time_ns()), time.monotonic(), 0, []
    while pieces < wanted and time.monotonic() < began + seconds and len(faults) < MOST_FAULTS:
        state = chance.getstate()
        spent = time.thread_time()
        try:
            with taken_back():
                look = piece(chance)
                spent = time.thread_time() - spent
                if look is not None:
                    look()
            if spent > PATIENCE:
                raise Slow(f"{spent:.1f} s")
        except Exception:
            again = random.Random()
            again.setstate(state)
            faults.append(f"{traceback.format_exc()[-3000:]}\nfirst number drawn: {again.random()}")
        pieces += 1
    return {"pieces": pieces, "seconds": time.monotonic() - began, "faults": faults}


@contextlib.contextmanager
def taken_back() -> Iterator[None]:
    """Take back what was changed in the database."""
    from django.db import transaction

    with transaction.atomic():
        yield
        transaction.set_rollback(True)


def spoiled(data: bytes, chance: random.Random) -> bytes:
    """Change, leave out or repeat some octets."""
    octets = bytearray(data)
    for _ in range(chance.choice((1, 1, 2, 5, 30))):
        at = chance.randrange(len(octets) or 1)
        kind = chance.randrange(5)
        if kind == 0 and octets:
            octets[at] ^= 1 << chance.randrange(8)
        elif kind == 1 and octets:
            octets[at] = chance.choice((0, 255, 127, chance.randrange(256)))
        elif kind == 2:
            del octets[at : at + chance.choice((1, 4, 100))]
        elif kind == 3:
            octets[at:at] = octets[at : at + chance.choice((1, 8, 64))]
        else:
            octets[at : at + 4] = chance.randbytes(4)
    return bytes(octets)


def other_values(content: object, chance: random.Random) -> object:
    """Put junk in the place of one value somewhere within a JSON."""
    at = content
    while isinstance(at, dict | list) and at:
        keys = list(at) if isinstance(at, dict) else range(len(at))
        key = chance.choice(list(keys))
        if not isinstance(at[key], dict | list) or not at[key] or chance.random() < 0.1:
            at[key] = chance.choice(LEAVES)
            break
        at = at[key]
    return content


def experiment_files() -> Callable[[random.Random], object]:
    """Make an experiment with one of each thing; give what reads its file with something changed."""
    from galena.core.errors import GalenaError
    from galena.exchange import package
    from tests.random_experiments import Maker

    experiment = _experiment()
    maker = Maker(experiment, 5)
    maker.do(["steady", "steady", "stepwise", "typed", "formula", "given", "span", "note", "ask"])
    maker.do(["ask", "residuals", "harvest", "aside", "calibrated", "beside", "report"])
    file = io.BytesIO()
    package.write(experiment, file)
    whole = file.getvalue()
    with zipfile.ZipFile(file) as zipped:
        names = {name: zipped.read(name) for name in zipped.namelist()}

    def piece(chance: random.Random) -> Callable[[], None] | None:
        if chance.random() < 0.3:
            data = spoiled(whole, chance)
        else:
            data = _packed(_with_junk(names, chance))
        try:
            read = package.read(io.BytesIO(data), experiment.owner)
        except GalenaError:
            return None
        return partial(_all_pages, read.pk)

    return piece


def _with_junk(names: dict[str, bytes], chance: random.Random) -> dict[str, bytes]:
    name = chance.choice(["galena.json"] * 6 + sorted(names))
    if name.endswith(".json"):
        content = json.loads(names[name])
        for _ in range(chance.choice((1, 1, 3))):
            other_values(content, chance)
        return names | {name: json.dumps(content).encode()}
    return names | {name: spoiled(names[name], chance)}


def _packed(names: dict[str, bytes]) -> bytes:
    """Pack files with the checksums that they have now: what is wrong is found by its content."""
    lines = [f"{hashlib.sha256(data).hexdigest()}  {name}\n" for name, data in names.items()
             if name != "checksums.sha256"]  # fmt: skip
    file = io.BytesIO()
    with zipfile.ZipFile(file, "w") as zipped:
        for name, data in (names | {"checksums.sha256": "".join(lines).encode()}).items():
            zipped.writestr(name, data)
    return file.getvalue()


def _all_pages(key: int) -> None:
    from django.test import Client

    from galena.classroom.models import Person

    client = Client(headers={"host": "127.0.0.1"})
    client.force_login(Person.objects.get(username="ada"))
    for page in ("desk", "quantities", "report", "record"):
        assert client.get(f"/experiments/{key}/{page}").status_code == 200, page


def clips() -> Callable[[random.Random], object]:
    """Make a film; give what prepares it with some octets changed."""
    from galena.clips.errors import ClipError
    from galena.clips.video import prepare
    from galena.shell.worker import WorkerError, Workers
    from tests.films import film

    folder = Path(tempfile.mkdtemp())
    whole = film(folder / "seed.mp4", [k / 25 for k in range(12)]).read_bytes()
    workers = Workers()

    def piece(chance: random.Random) -> None:
        path = folder / "junk.mp4"
        path.write_bytes(spoiled(whole, chance))
        try:
            workers.do(prepare, str(path), str(folder), patience=10.0)
        except (ClipError, WorkerError):
            return

    return piece


def pages() -> Callable[[random.Random], object]:
    """Make an experiment and a lesson; give what posts a form with junk to any address."""
    from django.test import Client

    from galena.classroom.models import Person
    from galena.exchange import arrival_views, working
    from tests.web import classes, everything
    from tests.web.test_junk import CELLS, FIELDS, MAKES_A_PDF, STREAMS

    working._begin = lambda work, act: working._do(work, act)
    arrival_views.WORKERS.do = lambda work, *given, **_: work(*given)
    experiment = _experiment()
    keys = everything.make(experiment) | everything.of_a_class(experiment)
    out = {"sign-out", "sign-in-demo"} | STREAMS | MAKES_A_PDF
    names = sorted(set(everything.routes()) - out)
    ada, group = Client(headers={"host": "127.0.0.1"}), None
    ada.force_login(experiment.owner)
    group = classes.client_of(Person.objects.get(pk=keys["group_id"]))
    cells = [*CELLS, *map(str, range(4)), "line", "mean", "h", "2*h", "steady", "remove", "yes"]

    def piece(chance: random.Random) -> None:
        name = chance.choice(names)
        client = group if name in everything.OF_GROUPS else ada
        form = {chance.choice(FIELDS): chance.choice(cells) for _ in range(chance.randrange(8))}
        answer = client.post(everything.path(name, keys), form)
        assert answer.status_code < 500, (name, form)

    return piece


def _experiment():
    from galena.classroom.models import Person
    from galena.experiments import flows

    ada = Person.objects.create_user("ada", first_name="Ada", is_staff=True)
    return flows.create(ada, "Tide tank", [("pump", "mL/s"), ("drain", "")])


TARGETS = {"experiment files": experiment_files, "clips": clips, "pages": pages}


def main() -> None:
    """Throw junk at one target, in a database of its own."""
    name, seconds, wanted = sys.argv[1], float(sys.argv[2]), int(sys.argv[3])
    django.setup()
    from django.core.management import call_command

    call_command("migrate", verbosity=0)
    print(json.dumps(thrown(TARGETS[name](), seconds, wanted)))


if __name__ == "__main__":
    main()
