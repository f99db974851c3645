"""What no form sends: it is answered with 404 or 422 and words, never with a fault."""

import contextlib
import json
import re
from pathlib import Path

import pytest
from django import forms
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import transaction
from django.urls import get_resolver, reverse
from django.urls.resolvers import URLPattern
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import galena
from galena.classroom.models import Person
from galena.core.calibrating import calibrate
from galena.core.calibration import Standard
from galena.core.errors import NumberError
from galena.core.formats.calibration_file import CalibrationRecord, as_data
from galena.core.numbers import parse
from galena.exchange import arrival_views, working
from galena.experiments.models import Given
from galena.shell import requested
from tests import making
from tests.web import classes, everything

HUGE, LONG, SUPER = "1" + 30 * "0", 5000 * "7", "²"
DEEP = 60_000 * "["
CELLS = (
    "", "0", "-1", "1", SUPER, HUGE, LONG, "nan", "inf", "1e308", "-1e308", "1e-999999", "1e-320",
    "٣", "\x00", "a\nb", DEEP, "{}", "[]", "null", '{"graphs":{"²":{}}}', "=1+1", "x^x^x", "yes",
    '{"graphs": {"1": {"\\ud800": [0, 1]}}}', "every", "key", "line", "model", "5 readings",
)  # fmt: skip


@pytest.fixture
def whole(as_ada, experiment, monkeypatch):
    """An experiment with one of each thing that an address can name."""
    monkeypatch.setattr(working, "_begin", lambda work, act: working._do(work, act))
    monkeypatch.setattr(arrival_views.WORKERS, "do", lambda work, *given, **_: work(*given))
    working.forget("")
    experiment.keys = everything.make(experiment) | everything.of_a_class(experiment)
    return experiment


def test_no_two_addresses_have_the_same_name():
    names, pending = [], [get_resolver()]
    while pending:
        for one in pending.pop().url_patterns:
            (names if isinstance(one, URLPattern) else pending).append(
                one.name if isinstance(one, URLPattern) else one
            )
    assert sorted(names) == sorted(set(names))


def path(name, experiment):
    return everything.path(name, experiment.keys)


POSTED = [
    ("undo-zeros", {"zero": SUPER}), ("undo-zeros", {"zero": HUGE}),
    ("describe-channel", {"decimals": SUPER}), ("describe-channel", {"decimals": LONG}),
    ("use-calibration", {"calibration": SUPER}), ("use-calibration", {"calibration": HUGE}),
    ("start", {"plan": "steady", "setting-²": "1", "rate": "10"}),
    ("take-step", {"plan": "stepwise", "setting-²": "1"}),
    ("start", {"plan": "steady", "rate": "1e-320 s", "duration": "5"}),
    ("start", {"plan": "armed", "event": "key", "rate": "0", "duration": "1",
               "before": "5 readings"}),
    ("start", {"plan": "armed", "event": HUGE + ":rising", "rate": "10", "duration": "1",
               "before": "0", "level": "1"}),
    ("change-sheet", {"x": LONG}), ("change-sheet", {"x": SUPER}), ("change-sheet", {"x": HUGE}),
    ("change-sheet", {"shares": DEEP}), ("change-sheet", {"shares": '{"1": 1e999}'}),
    ("change-sheet", {"shares": f'{{"1": {LONG}}}'}), ("change-sheet", {"legend_at": "nan,nan"}),
    ("keep-view", {"view": DEEP}), ("keep-view", {"view": "[]"}),
    ("keep-view", {"view": '{"graphs": {"1": {"left": [0, ' + 350 * "9" + "]}}}"}),
    ("keep-view", {"view": '{"graphs": {}, "x": [NaN, 1]}'}),
    ("describe-run", {"mark": LONG}), ("describe-run", {"mark": SUPER}),
    ("change-table", {"act": "cell", "column": HUGE}),
    ("change-table", {"row": "-1", "act": "back"}),
    ("change-table", {"act": "aside", "row": SUPER, "reason": "slip"}),
    ("build", {"kind": "there", "quantity": "abc"}), ("build", {"kind": "meet", "of": HUGE}),
    ("build", {"kind": "difference", "of": f"{LONG}:slope"}),
    ("ask-marker", {"kind": "pair", "second": HUGE}), ("ask", {"kind": "mean", "of": SUPER}),
    ("ask", {"kind": "slope", "count": SUPER}), ("copy-span", {"count": SUPER, "step": "1"}),
    ("keep-given", {"given": LONG, "symbol": "k", "value": "1"}),
    ("keep-given", {"symbol": "k", "value": "1e-999999"}),
    ("pdf", {}), ("write-report", {"version": LONG, "title": "t", "text": "x"}),
    ("write-report", {"version": SUPER, "title": "t", "text": "{graph {table | rows 0-²}}"}),
    ("begin-report", {"opening": HUGE}), ("keep-opening", {"drop": SUPER}),
]  # fmt: skip
GOT = [
    ("desk", {"front": LONG}), ("desk", {"front": SUPER}), ("quantities", {"of": LONG}),
    ("preview-formula", {"of": SUPER, "formula": "2*h", "decimals": SUPER}),
    ("derived-of-run", {"quantity": HUGE}), ("derived-of-run", {"quantity": LONG}),
    ("missed", {"from": LONG}), ("missed", {"every": SUPER}), ("missed", {"stream": HUGE}),
    ("readings", {"stream": "abc"}), ("rows", {"stream": "abc"}), ("rows", {"first": HUGE}),
    ("rows", {"count": SUPER}), ("desk-data", {"lo": "nan"}), ("desk-data", {"columns": LONG}),
    ("desk-data", {"lo": "1e308", "hi": "-1e308"}), ("desk-at", {"x": "inf"}),
    ("desk-at", {"x": "1", "step": SUPER}), ("desk-at", {"run": LONG, "row": "1"}),
    ("panel", {"plan": "steady", "setting-²": "1"}), ("plan-size", {"plan": "armed", "rate": "0",
                                                                    "before": "5 readings"}),
    ("preview", {"slope": LONG, "intercept": HUGE}), ("peek", {"lo": "1e308", "hi": "-1e308"}),
]  # fmt: skip


