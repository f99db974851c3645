"""What an experiment cannot take.

ExperimentError    a change of it; `field` names what was typed wrong
CannotType         a typed value that is no number; `quantity` is the key of its quantity
"""

from galena.core.errors import GalenaError


class ExperimentError(GalenaError, ValueError):
    """A change that an experiment cannot take; `field` names what was typed wrong."""

    def __init__(self, field: str, message: str) -> None:
        self.field = field
        super().__init__(message)


class CannotType(GalenaError, ValueError):  # noqa: N818
    """A typed value cannot be taken."""

    def __init__(self, quantity: int | None, message: str) -> None:
        self.quantity = quantity
        super().__init__(message)
