"""What is kept: backups while runs are recorded, bringing back, the disk, and what was removed."""

import io
import json
import shutil
import sqlite3
import tempfile
import threading
import zipfile
from contextlib import closing
from datetime import datetime, timedelta
from pathlib import Path

import pytest
from django.db import connections
from django.urls import reverse
from django.utils import timezone
from hypothesis import given, settings
from hypothesis import strategies as st

from galena.config.database import known_migrations
from galena.experiments import flows
from galena.experiments.models import Experiment, Run, Series, SeriesChunk
from galena.keeping import backups, nightly, removed, restoring, usage
from galena.keeping.backups import BackupError
from galena.lessons import removing
from galena.shell import disk
from tests import making
from tests.web import classes

NIGHT = datetime(2026, 3, 9, 3, 10)


@pytest.fixture
def folder(tmp_path):
    """A data folder with a small database, a key, and a film."""
    with closing(sqlite3.connect(tmp_path / backups.DATABASE)) as database:
        database.execute("PRAGMA journal_mode=WAL")
        database.execute("CREATE TABLE django_migrations (id INTEGER, app TEXT, name TEXT)")
        database.execute("INSERT INTO django_migrations VALUES (1, 'bench', '0001_initial')")
        database.execute("CREATE TABLE chunk (number INTEGER PRIMARY KEY, data BLOB)")
        database.commit()
    (tmp_path / backups.KEY).write_text("key of this server")
    film = tmp_path / "clips" / "0a1b"
    film.mkdir(parents=True)
    (film / "original").write_bytes(b"film" * 1000)
    return tmp_path


KNOWN = {("bench", "0001_initial")}


def chunks_in(database):
    with closing(sqlite3.connect(database)) as opened:
        return opened.execute("SELECT number, data FROM chunk ORDER BY number").fetchall()


def test_a_backup_under_load_holds_every_chunk_that_was_committed_before_it(folder, tmp_path):
    stopping, written = threading.Event(), []

    def write():
        with closing(sqlite3.connect(folder / backups.DATABASE, timeout=60)) as database:
            database.execute("PRAGMA synchronous=FULL")
            while not stopping.is_set():
                number = len(written)
                database.execute(
                    "INSERT INTO chunk VALUES (?, ?)", (number, bytes([number % 256]) * 8000)
                )
                database.commit()
                written.append(number)

    writer = threading.Thread(target=write)
    writer.start()
    while len(written) < 50:
        pass
    committed = len(written)
    made = backups.make(folder, tmp_path / "kept" / "one.zip", "asked for")
    after = len(written)
    stopping.set()
    writer.join()
    elsewhere = tmp_path / "elsewhere"
    elsewhere.mkdir()
    assert restoring.restore(made.path, elsewhere, KNOWN) is None
    brought = chunks_in(elsewhere / backups.DATABASE)
    assert committed <= len(brought) <= after + 1
    assert brought == [(number, bytes([number % 256]) * 8000) for number in range(len(brought))]
    assert (elsewhere / "clips" / "0a1b" / "original").read_bytes() == b"film" * 1000
    assert (elsewhere / backups.KEY).read_text() == "key of this server"
    assert made.path.stat().st_mode & 0o077 == 0
    assert [path.name for path in made.path.parent.iterdir()] == ["one.zip"]


def test_what_was_there_is_put_aside(folder):
    made = backups.make(folder, folder / "one.zip", "asked for")
    (folder / backups.KEY).write_text("another key")
    aside = restoring.restore(made.path, folder, KNOWN)
    assert (aside / backups.KEY).read_text() == "another key"
    assert (aside / "clips" / "0a1b" / "original").exists()
    assert (folder / backups.KEY).read_text() == "key of this server"
    assert not (folder / restoring.COMING).exists()


