"""Which places are connected again at the start: those that a person has connected once."""

from __future__ import annotations

import ipaddress
import re
import socket
from collections.abc import Callable, Iterable

from galena.bench.models import KnownPlace
from galena.instruments import address as addresses
from galena.instruments.address import Address
from galena.instruments.errors import AddressError

LONGEST = 200
_PLAIN = re.compile(r"[\w.\-]+:\d{1,5}")
Resolve = Callable[[str], Iterable[str]]


def known() -> list[KnownPlace]:
    """List the places that are connected again at the start."""
    return list(KnownPlace.objects.order_by("pk"))


def keep(place: Address, key: str) -> None:
    """Have a place connected again; key: what a port is known by, whatever it is called then."""
    kind = place.kind
    stored = f"serial:{key}" if kind == "serial" else str(place)
    speed = place.number if kind == "serial" else None
    KnownPlace.objects.update_or_create(
        key=stored, defaults={"address": str(place), "speed": speed}
    )


def forget(place: Address) -> None:
    """Have a typed address not connected again."""
    KnownPlace.objects.filter(key=str(place)).delete()


def resolved(host: str) -> list[str]:
    """List the addresses of a name in the network, IPv4 first."""
    try:
        told = socket.getaddrinfo(host, None, type=socket.SOCK_STREAM)
    except OSError:
        return []
    return [str(one[4][0]) for one in sorted(told, key=lambda one: one[0] != socket.AF_INET)]


def read_address(typed: str, resolve: Resolve = resolved) -> Address:
    """Read the address of an instrument in the room's network; AddressError where it is none.

    Only private networks and this computer: Galena speaks to nobody beyond the room. A name is
    kept as the address that it has now, so that it cannot lead elsewhere later.
    """
    text = typed.strip()
    if len(text) > LONGEST or not text.isprintable():
        raise AddressError("This is no address. Write 192.168.1.20:5025, for example.")
    place = addresses.parse(f"tcp://{text}" if _PLAIN.fullmatch(text) else text)
    if place.kind == "visa":
        return place
    if place.kind != "tcp":
        raise AddressError("A serial port is connected from the list of ports.")
    listed = list(resolve(place.place))
    if not listed:
        raise AddressError(f"There is no {place.place} in this network.")
    if not all(_is_near(one) for one in listed):
        raise AddressError(
            f"{place.place} is not in this room's network: only private addresses are."
        )
    return Address("tcp", listed[0], place.number)


def _is_near(text: str) -> bool:
    address = ipaddress.ip_address(text.partition("%")[0])
    return address.is_loopback or (address.is_private and not address.is_unspecified)
