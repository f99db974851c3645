"""Whatever an experiment file holds: it is refused in words, or taken; nothing is changed then."""

import hashlib
import io
import json
import struct
import zipfile

import numpy as np
import pytest
from django.db import transaction
from django.urls import reverse
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from galena.clips import files
from galena.exchange import package
from galena.exchange.errors import PackageError
from galena.experiments.models import Experiment, Run
from tests.random_experiments import Maker

_WHOLE = {}  # the package of `whole`, written once: that takes longer than most tests here


@pytest.fixture
def whole(request, ada, at_once):
    """The files of a package by their names."""
    if not _WHOLE:
        with transaction.atomic():
            experiment = request.getfixturevalue("experiment")
            maker = Maker(experiment, 5, request.getfixturevalue("film"))
            maker.do(
                [
                    "steady",
                    "steady",
                    "stepwise",
                    "typed",
                    "formula",
                    "given",
                    "span",
                    "clip",
                    "note",
                ]
            )
            maker.do(
                ["ask", "ask", "residuals", "harvest", "aside", "calibrated", "beside", "report"]
            )
            file = io.BytesIO()
            package.write(experiment, file)
            transaction.set_rollback(True)
        with zipfile.ZipFile(file) as zipped:
            _WHOLE.update({name: zipped.read(name) for name in zipped.namelist()})
    return dict(_WHOLE)


def packed(names, *, method=zipfile.ZIP_DEFLATED, sums=True):
    """Pack files again, with the checksums that they have now."""
    if sums:
        lines = [f"{hashlib.sha256(data).hexdigest()}  {name}\n" for name, data in names.items()
                 if name != "checksums.sha256"]  # fmt: skip
        names = names | {"checksums.sha256": "".join(lines).encode()}
    file = io.BytesIO()
    with zipfile.ZipFile(file, "w", method) as zipped:
        for name, data in names.items():
            zipped.writestr(name, data)
    file.seek(0)
    return file


def changed(names, change):
    """Pack a package whose galena.json was changed."""
    content = json.loads(names["galena.json"])
    change(content)
    return packed(names | {"galena.json": json.dumps(content).encode()})


def refusal(file, owner):
    before = Experiment.objects.count()
    folders = sorted(files.clips_folder().iterdir())
    with pytest.raises(PackageError) as refused:
        package.read(file, owner)
    assert Experiment.objects.count() == before
    assert sorted(files.clips_folder().iterdir()) == folders
    return str(refused.value)


