"""Why a port cannot be opened, in words: no right to it, in use, or not there."""

from __future__ import annotations

import errno
import getpass
import os
import sys
from pathlib import Path

_IN_USE = {errno.EBUSY, errno.EAGAIN, errno.EWOULDBLOCK}


def why_closed(device: str, error: OSError) -> str:
    """Say why a port could not be opened, with what to do.

    error: what opening it raised; pyserial keeps the number of the system's error, but not where
    another program holds the port for itself.
    """
    number = error.errno
    if number in (errno.EACCES, errno.EPERM):
        # Windows says the same of a port that is in use.
        return no_right(device) if sys.platform != "win32" else _in_use(device)
    if number in _IN_USE or "lock" in str(error).lower():
        return _in_use(device)
    if number in (errno.ENOENT, errno.ENODEV, errno.ENXIO):
        return f"{device} is not there any more"
    return f"{device} cannot be opened: {error}"


def _in_use(device: str) -> str:
    return f"{device} is used by another program; end that one first"


def no_right(device: str) -> str:
    """Say which group may use a port."""
    group = _group_of(device)
    if not group:
        return f"you may not use {device}"
    return (
        f"you may not use {device}; members of the group “{group}” may: "
        f"sudo adduser {_own_name()} {group}, then sign in to this computer anew"
    )


def refusal(device: str) -> str:
    """Say why a port could not be used, without opening it; empty where it could."""
    if sys.platform == "win32":
        return ""
    if not Path(device).exists():
        return f"{device} is not there any more"
    return "" if os.access(device, os.R_OK | os.W_OK) else no_right(device)


def _group_of(device: str) -> str:
    try:
        return Path(device).group()
    except (OSError, KeyError, NotImplementedError):
        return ""


def _own_name() -> str:
    try:
        return getpass.getuser()
    except (OSError, KeyError):
        return "your-name"
