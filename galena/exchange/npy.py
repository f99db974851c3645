"""Rows of numbers as NumPy's .npy files, version 1.0: written with a head of their own, and read
without having all in memory."""

import io
import struct
from typing import IO

import numpy as np

from galena.exchange.errors import PackageError

LONGEST_HEAD = 1000  # bytes


def head(size: int, dtype: np.dtype) -> bytes:
    """Give the head of a .npy file (version 1.0) of so many numbers."""
    out = io.BytesIO()
    described = {"descr": dtype.str, "fortran_order": False, "shape": (size,)}
    np.lib.format.write_array_header_1_0(out, described)
    return out.getvalue()


def count(file: IO[bytes], dtype: np.dtype, name: str) -> int:
    """Read the head of a .npy file; gives how many numbers follow. Raises PackageError."""
    start = file.read(10)
    try:
        magic, length = start[:8], struct.unpack("<H", start[8:10])[0]
        if magic != b"\x93NUMPY\x01\x00" or length > LONGEST_HEAD:
            raise ValueError
        described = io.BytesIO(start[8:] + file.read(length))
        shape, in_columns, given = np.lib.format.read_array_header_1_0(described)
        (size,) = shape
    except (ValueError, struct.error, EOFError) as error:
        raise PackageError(f"{name} is no row of numbers.") from error
    if given != dtype or in_columns:
        raise PackageError(f"{name} holds other numbers than its series.")
    return int(size)
