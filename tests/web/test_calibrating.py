import json

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse

from galena.bench.calibration import flows as calibration_flows
from galena.bench.channel_display import display
from galena.bench.live.bench import BENCH
from galena.core.errors import CalibrationError
from galena.desk.annotations import flows as annotation_flows
from galena.desk.findings import answers as findings
from galena.desk.findings import flows as finding_flows
from galena.desk.models import Finding
from galena.desk.sheets import flows as sheet_flows
from galena.experiments.data.readings import readings
from galena.instruments.protocols.line_v1 import ChannelFacts, Identity
from galena.recording.runs import recalibrating
from tests import making
from tests.waiting import until

AMPLIFIER = Identity("Skerry Works", "Electrode amplifier EA-1", "0104", "1.0")
VOLTAGE = ChannelFacts("E", "electrode voltage", "E", "mV", -400.0, 400.0, 0.1, 50.0)
POTS = (("4.00", 176.5), ("7.00", 12.0), ("10.00", -152.3))


@pytest.fixture
def electrode(experiment):
    return making.channel(VOLTAGE, AMPLIFIER)


def taken(channel, person, pots=POTS, unit="", **says):
    """Put the sensor into each pot and take it."""
    draft = calibration_flows.in_the_making(channel, person)
    fields = {"quantity": "acidity", "symbol": "pH", "unit": unit, "model": "line"} | says
    calibration_flows.describe_value(draft, **fields)
    for known, raw in pots:
        noise = np.random.default_rng(3).normal(0, 0.3, 60)
        calibration_flows.add_take(draft, known, 0.01, raw + noise, 3.0)
    return draft


def sheet(client, experiment, channel, **query):
    return client.get(reverse("calibration", args=[experiment.pk, channel.pk]), query).text


def post(client, name, experiment, channel, *args, **fields):
    return client.post(reverse(name, args=[experiment.pk, channel.pk, *args]), fields)


def shown(experiment, channel):
    return display.channels(experiment, [channel.pk])[channel.pk]


def test_a_calibration_gives_another_quantity_with_its_uncertainty(experiment, electrode, ada):
    calibration_flows.keep(taken(electrode, ada))
    one = shown(experiment, making.channel(VOLTAGE, AMPLIFIER))
    assert (one.name, one.symbol, one.unit, one.decimals) == ("acidity", "pH", "", 3)
    run = making.run(experiment, [94.3, 12.0], facts=VOLTAGE, identity=AMPLIFIER)
    found = readings(run, experiment.quantities.get(symbol="pH"))
    assert found.y == pytest.approx([5.5, 7.0], abs=0.02)
    assert found.shared == pytest.approx([0.007, 0.006], abs=0.003)


def test_a_finished_run_can_be_calibrated_and_set_back(as_ada, experiment, electrode, ada):
    run = making.run(experiment, [94.3, 12.0], facts=VOLTAGE, identity=AMPLIFIER)
    raw = experiment.quantities.get(symbol="E")
    kept = calibration_flows.keep(taken(electrode, ada))
    series = run.streams.get().series.get(quantity=raw)
    url = reverse("recalibrate", args=[experiment.pk, run.number, series.pk])
    text = as_ada.post(url, {"calibration": kept.pk}).text
    assert "calibration of" in text
    acidity = experiment.quantities.get(symbol="pH")
    assert readings(run, acidity).y == pytest.approx([5.5, 7.0], abs=0.02)
    assert len(readings(run, raw)) == 0
    assert "no calibration" in as_ada.post(url, {"calibration": ""}).text
    assert readings(run, raw).y.tolist() == [94.3, 12.0]
    assert as_ada.post(url, {"calibration": "x"}).status_code == 404


def test_a_calibration_of_another_channel_is_refused_for_a_run(as_ada, experiment, electrode, ada):
    run = making.run(experiment, [1.0, 2.0])
    kept = calibration_flows.keep(taken(electrode, ada))
    series = run.streams.get().series.exclude(quantity=None).get()
    url = reverse("recalibrate", args=[experiment.pk, run.number, series.pk])
    answer = as_ada.post(url, {"calibration": kept.pk})
    assert answer.status_code == 422
    assert "This calibration is of another channel" in answer.text


