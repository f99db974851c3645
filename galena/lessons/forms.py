"""What is typed into the forms of lessons."""

from django import forms
from django.http import QueryDict

from galena.core import conditions
from galena.core.errors import ConditionError, UnitError
from galena.core.symbols import is_symbol
from galena.core.units import parse
from galena.desk.findings.questions import QUESTIONS
from galena.lessons.errors import LessonError
from galena.lessons.everyone import NAMED, TYPED
from galena.lessons.flows import MOST_STEPS, described_of

LONGEST_WORDS = 120
SPAN_LETTERS = 4


class JoinForm(forms.Form):
    """What lets a group in; what is wrong is said by coming in itself."""

    code = forms.CharField(required=False, max_length=200)
    name = forms.CharField(required=False, max_length=1000)
    word = forms.CharField(required=False, max_length=200)


def read_lesson(posted: QueryDict) -> dict:
    """Read a lesson's title, task, steps and what copies start with. Raises LessonError."""
    steps = zip(
        posted.getlist("step-page")[: 2 * MOST_STEPS],
        posted.getlist("step-text")[: 2 * MOST_STEPS],
        posted.getlist("step-done")[: 2 * MOST_STEPS],
        strict=False,
    )
    return described_of(
        posted.get("title", ""), posted.get("text", ""), list(steps),
        posted.getlist("starts-with"),
    )  # fmt: skip


def read_question(posted: QueryDict) -> dict:
    """Read a question to all groups. Raises LessonError, which names the field."""
    kind = posted.get("kind", "")
    words = " ".join(posted.get("words", "").split())[:LONGEST_WORDS]
    symbol = posted.get("symbol", "").strip()
    unit = _unit(posted.get("unit", ""))
    if kind == TYPED:
        if not words:
            raise LessonError("Say what the groups are to type.", "words")
        if symbol and not is_symbol(symbol[:20]):
            raise LessonError(f"“{symbol[:20]}” is no symbol. Begin with a letter.", "symbol")
        return {"kind": TYPED, "words": words, "symbol": symbol[:20], "unit": unit, "details": {}}
    if kind == NAMED:
        if not is_symbol(symbol[:20]):
            raise LessonError("Type the symbol that the finding has in the copies.", "symbol")
        return {"kind": NAMED, "words": words or f"finding {symbol}"[:LONGEST_WORDS],
                "symbol": symbol[:20], "unit": unit, "details": {}}  # fmt: skip
    return _asked_of_span(posted, words, unit)


def _asked_of_span(posted: QueryDict, words: str, unit: str) -> dict:
    kind = posted.get("kind", "")
    question = QUESTIONS.get(kind)
    if question is None or question.of != "span" or question.answer is None:
        raise LessonError("Choose what is asked.", "kind")
    span = posted.get("span", "").strip().upper()
    if not (span.isascii() and span.isalpha() and len(span) <= SPAN_LETTERS):
        raise LessonError("Type the letter of the span, for example A.", "span")
    quantity = posted.get("quantity", "").strip()[:20]
    number = posted.get("number", "").strip()[:40]
    details = {"span": span, "quantity": quantity, "number": number}
    name = number or question.ask
    return {
        "kind": kind, "words": words or f"{name} of {span}"[:LONGEST_WORDS], "symbol": "",
        "unit": unit, "details": details,
    }  # fmt: skip


def _unit(typed: str) -> str:
    text = typed.strip()[:60]
    try:
        return str(parse(text)) if text else ""
    except UnitError as error:
        raise LessonError(str(error), "unit") from error


def read_answer(typed: str, words: str, unit: str) -> tuple[str, float, float | None]:
    """Read a number as a group types it: 2.01, 2.01 ± 0.03 mm/s. Raises LessonError."""
    try:
        held = conditions.hold(typed, words, "number", unit)
    except ConditionError as error:
        raise LessonError(str(error)) from error
    if held.value is None:
        raise LessonError("Type a number first, for example 2.01 ± 0.03.")
    return held.text, held.value, held.u
