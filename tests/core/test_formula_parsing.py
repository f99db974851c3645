import time

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from galena.core.errors import FormulaError
from galena.core.formula import compile
from galena.core.formula.parsing import DEEPEST, parse, rename, same_symbol
from galena.core.formula.syntax import Node, Number, names
from galena.core.formula.typesetting import mathml

SYMBOLS = {"x": "m", "y": "m", "t": "s", "v": "m/s", "m": "kg", "T_1": "°C", "n": ""}


@pytest.mark.parametrize(
    ("text", "number", "unit"),
    [
        ("7 deg", "7", "deg"),
        ("0.25 kg", "0.25", "kg"),
        ("9.81 m/s^2", "9.81", "m/s^2"),
        ("9.81 m s^-2", "9.81", "m s^-2"),
        ("5 N·m", "5", "N·m"),
        ("8.314 J/(mol K)", "8.314", "J/(mol K)"),
        ("3 µS/cm", "3", "µS/cm"),
        ("20 °C", "20", "°C"),
        ("1.6e-19 C", "1.6e-19", "C"),
        ("2 eV", "2", "eV"),
        ("5 %", "5", "%"),
        ("2 m²", "2", "m²"),
        ("1.5e3", "1.5e3", ""),
    ],
)
def test_a_number_with_its_unit_is_one_quantity(text, number, unit):
    found = parse(text)
    assert isinstance(found, Number)
    assert (found.text, found.unit) == (number, unit)


@pytest.mark.parametrize(
    ("text", "values", "expected"),
    [
        ("-x^2", {"x": 3.0}, -9.0),
        ("2^-3", {}, 0.125),
        ("2^3^2", {}, 512.0),
        ("8 - 4 - 2", {}, 2.0),
        ("16/4/2", {}, 2.0),
        ("x²·2", {"x": 3.0}, 18.0),
        ("x⁻¹", {"x": 4.0}, 0.25),
        ("√(x*x)", {"x": 5.0}, 5.0),
        ("3 × 4 ÷ 2 − 1", {}, 5.0),
        ("+5", {}, 5.0),
        ("2 m*3", {}, 6.0),
        ("((x))", {"x": 1.5}, 1.5),
    ],
)
def test_signs_bind_as_in_a_textbook(text, values, expected):
    assert compile(text, {"x": "m"}).evaluate(values).values == pytest.approx(expected)


@pytest.mark.parametrize(
    ("text", "said", "place"),
    [
        ("", "There is no formula yet", ""),
        ("0,5*x", "Decimals are written with a point, 0.5", ","),
        ("2 foo", "“foo” is not a unit that Galena knows. For the number times a symbol", "foo"),
        ("x y", "There is no sign between “x” and “y”. To multiply write x*y", "y"),
        ("2(x+1)", "no sign between “2” and “(”. To multiply write 2*(", "("),
        ("(x+1", "This bracket is never closed", "("),
        ("((x)", "This bracket is never closed", "("),
        ("x)", "This bracket closes nothing", ")"),
        ("x+", "The formula stops after “+”", "+"),
        ("*x", "A formula does not begin with “*”", "*"),
        ("x**2", "For a power write ^", "*"),
        ("x+*y", "Between “+” and “*” a symbol or a number is missing", "*"),
        ("y = x", "Type only what stands to the right of the sign =", "="),
        ("x $ y", "“$” has no meaning in a formula", "$"),
        ("rate(x,)", "Between “,” and “)” a symbol or a number is missing", ")"),
        ("x y z)", "This bracket closes nothing", ")"),
        ("sin x", "no sign between “sin” and “x”", "x"),
        ("1e999", "too large to be counted with", "1e999"),
    ],
)
def test_what_cannot_be_read_is_explained_with_its_place(text, said, place):
    with pytest.raises(FormulaError) as refused:
        compile(text, SYMBOLS)
    assert said in str(refused.value)
    assert text[refused.value.start : refused.value.end] == place


@pytest.mark.parametrize("text", ["(" * 10_000 + "x" + ")" * 10_000, "(" * 300 + "x" + ")" * 300,
                                  "-" * 400 + "x", "x" + "^x" * 400, "x" + "+x" * 600])  # fmt: skip
def test_too_long_and_too_deep_formulas_are_refused_at_once(text):
    with pytest.raises(FormulaError, match="Work it out in two steps") as refused:
        compile(text, SYMBOLS)
    assert 0 <= refused.value.start < refused.value.end <= len(text)


def test_a_formula_may_be_as_deep_as_it_says():
    assert parse("(" * DEEPEST + "x" + ")" * DEEPEST)


LETTERS = st.text(alphabet="xyvmTtn_1205.,+-*/^()·²√°π=$ \t\nsirateln éΩ", max_size=40)


