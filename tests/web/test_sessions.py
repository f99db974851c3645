"""Sessions: those begun with an earlier version hold on, ended ones let nobody in."""

from datetime import timedelta

from django.conf import settings
from django.contrib.auth.hashers import check_password
from django.contrib.sessions.backends.db import SessionStore as StoreOfDjango
from django.contrib.sessions.models import Session
from django.urls import reverse
from django.utils import timezone

from galena.classroom import models
from galena.classroom.patience import PATIENCE

EARLIER = "django.contrib.auth.backends.ModelBackend"


def is_in(client):
    return client.get(reverse("experiments")).status_code == 200


def test_a_session_of_an_earlier_version_holds_on(client, ada):
    earlier = StoreOfDjango()
    client.force_login(ada, backend=EARLIER)
    earlier.update(client.session.items())
    earlier.save()
    client.cookies[settings.SESSION_COOKIE_NAME] = earlier.session_key
    assert is_in(client)


def test_a_session_that_is_over_or_taken_away_lets_nobody_in(as_ada, ada):
    assert is_in(as_ada)
    Session.objects.update(expire_date=timezone.now() - timedelta(seconds=1))
    assert not is_in(as_ada)
    Session.objects.update(expire_date=timezone.now() + timedelta(days=1))
    as_ada.force_login(ada)
    assert is_in(as_ada)
    Session.objects.all().delete()
    assert not is_in(as_ada)


def test_who_is_taken_away_is_out_at_once_and_a_new_password_ends_other_sessions(as_ada, ada):
    models.Person.objects.update(is_active=False)
    assert not is_in(as_ada)
    models.Person.objects.update(is_active=True)
    as_ada.force_login(ada)
    ada.set_password("another-lamp-at-skerry")
    ada.save()
    assert not is_in(as_ada)


def test_a_wrong_password_is_worked_out_once(client, ada, monkeypatch):
    worked_out = []

    def counted(password, encoded, *more, **how):
        worked_out.append(password)
        return check_password(password, encoded, *more, **how)

    monkeypatch.setattr("django.contrib.auth.base_user.check_password", counted)
    for password, comes_in in (("wrong", False), ("skerry-lamp", True)):
        client.post(reverse("sign-in"), {"username": "ada", "password": password})
        PATIENCE.forget()
        assert is_in(client) == comes_in
    assert worked_out == ["wrong", "skerry-lamp"]
