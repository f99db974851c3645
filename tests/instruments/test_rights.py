"""Why a port cannot be opened, in words."""

import errno
import os
import pty
import tty

import pytest

from galena.instruments import address, rights
from galena.instruments.errors import LinkLost
from galena.instruments.rights import refusal, why_closed


@pytest.fixture
def port():
    host, device = pty.openpty()
    tty.setraw(device)
    yield os.ttyname(device)
    os.close(device)
    os.close(host)


def test_a_port_that_another_program_holds_is_told(port):
    place = address.parse(f"serial:{port}")
    holder = address.connect(place)
    with pytest.raises(LinkLost, match="is used by another program; end that one first"):
        address.connect(place)
    holder.close()
    address.connect(place).close()


def test_no_right_to_a_port_names_the_group(port, monkeypatch):
    monkeypatch.setattr(rights, "_group_of", lambda device: "dialout")
    monkeypatch.setattr(rights, "_own_name", lambda: "ada")
    told = why_closed(port, PermissionError(errno.EACCES, "Permission denied"))
    assert "members of the group “dialout” may: sudo adduser ada dialout" in told
    monkeypatch.setattr(rights.os, "access", lambda *_: False)
    assert refusal(port) == told


@pytest.mark.parametrize(("number", "words"), [
    (errno.EBUSY, "used by another program"), (errno.ENOENT, "not there any more"),
    (errno.EIO, "cannot be opened"),
])  # fmt: skip
def test_what_else_stands_in_the_way_is_told(number, words):
    assert words in why_closed("/dev/ttyACM0", OSError(number, "?"))


def test_a_port_that_is_there_or_not_is_known_without_opening_it(port):
    assert refusal(port) == ""
    assert "not there any more" in refusal("/dev/ttyNONE7")
