"""The recipes of docs/adding.md are carried out on a copy of Galena, and what they add is there."""

import json
import os
import shutil
import subprocess
import sys

import pytest

from tests.recipes import ROOT, recipes

CHECKS = {
    "A model": """
from galena.core.fits import fit
from galena.desk.findings.questions import FITS, QUESTIONS
x = [1.0, 2.0, 3.0, 4.0]
assert abs(fit("inverse_cube", x, [8 / place**3 for place in x]).params["k"] - 8) < 1e-9
assert "inverse_cube" in FITS and QUESTIONS["inverse_cube"].ask == "inverse cube"
""",
    "A question": """
import numpy as np
from galena.core.units import Unit, parse
from galena.desk.findings.questions import QUESTIONS, Subject
from galena.experiments.data.readings import Readings
read = Readings(np.arange(4.0), np.array([3.0, -4.0, 3.0, -4.0]))
subject = Subject(read, read, (0.0, 3.0), parse("s"), parse("mm"), "t", "h", 1, 1, {}, "h")
(estimate,) = QUESTIONS["rms"].answer(subject).estimates
assert abs(estimate.value - 12.5**0.5) < 1e-12 and estimate.unit_text == "mm"
""",
    "A rig": """
from django.template.loader import render_to_string
from galena.instruments.rigs import RIGS
rig = RIGS["rain_barrel"](1)
rig.set("rain", 100)
rig.live_until(10)
assert abs(rig.state["h"] - 4) < 0.02
assert "y-move:h" in render_to_string("bench/rigs/rain_barrel.html")
""",
    "A remark": """
from galena.core.fits import fit
from galena.core.runs_test import runs_test
from galena.core.second_look import remarks
from galena.core.second_look.fits import Fitted
two = fit("line", [1, 2], [1, 2], u_y=0.1)
given = [str(one) for one in remarks("fit", Fitted(two, runs_test(two.residuals)))]
assert "Two readings are always on a line. Take more." in given
""",
    "A unit": """
from galena.core.formula import compile
from galena.core.units import parse, typeset
assert typeset(parse("knot")) == "kn"
value = compile("v", {"v": "kn"}, unit="m/s").evaluate({"v": 1.0})
assert abs(float(value.values) - 1852 / 3600) < 1e-6
""",
    "A relation": """
from galena.core.fits import fit
from galena.core.straightening import RELATIONS
x = [1.0, 2.0, 3.0, 4.0]
seen = RELATIONS["fourth"].straighten(x, [3 * place**4 for place in x])
assert abs(seen.relation.law(fit("line", seen.x, seen.y))["k"][0] - 3) < 1e-9
assert abs(seen.relation.x.inverse([16.0])[0] - 2) < 1e-12
""",
    "A kind of run": """
from galena.experiments.models import Run
from galena.experiments.runs import KINDS
run = Run(plan="marked", details={"places": [0.0, 1.0]})
assert run.kind is KINDS["marked"] and run.planned == "marked every 0.04 s"
""",
    "A format": """
import numpy as np
from galena.core.formats.sheets import Column, Sheet
from galena.exchange.formats import FORMATS
sheet = Sheet("run 1", (), (Column("t / s", np.array([0.0, 1.0]), "%.1f"),))
assert b"".join(FORMATS["columns"].stream(sheet)) == b"t/s\\n0.0\\n1.0"
""",
    "A thing to put into a report": """
from types import SimpleNamespace
from galena.reports.put_ins import PUT_INS, read
kind = SimpleNamespace(counts=lambda runs: {7: 120})
run = SimpleNamespace(number=1, pk=7, kind=kind)
source = SimpleNamespace(runs=[run], run=lambda text: run)
assert PUT_INS["count"].choices(source)[0].text == "{count run 1}"
assert PUT_INS["count"].set(read("count run 1"), source).plain == "120 readings"
""",
}


RUN = """
import json, sys, traceback
import django
django.setup()
reasons = {}
for title, check in json.load(sys.stdin).items():
    try:
        exec(check, {})
    except Exception:
        reasons[title] = traceback.format_exc()
print(json.dumps(reasons))
"""


@pytest.fixture(scope="module")
def reasons(tmp_path_factory):
    """Carry every recipe out on a copy of Galena; gives why checks fail there, by title."""
    folder = tmp_path_factory.mktemp("copy")
    ignored = shutil.ignore_patterns("__pycache__", "vendor")
    shutil.copytree(ROOT / "galena", folder / "galena", ignore=ignored)
    for steps in recipes().values():
        for step in steps:
            step.carry_out(folder)
    environment = os.environ | {
        "DJANGO_SETTINGS_MODULE": "tests.settings", "PYTHONPATH": f"{folder}:{ROOT}",
    }  # fmt: skip
    done = subprocess.run(
        [sys.executable, "-c", RUN], cwd=folder, env=environment, input=json.dumps(CHECKS),
        capture_output=True, text=True,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    return json.loads(done.stdout)


def test_every_recipe_has_steps_and_is_checked():
    assert list(recipes()) == list(CHECKS)
    assert all(recipes().values())


@pytest.mark.parametrize("title", CHECKS)
def test_what_a_recipe_adds_is_there(reasons, title):
    assert reasons.get(title) is None, reasons[title]