def test_a_mean_has_the_calibrations_share_that_more_readings_do_not_lessen(
    experiment, electrode, ada
):
    calibration_flows.keep(taken(electrode, ada))
    y = np.full(400, 94.3) + np.random.default_rng(1).normal(0, 0.3, 400)
    run = making.run(experiment, y, facts=VOLTAGE, identity=AMPLIFIER)
    span = annotation_flows.add_span(sheet_flows.first_sheet(experiment), 1.0, 30.0)
    acidity = experiment.quantities.get(symbol="pH")
    finding_flows.ask(span, "mean", acidity, [run])
    (answer,) = findings.answers(list(Finding.objects.all()))
    (mean,) = answer.estimates
    alone = readings(run, acidity).shared.mean()
    assert mean.uncertainty >= alone > 5 * 0.3 * 0.018 / np.sqrt(290)
    assert "of ± is shared by all readings" in answer.remark


def test_a_zero_and_a_calibration_go_together(experiment, ada):
    gauge = making.channel()
    draft = calibration_flows.in_the_making(gauge, ada)
    calibration_flows.describe_value(draft, quantity="level", symbol="h", unit="mm", model="line")
    for known, raw in (("0", 10.0), ("100", 60.0)):
        calibration_flows.add_take(draft, known, 0.0, [raw, raw], 1.0)
    calibration_flows.keep(draft)
    one = shown(experiment, gauge)
    assert one.source == gauge.source  # the same kind: the same quantity
    assert one.correction.apply(np.array([35.0]))[0] == pytest.approx(50.0)


@pytest.mark.parametrize(
    ("raw", "words"),
    [([399.99, 400.0], "at its limit"), ([1.0, float("nan")], "were no numbers")],
)
def test_a_take_that_tells_nothing_is_refused(electrode, ada, raw, words):
    draft = calibration_flows.in_the_making(electrode, ada)
    with pytest.raises(CalibrationError, match=words):
        calibration_flows.add_take(draft, "4", 0.0, raw, 1.0)
    assert draft.takes.count() == 0


def test_an_offset_keeps_the_unit(electrode, ada):
    draft = taken(electrode, ada, POTS[:1], model="offset")
    with pytest.raises(CalibrationError, match="An offset keeps the unit"):
        calibration_flows.curve_of(draft)


def test_the_sheet_shows_standards_curve_and_refusals(as_ada, experiment, electrode, ada):
    assert "Put the sensor into the first standard" in sheet(as_ada, experiment, electrode)
    taken(electrode, ada, POTS[:1])
    text = sheet(as_ada, experiment, electrode)
    assert "4.00" in text
    assert "A line needs at least two standards; there is only one" in text
    assert "disabled>Use this calibration" in text.replace('id="keep" ', "").replace("  ", " ")
    taken(electrode, ada, POTS[1:])
    text = sheet(as_ada, experiment, electrode)
    assert "residual standard deviation" in text
    assert text.count('class="point"') == 6  # three standards and their residuals
    draft = calibration_flows.in_the_making(electrode, ada)
    odd = draft.takes.last()
    post(as_ada, "remove-take", experiment, electrode, odd.pk)
    assert draft.takes.count() == 2


def test_history_going_back_and_files(as_ada, experiment, electrode, ada):
    first = calibration_flows.keep(taken(electrode, ada))
    second = calibration_flows.keep(taken(electrode, ada, (("4.00", 170.0), ("7.00", 10.0))))
    text = sheet(as_ada, experiment, electrode)
    assert text.count("by Ada") == 2
    post(as_ada, "use-calibration", experiment, electrode, calibration=first.pk)
    electrode.refresh_from_db()
    assert electrode.calibration == first
    post(as_ada, "use-calibration", experiment, electrode, calibration="")
    electrode.refresh_from_db()
    assert electrode.calibration is None
    url = reverse("export-calibration", args=[experiment.pk, electrode.pk, second.pk])
    file = as_ada.get(url)
    assert file["Content-Disposition"].startswith('attachment; filename="calibration-Electrode-')
    assert json.loads(file.content)["unit"] == ""
    upload = SimpleUploadedFile("c.json", file.content)
    text = post(as_ada, "import-calibration", experiment, electrode, file=upload).text
    assert "from a file of" in text
    electrode.refresh_from_db()
    assert electrode.record.calibration == second.record.calibration


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (None, "No file was chosen"),
        (b"\xff\xfe", "no text, so no calibration"),
        (b"{}", "not a whole calibration"),
        (b" " * 60_000, "too long"),
    ],
)
def test_files_that_are_no_calibration_are_refused(as_ada, experiment, electrode, content, words):
    files = {} if content is None else {"file": SimpleUploadedFile("c.json", content)}
    answer = post(as_ada, "import-calibration", experiment, electrode, **files)
    assert answer.status_code == 422
    assert words in answer.text


