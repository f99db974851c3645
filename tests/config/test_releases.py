"""What an earlier version stored is brought up to date, and its pages are there."""

import lzma
import re
import sqlite3
from contextlib import closing
from pathlib import Path

import httpx
import pytest

from galena import __version__
from tests.config.test_commands import Serving, galena
from tests.waiting import until

__all__ = ["galena"]

DATABASES = Path(__file__).resolve().parents[1] / "databases"
RELEASES = sorted(path.name for path in DATABASES.iterdir())
PLACES = ("bench", "record", "desk", "quantities", "report", "clips")


@pytest.fixture
def kept(galena, request):
    """The data folder of a release, as somebody left it."""
    sample = DATABASES / request.param
    galena.folder.mkdir()
    data = lzma.decompress((sample / "database.xz").read_bytes())
    (galena.folder / "galena.sqlite3").write_bytes(data)
    return galena.folder


def rows(folder, table):
    with closing(sqlite3.connect(folder / "galena.sqlite3")) as database:
        return database.execute(f"SELECT count(*) FROM {table}").fetchone()[0]


def test_there_is_a_sample_of_the_first_release():
    assert "0.2.0" in RELEASES
    assert __version__ >= "0.2.0"


@pytest.mark.parametrize("kept", RELEASES, indirect=True)
def test_a_database_of_a_release_is_brought_up_to_date(kept):
    before = {table: rows(kept, table) for table in ("experiments_serieschunk", "desk_finding")}
    assert all(before.values())
    with Serving(kept) as serving, httpx.Client(base_url=serving.address, timeout=180) as browser:

        def answers():
            try:
                return browser.get("sign-in").status_code == 200
            except httpx.TransportError:
                return False

        until(answers, "the server")
        sent = {"username": "ada", "password": "skerry-lamp",
                "csrfmiddlewaretoken": browser.cookies["csrftoken"]}  # fmt: skip
        assert browser.post("sign-in", data=sent).status_code == 302
        page = browser.get("")
        assert "Tide tank" in page.text
        assert "Gangway" not in page.text
        assert "Gangway" in browser.get("kept").text
        for place in PLACES:
            assert browser.get(f"experiments/1/{place}").status_code == 200, place
        assert browser.get("experiments/1/desk/sheets/1/data?columns=300").status_code == 200
        assert "Gannet" in browser.get("class/1").text
        (told,) = serving.told_before
        as_it_was = re.search(r"as it was it is in (.*\.galena-backup\.zip)", told)[1]
    assert (kept / "backups" / as_it_was).exists()
    assert {table: rows(kept, table) for table in before} == before
