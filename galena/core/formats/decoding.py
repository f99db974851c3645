"""Texts as bytes: which encoding they are in."""

from __future__ import annotations

import codecs

from galena.core.errors import TableError


def is_binary(data: bytes) -> bool:
    """Tell whether data is no text, by its first bytes."""
    start = data[:4096]
    if start.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)):
        return False
    return b"\x00" in start or start.startswith((b"%PDF", b"\x89PNG", b"\xff\xd8\xff", b"GIF8"))


ENCODINGS = ("utf-8", "utf-16", "cp1252")


def decoded(data: bytes, wanted: str) -> tuple[str, str]:
    """Give the text, and the encoding it was taken for. Raises TableError."""
    if wanted and wanted not in ENCODINGS:
        raise TableError(f"{wanted[:20]} is no encoding that is read here.")
    if wanted == "utf-8":
        return data.decode("utf-8-sig", errors="replace"), wanted
    if wanted:
        return data.decode(wanted, errors="replace"), wanted
    if data.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)):
        return data.decode("utf-16", errors="replace"), "utf-16"
    try:
        return data.decode("utf-8-sig"), "utf-8"
    except UnicodeDecodeError:
        return data.decode("cp1252", errors="replace"), "cp1252"
