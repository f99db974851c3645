"""Texts that are nearly what is meant: made of the pieces that the real ones are made of."""

from hypothesis import strategies as st

from galena.core.formula import FUNCTIONS

SYMBOLS = ("h", "t", "T", "m", "n", "U_1")
UNITS = ("mm", "s", "°C", "g", "", "V")
NUMBERS = (
    "0",
    "1",
    "2.5",
    "1e300",
    "1e-300",
    "-3",
    ".5",
    "007",
    "1 000",
    "1,5",
    "9" * 40,
    "1e",
    "½",
)
SIGNS = (
    "+",
    "-",
    "*",
    "/",
    "^",
    "**",
    "(",
    ")",
    ",",
    " ",
    "[",
    "]",
    "=",
    "²",
    "·",
    "−",
    "_",
    ";",
    ".",
)

symbols = st.sampled_from((*SYMBOLS, "x", "a", "b", "k", "π", "e", "g_n", "q", ""))
numbers = st.sampled_from(NUMBERS) | st.floats().map(repr) | st.integers(-(10**20), 10**20).map(str)
unit_names = st.sampled_from(
    (*UNITS, "km", "m/s^2", "kg*m/s", "Ω", "µA", "%", "K", "1", "N m", "h", "rad", "Hz^-1", "m^99")
)


def formulas(leaves: st.SearchStrategy[str]) -> st.SearchStrategy[str]:
    """Give formulas that nest functions and signs over leaves, most of them readable."""
    names = st.sampled_from((*FUNCTIONS, "sin", "nothing"))

    def deeper(inner: st.SearchStrategy[str]) -> st.SearchStrategy[str]:
        signs = st.sampled_from("+-*/^")
        return st.one_of(
            st.tuples(inner, signs, inner).map("".join),
            inner.map("({})".format),
            st.tuples(names, inner).map(lambda pair: f"{pair[0]}({pair[1]})"),
            st.tuples(names, inner, inner).map(lambda three: f"{three[0]}({three[1]}, {three[2]})"),
            inner.map("-{}".format),
        )

    whole = st.recursive(leaves, deeper, max_leaves=12)
    return whole | heaps(st.one_of(leaves, names, st.sampled_from(SIGNS)))


def heaps(pieces: st.SearchStrategy[str], most: int = 25) -> st.SearchStrategy[str]:
    """Give pieces in any order."""
    return st.lists(pieces, max_size=most).map("".join)


quantities = numbers | symbols | st.tuples(numbers, unit_names).map(" ".join)
formulas_of_readings = formulas(quantities)
formulas_of_x = formulas(st.sampled_from(("x", "a", "b", "k", "c")) | numbers)
typed_numbers = heaps(
    numbers | unit_names | st.sampled_from((*SIGNS, "±", "(2)", "\u2009", "\t")), 8
)
typed_units = heaps(unit_names | st.sampled_from((*SIGNS, "2", "-1", "⁻¹", "per")), 8)

octets = st.binary(max_size=12)
data_lines = st.one_of(
    st.tuples(st.integers(-2, 2**60), st.integers(-2, 2**60), st.lists(numbers, max_size=4)).map(
        lambda parts: f"#{parts[0]},{parts[1]},{','.join(parts[2])}".encode()
    ),
    octets,
    st.sampled_from((b"OK", b"ERR no", b"#", b"#,,*00", b"*IDN?", b"[]", b"{}", b"\xff\xfe", b"")),
)
printed_lines = st.one_of(
    st.tuples(
        st.lists(
            st.tuples(st.sampled_from(("", "T:", "RH=", "a b ")), numbers, unit_names), max_size=5
        ),
        st.sampled_from((",", ";", "\t", " ", "; ")),
    ).map(lambda parts: parts[1].join("".join(field) for field in parts[0])),
    st.text(max_size=20),
)
answers = st.one_of(
    numbers,
    st.sampled_from(
        ("+1.250000E+00", "9.9E37", "-9.9E37", '"VOLT:DC"', '"CURR:AC"', "VOLT", '0,"No error"',
         '-113,"Undefined header"', "Skerry Works,Meter,1,2", "nan", "INF", "1.2.3", "1e99999", "")
    ),
    st.text(max_size=15),
)  # fmt: skip
