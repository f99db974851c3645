import re

import numpy as np
import pytest
from django.urls import reverse

from galena.core.errors import TableError
from galena.desk.annotations import flows
from galena.desk.findings import flows as finding_flows
from galena.desk.ledger import cards
from galena.desk.sheets import flows as sheet_flows
from galena.desk.tables.table import table_of
from galena.desk.traces.drawn import shown_runs
from galena.experiments import table_flows
from galena.experiments.flows import create
from galena.experiments.models import Experiment, Run, SeriesChunk, TypedColumn
from tests import making
from tests.addresses import address

OVERHANG = ["0.10", "0.20", "0.30", "0.40"]
SAG = ["0.31", "2.40", "8.00", "19.2"]


@pytest.fixture
def gangway(ada):
    return create(ada, "Gangway")


@pytest.fixture
def table(gangway, as_ada):
    """A typed table with four rows of two columns."""
    as_ada.post(reverse("begin-table", args=[gangway.pk]))
    run = gangway.runs.get()
    lines = ["overhang L / m\tsag s / mm", *map("\t".join, zip(OVERHANG, SAG, strict=True))]
    change(as_ada, run, act="paste", row=0, place=0, text="\r\n".join(lines).replace(".", ","))
    return run


def change(client, run, **fields):
    return client.post(reverse("change-table", args=[run.experiment_id, run.number]), fields)


def rows(client, run, **query):
    url = reverse("rows", args=[run.experiment_id, run.number])
    return client.get(url, query).json()


def column(run, symbol):
    return TypedColumn.objects.get(run=run, quantity__symbol=symbol, replaced_at=None)


def test_a_table_is_pasted_with_its_heads_and_stands_in_a_graph(as_ada, table):
    found = rows(as_ada, table)
    assert found["rows"] == [list(pair) for pair in zip(OVERHANG, SAG, strict=True)]
    over, sag = (one.quantity for one in table.typed_columns.filter(replaced_at=None))
    assert (over.name, over.symbol, over.unit, over.decimals) == ("overhang", "L", "m", 2)
    assert (sag.name, sag.symbol, sag.unit, sag.decimals) == ("sag", "s", "mm", 2)
    sheet = sheet_flows.first_sheet(table.experiment)
    assert str(sheet) == "s over L"
    (shown,) = shown_runs(sheet)
    assert shown.readings.t == pytest.approx([float(text) for text in OVERHANG])
    assert shown.readings.y == pytest.approx([float(text) for text in SAG])
    for name in ("desk", "record", "report", "picture"):
        assert as_ada.get(reverse(name, args=[table.experiment_id])).status_code == 200
    lines = as_ada.get(reverse("run-file", args=[table.experiment_id, 1, "csv"])).content.decode(
        "utf-8-sig"
    )
    assert "L / m,s / mm\n0.10,0.31" in lines.replace("\r", "")
    record = as_ada.get(reverse("record", args=[table.experiment_id])).text
    assert 'value="steady"' in record
    assert 'value="typed"' not in record  # typing is no plan
    facts = as_ada.get(reverse("run-facts", args=[table.experiment_id, 1]))
    assert "typed by hand" in facts.text


def test_cells_are_typed_one_by_one_and_rows_grow(as_ada, gangway):
    as_ada.post(reverse("begin-table", args=[gangway.pk]))
    run = gangway.runs.get()
    x, y = (one.quantity_id for one in run.typed_columns.filter(replaced_at=None))
    assert change(as_ada, run, act="cell", row=0, column=x, text="0,10").json()["count"] == 1
    told = change(as_ada, run, act="cell", row=1, column=y, text="2.50").json()
    assert told["count"] == 2
    assert told["statistics"][1] == {"count": "1", "mean": "2.500", "sd": "–"}
    assert rows(as_ada, run)["rows"] == [["0.10", ""], ["", "2.50"]]
    wrong = change(as_ada, run, act="cell", row=0, column=x, text="about 3")
    assert wrong.status_code == 422
    assert "“about 3” is not a number" in wrong.json()["trouble"]
    assert change(as_ada, run, act="cell", row=0, column=x, text="").json()["count"] == 2
    assert rows(as_ada, run)["rows"] == [["", ""], ["", "2.50"]]


