"""The decimal comma: in all that is read, in nothing that is kept, typed or handed on as data."""

import re

import pytest
from django.urls import reverse
from hypothesis import given
from hypothesis import strategies as st

from galena.core import numbers
from galena.desk.annotations import flows as annotations
from galena.desk.findings import flows as finding_flows
from galena.desk.sheets import flows as sheet_flows
from galena.reports import flows as report_flows
from galena.shell.decimal_sign import markup_with_comma, with_comma
from tests import making
from tests.web import classes


@given(st.floats(-1e9, 1e9), st.floats(1e-6, 1e3))
def test_the_comma_changes_nothing_but_the_sign_and_is_read_back_as_the_same_number(value, u):
    for text in (numbers.fixed(value, 3), numbers.estimate(value, u), numbers.concise(value, u)):
        assert "." not in with_comma(text)
        assert with_comma(text).replace(",", ".") == text
    assert numbers.parse(with_comma(numbers.fixed(value, 3))) == pytest.approx(value, abs=6e-4)


@pytest.mark.parametrize("text", ["0.2.0", "192.168.1.20:8000", "A.line.1.slope", "12."])
def test_what_is_no_decimal_number_stays(text):
    assert with_comma(text) == text


def test_only_what_is_read_of_a_page_is_written_with_the_comma():
    page = (
        '<p data-x="1.5" title="2.5 > 2.4">3.5<br>4.5</p><input value="1.5" aria-label="at 1.5 s">'
        '<input class="entry number" value="1.5" name="lo" placeholder="0.5">'
        '<input value="−1.5 ± 0.2" inputmode="decimal"><input class="number" value="m^0.5">'
        '<input class="cell" value="2.50"><input class="number" type="range" value="1.5">'
        '<input class="numbers" value="1.5">'
        "<script>1.5</script><textarea>1.5</textarea><code>max(0.5, 1.5)</code><style>p{top:1.5px}"
        '</style><!-- 1.5 --><svg><path d="M1.5 2.5"/><text x="1.5">0.5</text></svg> 1.5 < 2.5'
    )
    assert markup_with_comma(page) == (
        '<p data-x="1.5" title="2,5 > 2,4">3,5<br>4,5</p><input value="1.5" aria-label="at 1,5 s">'
        '<input class="entry number" value="1,5" name="lo" placeholder="0,5">'
        '<input value="−1,5 ± 0,2" inputmode="decimal"><input class="number" value="m^0.5">'
        '<input class="cell" value="2,50"><input class="number" type="range" value="1.5">'
        '<input class="numbers" value="1.5">'
        "<script>1.5</script><textarea>1.5</textarea><code>max(0.5, 1.5)</code><style>p{top:1.5px}"
        '</style><!-- 1.5 --><svg><path d="M1.5 2.5"/><text x="1.5">0,5</text></svg> 1,5 < 2,5'
    )


def read(page):
    """Give the text of a page that is read."""
    apart = re.sub(r"(?s)<(script|style|textarea|code|samp)\b.*?</\1>|<!--.*?-->", "", page)
    return " ".join(re.sub(r"<[^>]*>", " ", apart).split())


def for_numbers(page):
    """Give what stands in the fields of a page that are for numbers."""
    fields = re.findall(
        r'(?s)<input\b[^>]*\b(?:class="[^"]*number[^"]*"|inputmode="dec)[^>]*>', page
    )
    return [found[1] for one in fields if (found := re.search(r'\svalue="([^"]*)"', one))]


def of_programs(page):
    """Give the decimal numbers in the data of a page's scripts, and in what they find by it."""
    kept = re.findall(r'(?s)\bdata-\w+="([^"]*)"|<script[^>]*json">(.*?)</script>', page)
    return re.findall(r"\d+[.,]\d+", str(kept))


def choose(client, sign):
    return client.post(reverse("decimal-sign"), {"sign": sign, "back": "/experiments"})


