"""Files of tables are understood in a process of its own; what came of it lies beside the file.

This knows no Django. A file is a text, a workbook with its sheets, or a zip with a text for each
run; each of these is a *part*.
"""

from __future__ import annotations

import io
import json
import zipfile
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from galena.core.errors import TableError
from galena.core.formats.spreadsheets import ZIP, is_workbook, sheet_names
from galena.core.formats.tables import FEW, Understood, understand

LARGEST = 300_000_000  # bytes of a text or a workbook
MOST_PARTS = 100
MOST_UNPACKED = 700_000_000  # bytes
SHOWN_FIRST, SHOWN_LAST = 8, 3  # rows
OF_TEXTS = (".csv", ".tsv", ".txt", ".dat", ".asc")
ALL = "*"  # all parts, a run each


@dataclass(frozen=True)
class Guesses:
    """What a person says of a file, where it was taken for something else; empty, it is guessed."""

    part: str = ""
    separator: str = ""
    decimal_mark: str = ""
    encoding: str = ""
    heads: str = ""  # yes or no
    begins: int = 1


@dataclass
class Part:
    """What was understood of a text or a sheet. columns: as JSON has them."""

    name: str
    rows: int = 0
    took: str = ""
    separator: str = ""
    decimal_mark: str = "."
    encoding: str = ""
    has_heads: bool = False
    columns: list[dict[str, Any]] = field(default_factory=list)
    troubles: list[str] = field(default_factory=list)
    left_out: list[str] = field(default_factory=list)


def look(path: str, folder: str, name: str, guesses: Guesses) -> dict[str, Any]:
    """Understand a file; gives its parts, and the names of all of them. Raises TableError.

    The numbers of column k of part p are put into the folder as `p-k.npy`, of few rows their
    texts as `p-k.json`.
    """
    data = _bytes_of(Path(path))
    names = _names(data)
    if guesses.part == ALL:
        wanted = names
    else:
        wanted = [guesses.part] if guesses.part in names else names[:1]
    parts = []
    for place, part in enumerate(wanted):
        try:
            understood = _understood(data, part, name, guesses, is_chosen=guesses.part != "")
        except TableError as error:
            if guesses.part != ALL:
                raise
            parts.append(Part(part, left_out=[str(error)]))
            continue
        parts.append(_part(part, understood))
        _keep(understood, Path(folder), place)
    if not any(part.rows for part in parts):
        raise TableError(f"There is nothing to read in {name}.")
    return {"names": names, "parts": [asdict(part) for part in parts]}


def _bytes_of(path: Path) -> bytes:
    if path.stat().st_size > LARGEST:
        raise TableError(f"A table has at most {LARGEST // 1_000_000} MB. Cut it into several.")
    return path.read_bytes()


def _names(data: bytes) -> list[str]:
    """Give the names of the sheets or texts; a text by itself has none."""
    if data.startswith(ZIP) and (texts := _texts_in(data)):
        return texts
    return sheet_names(data)[:MOST_PARTS] if is_workbook(data) else [""]


def _texts_in(data: bytes) -> list[str]:
    """Give the names of the texts in a zip that is no workbook. Raises TableError."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as zipped:
            infos = zipped.infolist()
    except (zipfile.BadZipFile, ValueError, OSError, NotImplementedError) as error:
        raise TableError("This file is damaged: it cannot be unpacked.") from error
    names = {info.filename for info in infos}
    if names & {"[Content_Types].xml", "content.xml", "mimetype"}:
        return []
    texts = [info for info in infos if info.filename.lower().endswith(OF_TEXTS)]
    if not texts:
        raise TableError("This zip holds no tables: no file in it ends with .csv, .tsv or .txt.")
    if len(texts) > MOST_PARTS or sum(info.file_size for info in texts) > MOST_UNPACKED:
        raise TableError(f"This zip holds more than is taken at once: {MOST_PARTS} tables.")
    return [info.filename for info in texts]


def _understood(
    data: bytes, part: str, name: str, guesses: Guesses, *, is_chosen: bool
) -> Understood:  # fmt: skip
    sheet = ""
    if data.startswith(ZIP) and part.lower().endswith(OF_TEXTS) and _texts_in(data):
        data, name = _unpacked(data, part), part
    elif is_workbook(data) and is_chosen:
        sheet = part
    separators: dict[str, Any] = {"tab": "\t", "blank": " ", "none": ""}
    separator = separators.get(guesses.separator, guesses.separator or None)
    mark: Any = guesses.decimal_mark or None
    heads = {"yes": True, "no": False}.get(guesses.heads)
    return understand(
        data, name, separator=separator, decimal_mark=mark, sheet=sheet,
        encoding=guesses.encoding, has_heads=heads, begins=guesses.begins,
    )  # fmt: skip


def _unpacked(data: bytes, name: str) -> bytes:
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as zipped, zipped.open(name) as file:
            return file.read(LARGEST)
    except (zipfile.BadZipFile, RuntimeError, NotImplementedError, OSError, EOFError) as error:
        raise TableError(f"{name} cannot be unpacked.") from error


def _part(name: str, understood: Understood) -> Part:
    columns = []
    for column in understood.columns:
        count = column.values.size
        texts = column.texts or None
        first = [_text(column, texts, row) for row in range(min(SHOWN_FIRST, count))]
        last = [_text(column, texts, row)
                for row in range(max(SHOWN_FIRST, count - SHOWN_LAST), count)]  # fmt: skip
        columns.append({
            "name": column.name, "symbol": column.symbol, "unit": column.unit,
            "kind": column.kind, "decimals": max(0, column.decimals),
            "filled": int(np.isfinite(column.values).sum()), "first": first, "last": last,
            "rises": bool(count > 1 and np.all(np.diff(column.values) > 0)),
        })  # fmt: skip
    rows = max((column.values.size for column in understood.columns), default=0)
    separator = {"\t": "tab", " ": "blank", "": "none"}.get(
        understood.separator, understood.separator
    )
    return Part(
        name, rows, understood.took, separator, understood.decimal_mark, understood.encoding,
        understood.has_heads, columns, list(understood.troubles), list(understood.left_out),
    )  # fmt: skip


def _text(column: Any, texts: tuple[str, ...] | None, row: int) -> str:
    if texts is not None and column.kind == "number":
        return texts[row]
    value = float(column.values[row])
    return "" if value != value else f"{value:.{max(0, column.decimals)}f}"


def _keep(understood: Understood, folder: Path, part: int) -> None:
    for place, column in enumerate(understood.columns):
        np.save(folder / f"{part}-{place}.npy", column.values, allow_pickle=False)
        if column.texts and len(column.texts) <= FEW:
            (folder / f"{part}-{place}.json").write_text(json.dumps(column.texts))
