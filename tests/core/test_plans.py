import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.core.errors import PlanError
from galena.core.plans import (
    MOST_READINGS,
    ArmedPlan,
    Limit,
    SteadyPlan,
    StepwisePlan,
    check,
    duration_in_words,
    parse_average,
    parse_before,
    parse_duration,
    parse_level,
    parse_rate,
    rate_in_words,
    steady,
)
from galena.core.trigger import Level


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
        check(SteadyPlan(2000, 1), [Limit("air", 5000), Limit("water level", 1000)])
    check(SteadyPlan(1000, 1), [Limit("water level", 1000)])


@pytest.mark.parametrize(
    ("text", "rate"),
    [("20", 20), ("20/s", 20), (" 6 / min ", 0.1), ("1/h", 1 / 3600), ("10 kHz", 10_000),
     ("2 min", 1 / 120), ("every 2 min", 1 / 120), ("0,5 s", 2), ("1e3", 1000), ("250 ms", 4),
     ("10 000", 10_000), ("1 h", 1 / 3600)],
)  # fmt: skip
def test_a_rate_is_typed_as_a_rate_or_as_an_interval(text, rate):
    assert parse_rate(text) == pytest.approx(rate)


@pytest.mark.parametrize(
    ("text", "seconds"), [("60", 60), ("60 s", 60), ("5 min", 300), ("1.5 h", 5400), ("1 d", 86400)]
)
def test_a_duration_is_typed_in_any_unit_of_time(text, seconds):
    assert parse_duration(text) == pytest.approx(seconds)


@pytest.mark.parametrize(
    ("rate", "duration", "words"),
    [
        ("20 kg", "60", "“kg” is neither a time nor a frequency"),
        ("20/kHz", "60", "“kHz” is neither a time nor a frequency"),
        ("20/", "60", "“” is neither a time nor a frequency"),
        ("0 s", "60", "An interval is longer than nothing"),
        ("every now and then", "60", "is not a number"),
        ("20", "5 lx", "“5 lx” is no duration"),
        ("20", "5/s", "“5/s” is no duration"),
        ("1 h", "20 min", "In 1200 s no reading would be taken"),
    ],
)
def test_what_is_no_rate_or_duration_is_explained(rate, duration, words):
    with pytest.raises(PlanError, match=words):
        steady(rate, duration)


@pytest.mark.parametrize(
    ("rate", "words"),
    [(20, "20 readings a second"), (1, "one reading a second"), (0.25, "a reading every 4 s"),
     (1 / 120, "a reading every 2 min"), (1 / 3600, "a reading every 60 min")],
)  # fmt: skip
def test_a_rate_is_said_in_words(rate, words):
    assert rate_in_words(rate) == words


@given(st.floats(0.01, 600_000))
def test_what_is_said_of_a_time_is_read_back(seconds):
    assert parse_duration(duration_in_words(seconds)) == pytest.approx(seconds, rel=1e-5)
    assert parse_rate(duration_in_words(seconds)) == pytest.approx(1 / seconds, rel=1e-5)


def test_a_plan_without_a_duration_goes_on_until_it_is_stopped():
    assert steady("20", None).duration is None
    assert steady("20", None).readings == MOST_READINGS


def test_an_armed_plan_counts_the_readings_from_before():
    plan = ArmedPlan(10_000, 0.06, 0.01, Level(-0.1, "falling"))
    assert plan.readings == 700
    plan.check_level("coil voltage", -5, 5, "V")


@pytest.mark.parametrize(
    ("field", "make", "words"),
    [
        ("before", lambda: ArmedPlan(10, 1, 601), "601 s from before the event cannot be kept"),
        ("before", lambda: ArmedPlan(10, 1, -1), "−1 s from before the event cannot be kept"),
        ("duration", lambda: ArmedPlan(10, 0, 1), "A run of 0 s cannot be recorded"),
        ("before", lambda: parse_before("10 m", 100), "“10 m” is no time"),
        ("before", lambda: parse_before("soon", 100), "From before: “soon” is not a number"),
        ("average", lambda: StepwisePlan(0), "A mean of 0 s cannot be taken"),
        ("average", lambda: parse_average("1 V"), "“1 V” is no time. Write for example 1 s"),
        ("level", lambda: parse_level(""), "The level: it is empty"),
        (
            "level",
            lambda: ArmedPlan(10, 1, 0, Level(7)).check_level("coil voltage", -5, 5, "V"),
            "coil voltage reads from −5 to 5 V and would never pass 7 V. Choose a level in between",
        ),
    ],
)
def test_what_no_armed_or_stepwise_plan_can_have_is_said(field, make, words):
    with pytest.raises(PlanError) as refused:
        make()
    assert refused.value.field == field
    assert words in str(refused.value)


@pytest.mark.parametrize(
    ("typed", "seconds"),
    [("10 ms", 0.01), ("0.010", 0.01), ("100 readings", 0.01), ("1 reading", 1e-4), ("", 0.0)],
)
def test_what_is_kept_from_before_is_a_time_or_a_count(typed, seconds):
    assert parse_before(typed, 10_000) == pytest.approx(seconds)