def test_films_stay_where_a_backup_has_none(folder):
    made = backups.make(folder, folder / "one.zip", "nightly", with_clips=False)
    aside = restoring.restore(made.path, folder, KNOWN)
    assert (folder / "clips" / "0a1b" / "original").exists()
    assert not (aside / "clips").exists()


@pytest.fixture(scope="module")
def whole(tmp_path_factory):
    here = tmp_path_factory.mktemp("whole")
    with closing(sqlite3.connect(here / backups.DATABASE)) as database:
        database.execute("CREATE TABLE chunk (number INTEGER PRIMARY KEY, data BLOB)")
        database.execute("INSERT INTO chunk VALUES (1, zeroblob(3000))")
        database.commit()
    (here / backups.KEY).write_text("key")
    return backups.make(here, here / "whole.zip", "asked for").path.read_bytes()


@given(st.data())
@settings(max_examples=60)
def test_a_damaged_backup_changes_nothing(whole, data):
    here = Path(tempfile.mkdtemp(prefix="galena-tests-backup-"))
    try:
        (here / backups.KEY).write_text("mine")
        damaged = bytearray(whole)
        place = data.draw(st.integers(0, len(whole) - 1))
        if data.draw(st.booleans()):
            damaged[place] ^= data.draw(st.integers(1, 255))
        else:
            del damaged[place:]
        file = here / "damaged.zip"
        file.write_bytes(bytes(damaged))
        try:
            restoring.restore(file, here, set())
        except BackupError:
            assert (here / backups.KEY).read_text() == "mine"
            assert not (here / backups.DATABASE).exists()
        else:  # a bit that nothing reads, as a time in the zip's list
            assert chunks_in(here / backups.DATABASE) == [(1, bytes(3000))]
    finally:
        shutil.rmtree(here)


