"""Instruments on USB, or wherever VISA reaches, by PyVISA and PyVISA-py."""

from __future__ import annotations

import contextlib
import threading
import time
import warnings
from collections.abc import Iterable
from functools import cache
from typing import Any

from galena.instruments.errors import LinkLost

OWN = "@py"  # PyVISA-py, which needs no maker's library
LIBRARY = OWN
ANSWERS_WITHIN = 5.0  # s
_opening = threading.Lock()  # a resource manager is shared by all threads


@cache
def _manager(library: str) -> Any:
    import pyvisa

    return pyvisa.ResourceManager(library)


def list_meters() -> Iterable[str]:
    """List the USB instruments that speak SCPI; none where this system has no way to USB.

    VISA's own search would ask the whole network as well, which takes seconds each time.
    """
    try:
        with _opening, warnings.catch_warnings():
            warnings.simplefilter("ignore")
            return _listed(LIBRARY)
    except Exception:  # libraries that are not there fail in many ways; then nothing is found
        return []


def _listed(library: str) -> list[str]:
    if library != OWN:
        return list(_manager(library).list_resources("USB?*INSTR"))
    if not _has_usb():
        return []
    from pyvisa_py.usb import USBInstrSession

    return list(USBInstrSession.list_resources())


@cache
def _has_usb() -> bool:
    """Tell whether the system's library for USB is there; looked at once."""
    import usb.core

    try:
        usb.core.find()
    except usb.core.NoBackendError:
        return False
    return True


class VisaTransport:
    """Bytes to and from a resource; an answer is waited for only once something was asked.

    A USB instrument that is read without a question puts an error into its queue.
    """

    def __init__(self, resource: str) -> None:
        import pyvisa

        self._errors = (pyvisa.errors.Error, OSError, ValueError)
        self._awaits = False
        try:
            with _opening:
                self._session = _manager(LIBRARY).open_resource(
                    resource, read_termination="\n", write_termination="\n"
                )
            self._session.timeout = ANSWERS_WITHIN * 1000
        except self._errors as error:
            raise LinkLost(f"{resource} cannot be opened: {error}") from error
        self._timeout = pyvisa.constants.StatusCode.error_timeout
        self._io_error = pyvisa.errors.VisaIOError

    def read(self, timeout: float) -> bytes:
        """Give the answer to what was asked; nothing where nothing was."""
        if not self._awaits:
            time.sleep(min(timeout, 0.05))
            return b""
        self._awaits = False
        try:
            return str(self._session.read()).encode("ascii", "replace") + b"\n"
        except self._io_error as error:
            if error.error_code == self._timeout:
                with contextlib.suppress(*self._errors, NotImplementedError):
                    self._session.clear()  # what comes late answers nothing any more
                return b""
            raise LinkLost(f"the connection broke: {error}") from error
        except self._errors as error:
            raise LinkLost(f"the connection broke: {error}") from error

    def write(self, data: bytes) -> None:
        """Send requests, a line each."""
        try:
            for line in data.decode("ascii", "replace").split("\n"):
                if line:
                    self._session.write(line)
                    self._awaits = line.partition(" ")[0].endswith("?")
        except self._errors as error:
            raise LinkLost(f"the connection broke: {error}") from error

    def close(self) -> None:
        with contextlib.suppress(*self._errors):
            self._session.close()
