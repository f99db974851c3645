"""Remarks on how single readings are shown."""

from __future__ import annotations

from dataclasses import dataclass

from galena.core.second_look.remark import Remark


@dataclass(frozen=True)
class Digits:
    """The decimals in which a reading is shown, and those that its noise leaves."""

    shown: int
    suggested: int


def noisy_digits(seen: Digits) -> Remark | None:
    """Remark on last digits that are only noise; None where they tell something."""
    more = seen.shown - seen.suggested
    if more <= 0:
        return None
    digits = "The last digit is" if more == 1 else f"The last {more} are"
    return Remark(f"{digits} noise:", f"{seen.suggested} would do.")