def rewritten(whole, change):
    """Give a backup whose own description was changed."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(whole)) as source, zipfile.ZipFile(out, "w") as target:
        for name in source.namelist():
            data = source.read(name)
            if name == backups.ABOUT:
                about = json.loads(data)
                change(about)
                data = json.dumps(about).encode()
            target.writestr(name, data)
    return out.getvalue()


@pytest.mark.parametrize(("change", "why"), [
    (lambda about: about.update(format=2), "made by a newer Galena"),
    (lambda about: about["migrations"].append(["bench", "0099_later"]), "made by a newer Galena"),
    (lambda about: about["files"].pop("galena.sqlite3"), "cannot be read"),
    (lambda about: about["files"].update({"../x": {"size": 1, "sha256": ""}}), "a strange name"),
    (lambda about: about["files"].update({"clips/a/b": {"size": 1, "sha256": ""}}), "is missing"),
    (lambda about: about["files"]["secret_key"].update(size=1), "longer than it should be"),
    (lambda about: about["files"]["secret_key"].update(sha256="0"), "not as it was"),
    (lambda about: about.update(files=[]), "cannot be read"),
])  # fmt: skip
def test_what_is_newer_or_not_whole_is_refused(whole, tmp_path, change, why):
    file = tmp_path / "one.zip"
    file.write_bytes(rewritten(whole, change))
    with pytest.raises(BackupError, match=why):
        restoring.restore(file, tmp_path, set())
    assert [path.name for path in tmp_path.iterdir()] == ["one.zip"]


def test_what_is_no_backup_is_told(tmp_path):
    with pytest.raises(BackupError, match="There is no file"):
        restoring.restore(tmp_path / "none.zip", tmp_path, set())
    (tmp_path / "text.zip").write_text("hello")
    with pytest.raises(BackupError, match="damaged"):
        restoring.restore(tmp_path / "text.zip", tmp_path, set())
    with zipfile.ZipFile(tmp_path / "other.zip", "w") as archive:
        archive.writestr("a.txt", "a")
    with pytest.raises(BackupError, match="no backup of Galena"):
        restoring.restore(tmp_path / "other.zip", tmp_path, set())


def test_a_backup_that_has_no_room_leaves_nothing(folder, tmp_path, monkeypatch):
    target = tmp_path / "kept" / "one.zip"
    usage_of = type("Usage", (), {"free": 1000})
    monkeypatch.setattr(backups.shutil, "disk_usage", lambda path: usage_of)
    with pytest.raises(BackupError, match="Make room, or name another disk"):
        backups.make(folder, target, "asked for")
    assert not list(target.parent.iterdir())


def test_one_is_made_each_night_and_seven_are_kept(folder):
    for day in range(10):
        now = NIGHT + timedelta(days=day)
        assert nightly.is_due(folder, now)
        nightly.make_nightly(folder, now)
        assert not nightly.is_due(folder, now + timedelta(hours=23))
    names = [path.name for path in backups.own_backups(folder)]
    assert names == [
        f"2026-03-{18 - day} 03-10-00 nightly{backups.ENDING}" for day in range(7)
    ]  # fmt: skip
    assert not nightly.is_due(folder, NIGHT + timedelta(days=9, hours=12))
    assert nightly.is_due(folder, NIGHT + timedelta(days=10))
    assert nightly.is_due(folder, NIGHT - timedelta(days=30))  # a clock that was set back


def test_the_disk_is_told_by_what_uses_it(folder):
    backups.make(folder, folder / "backups" / f"a{backups.ENDING}", "asked for")
    told = {use.words: use.size for use in usage.uses(folder)}
    assert told["films"] == 4000
    assert told["backups"] > 0
    assert told["experiments, with all readings"] >= 8192
    assert "reports that were handed in" not in told


def left(monkeypatch, size):
    monkeypatch.setattr(disk, "free", lambda: size)


def test_a_full_disk_is_told_and_no_run_begins(as_ada, experiment, monkeypatch):
    assert disk.in_words(1.234e9) == "1.23 GB"
    left(monkeypatch, 900_000_000)
    assert "900 MB are left. Make room soon." in as_ada.get(reverse("kept")).content.decode()
    assert disk.refusal() == ""
    left(monkeypatch, 150_000_000)
    assert "No run can be recorded" in as_ada.get(reverse("kept")).content.decode()
    assert "150 MB left" in disk.refusal()


def test_a_removed_experiment_is_away_and_comes_back(as_ada, experiment):
    making.run(experiment, making.ramp())
    page = as_ada.post(
        reverse("remove-experiment", args=[experiment.pk]), follow=True
    ).content.decode()
    assert "can be brought back for thirty days" in page
    assert "Tide tank" not in as_ada.get(reverse("experiments")).content.decode()
    assert as_ada.get(reverse("desk", args=[experiment.pk])).status_code == 404
    page = as_ada.post(reverse("bring-back", args=[experiment.pk]), follow=True).content.decode()
    assert "is in the list of experiments again" in page
    assert as_ada.get(reverse("desk", args=[experiment.pk])).status_code == 200


def test_it_is_deleted_for_good_when_its_time_is_over(as_ada, experiment):
    making.run(experiment, making.ramp())
    flows.remove_experiment(experiment)
    assert removed.sweep() == removed.Gone(0, 0)
    old = timezone.now() - timedelta(days=31)
    Experiment.objects.filter(pk=experiment.pk).update(removed_at=old)
    assert removed.sweep() == removed.Gone(1, 0)
    assert not Experiment.objects.exists()
    assert not SeriesChunk.objects.exists()


def test_it_can_be_deleted_before_that(as_ada, experiment):
    flows.remove_experiment(experiment)
    page = as_ada.post(
        reverse("delete-experiment", args=[experiment.pk]), follow=True
    ).content.decode()
    assert "is deleted for good" in page
    assert not Experiment.objects.exists()


def test_what_is_not_removed_is_not_deleted(as_ada, experiment):
    assert (
        as_ada.post(reverse("delete-experiment", args=[experiment.pk]), follow=True).status_code
        == 404
    )
    assert as_ada.post(reverse("bring-back", args=[experiment.pk]), follow=True).status_code == 404


def test_a_lesson_keeps_its_experiment(as_ada, experiment):
    lesson = classes.begin(experiment)
    refused = as_ada.post(reverse("remove-experiment", args=[experiment.pk]), follow=True)
    assert refused.status_code == 409
    assert "End the lesson first" in refused.content.decode()
    lesson.ended_at = timezone.now()
    lesson.save()
    assert (
        as_ada.post(reverse("remove-experiment", args=[experiment.pk]), follow=True).status_code
        == 200
    )
    Experiment.objects.update(removed_at=timezone.now() - timedelta(days=31))
    assert removed.sweep().experiments == 0
    page = as_ada.post(reverse("delete-experiment", args=[experiment.pk]), follow=True)
    assert "Remove that lesson first" in page.content.decode()
    removing.remove_lesson(lesson)
    assert removed.sweep().experiments == 1


def test_a_removed_run_comes_back_or_goes_and_its_number_is_not_used_again(as_ada, experiment):
    first, second = (making.run(experiment, making.ramp()) for _ in range(2))
    flows.remove(second)
    assert "run 2 of" in as_ada.get(reverse("kept")).content.decode()
    as_ada.post(reverse("bring-run-back", args=[second.pk]), follow=True)
    assert experiment.runs.kept().count() == 2
    flows.remove(second)
    Run.objects.filter(pk=second.pk).update(removed_at=timezone.now() - timedelta(days=31))
    assert removed.sweep() == removed.Gone(0, 1)
    experiment.refresh_from_db()
    assert flows.next_number(experiment) == 3
    assert [run.pk for run in experiment.runs.all()] == [first.pk]


def test_readings_that_another_run_uses_stay(experiment, ada):
    run = making.run(experiment, making.ramp())
    other = flows.create(ada, "Other", [])
    again = making.run(other, making.ramp())
    own, using = (Series.objects.filter(stream__run=one).order_by("pk") for one in (run, again))
    SeriesChunk.objects.filter(series__in=using).delete()
    for follower, holder in zip(using, own, strict=True):
        Series.objects.filter(pk=follower.pk).update(stored_in=holder)
    stored = [bytes(chunk.data) for chunk in SeriesChunk.objects.filter(series__in=own)]
    flows.remove(run)
    Run.objects.filter(pk=run.pk).update(removed_at=timezone.now() - timedelta(days=31))
    removed.sweep()
    left_over = SeriesChunk.objects.filter(series__stream__run=again)
    assert [bytes(chunk.data) for chunk in left_over] == stored


def test_those_who_look_after_galena_make_and_fetch_backups(as_ada, ada, tmp_path, settings):
    settings.DATA_DIR = tmp_path
    with closing(sqlite3.connect(tmp_path / backups.DATABASE)) as database:
        database.execute("CREATE TABLE chunk (number INTEGER)")
    (tmp_path / backups.KEY).write_text("key")
    assert as_ada.post(reverse("back-up"), follow=True).status_code == 403
    ada.is_staff = True
    ada.save()
    page = as_ada.post(reverse("back-up"), follow=True).content.decode()
    assert "The backup is made" in page
    (path,) = backups.own_backups(tmp_path)
    address = reverse("backup-file", args=[path.name])
    answer = as_ada.get(address)
    assert b"".join(answer.streaming_content) == path.read_bytes()
    for close in answer._resource_closers:
        close()
    assert as_ada.get(address, REMOTE_ADDR="192.168.1.9").status_code == 403
    assert as_ada.get(reverse("backup-file", args=["none.zip"])).status_code == 404


@pytest.mark.slow  # `make check` runs without migrations
def test_this_galena_knows_its_own_migrations(db):
    assert ("bench", "0001_initial") in known_migrations()
    assert connections["default"].vendor == "sqlite"
