"""A disk that fills up, on a small file system of its own, and a clock that is set back."""

import subprocess
from datetime import timedelta

import pytest
from django.urls import reverse
from django.utils import timezone

from galena.bench.live.bench import BENCH
from galena.experiments.models import Run
from galena.shell import disk
from tests.waiting import until

MB = 1_000_000


@pytest.fixture
def small(tmp_path, settings):
    """A disk of 300 MB that the data folder is on."""
    command = ["mount", "-t", "tmpfs", "-o", "size=300000000", "tmpfs", str(tmp_path)]
    if subprocess.run(command, capture_output=True).returncode:
        pytest.skip("only root mounts a file system")
    settings.DATA_DIR = tmp_path
    yield tmp_path
    subprocess.run(["umount", str(tmp_path)], check=True)


def fill(folder, left):
    """Leave so many bytes."""
    with (folder / "filled").open("ab") as file:
        file.write(bytes(disk.free() - left))


def start(browser, experiment, **plan):
    keys = [channel.pk for channel in BENCH.live_channels()]
    plan = {"plan": "steady", "rate": "50", "duration": "60", "channel": keys} | plan
    return browser.post(reverse("start", args=[experiment.pk]), plan).content.decode()


def test_a_run_is_refused_and_another_is_stopped_before_the_disk_is_full(
    room, as_ada, experiment, small
):
    fill(small, 150 * MB)
    assert "The disk has 150 MB left" in start(as_ada, experiment)
    assert not Run.objects.exists()
    (small / "filled").unlink()
    start(as_ada, experiment)
    run = Run.objects.get()
    until(lambda: run.streams.first().series.first().chunks.count() > 3, "readings")
    fill(small, 60 * MB)
    assert Run.objects.get().state == Run.State.RECORDING
    fill(small, 40 * MB)
    until(lambda: Run.objects.get().state == Run.State.FINISHED, "its end")
    ending = Run.objects.get().ending
    assert ending == "The disk had only 50 MB left: the run was stopped with all that it had."


def test_a_clock_that_is_set_back_changes_no_run(room, as_ada, experiment, monkeypatch):
    start(as_ada, experiment, duration="2")
    earlier = timezone.now() - timedelta(hours=3)
    monkeypatch.setattr(timezone, "now", lambda: earlier)
    until(lambda: Run.objects.get().state == Run.State.FINISHED, "its end")
    monkeypatch.undo()
    run = Run.objects.get()
    stamps = run.streams.first().series.filter(quantity=None).first()
    assert sum(chunk.count for chunk in stamps.chunks.all()) == 100
    assert run.ending == ""
    for name in ("desk", "record"):
        assert as_ada.get(reverse(name, args=[experiment.pk])).status_code == 200
    assert as_ada.get(reverse("run-facts", args=[experiment.pk, 1])).status_code == 200
