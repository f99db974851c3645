"""The experiment as one file: written, read back without loss, and readable by anybody."""

import io
import json
import subprocess
import sys
import zipfile
from pathlib import Path

import frictionless
import numpy as np
import pytest
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from galena.classroom.models import Person
from galena.clips.models import Clip
from galena.exchange import package
from galena.exchange.errors import PackageError
from galena.experiments import flows
from galena.experiments.columns import of_run
from galena.experiments.models import Experiment, Run, SeriesChunk
from tests import making
from tests.random_experiments import ACTS, Maker

DRAWN = (
    Phase.explicit,
    Phase.reuse,
    Phase.generate,
)  # an example takes too long to be made smaller
READER = Path(__file__).parents[1] / "small_reader.py"


def written(experiment):
    file = io.BytesIO()
    package.write(experiment, file)
    return file


def contents(file):
    """All files by their names, but for when they were written."""
    with zipfile.ZipFile(file) as zipped:
        names = {name: zipped.read(name) for name in zipped.namelist()}
    del names["checksums.sha256"]
    content = json.loads(names["galena.json"])
    assert content.pop("written_at")
    return names | {"galena.json": content}


@given(st.lists(st.sampled_from(ACTS), max_size=25), st.integers(0, 2**32))
@settings(max_examples=25, suppress_health_check=list(HealthCheck), phases=DRAWN)
def test_anything_is_read_back_without_loss(ada, film_file, at_once, acts, seed):
    experiment = flows.create(ada, "Anything", [("pump", "mL/s")])
    begun = ["steady", "steady", "span"]
    Maker(experiment, seed, film_file.read_bytes()).do([*begun, *acts])
    file = written(experiment)
    other = Person.objects.get_or_create(username="other", first_name="Ada")[0]
    again = package.read(file, other)
    assert again != experiment
    assert again.owner == other
    assert contents(written(again)) == contents(file)


def test_every_act_can_be_done(experiment, film, at_once):
    maker = Maker(experiment, 1, film)
    assert maker.do(["steady", "steady", "steady", "span", "ask", "ask", "ask", "ask"]) == 8
    refused = [act for act in ACTS if not any(maker.do([act]) for _ in range(40))]
    assert [(act, maker.refused[act]) for act in refused] == []
    file = written(experiment)
    assert contents(written(package.read(file, experiment.owner))) == contents(file)


def test_readings_come_back_bit_for_bit_with_what_is_worked_out(experiment):
    level = making.ramp(250)
    run = making.run(experiment, level, conditions=["40"])
    again = package.read(written(experiment), experiment.owner).runs.get()
    (before,), (after,) = of_run(run).blocks, of_run(again).blocks
    (y,), (z,) = before.columns.values(), after.columns.values()
    assert y.readings.y.tobytes() == z.readings.y.tobytes() == level.tobytes()
    assert before.times.tobytes() == after.times.tobytes()
    assert again.label == run.label


def test_it_is_a_data_package_that_others_validate(experiment, tmp_path):
    maker = Maker(experiment, 2)
    maker.do(["steady", "stepwise", "typed", "formula", "armed", "span", "ask", "harvest"])
    with zipfile.ZipFile(written(experiment)) as zipped:
        zipped.extractall(tmp_path)
    report = frictionless.validate(str(tmp_path / "datapackage.json"))
    assert report.valid, report.flatten(["title", "message"])
    assert len(report.tasks) == experiment.runs.kept().count() >= 4
    table = frictionless.Resource(str(tmp_path / "runs" / "run-1.csv")).read_rows()
    assert len(table) == of_run(experiment.runs.get(number=1)).blocks[0].count


def test_a_reader_of_sixty_lines_needs_only_the_standard_library_and_numpy(experiment, tmp_path):
    level = making.ramp(120)
    run = making.run(experiment, level, conditions=["40"])
    stored = run.streams.get().series.exclude(quantity=None).get()
    stored.zero, stored.sign = 4.0, -1
    stored.save()
    path = tmp_path / "tide.zip"
    path.write_bytes(written(experiment).getvalue())
    source = READER.read_text("utf-8")
    assert len(source.splitlines()) <= 60
    assert {line.split()[1] for line in source.splitlines() if line.startswith(("import ", "from "))
            } <= {"hashlib", "io", "json", "sys", "zipfile", "numpy"}  # fmt: skip
    told = subprocess.run([sys.executable, READER, path], capture_output=True, text=True)
    assert told.returncode == 0, told.stderr
    lines = told.stdout.splitlines()
    assert lines[0] == "Tide tank"
    assert "run 1: 120 readings, pump 40 mL/s" in lines
    mean = float(next(line for line in lines if line.startswith("mean h")).split()[3])
    assert mean == pytest.approx((-(level - 4.0)).mean(), abs=1e-9)


def test_who_did_it_is_kept_by_name_and_gets_no_way_in(experiment, tern):
    making.run(experiment, making.ramp(20))
    file = written(experiment)
    again = package.read(file, tern)
    by = again.runs.get().started_by
    assert (str(by), by.is_active, by.has_usable_password()) == ("Ada", False, False)
    assert by != experiment.owner
    assert package.read(file, tern).runs.get().started_by == by


def test_what_is_damaged_on_the_disk_does_not_hold_back_the_rest(experiment):
    making.run(experiment, making.ramp(300))
    making.run(experiment, making.ramp(50))
    run = experiment.runs.get(number=1)
    chunk = SeriesChunk.objects.filter(series__stream__run=run, series__quantity__isnull=False)[1]
    SeriesChunk.objects.filter(pk=chunk.pk).update(crc32=chunk.crc32 ^ 1)
    file = written(experiment)
    told = contents(file)["galena.json"]["told"]
    assert any("damaged on the disk from reading 101 on" in sentence for sentence in told)
    again = package.read(file, experiment.owner)
    (block,) = of_run(again.runs.get(number=1)).blocks
    assert [one.readings.y.size for one in block.columns.values()] == [100]
    assert of_run(again.runs.get(number=2)).blocks[0].count == 50


def test_it_does_not_leave_while_a_run_is_recorded(experiment):
    run = making.run(experiment, making.ramp(20))
    Run.objects.filter(pk=run.pk).update(state=Run.State.RECORDING)
    with pytest.raises(PackageError, match="is being recorded. Take it along afterwards"):
        written(experiment)


def test_a_clip_is_prepared_again_and_keeps_what_is_measured(
    measured, ada, django_capture_on_commit_callbacks, monkeypatch
):
    Clip.objects.filter(pk=measured.pk).update(start=2, stop=11, every=3)
    begun = []
    monkeypatch.setattr("galena.clips.preparing.begin", begun.append)
    with django_capture_on_commit_callbacks(execute=True):
        again = package.read(written(measured.experiment), ada)
    clip = again.clips.get()
    assert begun == [clip]
    assert clip.folder != measured.folder
    assert (clip.start, clip.stop, clip.every) == (2, 11, 3)
    assert np.array_equal(clip.ticks, measured.refresh_from_db() or measured.ticks)
    assert clip.tracked.get().marks.count() == measured.tracked.get().marks.count() > 5


def test_nothing_is_made_of_a_file_that_is_refused(experiment, ada):
    making.run(experiment, making.ramp(20))
    data = bytearray(written(experiment).getvalue())
    before = Experiment.objects.count()
    data[len(data) // 2] ^= 16
    with pytest.raises(PackageError):
        package.read(io.BytesIO(bytes(data)), ada)
    assert Experiment.objects.count() == before
