"""Files are dropped in Chromium, looked at, and taken in; a whole experiment leaves and comes."""

import base64

import numpy as np
import pytest
from playwright.sync_api import expect

from galena.core.formats import office_open, open_document
from galena.core.formats.sheets import Column, Sheet
from galena.exchange import working
from galena.experiments import flows as experiment_flows
from galena.experiments.columns import of_run
from galena.experiments.models import Experiment
from tests import making
from tests.browser.at_desk import until_shown
from tests.browser.test_accessibility import violations
from tests.random_experiments import Maker
from tests.waiting import until

WITHOUT_RIG = True
DROP = """([zone, name, data]) => {
  const bytes = Uint8Array.from(atob(data), (sign) => sign.charCodeAt(0));
  const dataTransfer = new DataTransfer();
  dataTransfer.items.add(new File([bytes], name));
  const target = document.querySelector(zone);
  for (const type of ["dragover", "drop"])
    target.dispatchEvent(new DragEvent(type, { dataTransfer, bubbles: true, cancelable: true }));
}"""


def drop(page, zone, name, data):
    """Drop a file on a place, once the page is wired."""
    page.wait_for_load_state()
    page.evaluate(DROP, [zone, name, base64.b64encode(data).decode()])


def looked_at(page, name):
    expect(page.get_by_role("heading", name=f"Taking in “{name}”")).to_be_visible()
    expect(page.get_by_role("button", name="Take it in")).to_be_visible()


LOGGER = "Logger 12;Skerry Point\n\nTime;Water level (mm);T [°C]\n" + "".join(
    f"28.11.2026 09:{k // 60:02d}:{k % 60:02d};{100 + k // 10},{k % 10};{'---' if k == 7 else 9}\n"
    for k in range(200)
) + "End of file\n"  # fmt: skip


@pytest.fixture
def tank(page, ada):
    experiment = experiment_flows.create(ada, "Tide tank", [("pump", "mL/s")])
    making.run(experiment, making.ramp(60), conditions=["40"])
    return experiment


def test_five_odd_files_are_taken_in_by_dropping(page, tank, tmp_path):
    desk = f"{page.room.url}/experiments/{tank.pk}/desk"

    # A logger's file in Latin-1, on the list: a new experiment.
    page.goto(page.room.url)
    drop(page, "main", "river.csv", LOGGER.encode("latin-1"))
    looked_at(page, "river.csv")
    assert violations(page) == []
    expect(page.get_by_text("“---” in row 8, column 3 is not a number.")).to_be_visible()
    expect(page.get_by_text("line 1: “Logger 12;Skerry Point”")).to_be_visible()
    page.get_by_label("New experiment").fill("The river in November")
    page.get_by_role("button", name="Take it in").click()
    until_shown(page, "s.runs === 1")
    river = Experiment.objects.get(title="The river in November")
    assert river.runs.get().plan == "taken"

    # A workbook of two sheets, on the rail of another: a run each.
    t = np.arange(40) / 10
    sheets = [Sheet(f"run {n}", ("Somewhere else",),
                    (Column("t / s", t, "%.2f"), Column("h / cm", n + t, "%.2f")))
              for n in (1, 2)]  # fmt: skip
    office_open.write(sheets, str(tmp_path / "tank.xlsx"))
    page.goto(desk)
    until_shown(page, "s.runs === 1")
    drop(page, "#rail", "tank.xlsx", (tmp_path / "tank.xlsx").read_bytes())
    looked_at(page, "tank.xlsx")
    page.get_by_label("Table", exact=True).select_option("*")
    expect(page.get_by_role("region", name="Tables of the file")).to_be_visible()
    assert violations(page) == []
    page.get_by_role("button", name="Take it in").click()
    until_shown(page, "s.runs === 3")

    # A table without times, on the drawer: typed, its heads changed first.
    page.get_by_role("button", name="Readings").click()
    expect(page.locator("#drawer")).to_be_visible()
    drop(page, "#drawer", "lamp.txt", "0,1\t812\n0,25\t640\n".encode("utf-16"))
    looked_at(page, "lamp.txt")
    page.get_by_label("Head of column 1").fill("depth d / m")
    page.get_by_label("Head of column 2").fill("light E / lx")
    page.get_by_label("Decimals after").select_option(".")
    expect(page.get_by_label("Head of column 1")).to_have_value("depth d / m")
    page.get_by_label("Decimals after").select_option(",")
    expect(page.locator("td", has_text="0.25")).to_be_visible()
    page.get_by_role("button", name="Take it in").click()
    expect(page.locator("#rail")).to_contain_text("lamp")
    table = tank.runs.get(plan="typed")
    assert [one.cells for one in table.typed_columns.filter(replaced_at=None)] == [
        ["0.1", "0.25"], ["812", "640"]]  # fmt: skip

    # A spreadsheet of the open kind, chosen by keyboard.
    open_document.write(sheets[:1], str(tmp_path / "lake.ods"))
    page.goto(f"{page.room.url}/take-in")
    assert violations(page) == []
    page.get_by_label("A table, or an experiment").set_input_files(tmp_path / "lake.ods")
    page.get_by_role("button", name="Look at it").press("Enter")
    looked_at(page, "lake.ods")
    page.get_by_role("button", name="Take it in").press("Enter")
    until_shown(page, "s.runs === 1")

    # A picture that says it is a table.
    page.goto(page.room.url)
    drop(page, "main", "photo.csv", b"\x89PNG\r\n\x1a\n" + bytes(900))
    expect(page.get_by_role("alert").first).to_contain_text("photo.csv holds no text")
    page.get_by_role("button", name="Leave it").click()
    expect(page.get_by_role("heading", name="Experiments")).to_be_visible()
    drop(page, "main", "nothing.csv", b"")
    expect(page.get_by_text("nothing.csv: This file is empty.")).to_be_visible()


