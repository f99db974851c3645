"""The registry of what can be put into a report; each kind stands in a file of its own."""

from collections.abc import Mapping
from types import MappingProxyType

from galena.reports.put_ins.put_in import Asked, Choice, Piece, PutIn, PutInError, Rows, read

__all__ = ["PUT_INS", "Asked", "Choice", "Piece", "PutIn", "PutInError", "Rows", "read", "register"]

_put_ins: dict[str, PutIn] = {}
PUT_INS: Mapping[str, PutIn] = MappingProxyType(_put_ins)


def register(*put_ins: PutIn) -> None:
    """Have further things to put in."""
    for put_in in put_ins:
        _put_ins[put_in.word] = put_in
