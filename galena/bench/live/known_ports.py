"""The ports that a person has connected before: known again, whatever they are called then."""

from collections.abc import Iterable

from galena.bench.models import KnownPlace
from galena.instruments import discovery
from galena.instruments.address import Address


class KnownPorts:
    """Ports by the keys that they are known by, each with the speed that it is read at."""

    def __init__(self, list_ports: discovery.Lister) -> None:
        self._list_ports = list_ports
        self._speeds: dict[str, int] = {}

    def begin(self, kept: Iterable[KnownPlace]) -> None:
        """Know the ports among the places that are kept, and no others."""
        self._speeds = {one.key.partition(":")[2]: one.speed for one in kept if one.speed}

    def __contains__(self, address: Address) -> bool:
        return self.key_of(address) in self._speeds

    def key_of(self, address: Address) -> str:
        """Name a place as it is known again."""
        return discovery.key_of(address, self._list_ports)

    def at_its_speed(self, address: Address) -> Address:
        """Give an address with the speed that its port is read at, where that is known."""
        speed = self._speeds.get(self.key_of(address))
        if speed is None or address.kind != "serial":
            return address
        return Address(address.kind, address.place, speed)

    def add(self, address: Address) -> str:
        """Remember a port that a person has connected; gives the key that it is known by."""
        key = self.key_of(address)
        if address.kind == "serial":
            self._speeds[key] = address.number
        return key
