"""One of each thing that an address can name, and all addresses."""

import io

import numpy as np
from django.urls import get_resolver, reverse
from django.urls.resolvers import URLPattern

from galena.bench.models import Instrument
from galena.clips import marking
from galena.clips.models import Clip, TrackedObject
from galena.desk.annotations import flows
from galena.desk.findings import flows as finding_flows
from galena.desk.models import Finding, Graph, Marker, Note, Span
from galena.desk.sheets import flows as sheet_flows
from galena.exchange import arrivals
from galena.experiments import quantity_flows, table_flows
from galena.experiments.models import Series
from galena.lessons import giving, handing_in
from galena.lessons.models import HandIn, Loan
from galena.reports import flows as report_flows
from tests import making
from tests.web import classes

RIGS = ("plug", "set-handle", "set-pace", "rig-drawing")


def routes():
    """Every address of every app by name, with the keys that it takes."""
    known, pending = {}, [(get_resolver(), ())]
    while pending:
        resolver, keys = pending.pop()
        for one in resolver.url_patterns:
            taken = (*keys, *one.pattern.converters)
            if isinstance(one, URLPattern):
                known[one.name] = taken
            else:
                pending.append((one, taken))
    return known


OF_GROUPS = {
    "my-lesson", "my-lesson-now", "my-events", "live-status", "live-missed", "take-run",
    "type-answer", "hand-in", "returned", "returned-file",
}  # fmt: skip


def path(name, keys):
    """Give an address with the keys that it takes."""
    given = keys | {"file": "galena.css", "path": "x", "name": "pdf"}
    if name in RIGS:
        given["key"] = "tide_tank"
    return reverse(name, kwargs={one: given[one] for one in routes()[name]})


def make(experiment):
    """Put one of each thing into an experiment; gives their keys."""
    run = making.run(experiment, making.ramp())
    table_flows.new_table(experiment, experiment.owner)
    sheet = sheet_flows.first_sheet(experiment)
    span = flows.add_span(sheet, 2.0, 8.0)
    flows.add_marker(sheet, 5.0)
    finding_flows.ask(span, "line", sheet.quantity, [run])
    flows.add_note(sheet.graphs.first(), "rising", 3.0, 4.0)
    quantity_flows.save_given(experiment, None, "gravity", "g", "9.81", "m/s^2")
    quantity_flows.add_derived(experiment, "2*h", "double", "d")
    clip = Clip.objects.create(
        experiment=experiment, name="film", folder="0" * 32, size=9, state=Clip.State.READY,
        width=160, height=120, times=np.arange(9, dtype="<i8").tobytes(), stop=8,
        made_by=experiment.owner,
    )  # fmt: skip
    marking.add_object(clip, "nut")
    report = report_flows.report_of(experiment)
    report_flows.begin_anew(report, "On levels", "{A.line.1.slope}", experiment.owner)
    return keys_of(experiment)


def keys_of(experiment):
    """Give the keys of what an experiment has, one of each."""
    sheet = sheet_flows.first_sheet(experiment)
    arrival = arrivals.begin("river.csv", 20, experiment.owner, experiment)
    arrivals.add(arrival, 0, io.BytesIO(b"t / s,h / mm\n0,1\n1,2"[:20]))
    report = report_flows.report_of(experiment)
    if not report.versions.exists():
        report_flows.begin_anew(report, "On levels", report.text + " more", experiment.owner)
    run = experiment.runs.order_by("number").first()
    of_sheet = {"sheet__experiment": experiment}
    return {
        "version_id": report.versions.first().pk, "arrival_id": arrival.pk,
        "clip_id": experiment.clips.first().pk,
        "object_id": TrackedObject.objects.filter(clip__experiment=experiment).first().pk,
        "experiment_id": experiment.pk, "number": run.number, "sheet_id": sheet.pk,
        "graph_id": Graph.objects.filter(**of_sheet).first().pk, "side": "left",
        "span_id": Span.objects.filter(**of_sheet).first().pk,
        "marker_id": Marker.objects.filter(**of_sheet).first().pk,
        "finding_id": Finding.objects.filter(**of_sheet).first().pk,
        "note_id": Note.objects.filter(graph__sheet__experiment=experiment).first().pk,
        "quantity_id": experiment.derived.first().pk, "channel_id": making.channel().pk,
        "key": experiment.givens.first().pk, "row": 1, "take_id": 1, "calibration_id": 1,
        "series_id": Series.objects.filter(stream__run=run).exclude(quantity=None).first().pk,
        "condition_id": experiment.conditions.first().pk,
        "instrument_id": making.channel().instrument_id,
        "person_id": experiment.owner.pk, "run_id": run.pk,
        "table": experiment.runs.order_by("number").last().number,
    }  # fmt: skip


def of_a_class(experiment):
    """Hold a lesson with an experiment, with one of each thing of a class; gives their keys."""
    lesson = classes.begin(experiment)
    group = classes.group(lesson, "Gannet")
    giving.give(lesson, experiment.runs.first())
    question = lesson.questions.create(words="depth", kind="typed", unit="cm")
    instrument = Instrument.objects.get(pk=making.channel().instrument_id)
    loan = Loan.objects.create(lesson=lesson, instrument=instrument, group=group)
    made = HandIn.objects.create(
        copy=group.copy, number=1, title="On levels", page="<p>It rises.</p>", folder="0" * 32
    )
    remark = handing_in.remark(made, "block-1", "It rises", "Say how fast.")
    return {"lesson_id": lesson.pk, "group_id": group.pk, "question_id": question.pk,
            "loan_id": loan.pk, "hand_in_id": made.pk, "remark_id": remark.pk}  # fmt: skip
