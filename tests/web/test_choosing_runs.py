"""Many runs: the rail folds, and the chooser sorts and narrows down by conditions."""

import re

import pytest
from django.urls import reverse

from galena.experiments import flows
from galena.experiments.choosing import MOST_CHIPS, choice
from galena.experiments.models import Condition
from tests import making

PUMPS = ["40", "20", "100", "20", "", "60", "20.0", "80", "40", "60", "100", "80"]


@pytest.fixture
def many(ada):
    """Twelve runs, with pump settings that are numbers and words for the drain."""
    experiment = flows.create(ada, "Tide tank", [("pump", "mL/s"), ("drain", "")])
    for place, pump in enumerate(PUMPS):
        drain = "open" if place % 3 else "shut"
        making.run(experiment, [1.0, 2.0], conditions=[pump, drain])
    return experiment


def chooser(client, experiment, **fields):
    return client.get(reverse("choose-runs", args=[experiment.pk]), fields).text


def choose(client, experiment, **fields):
    return client.post(reverse("choose-runs", args=[experiment.pk]), fields)


def numbers(text):
    return [int(one) for one in re.findall(r'id="choose-(\d+)"', text)]


def runs_of(experiment):
    return list(experiment.runs.prefetch_related("condition_values__condition"))


def test_the_rail_folds_when_there_are_many_runs(as_ada, many):
    rail = as_ada.get(reverse("rail", args=[many.pk])).text
    assert "12 runs, 12 shown" in rail and len(PUMPS) > MOST_CHIPS
    many.runs.exclude(number__in=[3, 7]).update(shown=False)
    rail = as_ada.get(reverse("rail", args=[many.pk])).text
    assert "12 runs, 2 shown" in rail and rail.count('class="chip ') == 2
    many.runs.filter(number__gt=MOST_CHIPS).delete()
    rail = as_ada.get(reverse("rail", args=[many.pk])).text
    assert "shown" not in rail.split("<ul")[0] and rail.count('class="chip ') == MOST_CHIPS


def test_runs_are_sorted_by_the_size_of_a_condition(as_ada, many):
    pump = str(many.conditions.get(name="pump").pk)
    text = chooser(as_ada, many, by=pump, sort="number")
    assert numbers(text) == [2, 4, 7, 1, 9, 6, 10, 8, 12, 3, 11, 5]
    assert 'aria-sort="ascending"' in text
    down = chooser(as_ada, many, by=pump, sort=pump)
    assert numbers(down) == [3, 11, 8, 12, 6, 10, 1, 9, 2, 4, 7, 5]
    assert numbers(chooser(as_ada, many, by=pump, sort=pump, down="1"))[:3] == [2, 4, 7]
    assert numbers(chooser(as_ada, many, by="number", sort="number")) == list(range(12, 0, -1))


def test_equal_values_are_narrowed_down_to_however_they_were_typed(as_ada, many):
    pump, drain = many.conditions.all()
    found = choice(runs_of(many), {})
    key = next(key for key, text in found.columns[0].values if text == "20")
    text = chooser(as_ada, many, **{f"wanted-{pump.pk}": key})
    assert numbers(text) == [2, 4, 7] and "Show only these 3" in text
    both = {f"wanted-{pump.pk}": key, f"wanted-{drain.pk}": "shut"}
    assert numbers(chooser(as_ada, many, **both)) == [4, 7]
    gone = chooser(as_ada, many, **{f"wanted-{pump.pk}": "12345"})
    assert numbers(gone) == list(range(1, 13))


def test_what_is_left_is_shown_alone_added_or_hidden(as_ada, many):
    def shown():
        return list(
            many.runs.filter(shown=True).order_by("number").values_list("number", flat=True)
        )

    answered = choose(as_ada, many, act="only", number=[2, 4, 7])
    assert shown() == [2, 4, 7] and answered["HX-Trigger-After-Settle"] == "rail-changed"
    choose(as_ada, many, act="show", number=[1])
    choose(as_ada, many, act="hide", number=[4])
    assert shown() == [1, 2, 7]
    assert "12 runs, 3 shown" in choose(as_ada, many, act="hide", number=[99]).text


def test_a_column_that_no_run_has_does_not_stand_there(many):
    Condition.objects.create(experiment=many, name="lid")
    assert [one.condition.name for one in choice(runs_of(many), {}).columns] == ["pump", "drain"]


def test_strangers_choose_nothing(client, tern, many):
    client.force_login(tern)
    assert client.get(reverse("choose-runs", args=[many.pk])).status_code == 404
    assert choose(client, many, act="hide", number=[1]).status_code == 404
    assert many.runs.filter(shown=True).count() == 12
