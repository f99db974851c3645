"""Runs of an exponential decay, and what is asked of them."""

import numpy as np
from django.urls import reverse

from galena.desk.findings import answers as findings
from galena.desk.findings import flows as finding_flows
from galena.desk.models import Finding
from galena.desk.traces.drawn import shown_runs

T = np.arange(0.0, 20.0, 0.1)


def curve(number):
    """An exponential decay with a little noise, as each run has it."""
    noise = np.random.default_rng(number).normal(0, 0.1, T.size)
    return 50.0 * np.exp(-T / 4.0) + 10.0 * number + noise


def runs(sheet):
    return [one.run for one in shown_runs(sheet)]


def asked(span, kind, **details):
    return finding_flows.ask(span, kind, span.sheet.quantity, runs(span.sheet), details)


def answer(finding):
    return findings.answers([Finding.objects.select_related(*findings.RELATED).get(pk=finding.pk)])[
        0
    ]


def values(finding):
    told = answer(finding)
    assert told.trouble == ""
    return {one.key: one.value for one in told.estimates}


def post(client, name, pk, experiment, **fields):
    return client.post(reverse(name, args=[experiment.pk, pk]), fields)


FEW = ("mean", "crossing", "line", "model")  # questions that are tried also while one works
