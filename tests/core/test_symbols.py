import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.core.symbols import parts, pieces, renamed


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("E_0 = 5 lx", [("symbol", "E"), ("sub", "0"), ("", " = 5 lx")]),
        ("32 lx·m^2", [("", "32 lx·m"), ("sup", "2")]),
        ("5 s^-1", [("", "5 s"), ("sup", "\u22121")]),
        ("1/d^2", [("", "1/d"), ("sup", "2")]),
        ("a lamp, I think", [("", "a lamp, I think")]),
        ("where v rises", [("", "where "), ("symbol", "v"), ("", " rises")]),
        ("file_name", [("", "file_name")]),
        ("1/2 ρ", [("", "1/2 "), ("symbol", "ρ")]),
        ("", []),
    ],
)
def test_words_are_cut_into_what_is_typeset(text, expected):
    assert pieces(text) == expected


@given(st.text(max_size=80))
def test_no_letter_is_lost(text):
    kept = "".join(part for _, part in pieces(text)).replace("\u2212", "-")
    plain = text.replace("\u2212", "-")
    assert [c for c in plain if c not in "_^"] == [c for c in kept if c not in "_^"]


@pytest.mark.parametrize(("symbol", "cut"), [
    ("E_kin", [("symbol", "E"), ("sub", "kin")]),
    ("d⁻²", [("symbol", "d"), ("", "⁻²")]),
    ("ln(E/lx)", [("", "ln"), ("", "("), ("symbol", "E"), ("", "/lx"), ("", ")")]),
    ("1/d²", [("", "1/"), ("symbol", "d"), ("", "²")]),
    ("pH", [("", "pH")]),
])  # fmt: skip
def test_a_symbol_is_cut_into_what_is_typeset_alike(symbol, cut):
    assert parts(symbol) == cut
    assert "".join(text if kind != "sub" else f"_{text}" for kind, text in cut) == symbol


def test_a_symbol_that_is_written_with_another_is_renamed_with_it():
    assert renamed("d⁻²", "d", "r_1") == "r_1⁻²"
    assert renamed("ln(E/lx)", "E", "I") == "ln(I/lx)"
    assert renamed("ln(E_kin/J)", "E", "I") == "ln(E_kin/J)"
