"""What the documents say is what the code does."""

import re
from functools import reduce
from pathlib import Path

import pytest

from galena.core import units
from galena.core.errors import FormulaError
from galena.core.fits import MODELS
from galena.core.formula import FUNCTIONS, compile
from galena.core.formula.constants import constants
from galena.core.second_look import LOOKS
from galena.desk.findings.questions import QUESTIONS, TYPED
from galena.instruments.rigs import RIGS
from galena.instruments.rigs.faults import FAULTS
from scripts import layers
from tests.recipes import recipes

ROOT = Path(__file__).resolve().parent.parent
PROTOCOL = (ROOT / "docs" / "protocol.md").read_text("utf-8")


def test_every_request_that_the_code_knows_is_in_the_protocol():
    code = "".join(
        (ROOT / "galena/instruments" / name).read_text("utf-8")
        for name in ("link.py", "rigs/visit.py")
    )
    words = set(re.findall(r'"(\*IDN\?|(?:CHAN|RIG):[A-Z]+\??|CLOCK\?|RATE|STREAM)', code))
    assert len(words) >= 10
    assert [word for word in words if f"`{word}" not in PROTOCOL] == []


def test_the_example_of_a_data_line_has_its_checksum():
    payload, checksum = re.search(r"`#([^*`<]+)\*([0-9A-F]{2})`", PROTOCOL).groups()
    assert f"{reduce(lambda a, b: a ^ b, payload.encode()):02X}" == checksum


def test_the_readme_links_to_pictures_that_are_there():
    readme = (ROOT / "README.md").read_text("utf-8")
    pictures = re.findall(r"\((docs/screenshots/[\w-]+\.png)\)", readme)
    assert len(pictures) >= 4
    assert [picture for picture in pictures if not (ROOT / picture).exists()] == []
    assert {
        f"docs/screenshots/{file.name}" for file in (ROOT / "docs/screenshots").iterdir()
    } == set(pictures)


def test_every_unit_of_a_rig_is_known():
    for rig in RIGS.values():
        for stand_in in rig.stand_ins:
            for sensor in stand_in.sensors:
                assert units.typeset(units.parse(sensor.facts.unit))


def test_every_shipped_package_has_its_licence_and_version():
    vendor = ROOT / "galena/shell/static/vendor"
    listed = (vendor / "README.md").read_text("utf-8")
    folders = [folder for folder in vendor.iterdir() if folder.is_dir()]
    assert len(folders) == listed.count("\n| ") - 1
    assert [folder.name for folder in folders if not list(folder.glob("LICENSE*"))] == []


def test_no_page_or_script_of_our_own_names_another_place():
    own = [
        file
        for kind in ("*.html", "*.js", "*.css")
        for file in (ROOT / "galena").rglob(kind)
        if "vendor" not in file.parts
    ]
    assert len(own) > 20
    named = re.compile(r"(?:https?:)?//(?!www\.w3\.org/)[\w-]+\.[\w-]+")
    assert [str(file) for file in own if named.search(file.read_text("utf-8"))] == []


def test_every_script_bears_an_answer_that_breaks_off():
    asking = re.compile(r"(?<![.\w])(?<!async )fetch\((?!\))|\.(?:json|text|blob|arrayBuffer)\(\)")
    scripts = [one for one in (ROOT / "galena").rglob("*.js") if "vendor" not in one.parts]
    own = {file.name for file in scripts if asking.search(file.read_text("utf-8"))}
    assert own == {"answers.js"}  # where no answer, and half of one, are null


def test_every_rig_is_described_and_drawn_by_what_it_knows():
    described = (ROOT / "docs" / "rigs.md").read_text("utf-8")
    for key, rig in RIGS.items():
        assert f"| `{key}` | {rig.name} |" in described
        drawing = (ROOT / f"galena/bench/templates/bench/rigs/{key}.html").read_text("utf-8")
        bound = {
            rule.split(":")[1]
            for rules in re.findall(r'data-bind="([^"]+)"', drawing)
            for rule in rules.split()
        }
        one = rig(seed=1)
        assert bound <= set(one.state) | set(one.settings)
        assert bound, f"nothing moves in the drawing of {key}"


