"""Two people write one text: what each wrote is in it, and no paragraph twice without need."""

from hypothesis import given
from hypothesis import strategies as st

from galena.core.merging import BETWEEN, merge

PARAGRAPHS = st.lists(
    st.sampled_from(["one", "two", "three", "four, at length", "five"]), max_size=6
)


def text(*paragraphs):
    return BETWEEN.join(paragraphs)


def test_what_only_one_changed_is_taken_from_them():
    base = text("what we did", "what we found", "how sure")
    mine = text("what we did, by Ada", "what we found", "how sure")
    theirs = text("what we did", "what we found", "how sure", "what next")
    merged = merge(base, mine, theirs)
    assert merged.text == text("what we did, by Ada", "what we found", "how sure", "what next")
    assert merged.both == 0


def test_what_both_changed_stands_twice():
    base = text("a", "b", "c")
    merged = merge(base, text("a", "b of Ada", "c"), text("a", "b of Tern", "c"))
    assert merged.text == text("a", "b of Ada", "b of Tern", "c")
    assert merged.both == 1


def test_what_one_took_away_is_gone_and_the_other_s_new_words_stay():
    merged = merge(text("a", "b", "c"), text("a", "c"), text("a", "b", "c", "d"))
    assert merged.text == text("a", "c", "d")
    merged = merge(text("a", "b", "c"), text("a", "c"), text("a", "b anew", "c"))
    assert "b anew" in merged.text


@given(PARAGRAPHS, PARAGRAPHS, PARAGRAPHS)
def test_no_paragraph_that_somebody_wrote_is_lost(base, mine, theirs):
    merged = merge(text(*base), text(*mine), text(*theirs)).text.split(BETWEEN)
    for written in (mine, theirs):
        for paragraph in set(written) - set(base):
            assert paragraph in merged


@given(PARAGRAPHS, PARAGRAPHS)
def test_one_who_writes_alone_gets_their_own_text(base, mine):
    assert merge(text(*base), text(*mine), text(*base)).text == text(*mine)
    assert merge(text(*base), text(*base), text(*mine)).text == text(*mine)
    assert merge(text(*base), text(*mine), text(*mine)).text == text(*mine)