def test_a_file_of_another_kind_of_channel_is_refused(as_ada, experiment, electrode, ada):
    kept = calibration_flows.keep(taken(electrode, ada))
    url = reverse("export-calibration", args=[experiment.pk, electrode.pk, kept.pk])
    upload = SimpleUploadedFile("c.json", as_ada.get(url).content)
    text = post(as_ada, "import-calibration", experiment, making.channel(), file=upload).text
    assert "calibrates readings in mV; water level gives mm" in text


@pytest.fixture
def live(room, as_ada, experiment):
    """The level gauge of the rig, giving readings."""
    gauge = next(one for one in BENCH.live_channels() if one.symbol == "h")
    feed, _ = BENCH.feed_of(gauge.pk)
    until(lambda: len(feed.recent()) > 10, "readings")
    return gauge


def begin(client, experiment, channel, **fields):
    fields = {"known": "0.0", "seconds": "0.5", "unit": "mm"} | fields
    return post(client, "take", experiment, channel, **fields)


def poll(client, experiment, channel):
    url = reverse("taking", args=[experiment.pk, channel.pk])
    return until(
        lambda: (text := client.get(url).text) and 'id="taking"' not in text and text, "the take"
    )


def test_a_take_averages_live_readings(as_ada, experiment, live, ada):
    assert "averaging for 0.5 s" in begin(as_ada, experiment, live, known="0,00").text
    text = poll(as_ada, experiment, live)
    assert "0,00" in text
    (take,) = calibration_flows.in_the_making(live, ada).takes.all()
    assert take.mean == pytest.approx(3.2, abs=0.4)
    assert 8 <= take.count <= 12
    assert take.sd == pytest.approx(0.2, abs=0.15)


@pytest.mark.parametrize(
    ("fields", "words"),
    [
        ({"known": "seven"}, "The known value: “seven” is not a number"),
        ({"u_known": "x"}, "Its uncertainty: “x” is not a number"),
        ({"seconds": "900"}, "A take lasts from 0.1 to 120 s"),
        ({"unit": "smoot"}, "“smoot” is not a unit"),
    ],
)
def test_what_is_typed_wrong_is_told_and_kept(as_ada, experiment, live, fields, words):
    answer = begin(as_ada, experiment, live, **fields)
    assert answer.status_code == 422
    assert words in answer.text
    typed = fields.get("known") or fields.get("u_known") or fields.get("seconds") or "0.0"
    assert f'value="{typed}"' in answer.text


def test_a_cable_pulled_during_a_take_breaks_it_and_keeps_the_others(
    as_ada, experiment, live, room, ada
):
    begin(as_ada, experiment, live)
    poll(as_ada, experiment, live)
    begin(as_ada, experiment, live, seconds="60")
    room.rig.stop()
    text = poll(as_ada, experiment, live)
    assert "The instrument went away: unplugged" in text
    assert "The take was not kept: plug Level gauge LG-1 0007 in again" in text
    assert calibration_flows.in_the_making(live, ada).takes.count() == 1
    assert "gives no readings now. Is its cable in?" in begin(as_ada, experiment, live).text


def test_the_desk_follows_what_a_calibration_makes_of_a_quantity(
    as_ada, experiment, electrode, ada
):
    run = making.run(experiment, [94.3, 12.0], facts=VOLTAGE, identity=AMPLIFIER)
    sheet = sheet_flows.first_sheet(experiment)
    assert sheet.quantity.symbol == "E"
    series = run.streams.get().series.get(quantity=sheet.quantity)
    kept = calibration_flows.keep(taken(electrode, ada))
    recalibrating.recalibrate(experiment, series, kept)
    assert sheet_flows.first_sheet(experiment).quantity.symbol == "pH"
    text = as_ada.get(reverse("desk", args=[experiment.pk])).text
    assert "electrode voltage" not in text  # no run has readings of it
