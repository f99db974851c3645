"""Files that are brought: shown as understood, changed, taken in; refused in words otherwise."""

import io
import os
import re
import shutil
import zipfile
from datetime import timedelta

import numpy as np
import pytest
from django.urls import reverse
from django.utils import timezone

from galena.core.formats import office_open, open_document
from galena.core.formats.sheets import Column, Sheet
from galena.core.numbers import grouped
from galena.exchange import arrivals, package, working
from galena.exchange.arrival_views import WORKERS
from galena.exchange.models import Arrival
from galena.exchange.taking_tables import ticks_of
from galena.experiments.columns import of_run, over
from galena.experiments.models import Experiment, Quantity, Run
from galena.shell.worker import WorkerError
from tests import making


@pytest.fixture(autouse=True)
def here(monkeypatch):
    """Do in this thread what threads and workers would do."""
    monkeypatch.setattr(working, "_begin", lambda work, act: working._do(work, act))
    monkeypatch.setattr(WORKERS, "do", lambda work, *given, patience: work(*given))
    working.forget("")
    shutil.rmtree(arrivals.folder())


def bring(client, data, name="river.csv", experiment=None):
    """Bring a file in pieces, as a page's script does; gives its page's address."""
    data = data if isinstance(data, bytes) else data.encode()
    about = {} if experiment is None else {"experiment": experiment.pk}
    begun = client.post(reverse("new-arrival"), {"name": name, "size": len(data)} | about).json()
    for at in range(0, len(data), 300_000):
        client.post(f"{begun['piece']}?at={at}", data[at : at + 300_000],
                    content_type="application/octet-stream")  # fmt: skip
    return begun["page"]


def take(client, page, **fields):
    """Take it in as it was shown; gives the experiment it went into."""
    shown = client.get(page, {key: fields[key] for key in fields if key in GUESSED}).text
    heads = dict(inputs(shown))
    ticked = {name: "yes" for name, _ in inputs(shown, "checkbox")}
    (times,) = [value for _, value in inputs(shown, "radio")] or ["-1"]
    answer = client.post(f"{page}/table", ticked | heads | {"time": times} | fields)
    if answer.status_code != 302:
        return answer
    gone = client.get(answer.url)
    return Experiment.objects.get(pk=gone.url.split("/")[2]) if gone.status_code == 302 else gone


GUESSED = ("part", "separator", "mark", "encoding", "heads", "begins")


def inputs(page, kind=""):
    """Read the fields of a page: of ticks and choices those that are on."""
    for tag in re.findall(r"<input [^>]*>", page):
        of = dict(re.findall(r'([\w-]+)="([^"]*)"', tag))
        is_kind = of.get("type", "") == kind and (not kind or re.search(r"\bchecked\b", tag))
        if is_kind and of.get("name", "").startswith(("head-", "take-", "time")):
            yield of["name"], of["value"].replace("&quot;", '"')


LOGGER = "Logger 12\n\nTime;Water level h (mm);T [°C]\n" + "".join(
    f"09:{k // 60:02d}:{k % 60:02d};{100 + k / 10:.1f};{9 + k / 100:.2f}\n".replace(".", ",")
    for k in range(120)
)  # fmt: skip


