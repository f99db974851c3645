import pytest

from galena.core.errors import PlanError
from galena.core.plans import Limit, SteadyPlan, steady


def test_a_plan_is_made_of_what_was_typed():
    plan = steady("20", "2,5")
    assert (plan.rate, plan.duration, plan.readings) == (20, 2.5, 50)


@pytest.mark.parametrize(
    ("rate", "duration", "field", "words"),
    [
        ("abc", "60", "rate", "Readings a second: “abc” is not a number. Type digits"),
        ("20", "", "duration", "Duration: it is empty. Type digits, for example 60."),
        ("0", "60", "rate", "0 readings a second is too slow"),
        ("-5", "60", "rate", "−5 readings a second is too slow"),
        ("20", "0", "duration", "A run of 0 s cannot be recorded"),
        ("20", "1e9", "duration", "up to 7 days"),
        (
            "1",
            "0.1",
            "duration",
            "no reading would be taken at 1 a second. Record for at least 1 s",
        ),
        ("10000", "604800", "duration", "more than one run can hold"),
    ],
)
def test_a_plan_that_no_run_can_follow_is_explained(rate, duration, field, words):
    with pytest.raises(PlanError) as refused:
        steady(rate, duration)
    assert refused.value.field == field
    assert words in str(refused.value)


def test_a_rate_beyond_the_channel_names_its_maximum():
    with pytest.raises(PlanError, match="water level gives at most 1000 readings a second; 2000"):
        SteadyPlan(2000, 1).check([Limit("air", 5000), Limit("water level", 1000)])
    SteadyPlan(1000, 1).check([Limit("water level", 1000)])