@contextlib.contextmanager
def taken_back():
    """Take back what was changed, so that the next request meets the same experiment."""
    with transaction.atomic():
        yield
        transaction.set_rollback(True)


@pytest.mark.many
def test_what_cannot_be_meant_is_refused_in_words(as_ada, whole, subtests):
    for name, fields in POSTED:
        with subtests.test(name, fields=str(fields)[:60]), taken_back():
            page = as_ada.post(path(name, whole), fields)
            assert page.status_code in (200, 204, 302, 400, 404, 405, 409, 422)


def test_what_cannot_be_asked_for_is_refused_in_words(as_ada, whole, subtests):
    for name, fields in GOT:
        with subtests.test(name, fields=str(fields)[:60]), taken_back():
            page = as_ada.get(path(name, whole), fields)
            assert page.status_code in (200, 302, 400, 404, 409, 422)


@pytest.mark.parametrize("key", [HUGE, LONG, "9" * 19, SUPER, "-1"])
def test_a_key_in_an_address_is_no_more_than_a_database_keeps(as_ada, whole, key):
    for name in ("desk", "bench", "record", "report"):
        assert as_ada.get(f"/experiments/{key}/{name}").status_code == 404
    assert as_ada.get(f"/experiments/{whole.pk}/runs/{key}/replay").status_code == 404


def _fields():
    """All names of fields that any view reads, and a few that are made of keys."""
    assert get_resolver().url_patterns  # all views, and so all forms, are imported
    names = {"setting-1", "condition-1", "side-1", "p-slope", "p-a"}
    for file in Path(galena.__file__).parent.rglob("*.py"):
        text = file.read_text()
        names |= set(
            re.findall(r"(?:POST|GET|post|posted|got)(?:\.get|\.getlist)?[(\[]\"([\w-]+)\"", text)
        )
    pending = [forms.Form]
    while pending:
        form = pending.pop()
        pending += form.__subclasses__()
        names |= {f"{form.prefix}-{name}" if form.prefix else name for name in form.base_fields}
    return sorted(names)


FIELDS = _fields()


TEXTS = st.sampled_from(CELLS) | st.text(max_size=30) | st.floats().map(repr)


def test_every_field_is_known_here():
    assert {"zero", "decimals", "calibration", "shares", "view", "version", "mark"} <= set(FIELDS)
    assert len(FIELDS) > 60


STREAMS = {"events", "class-events", "my-events"}
MAKES_A_PDF = {"pdf", "hand-in"}  # in this process WeasyPrint leaves a file open


