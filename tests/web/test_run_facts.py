"""What is known of a run can be changed afterwards; what was measured cannot."""

import pytest
from django.urls import reverse

from galena.core.errors import ConditionError
from galena.desk.sheets import flows as sheet_flows
from galena.desk.traces.drawn import shown_runs
from galena.experiments import flows, repeats
from galena.experiments.models import Condition, Run
from tests import making


@pytest.fixture
def runs(experiment):
    held = [("40", "closed"), ("70", "closed"), ("40.0", "closed"), ("", "")]
    return [
        making.run(experiment, making.ramp(60, seed=n), conditions=list(one))
        for n, one in enumerate(held)
    ]


def at(name, experiment, number=1, *further):
    return reverse(name, args=[experiment.pk, number, *further])


def test_runs_with_equal_conditions_are_repeats_however_they_were_typed(experiment, runs):
    kept = list(experiment.runs.kept().prefetch_related("condition_values"))
    assert [[run.number for run in group] for group in repeats.groups(kept)] == [[1, 3], [2], [4]]
    repeats.mark(kept)
    assert [run.repeat_of and run.repeat_of.number for run in kept] == [None, None, 1, None]


def test_the_list_can_put_repeats_together(as_ada, experiment, runs):
    url = reverse("run-list", args=[experiment.pk])
    assert "repeat of 1" in as_ada.get(url).text
    assert "2 repeats" in as_ada.get(url, {"group": "on"}).text
    assert "2 repeats" in as_ada.get(url).text  # it stays so
    assert "2 repeats" not in as_ada.get(url, {"group": "off"}).text


def test_conditions_are_changed_afterwards_and_wrong_ones_lose_nothing(as_ada, experiment, runs):
    pump, drain = experiment.conditions.all()
    url = at("describe-run", experiment, 2)
    typed = {f"condition-{pump.pk}": "0.1 kg", f"condition-{drain.pk}": "half", "name": "wind"}
    refused = as_ada.post(url, typed)
    assert refused.status_code == 422
    assert "kg cannot be expressed in mL/s" in refused.text
    assert 'value="0.1 kg"' in refused.text and 'value="wind"' in refused.text
    assert runs[1].condition_values.get(condition=pump).text == "70"
    kept = as_ada.post(url, typed | {f"condition-{pump.pk}": "0.05 ± 0.001 L/s"})
    assert "rail-changed" in kept.headers["HX-Trigger"]
    held = runs[1].condition_values.get(condition=pump)
    assert (held.text, held.value, held.u) == ("50 ± 1", 50.0, 1.0)
    run = Run.objects.get(pk=runs[1].pk)
    assert run.label == "wind · pump 50 ± 1 mL/s · drain half"
    name = as_ada.get(at("run-file", experiment, 2, "csv")).headers["Content-Disposition"]
    assert "50" in name
    rail = as_ada.get(reverse("rail", args=[experiment.pk])).text
    assert "wind · pump\u00a050\u00a0±\u00a01\u00a0mL/s" in rail


def test_a_run_not_to_be_used_is_out_of_the_graphs_with_its_reason(as_ada, experiment, runs):
    url = at("unuse-run", experiment, 2)
    assert "Say why it is not to be used" in as_ada.post(url, {"reason": " "}).text
    as_ada.post(url, {"reason": "the hose slipped off"})
    sheet = sheet_flows.first_sheet(experiment)
    assert [one.run.number for one in shown_runs(sheet)] == [1, 3, 4]
    assert "not to be used" in as_ada.get(reverse("rail", args=[experiment.pk])).text
    facts = as_ada.get(at("run-facts", experiment, 2)).text
    assert "the hose slipped off" in facts
    assert (
        "Not to be used: the hose slipped off"
        in as_ada.get(at("run-file", experiment, 2, "csv")).text
    )
    as_ada.post(url, {"reason": ""})
    assert [one.run.number for one in shown_runs(sheet)] == [1, 2, 3, 4]


def test_runs_are_put_in_another_order_and_keep_their_numbers(as_ada, experiment, runs):
    as_ada.post(at("move-run", experiment, 3), {"by": "-1"})
    assert [run.number for run in experiment.runs.kept()] == [1, 3, 2, 4]
    as_ada.post(at("move-run", experiment, 1), {"by": "-1"})
    as_ada.post(at("move-run", experiment, 1), {"by": "1"})
    assert [run.number for run in experiment.runs.kept()] == [3, 1, 2, 4]
    assert making.run(experiment, making.ramp(20)).number == 5
    assert [run.number for run in experiment.runs.kept()] == [3, 1, 2, 4, 5]


