"""Readings and graphs are taken along in Chromium: workbooks, files, pictures, and by copying."""

import csv
import io
from xml.etree import ElementTree

import numpy as np
import pytest
import python_calamine
from PIL import Image
from playwright.sync_api import expect

from galena.experiments import flows as experiment_flows
from galena.shell.marks import mark_of
from tests import making
from tests.browser.at_desk import until_shown
from tests.browser.test_accessibility import violations

WITHOUT_RIG = True


@pytest.fixture
def desk(page, ada):
    experiment = experiment_flows.create(ada, "Tide tank", [("pump", "mL/s")])
    making.run(experiment, making.ramp(60), conditions=["40"])
    making.run(experiment, making.ramp(80, slope=3.0), conditions=["70"])
    page.goto(f"{page.room.url}/experiments/{experiment.pk}/desk")
    until_shown(page, "s.runs === 2")
    return page


def saved(page, press, tmp_path):
    with page.expect_download() as download:
        press()
    path = tmp_path / "saved"
    download.value.save_as(path)
    return download.value.suggested_filename, path.read_bytes()


def test_all_runs_leave_as_a_workbook_and_are_opened_again(desk, tmp_path):
    desk.get_by_role("button", name="About run 1").click()
    expect(desk.get_by_role("link", name="XLSX: readings of all runs")).to_be_visible()
    assert violations(desk) == []
    for kind in ("XLSX", "ODS"):
        link = desk.get_by_role("link", name=f"{kind}: readings of all runs")
        name, data = saved(desk, link.click, tmp_path)
        assert name == f"Tide tank - 2 runs.{kind.lower()}"
        book = python_calamine.CalamineWorkbook.from_filelike(io.BytesIO(data))
        assert book.sheet_names == ["run 1", "run 2"]
        rows = book.get_sheet_by_name("run 2").to_python()
        assert len([row for row in rows if isinstance(row[0], float)]) == 80


def test_a_graph_leaves_as_svg_and_as_png_in_its_sizes(desk, tmp_path):
    desk.get_by_role("button", name="Sheet", exact=True).click()
    tools = desk.locator("#sheet-tools")
    name, svg = saved(desk, tools.get_by_role("link", name="SVG").click, tmp_path)
    assert name.endswith(".svg")
    root = ElementTree.fromstring(svg)
    width, height = int(root.get("width")), int(root.get("height"))
    for label, times in (("PNG", 1), ("PNG 2×", 2), ("PNG 4×", 4)):
        press = tools.get_by_role("button", name=label, exact=True).click
        name, png = saved(desk, press, tmp_path)
        assert name.endswith(".png")
        image = Image.open(io.BytesIO(png)).convert("RGB")
        assert image.size == (times * width, times * height)
    pixels = np.asarray(image)
    assert tuple(pixels[2, 2]) == (255, 255, 255)
    for number in (1, 2):  # each run stands there in its colour
        colour = mark_of(number).colour.lstrip("#")
        wanted = [int(colour[place : place + 2], 16) for place in (0, 2, 4)]
        assert (np.abs(pixels.astype(int) - wanted).max(axis=2) < 8).sum() > 1000
    _, pdf = saved(desk, tools.get_by_role("link", name="PDF").click, tmp_path)
    assert pdf.startswith(b"%PDF")


def test_a_graph_is_copied_as_a_picture(desk):
    desk.context.grant_permissions(["clipboard-read", "clipboard-write"])
    desk.get_by_role("button", name="Sheet", exact=True).click()
    desk.locator("#sheet-tools").get_by_role("button", name="Copy").click()
    expect(desk.get_by_text("Copied: paste it where you want it.")).to_be_visible()
    kinds = desk.evaluate("async () => (await navigator.clipboard.read())[0].types")
    assert kinds == ["image/png"]


def test_a_table_and_some_of_its_rows_are_copied_for_a_spreadsheet(desk):
    desk.context.grant_permissions(["clipboard-read", "clipboard-write"])
    desk.get_by_role("button", name="Readings", exact=True).click()
    desk.get_by_role("button", name="Copy", exact=True).click()
    expect(desk.get_by_text("60 rows copied")).to_be_visible()
    text = desk.evaluate("() => navigator.clipboard.readText()")
    rows = list(csv.reader(text.splitlines(), delimiter="\t"))
    assert rows[0] == ["t / s", "h / mm"]
    assert len(rows) == 61
    desk.get_by_role("button", name="Row 5", exact=True).click()
    desk.get_by_role("textbox", name="to", exact=True).fill("8")
    desk.get_by_role("button", name="Copy these rows").click()
    expect(desk.get_by_text("4 rows copied")).to_be_visible()
    some = desk.evaluate("() => navigator.clipboard.readText()").splitlines()
    assert some[1:] == ["\t".join(row) for row in rows[5:9]]
