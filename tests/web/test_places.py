"""Instruments in the network: addresses that are typed, kept, connected again and let go."""

import pytest
from django.urls import reverse

from galena.bench.live.bench import BENCH
from galena.bench.models import KnownPlace
from galena.bench.places import flows
from galena.instruments.address import Address
from galena.instruments.errors import AddressError
from tests.instruments.test_scpi import Meter
from tests.waiting import until

WITHOUT_RIG = True
NEAR = {"meter.local": ["192.168.1.20"], "both": ["10.0.0.4", "8.8.8.8"], "far": ["8.8.8.8"],
        "v6": ["fe80::1%eth0"], "any": ["0.0.0.0"]}  # fmt: skip


def resolve(host):
    return NEAR.get(host, [host] if host[0].isdigit() else [])


@pytest.mark.parametrize(("typed", "place"), [
    ("192.168.1.20:5025", Address("tcp", "192.168.1.20", 5025)),
    (" tcp://10.1.2.3:7000 ", Address("tcp", "10.1.2.3", 7000)),
    ("meter.local:5025", Address("tcp", "192.168.1.20", 5025)),
    ("127.0.0.1:5025", Address("tcp", "127.0.0.1", 5025)),
    ("visa:USB0::1::2::3::INSTR", Address("visa", "USB0::1::2::3::INSTR", 0)),
])  # fmt: skip
def test_an_address_of_the_room_is_read(typed, place):
    assert flows.read_address(typed, resolve) == place


@pytest.mark.parametrize(("typed", "why"), [
    ("far:80", "not in this room"), ("both:80", "not in this room"), ("8.8.8.8:53", "not in this"),
    ("any:80", "not in this room"), ("nobody:80", "There is no nobody"),
    ("hello", "not the address"),
    ("", "not the address"), ("serial:/dev/ttyS0", "from the list"), ("a" * 300, "no address"),
    ("192.168.1.20:99999", "not the address"), ("http://192.168.1.1/", "not the address"),
    ("1.2\n:3", "no address"),
])  # fmt: skip
def test_what_is_no_address_of_the_room_is_told(typed, why):
    with pytest.raises(AddressError, match=why):
        flows.read_address(typed, resolve)


@pytest.fixture
def meter():
    return Meter({"FUNC?": "VOLT", "MEAS:VOLT:DC?": "+1.50E+00"})


def test_a_meter_is_typed_read_and_let_go(room, as_ada, experiment, meter):
    page = as_ada.post(reverse("connect-typed", args=[experiment.pk]),
                       {"address": f"127.0.0.1:{meter.place.number}"}).content.decode()  # fmt: skip
    assert "In the network" in page
    until(lambda: [one.name for one in BENCH.live_channels()] == ["voltage"], "the meter")
    page = as_ada.get(reverse("bench", args=[experiment.pk])).content.decode()
    assert "Meter M-1" in page
    assert "Let it go" in page
    assert "simulated" not in page.partition("Rigs")[0]
    (kept,) = KnownPlace.objects.all()
    assert (kept.key, kept.speed) == (str(meter.place), None)
    refused = as_ada.post(reverse("connect-typed", args=[experiment.pk]), {"address": "8.8.8.8:53"})
    assert "not in this room" in refused.content.decode()
    as_ada.post(reverse("forget-typed", args=[experiment.pk]), {"address": str(meter.place)})
    assert not KnownPlace.objects.exists()
    assert meter.place not in BENCH.feeds
    gone = as_ada.post(reverse("forget-typed", args=[experiment.pk]), {"address": str(meter.place)})
    assert "not on the list any more" in gone.content.decode()


@pytest.fixture
def known(transactional_db, meter):
    """A meter that was connected before the server starts."""
    flows.keep(meter.place, "")
    return meter


def test_what_was_connected_once_is_connected_at_the_start(known, room):
    until(lambda: [one.name for one in BENCH.live_channels()] == ["voltage"], "the meter")
    assert BENCH.typed == [known.place]


def test_two_meters_that_claim_to_be_one_are_told(room, as_ada, experiment, meter):
    twin = Meter({"FUNC?": "VOLT", "MEAS:VOLT:DC?": "+2.50E+00"})
    for one in (meter, twin):
        as_ada.post(reverse("connect-typed", args=[experiment.pk]), {"address": str(one.place)})
    until(lambda: len(BENCH.live_channels()) == 1 and any(
        feed.twin for feed in BENCH.feeds.values()), "the twin")  # fmt: skip
    page = as_ada.get(reverse("bench", args=[experiment.pk])).content.decode()
    assert "0700" in page
