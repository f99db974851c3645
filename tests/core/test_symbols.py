import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.core.symbols import pieces


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
