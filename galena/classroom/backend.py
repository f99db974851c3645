"""Who a session belongs to, looked up by SQL that is written once; passwords as Django has them."""

from django.contrib.auth.backends import ModelBackend
from django.core.exceptions import PermissionDenied
from django.db.models import QuerySet

from galena.classroom.models import Person
from galena.shell.prepared import prepared_objects

PATH = "galena.classroom.backend.PersonBackend"


class PersonBackend(ModelBackend):
    def authenticate(self, request, username=None, password=None, **more) -> Person:
        """Give the person with this name and password.

        Raises PermissionDenied where there is none: the backend of earlier sessions, which stands
        beside this one, need not work the password out again.
        """
        person = super().authenticate(request, username, password, **more)
        if person is None:
            raise PermissionDenied
        return person

    def get_user(self, user_id: int) -> Person | None:
        """Give the person of a key who may come in, or nobody."""
        kept = prepared_objects("a person", _of_key, user_id)
        return kept[0] if kept and self.user_can_authenticate(kept[0]) else None


def _of_key(key: int) -> QuerySet[Person]:
    return Person.objects.filter(pk=key)
