"""Straightening and a full ledger: the page for few and for very many readings, the Desk with
twenty spans of four runs, and a span that is dragged.

Times of the server, and how many straight lines NumPy fits to the same readings meanwhile.

Run: python -m benchmarks.straighten
"""

import os
import tempfile

os.environ["DJANGO_SETTINGS_MODULE"] = "galena.config.settings"

import django
import numpy as np

from benchmarks import sizes
from benchmarks.timing import best

FEW, MANY = 200, sizes.of(100_000, 2_000)
SPANS, RUNS = sizes.of(20, 3), sizes.of(4, 2)
NAME = "Straight, and many spans"


def build(person, count: int):
    """Store a run that falls by an exponential."""
    from galena.experiments import flows as experiment_flows
    from tests import making

    experiment = experiment_flows.create(person, f"{NAME}, {count}")
    t = np.linspace(0, 3, count)
    noise = np.random.default_rng(count).normal(0, 0.01, count)
    making.run(experiment, 40 * np.exp(-t) * (1 + noise), rate=count / 30, chunk=5000)
    return experiment


def of_page(client, person, count: int) -> None:
    """Time the page as it opens, and with a relation that is chosen."""
    from django.urls import reverse

    from galena.desk.sheets import flows as sheet_flows

    experiment = build(person, count)
    sheet = sheet_flows.first_sheet(experiment)
    address = reverse("straighten", args=[experiment.pk, sheet.pk])
    t = np.linspace(0, 3, count)
    line = best(lambda: np.polyfit(t, t, 1), 20)
    for words, query in (("opens", {}), ("with a relation", {"relation": "exponential_decay"})):
        taken = best(lambda query=query: client.get(address, query))
        print(f"  {count} readings, {words}: {taken * 1e3:.0f} ms = {taken / line:.0f} lines")


def of_ledger(client, person) -> None:
    """Time the Desk with many spans, and the findings of one of them while it is dragged."""
    from django.urls import reverse

    from galena.desk.annotations import flows
    from galena.desk.findings import flows as finding_flows
    from galena.desk.sheets import flows as sheet_flows
    from galena.experiments import flows as experiment_flows
    from tests import making

    experiment = experiment_flows.create(person, NAME)
    runs = [making.ramp(600, 10.0, seed=seed) for seed in range(RUNS)]
    runs = [making.run(experiment, readings) for readings in runs]
    sheet = sheet_flows.first_sheet(experiment)
    for place in range(SPANS):
        span = flows.add_span(sheet, 2.5 * place + 0.5, 2.5 * place + 5.5)
        for kind in ("mean", "line"):
            finding_flows.ask(span, kind, sheet.quantity, runs)
    desk = reverse("desk", args=[experiment.pk])
    opened = best(lambda: client.get(desk))
    peek = reverse("peek", args=[experiment.pk, span.pk])
    moved = iter(range(1000))
    dragged = best(lambda: client.get(peek, {"lo": "1", "hi": f"{5 + next(moved) / 100}"}))
    print(f"  {SPANS} spans of {RUNS} runs: the Desk opens in {opened * 1e3:.0f} ms, "
          f"a dragged span answers in {dragged * 1e3:.0f} ms = {dragged / opened:.2f} of that")  # fmt: skip


def main() -> None:
    """Measure in a database of its own."""
    with tempfile.TemporaryDirectory() as folder:
        os.environ["GALENA_DATA"] = folder
        django.setup()
        from django.core.management import call_command
        from django.test import Client

        from galena.classroom.models import Person

        call_command("migrate", verbosity=0)
        person = Person.objects.create_user("ada")
        client = Client(headers={"host": "localhost"})
        client.force_login(person)
        print("straightening:")
        of_page(client, person, FEW)
        of_page(client, person, MANY)
        of_ledger(client, person)


if __name__ == "__main__":
    main()