def test_what_is_no_experiment_file_is_refused(ada, whole):
    for data in (b"", b"PK", b"t,h\n1,2\n", b"\x89PNG\r\n\x1a\n" + bytes(3000), bytes(70_000)):
        assert "no experiment file" in refusal(io.BytesIO(data), ada)
    assert "no experiment file" in refusal(packed({"word/document.xml": b"<a/>"}), ada)
    file = packed(whole).getvalue()
    for cut in (40, len(file) // 2, len(file) - 30):
        assert "file" in refusal(io.BytesIO(file[:cut]), ada)


@pytest.mark.parametrize("name", ["../evil.txt", "/etc/passwd", "a/../../b", "C:\\evil", "a//b",
                                  "readings/..", "Readings/1.npy", "a" * 70_0])  # fmt: skip
def test_names_that_climb_out_are_refused(ada, whole, name):
    said = refusal(packed(whole | {name: b"x"}), ada)
    assert "file" in said


def test_what_would_burst_is_refused(ada, whole):
    zeros = b" " * 300_000_000
    said = refusal(packed(whole | {"galena.json": zeros}), ada)
    assert said == "galena.json would burst when it is unpacked. It was not read."
    deep = b"[" * 200_000 + b"]" * 200_000
    assert "no JSON" in refusal(packed(whole | {"galena.json": deep}), ada)


def test_a_list_of_a_million_files_is_refused_before_it_is_read(ada, whole):
    data = bytearray(packed(whole).getvalue())
    at = data.rfind(b"PK\x05\x06")
    struct.pack_into("<HH", data, at + 8, 65_535, 65_535)
    assert refusal(io.BytesIO(data), ada) == "This file holds more files than an experiment has."
    many = whole | {f"a/{number}": b"" for number in range(21_000)}
    assert refusal(packed(many), ada) == "This file holds more files than an experiment has."


def test_names_that_stand_twice_and_locked_files_are_refused(ada, whole):
    file = packed(whole)
    with zipfile.ZipFile(file, "a") as zipped, pytest.warns(UserWarning, match="Duplicate"):
        zipped.writestr("galena.json", b"{}")
    assert "a name stands in it twice" in refusal(file, ada)
    data = bytearray(packed(whole).getvalue())
    at = data.find(b"PK\x01\x02")
    data[at + 8] |= 1
    assert "locked with a password" in refusal(io.BytesIO(data), ada)


def test_a_file_of_a_newer_galena_says_so(ada, whole):
    said = refusal(changed(whole, lambda content: content.update(version=2)), ada)
    assert said == package._NEWER
    for version in (0, True, "1", None, 1.5):
        refusal(changed(whole, lambda content, v=version: content.update(version=v)), ada)


@given(at=st.floats(0, 1, exclude_max=True), bit=st.integers(0, 7))
@settings(max_examples=150, suppress_health_check=list(HealthCheck))
def test_a_flipped_bit_is_found_or_changes_nothing(ada, whole, at, bit):
    data = bytearray(packed(whole).getvalue())
    data[int(at * len(data))] ^= 1 << bit
    try:
        opened = package.Unpacking(io.BytesIO(data))
        opened.check()
        package.content_of(opened)
    except PackageError:
        return
    for name, content in whole.items():
        if name != "checksums.sha256":
            with opened.file(name) as file:
                assert file.read() == content


def test_changed_missing_and_further_files_are_told(ada, whole):
    sums = {"checksums.sha256": whole["checksums.sha256"]}
    changed_one = packed(whole | {"runs/run-1.csv": b"t\n1\n"} | sums, sums=False)
    assert "runs/run-1.csv was changed since it was written" in refusal(changed_one, ada)
    fewer = {name: data for name, data in whole.items() if name != "readings/1.npy"}
    assert "readings/1.npy is missing" in refusal(packed(fewer, sums=False), ada)
    assert "readings/1.npy is missing" in refusal(packed(fewer), ada)
    more = packed(whole | {"readings/99.npy": b""}, sums=False)
    assert "does not belong to it" in refusal(more, ada)


@pytest.mark.parametrize("make", [
    lambda file: np.save(file, np.zeros(3)),  # too few
    lambda file: np.save(file, np.zeros(200_000)),  # more than it says below
    lambda file: np.save(file, np.zeros(3, dtype=np.int32)),
    lambda file: np.save(file, np.zeros((2, 2))),
    lambda file: np.save(file, np.array([{}]), allow_pickle=True),
    lambda file: file.write(b"\x93NUMPY\x01\x00\xff\xff"),
    lambda file: file.write(b""),
])  # fmt: skip
def test_readings_that_are_none_are_refused(ada, whole, make):
    file = io.BytesIO()
    make(file)
    data = file.getvalue()
    if len(data) > 1000:
        data = data[:900_000]
    elif b"(3,)" in data and b"<f8" in data:
        data = data.replace(b"(3,)", b"(9,)")
    assert "readings/1.npy" in refusal(packed(whole | {"readings/1.npy": data}), ada)


SHOWN = 4  # of so many columns one is looked at on all pages
PAGES = ["record", "desk", "quantities", "report", "clips"]


def assert_shown(client, experiment, about):
    """Have all pages of an experiment be shown."""
    for page in PAGES:
        answer = client.get(reverse(page, args=[experiment.pk]))
        assert answer.status_code == 200, (page, about)
    for sheet in experiment.sheets.all():
        asked = {"columns": "100"}
        answer = client.get(reverse("desk-data", args=[experiment.pk, sheet.pk]), asked)
        assert answer.status_code in (200, 204), about


JUNK = [None, True, -1, 0, 10**12, 1e308, "", "x" * 70_000, "\0", [], {}, [[1]], {"of": 7}, "1900"]


def test_no_column_can_hold_junk_that_makes_anything_but_a_refusal(ada, as_ada, whole):
    content = json.loads(whole["galena.json"])
    columns = [(table, name) for table, rows in content["rows"].items() if rows
               for name in rows[0]]  # fmt: skip
    assert len(columns) > 150
    refused = 0
    for place, (table, name) in enumerate(columns):
        for junk in (JUNK[place % len(JUNK)],):

            def change(content, table=table, name=name, junk=junk):
                content["rows"][table][-1][name] = junk

            before = Experiment.objects.count()
            try:
                taken = package.read(changed(whole, change), ada)
                if place % SHOWN == 0:
                    assert_shown(as_ada, taken, (table, name, junk))
            except PackageError as error:
                assert str(error)
                assert Experiment.objects.count() == before
                refused += 1
    assert refused > len(columns) / 2


@pytest.mark.parametrize("change", [
    lambda content: content.pop("rows"),
    lambda content: content.update(rows=[]),
    lambda content: content.update(people="Ada"),
    lambda content: content.update(people=[["Ada"]]),
    lambda content: content.update(experiment=None),
    lambda content: content["experiment"].update(title=" "),
    lambda content: content["experiment"].update(created_at="yesterday"),
    lambda content: content["rows"].update({"auth.user": [{}]}),
    lambda content: content["rows"].update({"classroom.person": [{"username": "x"}]}),
    lambda content: content["rows"].update({"experiments.run": {}}),
    lambda content: content["rows"]["experiments.run"].append(7),
    lambda content: content["rows"]["experiments.run"][0].update(id=1),
    lambda content: content["rows"]["experiments.run"][0].update(state="recording"),
    lambda content: content["rows"]["experiments.run"][0].update(plan="hovering"),
    lambda content: content["rows"]["experiments.run"][1].update(number=1),
    lambda content: content["rows"]["experiments.series"][1].update(quantity=999),
    lambda content: content["rows"]["experiments.series"][1].update(stream=None),
    lambda content: content["rows"]["experiments.series"][0].update(calibration={"kind": 1}),
    lambda content: content["rows"]["desk.harvest"][0].update(rows=[[1]]),
])  # fmt: skip
def test_what_makes_no_sense_together_is_refused(ada, whole, change):
    assert len(refusal(changed(whole, change), ada)) > 20


def test_a_file_from_elsewhere_makes_nobody_a_person_who_may_sign_in(ada, whole, client):
    names = ["ada", "Ada", "root", ""]
    file = changed(whole, lambda content: content["people"].extend(names))
    package.read(file, ada)
    assert not client.login(username="root", password="")
    assert Run.objects.exclude(started_by=ada).count() == 0


@pytest.mark.parametrize("remarks", [-0.0, 7, "seen", [["seen"]], [[1, 2]], {"a": "b"}])
def test_remarks_that_are_no_texts_are_refused(ada, whole, remarks):
    def change(content):
        content["rows"]["experiments.run"][0]["remarks"] = remarks

    assert "cannot be shown" in refusal(changed(whole, change), ada)


def test_a_report_that_cannot_be_set_is_refused(ada, whole):
    def change(content):
        content["rows"]["reports.report"][0]["printed"] = 5

    assert "cannot be shown" in refusal(changed(whole, change), ada)


def test_a_file_whose_place_is_before_the_beginning_is_refused(ada, whole):
    data = bytearray(packed(whole).getvalue())
    at = data.rfind(b"PK\x05\x06")
    start = struct.unpack_from("<I", data, at + 16)[0]
    struct.pack_into("<I", data, at + 16, start + 199)  # all places are counted from another one
    assert "file" in refusal(io.BytesIO(data), ada)
