"""What is written down of who comes in, and how long a session lasts."""

import logging
from datetime import timedelta

import pytest
from django.urls import reverse
from django.utils import timezone

from galena.classroom.models import Person
from galena.shell.security_log import InUtc
from tests.web import classes


@pytest.fixture
def written(monkeypatch):
    """The lines that are written down, as they stand in the file."""
    lines = []

    class Kept(logging.Handler):
        def emit(self, record):
            lines.append(self.format(record))

    handler = Kept()
    handler.setFormatter(InUtc("%(asctime)s %(message)s"))
    log = logging.getLogger("galena.security")
    monkeypatch.setattr(log, "handlers", [handler])
    return lines


def test_coming_in_and_being_refused_is_written_down(client, ada, tern, experiment, written):
    client.post(reverse("sign-in"), {"username": "ada\nx came in", "password": "wrong"})
    client.post(reverse("sign-in"), {"username": "ada", "password": "skerry-lamp"})
    client.post(reverse("people") + "/add", {"name": "puffin", "password": "puffin-of-skerry"})
    client.post(reverse("sign-out"))
    wrong, came, refused, went = written
    assert "wrong password by='nobody' from='127.0.0.1' at='/sign-in'" in wrong
    assert "who='ada\\nx came in'" in wrong  # in one line, whatever was typed
    assert "Z came in" in came
    assert "who='ada'" in came
    assert "refused by='ada'" in refused
    assert "signed out" in went


def test_what_is_logged_names_no_password(client, ada, written):
    for word in ("skerry-lamp", "a-wrong-one"):
        client.post(reverse("sign-in"), {"username": "ada", "password": word})
        assert word not in "".join(written)
    client.post(reverse("sign-out"))
    client.post(reverse("come-in"), {"code": "K7 MOLE", "name": "Gannet"})
    assert "wrong code" in written[-1]
    assert "MOLE" not in "".join(written)


def test_accounts_that_are_changed_are_written_down(client, ada, tern, written):
    Person.objects.filter(pk=ada.pk).update(is_staff=True)
    client.force_login(ada)
    new = {"name": "puffin", "called": "Puffin", "password": "puffin-of-skerry"}
    client.post(reverse("add-person"), new)
    client.post(reverse("new-password", args=[tern.pk]), {"password": "tern-of-skerry"})
    client.post(reverse("take-away", args=[tern.pk]))
    client.post(reverse("let-in-again", args=[tern.pk]))
    told = [line.partition("Z ")[2].partition(" by=")[0] for line in written]
    assert told == ["came in", "account made", "new password", "account closed", "account opened"]
    assert all("who='tern'" in line for line in written[2:])


def test_a_teachers_session_ends_after_a_day_of_school(client, ada, monkeypatch):
    client.post(reverse("sign-in"), {"username": "ada", "password": "skerry-lamp"})
    assert client.get(reverse("experiments")).status_code == 200
    later = timezone.now() + timedelta(hours=12, minutes=1)
    monkeypatch.setattr(timezone, "now", lambda: later)
    assert client.get(reverse("experiments")).status_code == 302


def test_a_groups_session_lasts_beyond_the_day(experiment, monkeypatch):
    group = classes.group(classes.begin(experiment), "Gannet")
    theirs = classes.client_of(group)
    later = timezone.now() + timedelta(days=3)
    monkeypatch.setattr(timezone, "now", lambda: later)
    assert theirs.get(reverse("my-lesson")).status_code == 200
