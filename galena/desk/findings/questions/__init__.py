"""What can be asked, each question stated once."""

from collections.abc import Mapping
from types import MappingProxyType

from galena.core.fits import MODELS
from galena.desk.findings.questions.answer import Answer, Asked, Estimate, Question
from galena.desk.findings.questions.built import BUILT
from galena.desk.findings.questions.fitted import FITTED, TYPED
from galena.desk.findings.questions.place import PLACE
from galena.desk.findings.questions.stretch import STRETCH

QUESTIONS: Mapping[str, Question] = MappingProxyType(
    {one.key: one for one in (*STRETCH, *FITTED, *PLACE, *BUILT)}
)
AT_HAND = ("mean", "spread", "area", "line")  # what a card offers first
FITS = (*MODELS, TYPED)

__all__ = ["AT_HAND", "FITS", "QUESTIONS", "TYPED", "Answer", "Asked", "Estimate", "Question"]
