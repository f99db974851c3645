"""Write tests/js/cases.json: what Python says of ticks, numbers, decimal signs and dashes.

The scripts that draw have the same rules; tests/js compares them with these cases.
Run: python -m scripts.js_cases
"""

import json
import math
from pathlib import Path

import numpy as np

from galena.core import numbers
from galena.core.symbols import parts
from galena.core.ticks import decades, ticks
from galena.shell.decimal_sign import with_comma
from galena.shell.marks import QUANTITY_DASHES

FILE = Path(__file__).resolve().parent.parent / "tests/js/cases.json"
AXES = 400
VALUES = (0.0, -0.0, -0.004, -0.0051, 1.005, 2.675, -12.5, 1e6, 123456.789, 1e-9, -99.95)
SYMBOLS = ("E", "E_kin", "d⁻²", "√d", "ln(E/lx)", "ln(F_x/N)", "ln x", "(t − t_0)²", "1/d²", "H²",
           "pH", "ΔT", "T_1", "φ_max", "lnx")  # fmt: skip
DECIMALS = ("2.03 ± 0.02 mm/s", "−12.50×10⁻³", "0.2.0", "127.0.0.1:8000", "LG-1.5 v2.5", "A.1",
            "at 2.5.", "2.5, 3.5", "0.5.1", "h0.5", "(0.25)", "2.03(5)", "12:30.5")  # fmt: skip


def cases() -> dict:
    """Give the cases, the same ones each time."""
    rng = np.random.default_rng(1847)
    return {
        "ticks": [_ticks(*axis) for axis in _axes(rng)],
        "decades": [_decades(*axis) for axis in _decadic_axes(rng)],
        "fixed": [[value, d, numbers.fixed(value, d)] for value in VALUES for d in range(4)],
        "grouped": [[count, numbers.grouped(count)] for count in (0, 7, 999, 1000, 1234567)],
        "symbols": [[symbol, [list(part) for part in parts(symbol)]] for symbol in SYMBOLS],
        "decimals": [[read, with_comma(read)] for read in DECIMALS],
        "dashes": [list(dash) for dash in QUANTITY_DASHES],
        "columns": [_readings(rng, size, columns)
                    for size, columns in ((50, 2), (200, 12), (999, 40), (3000, 7))],
    }  # fmt: skip


def _axes(rng: np.random.Generator) -> list[tuple[float, float, int]]:
    sizes, middles = 10.0 ** rng.uniform(-12, 12, AXES), rng.normal(0, 3, AXES)
    about = rng.integers(1, 12, AXES)
    axes = [(float(size * (m - 0.5)), float(size * (m + 0.5)), int(n))
            for size, m, n in zip(sizes, middles, about, strict=True)]  # fmt: skip
    return [*axes, (0.0, 60.0, 6), (-1e300, 1e300, 5), (-0.35, 0.33, 7), (999999.5, 1000000.5, 4)]


def _decadic_axes(rng: np.random.Generator) -> list[tuple[float, float, int]]:
    ends = np.sort(rng.uniform(-9, 9, (60, 2)), axis=1)
    return [(float(10.0**lo), float(10.0**hi), int(n))
            for (lo, hi), n in zip(ends, rng.integers(1, 9, 60), strict=True)
            if hi - lo > 1e-3]  # fmt: skip


def _ticks(lo: float, hi: float, about: int) -> list:
    chosen = ticks(lo, hi, about)
    return [lo, hi, about, [list(pair) for pair in zip(chosen.places, chosen.labels, strict=True)]]


def _decades(lo: float, hi: float, about: int) -> list:
    return [lo, hi, about, [list(pair) for pair in decades(lo, hi, about)]]


def _readings(rng: np.random.Generator, size: int, columns: int) -> dict:
    """Give readings with missing numbers, and a stretch of which there is none."""
    x = np.cumsum(rng.uniform(0.01, 1.0, size))
    x[size // 2 :] += 0.2 * x[-1]
    y = rng.normal(size=size).round(3)
    y[rng.random(size) < 0.1] = np.nan
    y[: size // 9] = np.nan
    return {"columns": columns, "x": x.tolist(), "y": _plain(y)}


def _plain(values: np.ndarray) -> list[float | None]:
    return [None if math.isnan(value) else value for value in values.tolist()]


def text() -> str:
    """Give the file's text."""
    return json.dumps(cases(), ensure_ascii=False, indent=0) + "\n"


if __name__ == "__main__":
    FILE.write_text(text(), "utf-8")
