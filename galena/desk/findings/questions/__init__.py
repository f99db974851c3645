"""What can be asked, each question stated once."""

from collections.abc import Mapping
from types import MappingProxyType

from galena.core.fits import MODELS
from galena.desk.findings.questions.answer import Answer, Estimate, Subject
from galena.desk.findings.questions.built import BUILT
from galena.desk.findings.questions.fitted import TYPED
from galena.desk.findings.questions.models import FITTED
from galena.desk.findings.questions.place import PLACE
from galena.desk.findings.questions.question import Question
from galena.desk.findings.questions.stretch import STRETCH

_questions = {one.key: one for one in (*STRETCH, *FITTED, *PLACE, *BUILT)}
QUESTIONS: Mapping[str, Question] = MappingProxyType(_questions)
AT_HAND = ("mean", "spread", "change", "area", "line")  # what a card offers first
FITS = (*MODELS, TYPED)


def register(*questions: Question) -> None:
    """Have further questions."""
    for question in questions:
        _questions[question.key] = question


__all__ = [
    "AT_HAND",
    "FITS",
    "QUESTIONS",
    "TYPED",
    "Answer",
    "Estimate",
    "Question",
    "Subject",
    "register",
]  # fmt: skip
