"""Experiments with anything in them, made by the acts that a person has, in any order."""

import random

import numpy as np
from django.utils import timezone

from galena.bench.calibration import flows as calibration_flows
from galena.clips import marking, ties, tracked_run
from galena.core.errors import GalenaError
from galena.core.formats.heads import head
from galena.desk.annotations import flows as annotation_flows
from galena.desk.findings import flows as finding_flows
from galena.desk.harvests import flows as harvest_flows
from galena.desk.models import Finding
from galena.desk.sheets import flows as sheet_flows
from galena.experiments import beside_flows, flows, quantity_flows, table_flows
from galena.experiments.models import Run
from galena.recording.runs import recalibrating
from galena.reports import flows as report_flows
from galena.straighten.models import Guidance
from tests import making
from tests.web.clips import prepared

WORDS = ("calm", "at 40 mL/s, “gently”", "α–β, 3 °C", "=1+1", "after\tthe break", "Möwe 🐦")


class Maker:
    """Does acts upon an experiment, each drawn from a seed; what is refused is left out."""

    def __init__(self, experiment, seed, film=None):
        self.experiment, self.film = experiment, film
        self.random = random.Random(seed)
        self.person = experiment.owner
        self.refused = {}

    def do(self, acts):
        """Do acts by their names; gives how many were not refused."""
        return sum(self._done(act) for act in acts)

    def _done(self, act):
        try:
            getattr(self, act)()
        except (GalenaError, IndexError, ValueError) as refusal:  # nothing is there yet for it
            self.refused[act] = refusal
            return False
        return True

    def _one(self, rows):
        return self.random.choice(list(rows))

    def _sheet(self):
        return self._one(sheet_flows.sheets_of(self.experiment))

    def condition(self):
        name = f"condition {self.random.random():.9f}"
        kind = self._one(("number", "choice", "text"))
        flows.add_condition(self.experiment, name, kind, "", "mm", "none, in front")

    def given(self):
        name = f"given {self.random.random():.9f}"
        symbol = self._one(("G", "H", "J_1", "k_2"))
        quantity_flows.save_given(self.experiment, None, name, symbol, "0.250 ± 0.002", "kg")

    def steady(self):
        count = self.random.randrange(1, 300)
        level = making.ramp(count, seed=self.random.randrange(1000))
        made = making.run(self.experiment, level, note=self._one(WORDS),
                          conditions=["40"], chunk=self.random.choice((7, 100)))  # fmt: skip
        self._corrected(made)

    def _corrected(self, run):
        for series in run.streams.get().series.exclude(quantity=None):
            if self.random.random() < 0.5:
                series.zero, series.u_zero = self.random.gauss(0, 1), 0.01
                series.sign = self._one((1, -1))
                series.save()

    def armed(self):
        self.steady()
        run = self.experiment.runs.order_by("pk").last()
        run.plan, run.details = Run.Plan.ARMED, {"before": 0.5, "event": "h rose past 2.0 mm"}
        run.save()

    def stepwise(self):
        depth = self.experiment.quantities.filter(name="depth").first()
        depth = depth or flows.add_entered(self.experiment, "depth", "d_s", "m", "3")
        making.run(self.experiment, making.ramp(60, seed=self.random.randrange(99)))
        run = self.experiment.runs.order_by("pk").last()
        stream = run.streams.get()
        (series,) = stream.series.exclude(quantity=None)
        run.plan, run.rate, run.duration = Run.Plan.STEPWISE, None, None
        run.details = {"average": 1.0}
        run.save()
        now = timezone.now()
        for row, first in ((1, 0), (2, 20), (2, 40)):
            run.steps.filter(row=row).update(replaced_at=now)
            step = run.steps.create(row=row, taken_at=now, taken_by=self.person)
            step.parts.create(stream=stream, first_index=first, count=20,
                              correlation_times={str(series.quantity_id): 1.5})  # fmt: skip
        for row, text, then in ((1, "0.10", None), (2, "0.2", now), (2, "0.25", None)):
            run.entries.create(row=row, quantity=depth, text=text, value=float(text), made_at=now,
                               made_by=self.person, replaced_at=then)  # fmt: skip

    def typed(self):
        run = table_flows.new_table(self.experiment, self.person)
        for column in run.typed_columns.all():
            for row in range(self.random.randrange(1, 6)):
                text = f"{self.random.gauss(3, 1):.2f}"
                now = run.typed_columns.get(quantity=column.quantity, replaced_at=None)
                table_flows.set_cell(now, row, text, self.person)

    def beside(self):
        run = self._one(self.experiment.runs.filter(plan=Run.Plan.STEADY))
        column = beside_flows.add_beside(run, run.streams.get(), self.person, head("load F_b / N"))
        beside_flows.know(column, [(0, 3), (6, 9)], "0.50", self.person)

    def calibrated(self):
        run = self._one(self.experiment.runs.filter(plan=Run.Plan.STEADY))
        draft = calibration_flows.in_the_making(making.channel(), self.person)
        calibration_flows.describe_value(
            draft, quantity="volume", symbol="V", unit="mL", model="line"
        )
        for known in ("0", "50", "100"):
            raw = float(known) / 5 + np.array([0.01, -0.01, 0.02])
            calibration_flows.add_take(draft, known, 0.1, raw, 3.0)
        kept = calibration_flows.keep(draft)
        series = run.streams.get().series.exclude(quantity=None).get()
        recalibrating.recalibrate(self.experiment, series, kept)

    def aside(self):
        run = self._one(self.experiment.runs.all())
        table_flows.set_aside(run, run.streams.first(), 0, 1, self._one(WORDS), self.person)

    def removed(self):
        flows.remove(self._one(self.experiment.runs.kept()))

    def formula(self):
        name = f"formula {self.random.random():.9f}"
        quantity_flows.add_derived(self.experiment, "2*h", name, self._one(("q", "w_1")))

    def graph(self):
        sheet_flows.add_graph(self._sheet(), self._one(self.experiment.shown))

    def span(self):
        lo = self.random.uniform(0, 5)
        sheet = self._sheet()
        annotation_flows.add_span(sheet, lo, lo + 4, sheet.quantity)

    def marker(self):
        annotation_flows.add_marker(self._sheet(), self.random.uniform(0, 9))

    def note(self):
        graph = self._one(self._sheet().graphs.all())
        annotation_flows.add_note(graph, self._one(WORDS), 1.0, 2.0)

    def ask(self):
        sheet = self._sheet()
        kind = self._one(("mean", "line", "proportional", "peak", "area"))
        runs = list(self.experiment.runs.kept())
        span = self._one(sheet.spans.all())
        for finding in finding_flows.ask(span, kind, sheet.quantity, runs):
            finding_flows.say_why(finding, self._one(WORDS))

    def residuals(self):
        lines = Finding.objects.filter(sheet__experiment=self.experiment, kind="line")
        finding_flows.show_residuals(self._one(lines), True)

    def build(self):
        sheet = self._sheet()
        lines = list(sheet.findings.filter(kind="line"))
        finding_flows.build(sheet, "meet", [one.pk for one in self.random.sample(lines, 2)])

    def harvest(self):
        span = self._one(self._sheet().spans.exclude(findings=None))
        findings = list(span.findings.all())
        runs = [finding.run for finding in findings if finding.run.removed_at is None]
        harvest_flows.harvest(span, findings, self.person, list(dict.fromkeys(runs)), [span])

    def clip(self):
        clip = prepared(self.experiment, self.film)
        marking.set_scale(clip, (10, 100, 110, 100), "0.200 ± 0.002", "m")
        marking.set_axes(clip, 20, 90)
        tracked = clip.tracked.get()
        marking.mark_all(tracked, [(k, 10.0 + k, 50.0, None) for k in range(5)], self.person)
        marking.mark(tracked, 2, 14.0, 51.0, self.person)
        if self.random.random() < 0.5:
            tracked_run.use_as_run(clip, self.person)

    def tied(self):
        clip = self._one(self.experiment.clips.all())
        run = self._one(self.experiment.runs.filter(plan=Run.Plan.STEADY))
        ties.tie(clip, run, 1.0, 0.5)

    def report(self):
        report = report_flows.report_of(self.experiment)
        text = f"## What we did\n\n{self._one(WORDS)}\n\n{{graph}}\n"
        report_flows.begin_anew(report, "On levels", text, self.person)

    def guided(self):
        Guidance.objects.get_or_create(experiment=self.experiment, shape_first=True)


ACTS = [
    name for name, act in vars(Maker).items() if callable(act) and not name.startswith("_")
    and name != "do"
]  # fmt: skip
