"""The room's network: under which addresses this computer is reached, and by which name."""

from __future__ import annotations

import contextlib
import ipaddress
import logging
import socket
from collections.abc import Callable, Iterator
from contextlib import contextmanager

import ifaddr
from zeroconf import (  # type: ignore[attr-defined]  # the resolver is not in its __all__
    AddressResolverIPv4,
    ServiceInfo,
    Zeroconf,
)

NAMES = ("galena.local", *(f"galena-{number}.local" for number in range(2, 10)))
NAME = NAMES[0]
ASKS_FOR = 750  # ms, whether a name is taken: three questions of 250 ms each (RFC 6762, 8.1)
SERVICE = "_http._tcp.local."
log = logging.getLogger(__name__)


def own_addresses() -> list[str]:
    """List the IPv4 addresses of this computer in networks, private ones first."""
    found = []
    for adapter in ifaddr.get_adapters():
        for address in adapter.ips:
            if address.is_IPv4 and _is_reachable(str(address.ip)):
                found.append(str(address.ip))
    return sorted(dict.fromkeys(found), key=lambda one: not ipaddress.ip_address(one).is_private)


def _is_reachable(text: str) -> bool:
    address = ipaddress.ip_address(text)
    return not (address.is_loopback or address.is_link_local or address.is_unspecified)


class Room:
    """Whether Galena is open to the room, and where; `find` lists this computer's addresses."""

    def __init__(self, find: Callable[[], list[str]] = own_addresses) -> None:
        self._find = find
        self.port: int | None = None
        self.is_secure = False  # whether by https
        self.name = ""  # by which it is found in the network
        self._allowed: list[str] | None = None

    @property
    def is_open(self) -> bool:
        """Whether devices of the room can come in."""
        return self.port is not None

    def addresses(self) -> list[str]:
        """List the addresses that a browser in the room opens, without http://."""
        if self.port is None:
            return []
        hosts = self._find()
        self._allow(hosts)  # the computer may have come into another network meanwhile
        named = [self.name] if self.name else []
        return [f"{host}:{self.port}" for host in (*hosts, *named)]

    @property
    def way(self) -> str:
        """How an address begins."""
        return "https" if self.is_secure else "http"

    def certificate_addresses(self) -> list[str]:
        """List where devices get the certificate, without http://; none where it is not needed."""
        if self.port is None or not self.is_secure:
            return []
        return [f"{host}:{self.port + 1}" for host in self._find()]

    def _allow(self, hosts: list[str]) -> None:
        if self._allowed is not None:
            for host in (*hosts, NAME, self.name):
                if host and host not in self._allowed:
                    self._allowed.append(host)

    @contextmanager
    def opened(self, port: int, allowed: list[str], *, secure: bool = False) -> Iterator[None]:
        """Be open on a port; the host names that follow from the addresses become allowed ones.

        secure: by https; then devices get the certificate on the port after it.
        """
        self.port, self._allowed, self.is_secure = port, allowed, secure
        self._allow(self._find())
        try:
            with contextlib.ExitStack() as stack:
                stack.callback(self._close)
                self.name = stack.enter_context(_announced(port, self._find()))
                yield
        finally:
            self._close()

    def _close(self) -> None:
        self.port, self.name, self._allowed, self.is_secure = None, "", None, False


@contextmanager
def _announced(port: int, hosts: list[str]) -> Iterator[str]:
    """Be found by multicast DNS (RFC 6762); gives the name, or nothing where that cannot be."""
    with contextlib.ExitStack() as stack:
        try:
            zeroconf = Zeroconf(interfaces=hosts)
            stack.callback(_close, zeroconf)
            name = _free_name(zeroconf, hosts)
            service = ServiceInfo(
                SERVICE, f"Galena on port {port}.{SERVICE}", port, server=f"{name}.",
                addresses=[socket.inet_aton(host) for host in hosts],
            )  # fmt: skip
            zeroconf.register_service(service, allow_name_change=True)
        except Exception as error:  # whatever a network forbids: the addresses do without a name
            log.warning("%s cannot be announced in this network (%s).", NAME, error)
            name = ""
        yield name


def _free_name(zeroconf: Zeroconf, hosts: list[str]) -> str:
    """Give the first name that no other computer of the network has: with two of one name, groups
    would come in at one or the other. Raises OSError where all are taken."""
    for name in NAMES:
        asked = AddressResolverIPv4(f"{name}.")
        is_taken = asked.request(zeroconf, ASKS_FOR)
        if not is_taken or set(asked.parsed_addresses()) <= set(hosts):
            return name
    raise OSError(f"{NAMES[-1]} and all before it are taken")


def _close(zeroconf: Zeroconf) -> None:
    with contextlib.suppress(Exception):
        zeroconf.unregister_all_services()
        zeroconf.close()


ROOM = Room()