@pytest.fixture
def slope(experiment):
    """The slope of a level that rises, asked for at the Desk; a report says it too."""
    run = making.run(experiment, making.ramp(slope=0.02, noise=0.02))
    sheet = sheet_flows.first_sheet(experiment)
    span = annotations.add_span(sheet, 2.0, 15.0)
    (line,) = finding_flows.ask(span, "line", sheet.quantity, [run])
    report = report_flows.report_of(experiment)
    report_flows.begin_anew(report, "On levels", "It rises by {A.line.1.slope}.", experiment.owner)
    return line


def test_who_chose_the_comma_reads_it_on_every_page_and_nobody_else_does(as_ada, experiment, slope):
    addresses = [reverse(name, args=[experiment.pk]) for name in ("desk", "report", "record")]
    with_point = [as_ada.get(address).text for address in addresses]
    assert choose(as_ada, "comma").url == "/experiments"
    for address, before in zip(addresses, with_point, strict=True):
        page = as_ada.get(address).text
        assert 'data-decimal-sign="comma"' in page
        assert read(page) == with_comma(read(before))
        assert re.search(r"\d,\d", read(page)) and not re.search(r"\d\.\d", read(page))
        assert of_programs(page) == of_programs(before)
        assert for_numbers(page) == [with_comma(one) for one in for_numbers(before)]
    choose(as_ada, "point")
    assert read(as_ada.get(addresses[0]).text) == read(with_point[0])


def test_what_stands_in_a_field_with_a_comma_means_what_it_meant(as_ada, experiment, slope):
    choose(as_ada, "comma")
    annotations.move_span(slope.span, 2.5, 15.25)
    page = as_ada.get(reverse("desk", args=[experiment.pk])).text
    lo, hi = [one for one in for_numbers(page) if one.startswith(("2,5", "15,25"))][:2]
    as_ada.post(reverse("change-span", args=[experiment.pk, slope.span_id]), {"lo": lo, "hi": hi})
    slope.span.refresh_from_db()
    assert (slope.span.lo, slope.span.hi) == (2.5, 15.25)
    given = {"name": "gravity", "symbol": "g", "value": "9.81 ± 0.02", "unit": "m/s^2"}
    as_ada.post(reverse("keep-given", args=[experiment.pk]), given)
    kept = experiment.givens.get()
    page = as_ada.get(reverse("quantities", args=[experiment.pk])).text
    (shown,) = [one for one in for_numbers(page) if one.startswith("9")]
    assert shown == "9,81 ± 0,02"
    as_ada.post(
        reverse("keep-given", args=[experiment.pk]),
        given | {"value": shown, "note": "a", "given": kept.pk},
    )
    kept.refresh_from_db()
    assert (kept.text, kept.note) == ("9.81 ± 0.02", "a")


def test_papers_have_the_comma_and_data_and_what_is_kept_the_point(as_ada, experiment, slope):
    data = reverse("runs-file", args=[experiment.pk, "csv"])
    before = as_ada.get(data).content
    choose(as_ada, "comma")
    assert as_ada.get(data).content == before
    paper = as_ada.get(reverse("report-html", args=[experiment.pk])).text
    assert re.search(r"rises by 0,0[12]\d+", read(paper))
    picture = as_ada.get(
        reverse("sheet-svg", args=[experiment.pk, sheet_flows.first_sheet(experiment).pk])
    ).text
    assert re.search(r">\d+,\d+<", picture) and not re.search(r">\d+\.\d+<", picture)
    printed = report_flows.report_of(experiment).printed
    assert printed and not re.search(r"\d,\d", str(printed))


def test_a_group_that_comes_in_reads_as_its_teacher_does(as_ada, experiment):
    choose(as_ada, "comma")
    experiment.owner.refresh_from_db()
    group = classes.group(classes.begin(experiment), "Tern")
    assert group.reads_comma
    choose(classes.client_of(group), "point")
    group.refresh_from_db()
    assert not group.reads_comma
