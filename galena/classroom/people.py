"""Teachers' accounts: the first one, adding, new passwords, taking away and letting in again."""

from __future__ import annotations

import hmac
import secrets
import threading

from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import transaction
from django.db.models import QuerySet

from galena.classroom.elsewhere import MADE_ELSEWHERE
from galena.classroom.models import Person
from galena.core.errors import GalenaError

LONGEST_NAME = 60  # characters of what somebody is called, and of what they sign in with


class PersonError(GalenaError, ValueError):
    """An account cannot be made or changed like this; `field` is what is wrong."""

    def __init__(self, field: str, message: str) -> None:
        self.field = field
        super().__init__(message)


class FirstStart:
    """The one-time key of the address at which the first teacher makes an account.

    It lives as long as the process; nothing is open before, and nothing is left open after.
    """

    def __init__(self) -> None:
        self._key = ""
        self._lock = threading.Lock()

    def begin(self) -> str:
        """Give the key, where no teacher can sign in yet; else an empty text."""
        with self._lock:
            self._key = "" if teachers().filter(is_active=True).exists() else _new_key()
            return self._key

    def opens(self, key: str) -> bool:
        """Tell whether a key is the one that opens."""
        with self._lock:
            return bool(self._key) and hmac.compare_digest(self._key.encode(), key.encode())

    def make_teacher(self, key: str, name: str, called: str, password: str) -> Person | None:
        """Make the first account and spend the key; None where the key opens nothing any more."""
        with self._lock:
            if not self._key or not hmac.compare_digest(self._key.encode(), key.encode()):
                return None
            person = add(name, called, password, manages=True)
            self._key = ""
            return person


def _new_key() -> str:
    return secrets.token_urlsafe(24)


FIRST = FirstStart()


def teachers() -> QuerySet[Person]:
    """List all teachers' accounts, by name, also those that were taken away."""
    people = Person.objects.filter(lesson=None).exclude(username__startswith=MADE_ELSEWHERE)
    return people.order_by("-is_active", "first_name", "username")


def add(name: str, called: str, password: str, *, manages: bool = False) -> Person:
    """Make a teacher's account; PersonError where the name is taken or the password is weak.

    name: what they sign in with; called: their first name, as it stands beside their work;
    manages: whether they look after people and what is kept, and see everybody's work.
    """
    name, called = " ".join(name.split()), " ".join(called.split())
    if not name or len(name) > LONGEST_NAME or not name.isprintable():
        raise PersonError("name", f"Type a name to sign in with, of 1 to {LONGEST_NAME} letters.")
    if name.startswith(MADE_ELSEWHERE) or Person.objects.filter(username__iexact=name).exists():
        raise PersonError("name", f"“{name}” is taken. Choose another name to sign in with.")
    if len(called) > LONGEST_NAME or not called.isprintable():
        raise PersonError("called", f"A first name has at most {LONGEST_NAME} letters.")
    person = Person(username=name, first_name=called or name, is_staff=manages)
    _set_password(person, password)
    with transaction.atomic():
        if Person.objects.filter(username__iexact=name).exists():
            raise PersonError("name", f"“{name}” is taken. Choose another name to sign in with.")
        person.save()
    return person


def new_password(person: Person, password: str) -> None:
    """Set a new password: the person is signed out everywhere."""
    _set_password(person, password)
    person.save(update_fields=["password"])


def take_away(person: Person) -> None:
    """Close an account: its sessions end at once, its work stays."""
    with transaction.atomic():
        others = teachers().filter(is_active=True, is_staff=True).exclude(pk=person.pk)
        if person.is_staff and not others.exists():
            raise PersonError(
                "person",
                f"{person} is the only one who looks after Galena. Let somebody else do so first.",
            )
        Person.objects.filter(pk=person.pk).update(is_active=False)
    person.is_active = False


def let_in_again(person: Person) -> None:
    """Open an account that was taken away."""
    Person.objects.filter(pk=person.pk).update(is_active=True)
    person.is_active = True


def _set_password(person: Person, password: str) -> None:
    try:
        validate_password(password, person)
    except ValidationError as error:
        raise PersonError("password", " ".join(error.messages)) from error
    person.set_password(password)