@pytest.mark.parametrize(
    ("text", "cells", "said"),
    [
        ("1 2\n3 4", [["1", "2"], ["3", "4"]], "2 columns, separated by blanks"),
        ("x,y\n1,2\n3,4", [["1", "2"], ["3", "4"]], "2 columns, separated by commas"),
        ("1,2\n3,4", [["1.2", ""], ["3.4", ""]], "one column; decimals with a comma"),
    ],
)
def test_a_paste_says_what_it_was_taken_for(as_ada, gangway, text, cells, said):
    as_ada.post(reverse("begin-table", args=[gangway.pk]))
    run = gangway.runs.get()
    answer = change(as_ada, run, act="paste", row=0, place=0, text=text)
    assert f"Pasted: {said}" in answer.text
    assert rows(as_ada, run)["rows"] == cells
    later = as_ada.get(reverse("readings", args=[gangway.pk, 1]))
    assert "Pasted:" not in later.text
    wrong = change(as_ada, run, act="paste", row=0, place=0, text="1 2;3")
    assert "“1 2” in row 1, column 1 is not a number. Nothing was" in wrong.json()["trouble"]
    assert rows(as_ada, run)["rows"] == cells


def test_a_corrected_value_is_kept_with_who_and_when(as_ada, ada, table):
    s = column(table, "s")
    change(as_ada, table, act="cell", row=2, column=s.quantity_id, text="8.11")
    assert column(table, "s").cells[2] == "8.11"
    before = TypedColumn.objects.get(pk=s.pk)
    assert before.cells == SAG
    assert before.replaced_at is not None
    drawer = as_ada.get(reverse("readings", args=[table.experiment_id, 1])).text
    assert "row 3: 8.00 → 8.11 · Ada" in drawer
    as_ada.post(reverse("undo", args=[table.experiment_id]))
    assert column(table, "s").cells == SAG
    as_ada.post(reverse("redo", args=[table.experiment_id]))
    assert column(table, "s").cells[2] == "8.11"


def test_what_is_set_aside_is_in_no_calculation(as_ada, table):
    sheet = sheet_flows.first_sheet(table.experiment)
    span = flows.add_span(sheet, 0.0, 1.0)
    finding_flows.ask(span, "mean", sheet.quantity, [table])
    told = change(as_ada, table, act="aside", row=3, last=3, reason="misprint").json()
    values = [float(text) for text in SAG[:3]]
    assert told["statistics"][1]["mean"] == f"{np.mean(values):.3f}"
    assert told["statistics"][1]["count"] == "3"
    (row,) = cards.rows(sheet)
    assert row.answer.estimates[0].value == pytest.approx(np.mean(values))
    assert rows(as_ada, table)["asides"] == [[3, 3, "misprint"]]
    (shown,) = shown_runs(sheet)
    assert shown.readings.aside.tolist() == [False, False, False, True]
    picture = as_ada.get(reverse("picture", args=[table.experiment_id])).text
    assert picture.count('fill="#ffffff" stroke="#0072b2"') == 1
    assert (
        "because misprint"
        in as_ada.get(reverse("run-file", args=[table.experiment_id, 1, "csv"])).text
    )
    read = as_ada.get(address("desk-at", table.experiment_id), {"run": 1, "row": 3}).json()
    assert (read["x"], read["rows"][0]["aside"]) == (0.4, True)
    change(as_ada, table, act="back", row=3)
    (row,) = cards.rows(sheet)
    assert row.answer.estimates[0].value == pytest.approx(np.mean([float(one) for one in SAG]))
    assert "Say in up to 200" in change(as_ada, table, act="aside", row=1).json()["trouble"]
    beyond = change(as_ada, table, act="aside", row=1, last=9, reason="late").json()
    assert "not so many rows" in beyond["trouble"]


def test_rows_are_put_in_and_out_and_what_was_set_aside_moves_along(as_ada, table):
    change(as_ada, table, act="aside", row=2, last=3, reason="wind")
    change(as_ada, table, act="insert", row=1)
    assert [row[0] for row in rows(as_ada, table)["rows"]] == ["0.10", "", "0.20", "0.30", "0.40"]
    assert rows(as_ada, table)["asides"] == [[3, 4, "wind"]]
    change(as_ada, table, act="back", row=3)
    assert rows(as_ada, table)["asides"] == [[4, 4, "wind"]]
    change(as_ada, table, act="remove", row=1)
    assert [row[0] for row in rows(as_ada, table)["rows"]] == OVERHANG
    assert rows(as_ada, table)["asides"] == [[3, 3, "wind"]]