def test_a_run_is_hidden_and_removed_from_the_list_and_brought_back(as_ada, experiment, runs):
    assert ">Show<" in as_ada.post(at("show-in-list", experiment)).text
    assert "It was removed." in as_ada.post(at("remove-run", experiment)).text
    listed = reverse("run-list", args=[experiment.pk])
    assert "Run 1 was removed." in as_ada.get(listed).text
    back = as_ada.post(at("restore-run", experiment))
    assert "run-list-changed" in back.headers["HX-Trigger"]
    assert "Run 1 was removed." not in as_ada.get(listed).text


def test_the_facts_tell_plan_instrument_and_who(as_ada, experiment, runs):
    stream = runs[0].streams.get()
    stream.lost, stream.drift_ppm = 12, 18.3
    stream.save()
    facts = " ".join(as_ada.get(at("run-facts", experiment)).text.split())
    assert "10 readings a second for 6 s" in facts
    assert "Level gauge LG-1 0007: 12 readings lost, 0 lines garbled" in facts
    assert "its clock runs 18 millionths fast" in facts
    assert "by Ada" in facts
    assert as_ada.get(at("run-facts", experiment, 99)).status_code == 404


def test_nobody_else_sees_or_changes_them(client, tern, experiment, runs):
    client.force_login(tern)
    assert client.get(at("run-facts", experiment)).status_code == 404
    assert client.get(at("replay", experiment)).status_code == 404
    for name in ("describe-run", "unuse-run", "move-run", "remove-run", "go-on", "show-in-list"):
        assert client.post(at(name, experiment)).status_code == 404
    for name in ("take-step", "add-condition", "add-entered", "press", "start", "stop"):
        assert client.post(reverse(name, args=[experiment.pk])).status_code == 404


def test_a_condition_is_added_with_its_kind_and_taken_away_unless_it_is_used(
    as_ada, experiment, runs
):
    url = reverse("add-condition", args=[experiment.pk])
    lens = {"new-name": "lens", "new-kind": "choice", "new-choices": "none, in front"}
    assert "in front" in as_ada.post(url, lens).text
    for typed, words in (
        (lens, "There is a condition “lens” already."),
        ({"new-name": ""}, "Give the condition a name"),
        (
            {"new-name": "lid", "new-kind": "choice", "new-choices": "on"},
            "Write what can be chosen",
        ),
        ({"new-name": "drop", "new-kind": "number", "new-unit": "ells"}, "“ells” is not a unit"),
        ({"new-name": "drop", "new-symbol": "h"}, "h stands for “water level” already."),
        ({"new-name": "drop", "new-symbol": "h!"}, "“h!” is no symbol."),
    ):
        answer = as_ada.post(url, typed)
        assert answer.status_code == 422
        assert words in answer.text
    drop = Condition.objects.get(name="lens")
    gone = as_ada.post(reverse("drop-condition", args=[experiment.pk, drop.pk]))
    assert gone.status_code == 200
    assert not Condition.objects.filter(name="lens").exists()
    pump = experiment.conditions.get(name="pump")
    kept = as_ada.post(reverse("drop-condition", args=[experiment.pk, pump.pk]))
    assert "“pump” has a value in run 1, 2, 3. Empty it there first." in kept.text


def test_a_typed_setting_is_added_and_taken_away_unless_it_is_used(as_ada, experiment, runs):
    url = reverse("add-entered", args=[experiment.pk])
    typed = {
        "plan": "stepwise", "typed-name": "distance", "typed-symbol": "d", "typed-unit": "m",
        "typed-decimals": "3",
    }  # fmt: skip
    assert "distance / m" in as_ada.post(url, typed).text
    for wrong, words in (
        ({}, "d stands for “distance” already"),
        ({"typed-symbol": ""}, "Give it a symbol"),
        ({"typed-symbol": "x", "typed-decimals": "many"}, "Decimals are a whole number"),
        ({"typed-symbol": "x", "typed-unit": "ells"}, "“ells” is not a unit"),
        ({"typed-symbol": "x", "typed-name": ""}, "a name of up to 60"),
    ):
        assert words in as_ada.post(url, typed | wrong).text
    (made,) = experiment.entered
    as_ada.post(reverse("drop-entered", args=[experiment.pk, made.pk]))
    assert not experiment.entered.exists()


def test_what_a_run_holds_is_checked_before_anything_is_kept(experiment, runs):
    pump = experiment.conditions.get(name="pump")
    with pytest.raises(ConditionError):
        flows.hold_conditions(runs[0], {pump.pk: "much"})
    assert runs[0].condition_values.get(condition=pump).text == "40"
