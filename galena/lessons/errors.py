from galena.core.errors import GalenaError


class LessonError(GalenaError, ValueError):
    """Something cannot be done in a lesson; `field` names what was typed wrong, if that is so."""

    def __init__(self, words: str, field: str = "") -> None:
        super().__init__(words)
        self.field = field
