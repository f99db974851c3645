"""Numeric cases with known answers, from tests/refs."""

import json
from pathlib import Path

FOLDER = Path(__file__).parent / "refs"


def cases(file: str) -> list[dict]:
    return json.loads((FOLDER / f"{file}.json").read_text("utf-8"))


def case(file: str, name: str) -> dict:
    return next(one for one in cases(file) if one["name"] == name)


def kind(file: str, kind_of_case: str) -> list[dict]:
    return [one for one in cases(file) if one["kind"] == kind_of_case]
