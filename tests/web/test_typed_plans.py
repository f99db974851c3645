"""A typed plan belongs to the experiment and the person, for each kind of run."""

import pytest
from django.test import Client
from django.urls import reverse

from galena.experiments import flows
from galena.experiments.models import TypedPlan
from galena.recording.engine.recorder import RECORDER
from tests import making

STEADY = {"plan": "steady", "kind-shown": "steady", "rate": "12", "duration": "33"}
ARMED = {"plan": "armed", "kind-shown": "armed", "rate": "500", "duration": "2", "before": "40 ms",
         "event": "key", "again": "on"}  # fmt: skip


@pytest.fixture
def at(as_ada, experiment):
    def address(name):
        return reverse(name, args=[experiment.pk])

    return address


def value(page, name):
    field = page.text.partition(f'name="{name}" value="')[2]
    return field.partition('"')[0]


def test_what_is_typed_survives_a_reload_and_a_walk_to_the_bench(as_ada, experiment, at):
    as_ada.post(at("plan-size"), STEADY | {"note": "calm"})
    as_ada.get(at("bench"))
    page = as_ada.get(at("record"))
    assert (value(page, "rate"), value(page, "duration")) == ("12", "33")
    assert value(page, "note") == "calm"


def test_each_kind_keeps_its_own(as_ada, experiment, at):
    as_ada.post(at("plan-size"), STEADY)
    as_ada.post(at("panel"), ARMED | {"kind-shown": "steady", "rate": "12", "duration": "33"})
    as_ada.post(at("plan-size"), ARMED)
    steady = as_ada.post(at("panel"), ARMED | {"plan": "steady"})  # the radio was pressed
    assert (value(steady, "rate"), value(steady, "duration")) == ("12", "33")
    armed = as_ada.post(at("panel"), STEADY | {"plan": "armed"})
    assert (value(armed, "rate"), value(armed, "before")) == ("500", "40 ms")
    assert 'name="again" checked' in armed.text
    again = as_ada.get(at("record"))  # the kind that was chosen last
    assert 'value="armed" checked' in again.text and value(again, "rate") == "500"


def test_it_outlives_runs_of_another_kind_and_a_plan_that_could_not_be(as_ada, experiment, at):
    as_ada.post(at("plan-size"), ARMED)
    making.run(experiment, making.ramp(), rate=10.0)
    assert value(as_ada.get(at("record")), "rate") == "500"
    wrong = as_ada.post(at("start"), STEADY | {"rate": "fast", "note": "typed"})
    assert wrong.status_code == 422
    page = as_ada.get(at("record"))
    assert value(page, "rate") == "fast" and value(page, "note") == "typed"


def test_stopping_to_wait_gives_the_typed_plan_back(as_ada, experiment, at, monkeypatch):
    as_ada.post(at("plan-size"), ARMED | {"level": "12.5"})
    monkeypatch.setattr(RECORDER, "stop", lambda *_: True)
    page = as_ada.post(at("stop"))
    assert value(page, "rate") == "500" and value(page, "before") == "40 ms"


def test_another_person_and_another_experiment_have_their_own(as_ada, experiment, at, ada, tern):
    as_ada.post(at("plan-size"), STEADY)
    other = flows.create(ada, "Second tank", [])
    page = as_ada.get(reverse("record", args=[other.pk]))
    assert value(page, "rate") == "20"
    as_tern = Client()
    as_tern.force_login(tern)
    assert as_tern.get(at("record")).status_code == 404
    assert TypedPlan.objects.count() == 1


def test_looking_at_sizes_and_kinds_keeps_nothing(as_ada, experiment, at):
    as_ada.get(at("plan-size"), STEADY)
    as_ada.get(at("panel"), ARMED)
    assert not TypedPlan.objects.exists()


def test_what_is_typed_with_each_reading_is_not_forgotten_by_another_kind(as_ada, experiment, at):
    quantity = flows.add_entered(experiment, "distance", "d", "m")
    as_ada.post(at("panel"), STEADY | {"plan": "stepwise"})
    page = as_ada.post(at("plan-size"), {"plan": "stepwise", "kind-shown": "stepwise",
                                         "average": "0.3", "typed": quantity.pk})  # fmt: skip
    assert page.status_code == 200
    as_ada.post(at("panel"), {"plan": "steady", "kind-shown": "stepwise", "average": "0.3",
                              "typed": quantity.pk})  # fmt: skip
    taken = as_ada.post(at("take-step"), {f"setting-{quantity.pk}": "0.3"})
    assert "Say first what is typed" not in taken.text