def test_a_column_is_filled_and_named(as_ada, table):
    change(as_ada, table, act="column")
    third = table.typed_columns.filter(replaced_at=None).order_by("quantity_id").last()
    fields = {"act": "fill", "column": third.quantity_id, "row": 1}
    change(as_ada, table, **fields, start="0.50", step="0,25", count=3)
    cells = [row[2] for row in rows(as_ada, table)["rows"]]
    assert cells == ["", "0.50", "0.75", "1.00"]
    head = {"act": "head", "column": third.quantity_id}
    assert change(as_ada, table, **head, text="load F / N").status_code == 200
    third.quantity.refresh_from_db()
    assert (third.quantity.name, third.quantity.symbol, third.quantity.unit) == ("load", "F", "N")
    taken = change(as_ada, table, **head, text="length L / m").json()
    assert "L is the symbol of overhang already" in taken["trouble"]
    assert change(as_ada, table, **head, text="F / blorp").status_code == 422
    assert change(as_ada, table, **fields, start="a", step="1", count=3).status_code == 422
    assert change(as_ada, table, **fields, start="1", step="1", count=99999).status_code == 422


def test_a_novel_is_no_table(as_ada, table):
    text = "It was a dark night on the quay.\n" * 30_000
    answer = change(as_ada, table, act="paste", row=0, place=0, text=text)
    assert answer.status_code == 422
    assert "at most 20,000 rows" in answer.json()["trouble"]
    answer = change(as_ada, table, act="paste", row=0, place=0, text=text[:3000])
    assert "is not a number. Nothing was pasted" in answer.json()["trouble"]
    assert rows(as_ada, table)["count"] == 4


def test_many_rows_are_pasted_at_once(as_ada, table):
    text = "\n".join(f"{number}\t{number * 0.5:.1f}" for number in range(20_000))
    assert change(as_ada, table, act="paste", row=0, place=0, text=text).status_code == 200
    found = rows(as_ada, table, first=19_990, count=50)
    assert found["count"] == 20_000
    assert found["rows"][-1] == ["19999", "9999.5"]


def test_measured_readings_are_never_typed_over(as_ada, experiment):
    run = making.run(experiment, making.ramp())
    stored = [bytes(chunk.data) for chunk in SeriesChunk.objects.order_by("pk")]
    key = experiment.quantities.get(symbol="h").pk
    for act in ("cell", "paste", "insert", "remove", "fill", "head", "known"):
        answer = change(as_ada, run, act=act, row=0, text="1\t2", column=key, count=1)
        assert answer.status_code == 422
        assert "Measured readings cannot be typed over" in answer.json()["trouble"]
    assert [bytes(chunk.data) for chunk in SeriesChunk.objects.order_by("pk")] == stored


def test_measured_readings_are_set_aside_in_a_graph_of_many(as_ada, experiment):
    y = making.ramp(5000, rate=100.0)
    y[2000] = 900.0
    run = making.run(experiment, y, rate=100.0)
    change(as_ada, run, act="aside", row=2000, last=2000, reason="a wave")
    head, traces = _window(as_ada, experiment)
    assert head["traces"][0]["kind"] == "columns"
    assert head["traces"][0]["apart"]["n"] == 1
    assert np.nanmax(traces[0][1]) < 900
    table = table_of(run)
    assert [column.symbol for column in table.columns] == ["t", "h"]
    assert table.statistics()[1]["count"] == "4\u2009999"
    assert rows(as_ada, run, first=2000, count=1)["rows"][0] == ["20.00", "900.0"]


def _window(client, experiment):
    from tests.web.test_desk import window_of

    return window_of(client, experiment)


def test_only_those_who_may_see_an_experiment_change_its_table(client, tern, table):
    client.force_login(tern)
    assert change(client, table, act="column").status_code == 404
    assert client.post(reverse("begin-table", args=[table.experiment_id])).status_code == 404
    assert client.get(reverse("rows", args=[table.experiment_id, 1])).status_code == 404


@pytest.mark.many
@pytest.mark.parametrize("fields", [{"row": "x"}, {"row": "-3"}, {"row": "999999"}, {}])
def test_odd_requests_are_answered(as_ada, table, fields):
    s = column(table, "s").quantity_id
    answer = change(as_ada, table, act="cell", column=s, text="5", **fields)
    assert answer.status_code in (200, 422)
    assert change(as_ada, table, act="nothing", column=s).status_code == 422
    assert change(as_ada, table, act="head", column=0).status_code == 404


