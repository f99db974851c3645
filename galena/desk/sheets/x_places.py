"""How places on the x axis are written: their decimals and units."""

from galena.core import numbers
from galena.core.units import shown as unit_shown
from galena.desk.models import Sheet
from galena.experiments.models import Run

LONG = 7200.0  # s; longer runs are read in hours, minutes and seconds


def x_decimals(sheet: Sheet, run: Run) -> int:
    """Tell how many decimals x needs in this run to be told from the next."""
    if sheet.x is not None:
        return sheet.x.decimals
    return time_decimals(run)


def time_decimals(run: Run) -> int:
    """Tell how many decimals a time of this run needs to be told from the next."""
    interval = run.kind.interval(run)
    return 1 if interval is None else numbers.decimals_for_steps(interval)


def place(sheet: Sheet, x: float, decimals: int, longest: float) -> tuple[str, str]:
    """Write a place on the x axis, with its unit; times of long runs in hours."""
    if sheet.x is None and longest > LONG:
        return hours(x, decimals), "h:min:s"
    return numbers.fixed(x, decimals), unit_shown(sheet.x_unit)


def hours(seconds: float, decimals: int = 0) -> str:
    """Write a time as hours, minutes and seconds: 2:05:10."""
    sign = numbers.MINUS if seconds < 0 else ""
    rounded = round(abs(seconds), decimals)
    whole, rest = divmod(rounded, 60)
    width = 3 + decimals if decimals else 2
    return f"{sign}{int(whole) // 60}:{int(whole) % 60:02d}:{rest:0{width}.{decimals}f}"