def test_a_logger_s_file_becomes_a_run_at_its_times(as_ada):
    page = bring(as_ada, LOGGER.encode("latin-1"), "river.csv")
    shown = as_ada.get(page)
    assert shown.status_code == 200
    for words in ("Taking in “river.csv”", "Windows-1252", "semicolons", "a comma", "Logger 12",
                  'value="Water level h / mm"', "120 rows"):  # fmt: skip
        assert words in shown.text, words
    experiment = take(as_ada, page)
    assert experiment.title == "river"
    run = experiment.runs.get()
    assert (run.plan, run.name, run.rate) == ("taken", "river", 1.0)
    assert run.planned == "taken in from “river.csv”"
    (block,) = of_run(run).blocks
    assert block.in_time
    assert block.times.tolist() == list(range(120))
    h, t = (one.readings.y for one in block.columns.values())
    assert (h[7], t[7]) == (100.7, 9.07)
    assert [(one.symbol, one.unit, one.decimals) for one in experiment.measured] == [
        ("h", "mm", 1), ("T", "°C", 2)]  # fmt: skip
    assert not Arrival.objects.exists()
    assert list(arrivals.folder().iterdir()) == []
    desk = as_ada.get(reverse("desk", args=[experiment.pk])).text
    assert "h, T over t" in desk
    for page in ("record", "quantities", "report", "bench"):
        assert as_ada.get(reverse(page, args=[experiment.pk])).status_code == 200
    facts = as_ada.get(reverse("run-facts", args=[experiment.pk, 1])).text
    assert "taken in from “river.csv”" in facts


def test_a_table_without_times_is_typed_as_it_was_written(as_ada, experiment):
    page = bring(
        as_ada, "depth d / m\tlight E / lx\n0.10\t812\n0.2\t640.5\n\t5\n", experiment=experiment
    )
    assert take(as_ada, page) == experiment
    run = experiment.runs.get()
    assert run.plan == "typed"
    kept = run.typed_columns.filter(replaced_at=None).order_by("quantity_id")
    assert [one.texts for one in kept] == ["0.10\n0.2", "812\n640.5\n5"]
    again = bring(as_ada, "d / m\tE / lx\n0.3\t512\n", experiment=experiment)
    take(as_ada, again)
    assert experiment.entered.count() == 2  # the same quantities: both tables in one graph


def test_a_long_table_without_times_is_stored_as_rows(as_ada):
    x = np.arange(30_000)
    text = "a / mm,b / V\n" + "\n".join(f"{k / 10:.1f},{k % 7}" for k in x)
    experiment = take(as_ada, bring(as_ada, text))
    run = experiment.runs.get()
    assert run.plan == "taken-rows"
    a, b = experiment.measured
    placed = over(a, [(run, b)])[run.pk, b.pk].readings
    assert placed.t.tolist() == (x / 10).tolist()
    assert placed.y.tolist() == (x % 7).tolist()
    sheet = experiment.sheets.get()
    assert (sheet.x, sheet.quantity) == (a, b)
    drawer = as_ada.get(reverse("readings", args=[experiment.pk, run.number])).text
    assert f"{grouped(30_000)} rows" in drawer
    assert as_ada.get(reverse("desk", args=[experiment.pk])).status_code == 200
    file = as_ada.get(reverse("run-file", args=[experiment.pk, run.number, "csv"]))
    assert file.status_code == 200


def test_what_a_channel_measures_here_is_the_same_quantity(as_ada, experiment):
    making.run(experiment, making.ramp(20))
    take(as_ada, bring(as_ada, "t / s,h / cm\n0,1.0\n1,2.0\n2,4.0\n", experiment=experiment))
    quantity = experiment.quantities.get()
    run = experiment.runs.get(number=2)
    (block,) = of_run(run).blocks
    assert block.columns[quantity.pk].readings.y.tolist() == [10.0, 20.0, 40.0]
    series = run.streams.get().series.get(quantity=quantity)
    refused = as_ada.post(reverse("recalibrate", args=[experiment.pk, 2, series.pk]), {})
    assert "These readings came from a file" in refused.text


def test_every_guess_can_be_changed(as_ada, experiment):
    text = "1,5;2\n3,5;4\n5;6\n"
    page = bring(as_ada, text, experiment=experiment)
    assert "a comma" in as_ada.get(page).text
    other = as_ada.get(page, {"mark": "."}).text
    assert "“1,5”" not in as_ada.get(page).text
    assert "“1,5” in row 1, column 1 is not a number." in other
    fewer = as_ada.get(page, {"begins": "2"}).text
    assert "2 rows" in fewer
    parted = as_ada.get(page, {"separator": ","}).text
    assert "separated by commas" in parted
    headed = as_ada.get(page, {"heads": "yes"}).text
    assert "2 rows" in headed
    assert "UTF-16" in as_ada.get(page, {"encoding": "utf-16"}).text
    renamed = {"head-0": "width b / cm", "head-1": "area A / cm²"}
    take(as_ada, page, **renamed)
    assert [(one.name, one.symbol, one.unit) for one in experiment.entered] == [
        ("width", "b", "cm"), ("area", "A", "cm²")]  # fmt: skip