def test_a_typed_table_cannot_grow_without_end(table, ada):
    with pytest.raises(TableError, match="at most 30 columns"):
        for _ in range(40):
            table_flows.add_column(table, ada)


def test_an_experiment_is_copied_with_all_that_belongs_to_it(as_ada, ada, table):
    sheet = sheet_flows.first_sheet(table.experiment)
    span = flows.add_span(sheet, 0.0, 1.0)
    finding_flows.ask(span, "mean", sheet.quantity, [table])
    change(as_ada, table, act="aside", row=1, last=1, reason="wind")
    as_ada.post(reverse("duplicate", args=[table.experiment_id]), {"runs": "yes"})
    copy = Experiment.objects.get(title="Gangway (copy)")
    copied = sheet_flows.first_sheet(copy)
    assert str(copied) == "s over L"
    assert copied.quantity.experiment == copy
    (row,), (before,) = cards.rows(copied), cards.rows(sheet)
    assert row.answer.estimates[0].value == before.answer.estimates[0].value
    run = copy.runs.get()
    change(as_ada, run, act="cell", row=0, column=copied.quantity.pk, text="77")
    assert column(table, "s").cells == SAG
    as_ada.post(reverse("duplicate", args=[table.experiment_id]))
    bare = Experiment.objects.filter(title="Gangway (copy)").exclude(pk=copy.pk).get()
    assert not bare.runs.exists()
    assert [one.symbol for one in bare.quantities.order_by("pk")] == ["L", "s"]


def test_a_copy_of_measured_runs_reads_the_same(as_ada, experiment):
    run = making.run(experiment, making.ramp(), conditions=["40"])
    as_ada.post(reverse("duplicate", args=[experiment.pk]), {"runs": "yes"})
    copy = Experiment.objects.get(title="Tide tank (copy)")
    (one,) = shown_runs(sheet_flows.first_sheet(copy))
    (before,) = shown_runs(sheet_flows.first_sheet(experiment))
    assert (one.readings.y == before.readings.y).all()
    assert one.run.label == run.label
    Run.objects.filter(pk=run.pk).update(state=Run.State.RECORDING)
    refused = as_ada.post(reverse("duplicate", args=[experiment.pk]), {"runs": "yes"})
    assert refused.status_code == 409


def test_the_list_is_searched_sorted_and_archived(as_ada, ada, experiment):
    making.run(experiment, making.ramp(), note="spring tide")
    create(ada, "A lantern")
    found = as_ada.get("/", {"words": "tide spring"}).text
    assert "Tide tank" in found
    assert "A lantern" not in found
    assert "No experiment has “walrus”" in as_ada.get("/", {"words": "walrus"}).text
    by_title = as_ada.get("/", {"order": "title"}).text
    assert by_title.index("A lantern") < by_title.index("Tide tank")
    as_ada.post(reverse("archive", args=[experiment.pk]))
    listed = as_ada.get("/").text
    assert "Tide tank" not in listed
    assert "Archived: 1" in listed
    assert "Tide tank" in as_ada.get("/", {"archived": "yes"}).text
    assert as_ada.get(reverse("desk", args=[experiment.pk])).status_code == 200
    as_ada.post(reverse("archive", args=[experiment.pk]), {"back": "yes"})
    assert "Tide tank" in as_ada.get("/").text


def test_a_long_list_comes_in_pieces_each_experiment_once(as_ada, ada):
    for number in range(100):
        create(ada, f"Gauge {number:03}")
    address, seen = "/?order=title&words=Gauge", []
    while address:
        page = as_ada.get(address).text
        seen += re.findall(r"<bdi>(Gauge \d+)</bdi>", page)
        link = re.search(r'hx-get="([^"]*from=\d+[^"]*)"', page)
        address = link and link[1].replace("&amp;", "&")
    assert seen == [f"Gauge {number:03}" for number in range(100)]
    assert as_ada.get("/?from=x").status_code == 422


def test_the_dark_room_is_kept_and_leads_back_where_one_was(as_ada, experiment):
    desk = reverse("desk", args=[experiment.pk])
    answer = as_ada.post(reverse("room"), {"room": "dark", "back": desk})
    assert answer.url == desk
    assert 'data-room="dark"' in as_ada.get(desk).text
    answer = as_ada.post(reverse("room"), {"room": "light", "back": "https://elsewhere.invalid/"})
    assert answer.url == "/"
    assert "data-room" not in as_ada.get(desk).text