@settings(max_examples=60)
@given(st.one_of(LETTERS, st.text(max_size=60)))
def test_any_text_is_a_formula_or_is_refused_with_a_place_inside_it(text):
    begun = time.thread_time()
    try:
        compile(text, SYMBOLS)
        mathml(text)
    except FormulaError as error:
        assert 0 <= error.start <= error.end <= len(text)
        assert str(error).strip()
    assert time.thread_time() - begun < 2  # far from a real limit: nothing grows without bound


def shape(node: Node) -> list[str]:
    return [name.symbol for name in names(node)]


def test_a_symbol_is_renamed_in_every_place_and_nowhere_else():
    text = "x + 2 m*x_1 - rate(x, t)/xx + T₁"
    assert rename(text, "x", "s_0") == "s_0 + 2 m*x_1 - rate(s_0, t)/xx + T₁"
    assert rename(text, "T_1", "T_2") == "x + 2 m*x_1 - rate(x, t)/xx + T_2"
    assert shape(parse(rename(text, "m", "M"))) == shape(parse(text))


@pytest.mark.parametrize(
    ("typed", "kept"), [("T₁", "T_1"), ("T_1", "T_1"), ("x", "x"), ("v_₀", "v_0"), ("Φ₁₂", "Φ_12")]
)
def test_running_numbers_below_the_line_are_kept_alike(typed, kept):
    assert same_symbol(typed) == kept
    assert names(parse(typed))[0].symbol == kept


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("x/y", "<mfrac><mrow>{x}</mrow><mrow>{y}</mrow></mfrac>"),
        ("(x+y)/2", "<mfrac><mrow>{x}<mo>+</mo>{y}</mrow><mrow><mn>2</mn></mrow></mfrac>"),
        ("v^2", "<msup><mrow>{v}</mrow><mrow><mn>2</mn></mrow></msup>"),
        ("(x+y)*m", "<mo>(</mo>{x}<mo>+</mo>{y}<mo>)</mo><mo>·</mo>{m}"),
        ("T_room", '<msub>{T}<mi mathvariant="normal">room</mi></msub>'),
        ("T_1", "<msub>{T}<mn>1</mn></msub>"),
        ("sqrt(x)", "<msqrt>{x}</msqrt>"),
        ("rate(y, t)", '<mfrac><mrow><mi mathvariant="normal">d</mi>{y}</mrow>'),
        ("9.81 m/s^2", '<mn>9.81</mn><mspace width="0.2em"/><mi mathvariant="normal">m/s²</mi>'),
        ("2e-3*x", "<msup><mn>10</mn><mn>\u22123</mn></msup>"),
        ("mean(x)", "<mover><mrow>{x}</mrow><mo>¯</mo></mover>"),
        ("ln(x/1 m)", "<mi>ln</mi><mo>(</mo><mfrac>"),
        ("(x-y)^2", "<mo>(</mo>{x}<mo>\u2212</mo>{y}<mo>)</mo></mrow><mrow><mn>2</mn>"),
        ("x-(y-t)", "{x}<mo>\u2212</mo><mo>(</mo>{y}"),
        ("abs(x)", "<mo>|</mo>{x}<mo>|</mo>"),
        ("exp(x/y)", '<msup><mi mathvariant="normal">e</mi><mrow>{x}<mo>/</mo>{y}</mrow>'),
        ("area(y, x)", '<mo>∫</mo>{y}<mspace width="0.2em"/><mi mathvariant="normal">d</mi>{x}'),
        ("2*π", '<mi mathvariant="normal">π</mi>'),
        ("rate(x, t)^2", "<msup><mrow><mo>(</mo><mfrac>"),
        ("(rate(x, t))^2", "<msup><mrow><mo>(</mo><mfrac>"),
        ("exp(x)^2", '<msup><mrow><mo>(</mo><msup><mi mathvariant="normal">e</mi>'),
        ("area(y, x)*2", "<mo>(</mo><mo>∫</mo>"),
        ("sqrt(x)^2", "<msup><mrow><msqrt>"),
        ("x-(-3 m)", "<mo>−</mo><mo>(</mo><mo>−</mo><mn>3</mn>"),
    ],
)
def test_formulas_are_typeset_as_in_a_textbook(text, expected):
    letters = {one: f'<mi class="symbol" mathvariant="normal">{one}</mi>' for one in "xyvmTt"}
    assert expected.format(**letters) in mathml(text)


def test_what_is_typeset_cannot_bring_in_markup():
    with pytest.raises(FormulaError):
        mathml("<script>alert(1)</script>")
    assert mathml("x", "P").startswith(
        '<math display="inline"><mrow><mi class="symbol" mathvariant="normal">P</mi><mo>=</mo>'
    )
