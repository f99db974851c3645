"""A calibration as a file: JSON that another Galena reads back, and that a person can read.

    {"kind": "Galena calibration", "version": 1, "quantity", "symbol", "unit", "raw_unit",
     "model", "centre", "coefficients", "covariance", "raw_range", "residual_sd",
     "standards": [{"known", "raw", "u_known", "u_raw"}], "made_at", "made_by", "instrument"}

value = Σ coefficients[k] · (raw - centre)^k; covariance is that of the coefficients.
"""

from __future__ import annotations

import json
import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from galena.core import units
from galena.core.calibration import DEGREES, Calibration, Standard
from galena.core.errors import CalibrationError, UnitError
from galena.core.formats.bounded_json import number, read, text

KIND = "Galena calibration"
LONGEST = 50_000
_MOST, _LONGEST_UNIT = 100, 60


@dataclass(frozen=True)
class CalibrationRecord:
    """A calibration with what it is of: the quantity it gives, its standards, when and by whom."""

    calibration: Calibration
    quantity: str
    symbol: str
    raw_unit: str
    standards: tuple[Standard, ...] = ()
    made_at: str = ""
    made_by: str = ""
    instrument: str = field(default="", compare=False)


def as_data(record: CalibrationRecord) -> dict[str, Any]:
    """Give the record as plain data, ready for JSON."""
    curve = record.calibration
    return {
        "kind": KIND,
        "version": 1,
        "quantity": record.quantity,
        "symbol": record.symbol,
        "unit": curve.unit,
        "raw_unit": record.raw_unit,
        "model": curve.model,
        "centre": curve.centre,
        "coefficients": list(curve.coefficients),
        "covariance": [list(row) for row in curve.covariance],
        "raw_range": [curve.low, curve.high],
        "residual_sd": curve.residual_sd if math.isfinite(curve.residual_sd) else None,
        "standards": [vars(standard) for standard in record.standards],
        "made_at": record.made_at,
        "made_by": record.made_by,
        "instrument": record.instrument,
    }


def from_data(data: Mapping[str, Any]) -> CalibrationRecord:
    """Read plain data back; CalibrationError says what is wrong with it."""
    try:
        if data["kind"] != KIND or data["version"] != 1:
            raise CalibrationError(
                "This file is no calibration of Galena, or of a newer version of it."
            )
        if data["model"] not in DEGREES or len(data["standards"]) > _MOST:
            raise CalibrationError("This calibration's model is not known here.")
        units.parse(text(data["unit"], _LONGEST_UNIT))
        units.parse(text(data["raw_unit"], _LONGEST_UNIT))
        standards = tuple(
            Standard(*(number(one[name]) for name in ("known", "raw", "u_known", "u_raw")))
            for one in data["standards"]
        )
        texts = [text(data.get(name, ""), 100) for name in ("made_at", "made_by", "instrument")]
        return CalibrationRecord(
            _curve(data),
            text(data["quantity"], 100),
            text(data["symbol"], 20),
            text(data["raw_unit"], _LONGEST_UNIT),
            standards,
            *texts,
        )
    except (KeyError, TypeError, IndexError, ValueError, AttributeError) as error:
        if isinstance(error, (CalibrationError, UnitError)):
            raise
        raise CalibrationError(
            f"This file is not a whole calibration ({type(error).__name__}: {error}). "
            "Export it again."
        ) from error


def _curve(data: Mapping[str, Any]) -> Calibration:
    left = data["residual_sd"]
    return Calibration(
        model=data["model"],
        unit=text(data["unit"], _LONGEST_UNIT),
        centre=number(data["centre"]),
        coefficients=tuple(map(number, data["coefficients"][:9])),
        covariance=tuple(tuple(map(number, row[:9])) for row in data["covariance"][:9]),
        low=number(data["raw_range"][0]),
        high=number(data["raw_range"][1]),
        residual_sd=math.nan if left is None else number(left),
    )


def dumps(record: CalibrationRecord) -> str:
    """Write a record as the text of a file."""
    return json.dumps(as_data(record), ensure_ascii=False, indent=2) + "\n"


def loads(content: str) -> CalibrationRecord:
    """Read the text of a file; CalibrationError says what is wrong with it."""
    if len(content) > LONGEST:
        raise CalibrationError("This file is too long for a calibration.")
    try:
        data = read(content, LONGEST)
    except ValueError as error:
        raise CalibrationError(
            f"This file is no calibration: it cannot be read as JSON ({error})."
        ) from error
    return from_data(data)
