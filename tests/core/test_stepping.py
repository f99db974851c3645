import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.core.errors import NumberError
from galena.core.stepping import as_typed, next_setting
from galena.core.symbols import plain


@pytest.mark.parametrize(
    ("texts", "suggested"),
    [
        ([], ""),
        (["0.200"], ""),
        (["0.200", "0.250"], "0.300"),
        (["0.1", "0.2", "0.4"], "0.6"),
        (["5", "3"], "1"),
        (["1", "0"], "−1"),
        (["0.5", "0.5"], ""),
        (["0.20", "0,25"], "0.30"),
    ],
)
def test_the_next_setting_goes_on_by_the_last_step(texts, suggested):
    assert next_setting(texts) == suggested


@given(st.lists(st.decimals(-1000, 1000, places=3).map(str), min_size=2, max_size=4))
def test_a_suggested_setting_can_be_typed_and_is_one_step_on(texts):
    suggested = next_setting(texts)
    if suggested:
        before, last = float(texts[-2]), float(texts[-1])
        assert as_typed(suggested, 3, "d")[0] == pytest.approx(2 * last - before)


def test_a_setting_keeps_its_digits_and_has_at_least_its_decimals():
    assert as_typed("0.5", 3, "distance") == (0.5, "0.500")
    assert as_typed("0,12345", 3, "distance") == (0.12345, "0.12345")
    with pytest.raises(NumberError, match="distance: it is empty. Type digits, for example 0.500"):
        as_typed(" ", 3, "distance")
    with pytest.raises(NumberError, match="distance: “near” is not a number"):
        as_typed("near", 3, "distance")


def test_a_running_number_becomes_a_subscript_in_plain_text():
    assert [plain(one) for one in ("T_1", "E", "U_max", "p_12")] == ["T₁", "E", "U_max", "p₁₂"]
