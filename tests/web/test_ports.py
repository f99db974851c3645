"""What is plugged into this computer is seen without being looked for, and known again."""

import pytest
from django.test import Client
from django.urls import reverse

from galena.bench.boards import flows
from galena.bench.live.bench import BENCH
from galena.instruments import discovery
from galena.instruments.address import Address
from galena.instruments.protocols.plain_board import BoardFacts, ColumnFacts
from tests.printing import PrintingPort
from tests.waiting import until

FACTS = BoardFacts((ColumnFacts("air temperature", "T_a", "°C", -40.0, 125.0, 0.01),))


@pytest.fixture
def ports(monkeypatch):
    """Give a way to plug boards into a computer that has no port at first."""
    listed = []
    monkeypatch.setattr(BENCH, "list_ports", lambda: list(listed))

    used, spare = set(), []

    def plug_in(**about):
        port = PrintingPort(lambda n: f"{20 + n / 100:.2f}", **about)
        while port.device in used:  # another socket of the computer: another name
            spare.append(port)
            port = PrintingPort(port.line, **about)
        used.add(port.device)
        listed.append(port)
        return port

    def pull_out(port):
        listed.remove(port)
        port.close()

    plug_in.pull_out = pull_out
    yield plug_in
    for port in listed + spare:
        port.close()


def board_at(port):
    """Give the feed of the board at a port, once it gives readings."""
    feeds = []

    def is_read():
        feeds[:] = [one for one in BENCH.feeds.values() if one.link.address.place == port.device]
        return feeds and feeds[0].is_live and feeds[0].channels

    until(is_read, "the board")
    return feeds[0]


@pytest.mark.parametrize("about", [{"serial_number": "A7F3"}, {"location": "1-1.4:1.0"}])
def test_a_board_that_is_plugged_in_is_read_and_comes_back_with_its_names(
    ports, room, experiment, about
):
    flows.describe(next(iter(about.values())), FACTS)
    port = ports(**about)
    feed = board_at(port)
    assert [one.symbol for one in feed.channels] == ["T_a"]
    ports.pull_out(port)
    until(lambda: not feed.is_live, "the pulled cable")
    BENCH.look_for_new()  # as the bench does each second: why it is gone is still to be read
    assert feed in BENCH.feeds.values()
    again = board_at(ports(**about))
    assert [one.pk for one in again.channels] == [one.pk for one in feed.channels]
    until(lambda: feed not in BENCH.feeds.values(), "the port that is gone")


@pytest.fixture
def at_the_start(ports):
    return ports(serial_number="A7F3")


def test_what_was_there_at_the_start_waits_to_be_connected(
    ports, at_the_start, room, experiment, ada
):
    browser = Client(HTTP_HX_REQUEST="true")
    browser.force_login(ada)
    other = ports(serial_number="B2")
    board_at(other)
    page = browser.get(reverse("strips", args=[experiment.pk])).content.decode()
    assert "1 port not connected" in page and at_the_start.device in page


def test_a_port_is_known_by_its_serial_number_else_by_the_way_of_its_cable():
    class Port:
        device, description, serial_number, location = "/dev/ttyACM0", "", None, "1-1.4:1.0"

    where = Address("serial", "/dev/ttyACM0", 115_200)
    assert discovery.key_of(where, lambda: [Port]) == "1-1.4:1.0"
    Port.serial_number = "A7,F3|9"
    assert discovery.key_of(where, lambda: [Port]) == "A7 F3/9"
    assert discovery.key_of(where, list) == "/dev/ttyACM0"
    assert discovery.key_of(Address("tcp", "10.0.0.7", 23)) == "10.0.0.7 port 23"
