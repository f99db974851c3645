"""The room's network: under which addresses this computer is reached, and by which name."""

from __future__ import annotations

import contextlib
import ipaddress
import logging
import socket
from collections.abc import Callable, Iterator
from contextlib import contextmanager

import ifaddr
from zeroconf import ServiceInfo, Zeroconf

NAME = "galena.local"
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
        self.is_named = False
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
        named = [NAME] if self.is_named else []
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
            for host in (*hosts, NAME):
                if host not in self._allowed:
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
                self.is_named = stack.enter_context(_announced(port, self._find()))
                yield
        finally:
            self._close()

    def _close(self) -> None:
        self.port, self.is_named, self._allowed, self.is_secure = None, False, None, False


@contextmanager
def _announced(port: int, hosts: list[str]) -> Iterator[bool]:
    """Be found as galena.local by multicast DNS (RFC 6762); tells whether that is so."""
    service = ServiceInfo(
        SERVICE, f"Galena on port {port}.{SERVICE}", port, server=f"{NAME}.",
        addresses=[socket.inet_aton(host) for host in hosts],
    )  # fmt: skip
    try:
        zeroconf = Zeroconf(interfaces=hosts)
        zeroconf.register_service(service, allow_name_change=True)
    except Exception as error:  # whatever a network forbids: the addresses do without a name
        log.warning("%s cannot be announced in this network (%s).", NAME, error)
        yield False
        return
    try:
        yield True
    finally:
        with contextlib.suppress(Exception):
            zeroconf.unregister_all_services()
            zeroconf.close()


ROOM = Room()
