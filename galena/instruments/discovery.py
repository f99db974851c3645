"""What could be an instrument on this computer."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Protocol, cast

from serial.tools import list_ports

from galena.instruments import address
from galena.instruments.address import Address
from galena.instruments.visa import list_meters


@dataclass(frozen=True)
class Place:
    """A place where an instrument may be; `description` is what the port says of itself."""

    address: Address
    description: str
    simulated: bool


def stand_in(where: str) -> Place:
    """Give a stand-in at an address, written as text."""
    return Place(address.parse(where), "stand-in", True)


class Port(Protocol):
    """A serial port of this computer, as pyserial describes it."""

    device: str
    description: str
    serial_number: str | None
    location: str | None


Lister = Callable[[], Iterable[Port]]


def list_serial_ports() -> Iterable[Port]:
    """List the serial ports of this computer; what the system does not say is left out."""
    return cast(Iterable[Port], list_ports.comports())


def key_of(where: Address, ports: Lister = list_serial_ports) -> str:
    """Name a place as it is known again: a serial port by the serial number of what is plugged in,
    or, where it has none, by the way of its cable."""
    if where.kind != "serial":
        return where.label
    port = next((one for one in ports() if one.device == where.place), None)
    known = [] if port is None else [port.serial_number, port.location]
    named = next((one for one in known if one), where.place)
    return named.replace(",", " ").replace("|", "/")[:60]


def find(
    stand_ins: Iterable[str],
    ports: Lister = list_serial_ports,
    typed: Iterable[Address] = (),
    meters: Callable[[], Iterable[str]] = list_meters,
) -> list[Place]:
    """List the stand-ins given, all serial ports of this computer, what is on its USB and speaks
    SCPI, and the addresses that were typed."""
    simulated = [stand_in(text) for text in stand_ins]
    others = [Place(one, "in the network", False) for one in typed]
    by_usb = [Address("visa", resource, 0) for resource in meters()]
    others += [Place(one, "on USB", False) for one in by_usb if one not in typed]
    listed = sorted(ports(), key=lambda port: str(port.device))
    return (
        simulated
        + others
        + [
            Place(
                Address("serial", port.device, address.BAUD),
                port.description if port.description != "n/a" else "serial port",
                False,
            )
            for port in listed
        ]
    )