def test_a_whole_experiment_leaves_and_comes_into_an_empty_galena(page, tank, tmp_path):
    Maker(tank, 3).do(["steady", "stepwise", "typed", "formula", "span", "ask", "ask", "report"])
    blocks = {run.number: of_run(run).blocks for run in tank.runs.all()}
    page.goto(page.room.url)
    page.get_by_label("About Tide tank").click()
    with page.expect_download() as download:
        page.get_by_role("link", name="Take along as one file").click()
    path = tmp_path / download.value.suggested_filename
    download.value.save_as(path)
    assert path.suffix == ".zip"
    Experiment.objects.all().delete()
    page.reload()
    expect(page.get_by_text("There is no experiment yet.")).to_be_visible()

    drop(page, "main", path.name, path.read_bytes())
    expect(page.get_by_role("heading", name="An experiment:")).to_be_visible()
    expect(page.get_by_text("It brings 4 runs")).to_be_visible()
    assert violations(page) == []
    page.get_by_role("button", name="Take it in as a new experiment").click()
    until_shown(page, "s.runs > 0")
    again = Experiment.objects.get()
    for run in again.runs.all():
        for before, after in zip(blocks[run.number], of_run(run).blocks, strict=True):
            columns = zip(before.columns.values(), after.columns.values(), strict=True)
            for one, two in columns:
                assert one.readings.y.tobytes() == two.readings.y.tobytes()


def test_a_large_file_has_a_bar_while_it_is_looked_at(page, tmp_path, monkeypatch):
    monkeypatch.setattr(working, "AT_ONCE", 0.0)
    rows = "".join(f"{k / 100:.2f},{k % 997},{k % 13}\n" for k in range(400_000))
    path = tmp_path / "long.csv"
    path.write_text("t / s,h / mm,T / °C\n" + rows)
    page.goto(f"{page.room.url}/take-in")
    page.get_by_label("A table, or an experiment").set_input_files(path)
    page.get_by_role("button", name="Look at it").click()
    expect(page.get_by_role("heading", name="Looking at “long.csv”")).to_be_visible()
    expect(page.get_by_role("progressbar", name="How far it is")).to_be_visible()
    looked_at(page, "long.csv")
    expect(page.get_by_text("400\N{NARROW NO-BREAK SPACE}000 rows")).to_be_visible()
    page.get_by_role("button", name="Take it in").click()
    until_shown(page, "s.runs === 1")
    run = Experiment.objects.get().runs.get()
    until(lambda: run.kind.counts([run])[run.pk] == 400_000, "all readings")
    page.goto(page.room.url)
    page.get_by_label("About long").click()
    page.get_by_role("link", name="Take along as one file").click()
    expect(page.get_by_role("heading", name="The file is ready")).to_be_visible()
    with page.expect_download() as download:
        page.get_by_role("link", name="Take it along").click()
    assert download.value.suggested_filename.startswith("long - ")