def test_a_typed_head_outlives_another_guess(as_ada, experiment):
    page = bring(as_ada, "1;2\n3;4\n", experiment=experiment)
    shown = as_ada.get(page, {"mark": ",", "head-0": "width b / cm", "was-0": ""}).text
    assert 'value="width b / cm"' in shown


def test_what_is_wrong_is_said_and_what_was_typed_stays(as_ada, experiment):
    page = bring(as_ada, "t / s,h / mm\n0,1\n2,2\n1,3\n", experiment=experiment)
    back = take(as_ada, page, time="0")
    assert back.status_code == 422
    assert "The times do not rise at row 3" in back.text
    wrong = take(as_ada, page, **{"head-1": "h / blorps", "time": "-1"})
    assert wrong.status_code == 422
    assert "Column 2:" in wrong.text
    assert 'value="h / blorps"' in wrong.text
    taking = as_ada.post(f"{page}/table", {"time": "-1"})
    nothing = as_ada.get(taking.url)
    assert nothing.status_code == 422
    assert "Choose at least one column to take in" in nothing.text
    assert not experiment.runs.exists()
    assert as_ada.get(page).status_code == 200


def test_a_workbook_gives_a_run_for_each_sheet(as_ada, tmp_path):
    t = np.arange(50) / 10
    sheets = [
        Sheet(f"run {n}", ("From the tide tank",),
              (Column("t / s", t, "%.3f"), Column("h / mm", n * t, "%.3f")))
        for n in (1, 2, 3)
    ]  # fmt: skip
    for module, suffix in ((office_open, "xlsx"), (open_document, "ods")):
        path = tmp_path / f"tank.{suffix}"
        module.write(sheets, str(path))
        page = bring(as_ada, path.read_bytes(), path.name)
        shown = as_ada.get(page).text
        assert "all 3, a run each" in shown
        assert "run 2" in as_ada.get(page, {"part": "run 2"}).text
        experiment = take(as_ada, page, part="*", title=f"From {suffix}")
        assert [(run.name, run.plan) for run in experiment.runs.all()] == [
            ("run 1", "taken"), ("run 2", "taken"), ("run 3", "taken")]  # fmt: skip
        assert experiment.quantities.count() == 1


def test_all_runs_as_csv_come_back_from_their_zip(as_ada, experiment):
    for seed in (1, 2):
        making.run(experiment, making.ramp(40, seed=seed), conditions=["40"])
    sent = as_ada.get(reverse("runs-file", args=[experiment.pk, "csv"]))
    data = b"".join(sent.streaming_content) if sent.streaming else sent.content
    page = bring(as_ada, data, "runs.zip")
    assert "all 2, a run each" in as_ada.get(page).text
    again = take(as_ada, page, part="*")
    for before, after in zip(experiment.runs.all(), again.runs.all(), strict=True):
        (one,), (two,) = (
            next(iter(of_run(run).blocks)).columns.values() for run in (before, after)
        )
        assert two.readings.y == pytest.approx(one.readings.y, abs=0.05)


