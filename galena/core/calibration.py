"""From a raw reading to the one that a person reads."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class Correction:
    """What is done to raw readings on their way out; the raw ones are never changed.

    `zero` is the raw value, in the channel's unit, that is read as zero.
    """

    zero: float = 0.0

    def __post_init__(self) -> None:
        if not np.isfinite(self.zero):
            raise ValueError(f"A zero must be a finite number, not {self.zero}.")

    def apply(self, raw: NDArray[np.float64]) -> NDArray[np.float64]:
        """Turn raw readings into corrected ones; any shape."""
        return raw - self.zero

    def invert(self, corrected: NDArray[np.float64]) -> NDArray[np.float64]:
        """Turn corrected readings back into raw ones; any shape."""
        return corrected + self.zero
