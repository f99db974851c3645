"""What can be asked, each question stated once."""

from collections.abc import Mapping
from types import MappingProxyType

from galena.core.fits import MODELS
from galena.desk.questions.answer import Answer, Asked, Estimate, Question
from galena.desk.questions.built import BUILT
from galena.desk.questions.fitted import FITTED, TYPED
from galena.desk.questions.place import PLACE
from galena.desk.questions.stretch import STRETCH

QUESTIONS: Mapping[str, Question] = MappingProxyType(
    {one.key: one for one in (*STRETCH, *FITTED, *PLACE, *BUILT)}
)
AT_HAND = ("mean", "spread", "area", "line")  # what a card offers first
FITS = (*MODELS, TYPED)

__all__ = ["AT_HAND", "FITS", "QUESTIONS", "TYPED", "Answer", "Asked", "Estimate", "Question"]
