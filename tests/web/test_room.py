"""The room: where it is reached, and what its pages keep of those who are in it."""

import socket
from contextlib import closing

import pytest
from django.urls import reverse
from zeroconf import AddressResolverIPv4, ServiceInfo, Zeroconf

from galena.bench.live.bench import BENCH
from galena.lessons import flows, live
from galena.lessons.door import qr_code
from galena.lessons.live import Presence
from galena.shell import room
from galena.shell.room import Room
from tests.web import classes


@pytest.fixture
def silent(monkeypatch):
    """No network is told of anything."""
    from contextlib import nullcontext

    monkeypatch.setattr(room, "_announced", lambda port, hosts: nullcontext("galena.local"))


def test_the_names_that_are_let_in_follow_from_the_addresses(silent):
    hosts, allowed = ["192.168.7.20"], ["127.0.0.1"]
    here = Room(lambda: list(hosts))
    assert here.addresses() == [] and not here.is_open
    with here.opened(8000, allowed):
        assert here.addresses() == ["192.168.7.20:8000", "galena.local:8000"]
        assert allowed == ["127.0.0.1", "192.168.7.20", "galena.local"]
        hosts.append("10.0.0.5")  # another network was joined
        assert "10.0.0.5:8000" in here.addresses()
        assert "10.0.0.5" in allowed
    assert not here.is_open


def test_a_network_that_forbids_a_name_does_without_it(monkeypatch):
    def forbidden(**_):
        raise OSError("Operation not permitted")

    monkeypatch.setattr(room, "Zeroconf", forbidden)
    with Room(lambda: ["192.168.7.20"]).opened(8000, []) as _:
        pass
    here = Room(lambda: ["192.168.7.20"])
    with here.opened(8000, []):
        assert here.addresses() == ["192.168.7.20:8000"]


def test_a_name_that_another_computer_has_is_left_to_it(monkeypatch):
    service = ServiceInfo(room.SERVICE, f"Another.{room.SERVICE}", 8000, server="galena.local.",
                          addresses=[socket.inet_aton("192.168.7.21")])  # fmt: skip
    monkeypatch.setattr(room, "ASKS_FOR", 100)
    with closing(Zeroconf(interfaces=["127.0.0.1"])) as other:
        other.register_service(service)
        here, allowed = Room(lambda: ["127.0.0.1"]), []
        with here.opened(8000, allowed):
            assert here.name == "galena-2.local"
            assert here.addresses() == ["127.0.0.1:8000", "galena-2.local:8000"]
            assert "galena-2.local" in allowed
            assert AddressResolverIPv4("galena-2.local.").request(other, 10_000)
        other.unregister_all_services()
    with here.opened(8000, allowed):
        assert here.name == "galena.local"


def test_the_door_shows_the_address_of_the_room(as_ada, experiment, silent, monkeypatch):
    lesson = classes.begin(experiment)
    here = Room(lambda: ["192.168.7.20"])
    monkeypatch.setattr("galena.lessons.door.ROOM", here)
    closed = as_ada.get(reverse("lesson", args=[lesson.pk])).text
    assert "Start Galena with --room" in closed
    with here.opened(8000, []):
        page = as_ada.get(reverse("lesson", args=[lesson.pk])).text
        assert "192.168.7.20:8000" in page and "--room" not in page
        large = as_ada.get(reverse("door", args=[lesson.pk])).text
        assert lesson.code in large and "192.168.7.20:8000/come-in" in large


def test_a_qr_code_is_a_picture_of_its_own():
    drawn = qr_code("http://192.168.7.20:8000/come-in?code=K7MOLE")
    assert drawn.startswith("<svg") and "href" not in drawn
    assert qr_code("another") != drawn


def test_who_is_where_is_known_as_long_as_somebody_is_there(monkeypatch):
    now = [0.0]
    presence = Presence(lambda: now[0])
    monkeypatch.setattr(BENCH.hub, "watching", lambda topic: 0)
    assert presence.away_for(7) == float("inf")
    assert presence.note(7, "the Desk")
    assert not presence.note(7, "the Desk")
    assert not presence.note(7, "")
    assert presence.where(7).page == "the Desk"
    now[0] = 100.0
    assert presence.away_for(7) == 100.0
    monkeypatch.setattr(BENCH.hub, "watching", lambda topic: 1)
    assert presence.away_for(7) is None
    assert presence.note(7, "the Report")


def test_the_class_sees_where_a_group_is_and_what_it_was_told(as_ada, experiment):
    live.PRESENCE.forget()
    lesson = classes.begin(experiment)
    gannet = classes.group(lesson, "Gannet")
    browser = classes.client_of(gannet)
    browser.get(reverse("report", args=[gannet.copy.experiment_id]))
    assert "now at the Report" in as_ada.get(reverse("lesson", args=[lesson.pk])).text
    flows.say(lesson, "Look at the axis.", None)
    as_ada.post(reverse("say", args=[lesson.pk]), {"text": "You too.", "group": gannet.pk})
    page = browser.get(reverse("my-lesson")).text
    assert "Look at the axis." in page and "You too." in page
    tern = classes.client_of(classes.group(lesson, "Tern"))
    assert "You too." not in tern.get(reverse("my-lesson")).text


def test_a_task_is_changed_and_steps_tick_themselves(as_ada, experiment):
    classes.recorded(experiment)
    lesson = classes.begin(experiment)
    gannet = classes.group(lesson, "Gannet")
    browser = classes.client_of(gannet)
    assert 'aria-current="step"' in browser.get(reverse("my-lesson")).text
    classes.slope(gannet)
    page = browser.get(reverse("my-lesson")).text
    assert "asked" in page
    as_ada.post(reverse("task", args=[lesson.pk]), {
        "title": "Anew", "text": "**Bold** {graph} <script>", "step-page": ["record"],
        "step-text": ["Record one."], "step-done": ["run"], "starts-with": ["runs"],
    })  # fmt: skip
    page = browser.get(reverse("my-lesson")).text
    assert "<strong>Bold</strong>" in page and "<script>" not in page.partition("<h2>Task")[2]
    assert "Record one." in page and "Mark off" not in page
    refused = as_ada.post(reverse("task", args=[lesson.pk]), {
        "title": " ", "step-page": ["nowhere"], "step-text": ["x"], "step-done": ["run"],
    })  # fmt: skip
    assert refused.status_code == 422 and "Give the lesson a title" in refused.text