def test_times_finer_than_a_microsecond_are_kept(as_ada):
    text = "t / ns,U / V\n" + "\n".join(f"{k / 2},{k % 3}" for k in range(100))
    experiment = take(as_ada, bring(as_ada, text))
    (block,) = of_run(experiment.runs.get()).blocks
    assert block.times == pytest.approx(np.arange(100) * 0.5e-9, abs=1e-18)
    file = as_ada.get(reverse("run-file", args=[experiment.pk, 1, "csv"])).content.decode(
        "utf-8-sig"
    )
    assert "0.0000000005" in file
    ticks, scale = ticks_of(np.array([0.0, 0.1, 0.2]))
    assert (ticks.tolist(), scale) == ([0, 100_000, 200_000], 1.0)
    ticks, scale = ticks_of(np.array([0.0, 1e12, 2e12]))
    assert (ticks * scale / 1e6).tolist() == pytest.approx([0.0, 1e12, 2e12])


@pytest.mark.parametrize(("data", "name", "words"), [
    (b"\x89PNG\r\n\x1a\n" + bytes(500), "river.csv", "holds no text and is no workbook"),
    (b"PK\x03\x04" + bytes(500), "river.xlsx", "damaged"),
    (b"\n\n  \n", "river.csv", "nothing to read"),
    (b"PK\x05\x06galena.json" + bytes(18), "river.zip", "experiment"),
])  # fmt: skip
def test_what_cannot_be_read_is_refused_in_words(as_ada, data, name, words):
    page = bring(as_ada, data, name)
    shown = as_ada.get(page)
    assert shown.status_code == 422
    assert words in shown.text
    assert Run.objects.count() == Quantity.objects.count() == 0
    as_ada.post(f"{page}/leave")
    assert list(arrivals.folder().iterdir()) == []


def test_a_zip_without_tables_and_one_that_climbs_are_refused(as_ada):
    file = io.BytesIO()
    with zipfile.ZipFile(file, "w") as zipped:
        zipped.writestr("holiday.jpg", b"x")
    assert "This zip holds no tables" in as_ada.get(bring(as_ada, file.getvalue(), "a.zip")).text
    with zipfile.ZipFile(file, "w") as zipped:
        zipped.writestr("../../evil.csv", "t,h\n0,1\n1,2\n")
    experiment = take(as_ada, bring(as_ada, file.getvalue(), "a.zip"))
    assert experiment.runs.count() == 1


def test_a_small_file_needs_no_script(as_ada):
    file = io.BytesIO(LOGGER.encode())
    file.name = "river.csv"
    answer = as_ada.post(reverse("bring"), {"file": file})
    assert answer.status_code == 302
    assert "120 rows" in as_ada.get(answer.url).text
    assert "Choose a file first" in as_ada.post(reverse("bring"), {}).text


def test_a_file_is_seen_by_who_brought_it_only(as_ada, client, tern, experiment):
    page = bring(as_ada, LOGGER)
    client.force_login(tern)
    for address in (page, f"{page}/table", f"{page}/experiment", f"{page}/leave", f"{page}/piece"):
        method = client.get if address == page else client.post
        assert method(address).status_code == 404
    refused = client.post(
        reverse("new-arrival"), {"name": "x", "size": 3, "experiment": experiment.pk}
    )
    assert refused.status_code == 404
    assert client.get(reverse("bring-to", args=[experiment.pk])).status_code == 404


def test_what_broke_off_goes_on_and_is_never_shown_by_half(as_ada):
    data = LOGGER.encode()
    begun = as_ada.post(reverse("new-arrival"), {"name": "river.csv", "size": len(data)}).json()

    def send(at, piece):
        address = f"{begun['piece']}?at={at}"
        return as_ada.post(address, piece, content_type="application/octet-stream")

    assert send(0, data[:100]).json() == {"sent": 100}
    assert "Not all of it has come" in as_ada.get(begun["page"]).text
    assert send(50, data[50:]).json() == {"sent": 100}
    assert send(100, data[100:] + b"more").status_code == 422
    assert send(100, data[100:]).json() == {"sent": len(data)}
    assert "120 rows" in as_ada.get(begun["page"]).text


@pytest.mark.parametrize("size", ["0", "-1", "", "x", str(10**12)])
def test_sizes_that_cannot_be_are_refused(as_ada, size):
    assert as_ada.post(reverse("new-arrival"), {"name": "x", "size": size}).status_code == 422
    assert not Arrival.objects.exists()


