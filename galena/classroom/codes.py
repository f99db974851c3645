"""Codes of lessons and words of groups: short, easy to say, and not to be mistaken.

No letter stands beside a digit that looks like it; what is typed is read with any spaces, in
capitals or not.
"""

import hashlib
import hmac
import secrets
from pathlib import Path

LETTERS, DIGITS = "ACDEFHJKMNPRTUVWXY", "34679"
WORDS = tuple(Path(__file__).with_name("code_words.txt").read_text().split())
CONSONANTS, VOWELS = "BDFGKLMNPRTV", "AEIOU"
_NOT_SAID = frozenset(("DODO", "DUDE", "KIKE", "NAZI", "PUTA", "BOBO", "FATU"))


def new_code() -> str:
    """Draw a code such as K7 MOLE."""
    return f"{secrets.choice(LETTERS)}{secrets.choice(DIGITS)} {secrets.choice(WORDS)}"


def read_code(typed: str) -> str:
    """Give what was typed as codes are kept; an empty text where it can be none."""
    signs = "".join(one for one in typed.upper() if one.isascii() and one.isalnum())
    return f"{signs[:2]} {signs[2:]}" if len(signs) == 6 else ""


def word_of(key: bytes, seed: str) -> str:
    """Give the word of four letters that follows from a key and a seed.

    It is drawn by HMAC-SHA-256 (RFC 2104) until it is one that is said aloud in a class.
    """
    for turn in range(100):
        drawn = hmac.digest(key, f"{seed}:{turn}".encode(), hashlib.sha256)
        kinds = (CONSONANTS, VOWELS, CONSONANTS, VOWELS)
        places = zip(kinds, drawn[::2], drawn[1::2], strict=False)
        word = "".join(kind[(256 * high + low) % len(kind)] for kind, high, low in places)
        if word[:2] != word[2:] and word not in _NOT_SAID:
            return word
    raise AssertionError("a hundred draws give a word")


def read_word(typed: str) -> str:
    """Give what was typed as words are said."""
    return "".join(typed.upper().split())[:12]
