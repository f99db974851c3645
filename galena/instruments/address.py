"""Where an instrument is found, and the bytes to and from there."""

from __future__ import annotations

import select
import socket
import sys
from dataclasses import dataclass
from typing import Protocol
from urllib.parse import parse_qs, urlsplit

import serial

from galena.instruments.errors import AddressError, LinkLost
from galena.instruments.rights import why_closed

BAUD = 115_200
_AT_ONCE = 1 << 16  # a device that floods waits; 50 such reads a second are 80 kHz of lines


@dataclass(frozen=True)
class Address:
    """`tcp://host:port`, `serial:/dev/ttyACM0?baud=115200`, `visa:USB0::…::INSTR`, or the name of a
    browser's device."""

    kind: str
    place: str
    number: int

    def __str__(self) -> str:
        if self.kind == "tcp":
            return f"tcp://{self.place}:{self.number}"
        if self.kind in ("browser", "visa"):
            return f"{self.kind}:{self.place}"
        return f"serial:{self.place}?baud={self.number}"

    @property
    def where(self) -> str:
        """The place whatever the speed of its line."""
        return self.place if self.kind == "serial" else str(self)

    @property
    def label(self) -> str:
        """The address as a person calls it."""
        return f"{self.place} port {self.number}" if self.kind == "tcp" else self.place


def parse(text: str) -> Address:
    """Read an address; AddressError says what one looks like."""
    if text.strip().lower().startswith("visa:"):
        return Address("visa", text.strip()[5:], 0)
    parts = urlsplit(text.strip())
    try:
        if parts.scheme == "tcp" and parts.hostname and parts.port:
            return Address("tcp", parts.hostname, parts.port)
        if parts.scheme == "serial" and parts.path:
            baud = int(parse_qs(parts.query).get("baud", [str(BAUD)])[0])
            return Address("serial", parts.path, baud)
    except ValueError:
        pass
    raise AddressError(
        f"“{text[:60]}” is not the address of an instrument. "
        "Write tcp://127.0.0.1:7000 or serial:/dev/ttyACM0."
    )


class Transport(Protocol):
    """Bytes to and from a device; every call raises LinkLost once the device is gone."""

    def read(self, timeout: float) -> bytes:
        """Give all bytes that are there, waiting at most so many seconds for the first."""

    def write(self, data: bytes) -> None:
        """Send all bytes."""

    def close(self) -> None:
        """Let go of the device."""


class TcpTransport:
    """A plain socket: unlike pyserial's own, it loses nothing when the peer goes."""

    def __init__(self, host: str, port: int, timeout: float) -> None:
        try:
            self._socket = socket.create_connection((host, port), timeout)
        except OSError as error:
            raise LinkLost(f"nothing answers at {host} port {port}") from error
        self._socket.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self._socket.settimeout(2.0)

    def read(self, timeout: float) -> bytes:
        try:
            if not select.select([self._socket], [], [], timeout)[0]:
                return b""
            data = self._socket.recv(_AT_ONCE)
        except OSError as error:
            raise LinkLost("the connection broke") from error
        if not data:
            raise LinkLost("the other end closed the connection")
        return data

    def write(self, data: bytes) -> None:
        try:
            self._socket.sendall(data)
        except OSError as error:
            raise LinkLost("the connection broke") from error

    def close(self) -> None:
        self._socket.close()


class SerialTransport:
    """A serial port, read in bulk: pyserial's readline would cost a third of a core at 1 kHz."""

    def __init__(self, device: str, baud: int) -> None:
        try:
            self._port = serial.Serial(
                device, baud, timeout=0.01, write_timeout=2.0,
                exclusive=None if sys.platform == "win32" else True,
            )  # fmt: skip
        except OSError as error:
            raise LinkLost(why_closed(device, error)) from error
        except ValueError as error:
            raise LinkLost(f"{device} cannot be opened: {error}") from error

    @property
    def speed(self) -> int:
        """Its speed in baud."""
        return int(self._port.baudrate)

    @speed.setter
    def speed(self, baud: int) -> None:
        try:
            self._port.baudrate = baud
            self._port.reset_input_buffer()
        except (OSError, ValueError) as error:
            raise LinkLost("the cable was pulled out") from error

    def read(self, timeout: float) -> bytes:
        try:
            self._port.timeout = timeout
            first = self._port.read(1)
            return bytes(first + self._port.read(self._port.in_waiting)) if first else b""
        except OSError as error:
            raise LinkLost("the cable was pulled out") from error

    def write(self, data: bytes) -> None:
        try:
            self._port.write(data)
        except OSError as error:
            raise LinkLost("the cable was pulled out") from error

    def close(self) -> None:
        self._port.close()


def connect(address: Address, timeout: float = 2.0) -> Transport:
    """Open the way to a device; LinkLost says why it cannot be opened."""
    if address.kind == "tcp":
        return TcpTransport(address.place, address.number, timeout)
    if address.kind == "visa":
        from galena.instruments.visa import VisaTransport  # loads libraries that few need

        return VisaTransport(address.place)
    return SerialTransport(address.place, address.number)