def test_files_wait_a_day_at_most_and_twenty_of_a_person(as_ada, ada):
    page = bring(as_ada, LOGGER)
    Arrival.objects.update(came_at=timezone.now() - timedelta(days=2))
    stray = arrivals.folder() / "stray"
    stray.mkdir()
    os.utime(stray, (0, 0))
    for number in range(22):
        bring(as_ada, "t,h\n0,1\n", f"{number}.csv")
    assert as_ada.get(page).status_code == 404
    assert Arrival.objects.count() == len(list(arrivals.folder().iterdir())) == 20


def test_an_experiment_file_is_shown_before_it_is_taken_in(as_ada, experiment):
    making.run(experiment, making.ramp(30), conditions=["40"], note="calm")
    file = io.BytesIO()
    package.write(experiment, file)
    page = bring(as_ada, file.getvalue(), "tank.zip")
    shown = as_ada.get(page).text
    for words in ("An experiment: “tank.zip”", "Tide tank", "It brings 1 run", "each checksum fits",
                  "pump 40 mL/s · calm", "h / mm"):  # fmt: skip
        assert words in shown, words
    assert "Bring its" not in shown
    taking = as_ada.post(f"{page}/experiment")
    arrived = as_ada.get(taking.url)
    again = Experiment.objects.latest("pk")
    assert arrived.url == reverse("desk", args=[again.pk])
    assert again != experiment
    assert again.runs.get().label == experiment.runs.get().label


def test_damaged_files_are_told_where(as_ada, experiment):
    file = io.BytesIO()
    package.write(experiment, file)
    data = bytearray(file.getvalue())
    data[data.index(b"datapackage.json") + 40] ^= 8
    shown = as_ada.get(bring(as_ada, bytes(data), "tank.zip"))
    assert shown.status_code == 422
    assert "This file is damaged" in shown.text
    assert "Nothing was changed" in shown.text


def test_a_worker_that_dies_is_told_and_the_file_stays(as_ada, monkeypatch):
    def die(work, *given, patience):
        raise WorkerError("The work broke off.")

    page = bring(as_ada, LOGGER)
    monkeypatch.setattr(WORKERS, "do", die)
    shown = as_ada.get(page)
    assert (shown.status_code, "The work broke off" in shown.text) == (422, True)
    working.forget("")
    monkeypatch.setattr(WORKERS, "do", lambda work, *given, patience: work(*given))
    assert as_ada.get(page).status_code == 200


def test_the_whole_experiment_leaves_by_its_link(as_ada, experiment, tern, client):
    making.run(experiment, making.ramp(30))
    address = reverse("experiment-file", args=[experiment.pk])
    assert address in as_ada.get(reverse("run-facts", args=[experiment.pk, 1])).text
    sent = as_ada.get(address)
    assert sent["Content-Disposition"].startswith('attachment; filename="Tide tank - 20')
    with zipfile.ZipFile(io.BytesIO(sent.content)) as zipped:
        assert {"galena.json", "datapackage.json", "runs/run-1.csv"} <= set(zipped.namelist())
    Run.objects.update(state=Run.State.RECORDING)
    assert as_ada.get(address).status_code == 409
    client.force_login(tern)
    assert client.get(address).status_code == 404


def test_a_piece_of_a_file_that_was_taken_away_meanwhile_is_refused_in_words(as_ada):
    begun = as_ada.post(reverse("new-arrival"), {"name": "river.csv", "size": 20}).json()
    shutil.rmtree(arrivals.folder())
    arrivals.folder().mkdir(exist_ok=True)
    sent = as_ada.post(f"{begun['piece']}?at=0", b"t,h\n1,2\n",
                       content_type="application/octet-stream")  # fmt: skip
    assert sent.status_code == 422
    assert "could not be stored" in sent.json()["trouble"]
