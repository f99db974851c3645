"""What fits, the statistics of a dragged span and a harvest cost.

Run: python -m benchmarks.findings
"""

import os
import tempfile
import time

os.environ["DJANGO_SETTINGS_MODULE"] = "galena.config.settings"

import django
import numpy as np
from scipy.optimize import curve_fit

from benchmarks import sizes
from benchmarks.timing import best
from galena.core.fits import MODELS, fit

READINGS = sizes.of(10_000, 300)
LONG = sizes.of(100_000, 2000)
RUNS = sizes.of(200, 4)
BEGIN = {"a": 3.0, "A": 3.0, "b": 2.0, "c": 1.0, "d": 0.5, "k": 2.0, "n": 1.5, "s": 0.6,
         "slope": 2.0, "intercept": 1.0, "x_0": 4.0, "y_0": 1.0, "T": 1.3, "φ": 0.7, "σ": 0.5,
         "τ": 3.0}  # fmt: skip


def of_models() -> None:
    """Fit each model to 10,000 readings, as a multiple of scipy's curve_fit with the same
    start and slopes."""
    x = np.linspace(0.2, 10.0, READINGS)
    for key, model in MODELS.items():
        names = list(model.parameters)
        truth = {name: BEGIN[name] for name in names}
        y = model.values(x, truth)
        y = y + np.random.default_rng(1).normal(0, 0.02 * (np.ptp(y) or 1.0), x.size)
        start = {name: 1.05 * value for name, value in truth.items()}

        def of(x, *p, model=model, names=names):
            return model.values(x, dict(zip(names, p, strict=True)))

        def jacobian(x, *p, model=model, names=names):
            return model.jacobian(x, dict(zip(names, p, strict=True)))

        own = best(lambda key=key, y=y, start=start: fit(key, x, y, start=start), 7)
        first = [start[name] for name in names]
        theirs = best(lambda y=y, of=of, jacobian=jacobian, first=first:
                      curve_fit(of, x, y, p0=first, jac=jacobian), 7)  # fmt: skip
        found = best(lambda key=key, y=y: fit(key, x, y), 1)
        print(f"{key:26s} {own * 1e3:7.2f} ms = {own / theirs:4.2f} x curve_fit; "
              f"start found as well {found * 1e3:7.1f} ms")  # fmt: skip


def of_pages() -> None:
    """Drag the end of a span over {LONG:,} readings; harvest 200 runs in one request."""
    with tempfile.TemporaryDirectory() as folder:
        os.environ["GALENA_DATA"] = folder
        django.setup()
        from django.core.management import call_command

        call_command("migrate", verbosity=0)
        _drag()
        _harvest()


def _drag() -> None:
    from django.test import Client
    from django.urls import reverse

    from galena.classroom.models import Person
    from galena.desk.annotations import flows
    from galena.desk.findings import flows as finding_flows
    from galena.desk.sheets import flows as sheet_flows
    from galena.experiments import flows as experiment_flows
    from tests import making

    ada = Person.objects.create_user("ada")
    client = Client(headers={"host": "127.0.0.1"})
    client.force_login(ada)
    experiment = experiment_flows.create(ada, "Long")
    noise = np.random.default_rng(1).normal(0, 0.1, LONG)
    making.run(experiment, 0.002 * np.arange(LONG) % 90 + noise, rate=100.0)
    sheet = sheet_flows.first_sheet(experiment)
    span = flows.add_span(sheet, 1.0, LONG / 100 - 1)
    for kind in ("mean", "spread", "line"):
        finding_flows.ask(span, kind, sheet.quantity, list(experiment.runs.all()))
    url = reverse("peek", args=[experiment.pk, span.pk])
    taken = []
    for number in range(sizes.of(20, 2)):
        began = time.perf_counter()
        answer = client.get(url, {"lo": 1.0, "hi": LONG / 100 - 2 - number / 10})
        taken.append(time.perf_counter() - began)
        assert answer.status_code == 200
    print(f"span over {LONG:,} readings dragged: mean, spread and line anew in "
          f"{np.median(taken) * 1e3:.0f} ms, at most {max(taken) * 1e3:.0f} ms")  # fmt: skip


def _harvest() -> None:
    from django.test import Client
    from django.urls import reverse

    from galena.classroom.models import Person
    from galena.desk.annotations import flows
    from galena.desk.findings import flows as finding_flows
    from galena.desk.sheets import flows as sheet_flows
    from galena.experiments import flows as experiment_flows
    from tests import making

    ada = Person.objects.get(username="ada")
    client = Client(headers={"host": "127.0.0.1"})
    client.force_login(ada)
    experiment = experiment_flows.create(ada, "Many")
    for number in range(RUNS):
        making.run(experiment, making.ramp(slope=1 + number / 100, seed=number))
    sheet = sheet_flows.first_sheet(experiment)
    span = flows.add_span(sheet, 2.0, 15.0)
    finding_flows.ask(span, "line", sheet.quantity, list(experiment.runs.all())[:1])
    began = time.perf_counter()
    answer = client.post(reverse("harvest", args=[experiment.pk, span.pk]), {"over": "runs"})
    assert answer.status_code == 200
    print(f"harvest over {RUNS} runs: {time.perf_counter() - began:.2f} s in one request")


if __name__ == "__main__":
    of_models()
    of_pages()
