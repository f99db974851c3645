"""Pieces of junk that have reached something new, kept small: a line of base64 for each, in a file for
each target."""

import base64
from pathlib import Path

FOLDER = Path(__file__).parent / "corpora"
MOST, LONGEST = 60, 600  # pieces of a target; bytes of a piece


def kept(name: str) -> list[bytes]:
    """Give the pieces that are kept of a target."""
    file = _file(name)
    return [base64.b64decode(line) for line in file.read_text().split()] if file.exists() else []


def keep(name: str, pieces: list[bytes]) -> None:
    """Keep some pieces of a target, short ones and longer ones, in place of those that were."""
    short = sorted(
        {one for one in pieces if 0 < len(one) <= LONGEST}, key=lambda one: (len(one), one)
    )
    FOLDER.mkdir(exist_ok=True)
    chosen = short[:: max(1, len(short) // MOST)][:MOST]
    lines = [base64.b64encode(one).decode() for one in chosen]
    _file(name).write_text("\n".join(lines) + "\n")


def unpack(name: str, folder: Path) -> None:
    """Put the pieces of a target into a folder, a file each."""
    folder.mkdir(exist_ok=True)
    for number, piece in enumerate(kept(name)):
        (folder / f"{number:04}").write_bytes(piece)


def _file(name: str) -> Path:
    return FOLDER / f"{name.replace(' ', '-')}.txt"
