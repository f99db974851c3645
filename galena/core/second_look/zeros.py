"""Remarks on zeros: of channels that need one, and of quantities that have one of their own."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from galena.core import units
from galena.core.errors import UnitError
from galena.core.second_look.remark import Remark

# Sensors for these carry a hook, a pan or a tube of their own: they read something when unloaded.
_ZEROED = ("N", "kg", "Pa", "N m")
_SINGLE = frozenset({"N", "g", "t", "Pa", "bar", "mmHg", "atm", "J", "eV", "Wh"})


def needs_zero(unit: str) -> bool:
    """Tell whether a channel in this unit is like a force: to be zeroed while unloaded."""
    try:
        measured = units.parse(unit)
        if measured.single is not None:  # to compare what units measure takes a library to load
            return measured.single in _SINGLE
        return any(measured.is_compatible(units.parse(one)) for one in _ZEROED)
    except UnitError:
        return False


def never_zeroed(names: Sequence[str]) -> Remark | None:
    """Remark on force-like channels that were never zeroed; None where there is none."""
    if not names:
        return None
    which = names[0] if len(names) == 1 else ", ".join(names[:-1]) + " and " + names[-1]
    was, it = ("was", "it") if len(names) == 1 else ("were", "them")
    return Remark(
        f"{which} {was} never zeroed.",
        f"Take the load off and zero {it} on the Bench, or the readings keep an offset.",
    )


def why_not_zeroed(unit: str, symbol: str) -> str:
    """Say why a quantity has a zero of its own, which nobody sets; empty where it has none."""
    if symbol.partition("_")[0] == "pH":
        return "pH 0 is one of its values"
    try:
        measured = units.parse(unit)
    except UnitError:
        return ""
    if measured == units.parse("°C"):
        return "0 °C is one of its values"
    if measured == units.parse("K"):
        return "0 K is absolute zero"
    if measured.factors and measured.is_compatible(units.parse("s")):
        return "time has its own zero"
    return ""


def left_as_they_are(reasons: Mapping[str, str]) -> str:
    """Say which channels were not zeroed with the others, each with its reason."""
    if not reasons:
        return ""
    listed = "; ".join(f"{name}: {reason}" for name, reason in reasons.items())
    return f"Not zeroed, {listed}. If it is meant, zero it at its own strip."


def oddly_zeroed(name: str, reason: str) -> Remark:
    """Remark on a channel that was zeroed by hand though its quantity has a zero of its own."""
    return Remark(
        f"{name} is zeroed, though {reason}.",
        "It shows differences from here now. Take the zero back if that is not meant.",
    )