def test_every_fault_is_in_the_protocol():
    assert [name for name in FAULTS if f"`{name}" not in PROTOCOL and name != "none"] == []


def test_every_function_and_constant_of_formulas_is_described_and_every_example_works():
    described = (ROOT / "docs" / "formulas.md").read_text("utf-8")
    assert [name for name in FUNCTIONS if f"`{name}(" not in described] == []
    named = ["g_n", "c_0", "R", "N_A", "k_B", "e_0", "h", "π"]
    assert [one for one in named if f"`{one}`" not in described or one not in constants()] == []
    symbols = dict.fromkeys(["x", "y", "y_0"], "m") | dict.fromkeys(["a", "b"], "N")
    symbols |= {"m": "kg", "v": "m/s", "t": "s", "τ": "s", "f": "Hz", "φ": "°", "V": "mL"}
    symbols |= {"h": "mm", "T_1": "°C", "T_2": "°C", "λ": "nm", "k": "N/m", "A_1": "m^2", "s": "s"}
    written = re.findall(r"`([^`\n]*)`", re.sub(r"`exp` needs", "exp needs", described))
    asked = {one for one in written if len(one) > 2 and re.search(r"[(*^]| [a-z]", one)}
    refused = {"sin(7)", "φ + 1", "T_1 + T_2", "abs(T_1)", "max(T_1, 5 K)"}
    assert refused <= set(written)
    for text in refused:
        with pytest.raises(FormulaError):
            compile(text, symbols)
    asked -= refused | {"+ - * / ^"}
    assert len(asked) > 35
    for text in asked:
        known = {**symbols, "x": ""} if re.match(r"a?(exp|sin|cos|tan|erf)", text) else symbols
        assert compile(text, known), text


def test_the_picture_of_the_layers_is_what_the_contracts_say():
    assert layers.PICTURE.read_text("utf-8") == layers.draw()
    described = [layers.purpose(package) for package in layers.layers()]
    assert len(described) > 10 and all(described)


def test_every_question_and_every_look_is_described():
    described = " ".join((ROOT / "docs" / "findings.md").read_text("utf-8").lower().split())
    asked = [one for one in QUESTIONS.values() if one.key not in (*MODELS, TYPED)]
    assert [one.key for one in asked if one.ask.lower() not in described] == []
    assert [model.key for model in MODELS.values() if model.label.lower() not in described] == []
    assert [look.key for look in LOOKS.values() if look.about not in described] == []


def test_every_file_that_the_documents_name_is_there():
    for file in ("architecture.md", "adding.md"):
        text = (ROOT / "docs" / file).read_text("utf-8")
        named = re.findall(
            r"`((?:[a-z_]+/)+[\w.]+\.(?:py|css|txt|md))`", re.sub("```.*?```", "", text, flags=re.S)
        )
        roots = (ROOT, ROOT / "galena")
        new = {step.file for steps in recipes().values() for step in steps if step.where == "new"}
        assert [one for one in named if one not in new
                and not any((root / one).exists() for root in roots)] == []  # fmt: skip


def test_no_line_of_a_template_is_too_long_to_be_read():
    templates = list((ROOT / "galena").rglob("templates/**/*.html"))
    assert len(templates) > 60
    long = [
        f"{file.name}:{number}"
        for file in templates
        for number, line in enumerate(file.read_text("utf-8").splitlines(), start=1)
        if len(line) > 140
    ]
    assert long == []


def test_every_test_that_the_page_on_security_names_is_there():
    page = (ROOT / "docs" / "security.md").read_text("utf-8")
    named = set(re.findall(r"`(test_\w+)`", page))
    there = {
        name
        for file in (ROOT / "tests").rglob("test_*.py")
        for name in re.findall(r"^def (test_\w+)", file.read_text("utf-8"), re.MULTILINE)
    }
    assert len(named) > 40
    assert sorted(named - there) == []


def test_every_chapter_of_the_standard_is_on_the_page_on_security():
    page = (ROOT / "docs" / "security.md").read_text("utf-8")
    assert [int(one) for one in re.findall(r"^## V(\d+) ", page, re.MULTILINE)] == [*range(1, 15)]
    for row in re.findall(r"^\| (\d.*?) \| (.*) \|$", page, re.MULTILINE):
        assert len(row[1]) > 3, row
