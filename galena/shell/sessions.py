"""Sessions in the database, as Django keeps them, looked up by SQL that is written once.

Each answer begins with it: of the answer that a graph is drawn from it took an eighth.
"""

from django.contrib.sessions.backends.db import SessionStore as StoreOfDjango
from django.contrib.sessions.models import Session
from django.db.models import QuerySet
from django.utils import timezone

from galena.shell.prepared import prepared_objects


class SessionStore(StoreOfDjango):  # the name is part of what signs a session: it stays
    def _get_session_from_db(self) -> Session | None:
        kept = prepared_objects("a session", _of_key, self.session_key or "")
        if kept and kept[0].expire_date > timezone.now():
            return kept[0]
        self._session_key = None
        return None


def _of_key(key: str) -> QuerySet[Session]:
    return Session.objects.filter(session_key=key)
