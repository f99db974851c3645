"""What can be wrong with readings and what is asked of them.

GalenaError
├── NumberError        text that should be a number
├── UnitError          text that should be a unit, or units that do not fit
├── PlanError          a plan that no run can follow
├── ConditionError     a value that a condition cannot have
├── AxisError          limits that no axis can have
├── TableError         typed or pasted readings that cannot be read
├── SeriesError        stored readings that are damaged or do not fit together
├── CalibrationError   standards that no calibration can be made from, or a broken one
├── FormulaError       a formula that cannot be read, or whose units do not fit
├── TooFewReadings     a question that needs more readings than there are
├── FitError           a model that cannot be fitted to these readings
└── GeometryError      a scale, axes or a plane that no place can be told from

Each message says what could not be done, why, and what to do next; it is shown to a person
as it stands.
"""


class GalenaError(Exception):
    """The root of everything that Galena refuses with a sentence."""


class NumberError(GalenaError, ValueError):
    """A text is not a number."""

    def __init__(self, text: str, name: str, example: str, *, beyond: bool = False) -> None:
        self.text, self.name, self.beyond = text, name, beyond
        shown = text if len(text) <= 40 else text[:40] + "…"
        problem = f"“{shown}” is not a number" if shown else "it is empty"
        advice = f"Type digits, for example {example}."
        if beyond:
            problem, advice = f"“{shown}” is beyond all measuring", "Type numbers of up to 1e300."
        super().__init__(f"{name}: {problem}. {advice}")


class UnitError(GalenaError, ValueError):
    """A text is not a unit, or two units measure different things."""


class PlanError(GalenaError, ValueError):
    """No run can be recorded this way."""

    def __init__(self, field: str, message: str) -> None:
        self.field = field
        super().__init__(message)


class ConditionError(GalenaError, ValueError):
    """A condition cannot have this value."""

    def __init__(self, name: str, message: str) -> None:
        self.name = name
        super().__init__(message)


class AxisError(GalenaError, ValueError):
    """No axis can have these limits."""


class TableError(GalenaError, ValueError):
    """Typed or pasted readings cannot be read as a table."""


class SeriesError(GalenaError, ValueError):
    """Stored readings are damaged or do not fit together."""


class CalibrationError(GalenaError, ValueError):
    """Standards cannot carry a calibration, or a calibration is not whole."""


class FormulaError(GalenaError, ValueError):
    """A formula says nothing that could be worked out; `start` and `end` are where."""

    def __init__(self, message: str, start: int = 0, end: int = 0) -> None:
        self.start, self.end = start, end
        super().__init__(message)


class UnknownSymbolError(FormulaError):
    """A formula names a `symbol` that stands for nothing."""

    def __init__(self, message: str, start: int, end: int, symbol: str) -> None:
        self.symbol = symbol
        super().__init__(message, start, end)


class TooFewReadings(GalenaError, ValueError):  # noqa: N818 - reads as what it says
    """A question needs more readings than there are."""

    def __init__(self, what: str, needed: int, count: int) -> None:
        self.needed, self.count = needed, count
        have = {0: "there is none", 1: "there is only one"}.get(count, f"there are only {count}")
        need = "one reading" if needed == 1 else f"{needed} readings"
        super().__init__(f"{what} needs at least {need}; here {have}. Make the span wider.")


class FitError(GalenaError, ValueError):
    """A model cannot be fitted to these readings."""


class GeometryError(GalenaError, ValueError):
    """A scale, axes or a plane from which no place can be told."""