@pytest.mark.many
def test_junk_is_never_a_fault(whole, subtests):
    of_groups = Person.objects.get(pk=whole.keys["group_id"])

    @settings(max_examples=12, suppress_health_check=list(HealthCheck), database=None)
    @given(st.dictionaries(st.sampled_from(FIELDS), TEXTS, max_size=8))
    def post(browser, address, fields):
        assert browser.post(address, fields).status_code < 500

    left_out = {"sign-out", "sign-in-demo"} | STREAMS | MAKES_A_PDF
    for name in sorted(set(everything.routes()) - left_out):
        with subtests.test(name), taken_back():
            who = of_groups if name in everything.OF_GROUPS else whole.owner
            post(classes.client_of(who), path(name, whole))


@pytest.mark.parametrize("content", [
    DEEP, '{"format": ' + 400 * "9" + "}", '{"format": "\ud800"}', "[NaN]", "", "null", "{}",
    "\x00",
], ids=lambda one: one[:12])  # fmt: skip
def test_a_broken_calibration_file_is_refused_in_words(as_ada, whole, content):
    file = SimpleUploadedFile("kept.json", content.encode("utf-8", "surrogatepass"))
    page = as_ada.post(path("import-calibration", whole), {"file": file})
    assert page.status_code == 422 and "alibration" in page.text


def test_a_file_whose_names_cannot_be_written_is_taken_without_them(as_ada, whole):
    channel = making.channel()
    (curve,) = [calibrate([Standard(0, 0, 0.1, 0), Standard(5, 1, 0.1, 0)], "line", "mm")]
    data = as_data(CalibrationRecord(curve, "le\ud800vel\x1b", "h", "mm", (), "", "Ada\udfff", ""))
    content = json.dumps(data).encode()
    address = path("import-calibration", whole)
    page = as_ada.post(address, {"file": SimpleUploadedFile("kept.json", content)})
    assert page.status_code == 200
    kept = channel.calibrations.kept().get()
    assert kept.quantity == "level" and kept.record.made_by == "Ada"
    whole.keys["calibration_id"] = kept.pk
    assert as_ada.get(path("export-calibration", whole)).status_code == 200
    broken = json.dumps(
        data | {"standards": [{"known": 1e999, "raw": 1, "u_known": 0, "u_raw": 0}]}
    )
    page = as_ada.post(address, {"file": SimpleUploadedFile("kept.json", broken.encode())})
    assert page.status_code == 422


def test_a_span_that_another_window_removes_is_said_to_be_gone(as_ada, whole):
    keys = whole.keys
    as_ada.post(path("change-span", whole), {"remove": ""})
    for fields in ({"lo": "1", "hi": "2"}, {"name": "rise"}, {"remove": ""}):
        page = as_ada.post(reverse("change-span", args=[whole.pk, keys["span_id"]]), fields)
        assert page.status_code == 200 and "taken away in the meantime" in page.text


def test_a_given_too_large_for_another_unit_is_no_fault(as_ada, whole):
    page = as_ada.post(path("keep-given", whole), {"symbol": "L", "value": "1e300", "unit": "km"})
    assert page.status_code in (302, 422)
    as_ada.post(path("keep-formula", whole), {"formula": "L*h", "symbol": "q", "unit": "mm^2"})
    assert as_ada.get(path("quantities", whole)).status_code == 200
    assert (
        as_ada.post(path("keep-given", whole), {"symbol": "k", "value": "1e-999999"}).status_code
        == 422
    )
    assert not Given.objects.filter(symbol="k").exists()


@pytest.mark.parametrize(
    "text", ["1e308", "-1e301", "1e-400", "1e-999999", LONG, SUPER, "٣", "1e5000"]
)
def test_numbers_beyond_all_measuring_are_refused(text):
    with pytest.raises(NumberError):
        parse(text)
    assert parse("0e-999") == 0 and parse("1e300") == 1e300


@given(st.text())
def test_a_list_from_a_page_is_read_or_refused(text):
    with contextlib.suppress(requested.RequestError):
        requested.listed(text, "The view")


@given(st.recursive(st.none() | st.floats() | st.integers() | st.text(max_size=5),
                    lambda one: st.lists(one, max_size=3), max_leaves=8))  # fmt: skip
def test_what_is_bounded_is_a_finite_number(value):
    try:
        found = requested.bounded(value, "A limit")
    except requested.RequestError:
        return
    assert abs(found) <= 1e300 and isinstance(found, float)
    json.dumps(found, allow_nan=False)
