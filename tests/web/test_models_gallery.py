"""The gallery of models: what it shows, and what is laid over readings before anything is asked."""

import numpy as np
import pytest
from django.urls import reverse

from galena.core.fits import MODELS
from galena.desk.models import Finding
from tests.web.decays import post


def lay(client, experiment, span, **fields):
    return client.get(reverse("lay-over", args=[experiment.pk, span.pk]), fields)


def test_every_model_stands_in_it_with_its_shape_and_its_equation(as_ada, decays, span):
    text = as_ada.get(reverse("models", args=[decays.pk, span.pk])).text
    for key, model in MODELS.items():
        assert f'data-model="{key}"' in text and f"<b>{model.label}</b>" in text
    assert text.count("<polyline") == len(MODELS)
    for words in ("Straight", "Powers", "Falls off", "Waves, steps, peaks", "Grows and decays"):
        assert f">{words}</span>" in text
    assert '<option value="2">run 2' in text and "every run, shown or not" in text


def test_a_model_lies_over_every_shown_run_where_its_fit_would(as_ada, decays, span):
    laid = lay(as_ada, decays, span, kind="decay_constant").json()
    assert laid["trouble"] == "" and [one["number"] for one in laid["curves"]] == [1, 2, 3]
    x, y = (np.array(one) for one in laid["curves"][1]["parts"][1])
    assert np.allclose(y, 50 * np.exp(-x / 4) + 20, atol=0.2)
    one = lay(as_ada, decays, span, kind="decay_constant", runs="2").json()
    assert one["curves"] == laid["curves"][1:2]
    typed = lay(as_ada, decays, span, formula="k*exp(-x/b) + d", runs="2").json()
    assert np.allclose(typed["curves"][0]["parts"][1][1], y, atol=0.01)
    assert not Finding.objects.exists()


def test_hidden_runs_and_runs_without_readings_there_are_not_laid_over(as_ada, decays, span):
    decays.runs.filter(number=1).update(shown=False)
    assert [one["number"] for one in lay(as_ada, decays, span, kind="line", runs="every").json()
            ["curves"]] == [2, 3]  # fmt: skip
    span.lo, span.hi = 100.0, 200.0
    span.save()
    bare = lay(as_ada, decays, span, kind="line").json()
    assert bare["curves"] == [] and "needs" in bare["trouble"]


@pytest.mark.parametrize(("fields", "words"), [
    ({"formula": "a*exp(-x/b) +"}, "The formula stops after “+”."),
    ({"kind": "nothing"}, "There is no model “nothing”."),
    ({}, "formula"),
])  # fmt: skip
def test_what_cannot_be_laid_over_is_said(as_ada, decays, span, fields, words):
    answered = lay(as_ada, decays, span, **fields).json()
    assert answered["curves"] == [] and words in answered["trouble"]


def test_one_run_or_every_run_is_asked_from_it(as_ada, decays, span):
    post(as_ada, "ask", span.pk, decays, kind="line", runs="2")
    assert [one.run.number for one in Finding.objects.filter(kind="line")] == [2]
    decays.runs.filter(number=1).update(shown=False)
    post(as_ada, "ask", span.pk, decays, kind="line", runs="every")
    assert Finding.objects.filter(kind="line").count() == 3
    nobody = post(as_ada, "ask", span.pk, decays, kind="cubic", runs="99")
    assert "No run is shown" in nobody.text and not Finding.objects.filter(kind="cubic").exists()


def test_strangers_see_no_gallery(client, tern, decays, span):
    client.force_login(tern)
    assert client.get(reverse("models", args=[decays.pk, span.pk])).status_code == 404
    assert lay(client, decays, span, kind="line").status_code == 404


def test_of_a_span_that_went_there_is_none(as_ada, decays, span):
    pk = span.pk
    span.delete()
    gone = as_ada.get(reverse("models", args=[decays.pk, pk]))
    assert gone.status_code == 409 and "taken away" in gone.text
