"""The rigs that are plugged in: each a process of its own, or one that was there already."""

from __future__ import annotations

import contextlib
import json
import socket
import threading
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from galena.instruments import address
from galena.instruments.errors import LinkLost, RequestRefused
from galena.instruments.protocols.line_v1 import refuse_unprintable
from galena.instruments.rigs import RIGS
from galena.instruments.rigs.process import RigProcess

ANSWER_WITHIN = 3.0


class RigControl:
    """Requests to a rig, over a connection of its own so that no stream of readings is in the way.

    Safe to use from several threads. Every request raises LinkLost once the rig is gone, and
    RequestRefused where the rig says no.
    """

    def __init__(self, where: str, patience: float = ANSWER_WITHIN) -> None:
        self.address = address.parse(where)
        self._patience = patience
        self._lock = threading.Lock()
        self._stream: socket.socket | None = None

    def request(self, text: str) -> str:
        """Send a request and give its answer."""
        refuse_unprintable(text)
        with self._lock:
            try:
                answer = self._exchange(text)
            except OSError as error:
                self.close()
                raise LinkLost("This rig is gone. Plug it in again.") from error
        if answer.startswith("ERR"):
            raise RequestRefused(answer[3:].strip())
        return answer

    def _exchange(self, text: str) -> str:
        if self._stream is None:
            place = (self.address.place, self.address.number)
            self._stream = socket.create_connection(place, self._patience)
            self._stream.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self._stream.sendall(text.encode("ascii", "replace") + b"\n")
        answer = b""
        while not answer.endswith(b"\n"):
            part = self._stream.recv(65_536)
            if not part:
                raise ConnectionError("closed")
            answer += part
        return answer.decode("ascii", "replace").strip()

    def close(self) -> None:
        """Let go of the connection."""
        if self._stream is not None:
            self._stream.close()
            self._stream = None


@dataclass
class PluggedRig:
    """A rig that is plugged in, by the addresses of its instruments."""

    key: str
    name: str
    addresses: list[str]
    control: RigControl
    process: RigProcess | None = None

    @property
    def state(self) -> dict[str, float]:
        """The settings of its handles, its model's state, its time `t` and its paces."""
        values: dict[str, float] = json.loads(self.control.request("RIG:STATE?"))
        return values

    @property
    def handles(self) -> list[dict[str, Any]]:
        """Its handles with their values."""
        listed: list[dict[str, Any]] = json.loads(self.control.request("RIG:HANDLE?"))
        return listed


class RigRoom:
    """Which rigs are plugged in, by key."""

    def __init__(self, patience: float = ANSWER_WITHIN) -> None:
        self._patience = patience
        self.plugged: dict[str, PluggedRig] = {}
        self._ports: dict[str, list[int]] = {}
        self._lock = threading.Lock()

    def find(self, stand_ins: Iterable[str]) -> None:
        """Take in the rigs behind stand-ins that were started by someone else."""
        for where in stand_ins:
            control = RigControl(where, self._patience)
            try:
                key, _, name = control.request("RIG:NAME?").partition(",")
            except (LinkLost, RequestRefused):
                control.close()
                continue
            if key in self.plugged:
                self.plugged[key].addresses.append(where)
                control.close()
            else:
                self.plugged[key] = PluggedRig(key, name, [where], control)

    def plug_in(self, key: str, seed: int = 1) -> PluggedRig:
        """Start a rig, where it was before if that is free; KeyError if there is none such."""
        with self._lock:
            if key in self.plugged:
                return self.plugged[key]
            name = RIGS[key].name
            process = RigProcess(key, seed=seed, ports=self._ports.get(key, ()))
            self._ports[key] = [address.parse(one).number for one in process.addresses]
            control = RigControl(process.addresses[0], self._patience)
            self.plugged[key] = PluggedRig(key, name, process.addresses, control, process)
            return self.plugged[key]

    def unplug(self, key: str) -> None:
        """Take a rig away, as if all its cables were pulled; nothing happens if it is not there."""
        with self._lock:
            rig = self.plugged.pop(key, None)
            if rig is not None:
                rig.control.close()
                if rig.process is not None:
                    rig.process.stop()

    def close(self) -> None:
        """Take all rigs away."""
        for key in list(self.plugged):
            with contextlib.suppress(OSError):
                self.unplug(key)
