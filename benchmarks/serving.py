"""A server with a benchmark's own rig, in processes of their own, as a school would run it."""

import hashlib
import json
import os
import re
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import httpx

PERSON = """
from galena.classroom.models import Person
from galena.experiments.flows import create
create(Person.objects.create_user("ada", first_name="Ada"), "Bench")
"""


ROOT = Path(__file__).parents[1]
KEEPS_CONNECTION = 50.0  # s: a little shorter than the server does
LOADED_LAST = "signal/_peak_finding_utils"
GALENA = [sys.executable, "-m", "galena"]


def surroundings(folder: str, stand_ins: list[str]) -> dict[str, str]:
    """Give the environment of a server with its data in a folder."""
    return os.environ | {
        "GALENA_DATA": folder,
        "GALENA_DEMO": "1",
        "GALENA_STAND_INS": " ".join(stand_ins),
        "DJANGO_SETTINGS_MODULE": "galena.config.settings",
    }


@contextmanager
def served_from(folder: str, stand_ins: list[str]) -> Iterator[tuple[str, int]]:
    """Serve what is in a folder; gives address and process id."""
    process = subprocess.Popen(
        [*GALENA, "serve", "--port", "0"],
        env=surroundings(folder, stand_ins),
        stdout=subprocess.PIPE,
        text=True,
    )
    try:
        address = re.search(r"http://\S+", process.stdout.readline())[0].rstrip("/")
        while not answers(address):
            time.sleep(0.05)
        yield address, process.pid
    finally:
        process.terminate()
        process.wait()


def all_is_loaded(pid: int) -> bool:
    """Tell whether a server has loaded what it loads a while after its start."""
    return LOADED_LAST in Path(f"/proc/{pid}/maps").read_text()


def empty_world() -> Path:
    """Give a folder with one person's empty experiment; made once for the migrations there are."""
    migrations = sorted(ROOT.glob("galena/*/migrations/0*.py"))
    name = hashlib.sha256(b"\n".join(one.read_bytes() for one in migrations)).hexdigest()[:12]
    kept = ROOT / ".work" / f"empty-world-{name}"
    if kept.exists():
        return kept
    kept.parent.mkdir(exist_ok=True)
    folder = tempfile.mkdtemp(dir=kept.parent)
    for words in (["migrate", "-v0"], ["shell", "-v0", "-c", PERSON]):
        subprocess.run([*GALENA, "manage", *words], env=surroundings(folder, []), check=True)
    try:
        Path(folder).rename(kept)
    except OSError:  # another benchmark has made it meanwhile
        shutil.rmtree(folder)
    return kept


@contextmanager
def served(stand_ins: list[str]) -> Iterator[tuple[str, int, Path]]:
    """Serve an empty world to one person; gives address, process id and data folder."""
    with tempfile.TemporaryDirectory() as folder:
        shutil.copytree(empty_world(), folder, dirs_exist_ok=True)
        with served_from(folder, stand_ins) as (address, pid):
            yield address, pid, Path(folder)


def answers(address: str) -> bool:
    """Tell whether the server is up."""
    try:
        return httpx.get(f"{address}/sign-in").status_code == 200
    except httpx.TransportError:
        return False


def signed_in(address: str) -> httpx.Client:
    """Give a client that has come in by the demo's door, with its token in place."""
    kept = httpx.Limits(keepalive_expiry=KEEPS_CONNECTION)  # as long as a browser does
    client = httpx.Client(base_url=address, timeout=180, limits=kept)
    client.get("/sign-in")
    token = {"csrfmiddlewaretoken": client.cookies["csrftoken"]}
    client.post("/sign-in/demo", data=token)
    client.headers["X-CSRFToken"] = client.cookies["csrftoken"]
    return client


def cpu_seconds(pid: int) -> float:
    """Give the processor time that a process has used so far."""
    fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
    return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")


@contextmanager
def four_channels() -> Iterator[str]:
    """Run the stand-in with four channels; gives its address."""
    rig = subprocess.Popen(
        [sys.executable, "-m", "benchmarks.four_channels"],
        stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
    )  # fmt: skip
    try:
        yield rig.stdout.readline().split()[1]
    finally:
        rig.terminate()
        rig.wait()


def watching(
    benchmark: str, address: str, cookies: dict[str, str], count: int, seconds: float
) -> subprocess.Popen:
    """Have so many watchers of a benchmark watch in a process of their own."""
    code = (
        f"import sys; from benchmarks.{benchmark} import watch_for;"
        "watch_for(sys.argv[1], sys.argv[2], int(sys.argv[3]), float(sys.argv[4]))"
    )
    words = [address, json.dumps(cookies), str(count), str(seconds)]
    return subprocess.Popen([sys.executable, "-c", code, *words], stdout=subprocess.PIPE, text=True)
