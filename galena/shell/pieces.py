"""Large files come in pieces, each behind the one before; what broke off goes on from where it was.

No request is large then, and nothing is lost where one fails.
"""

import errno
import threading
from contextlib import suppress
from pathlib import Path
from typing import Protocol

from galena.core.errors import GalenaError

PIECE = 4_000_000  # bytes that one request brings
_READ = 256_000
_appending = threading.Lock()


class PieceError(GalenaError, ValueError):
    """A piece cannot be kept."""


class Readable(Protocol):
    """What a piece is read from."""

    def read(self, size: int, /) -> bytes: ...


def come(path: Path) -> int:
    """Tell how many bytes of a file have come."""
    try:
        return path.stat().st_size
    except FileNotFoundError:
        return 0


def append(path: Path, at: int, piece: Readable, most: int, beyond: str) -> int:
    """Keep a piece that begins at a byte; gives how many have come.

    A piece that is not the next one changes nothing: what has come tells where to go on. beyond:
    what is said where more than `most` bytes come. Raises PieceError; nothing is half kept then.
    """
    with _appending:
        here = come(path)
        if at != here:
            return here
        try:
            with path.open("ab") as file:
                while data := piece.read(_READ):
                    if here + len(data) > most:
                        raise PieceError(beyond)
                    file.write(data)
                    here += len(data)
        except OSError as error:
            _back_to(path, at)
            if error.errno in (errno.ENOSPC, errno.EDQUOT):
                raise PieceError(
                    "The disk is full. Make room and send on: what came before is kept."
                ) from error
            raise PieceError("This piece could not be stored. Send on in a moment.") from error
        except PieceError:
            _back_to(path, at)
            raise
    return here


def _back_to(path: Path, size: int) -> None:
    with suppress(FileNotFoundError), path.open("r+b") as file:  # it may be what was taken away
        file.truncate(size)
