"""People who are named in what was made elsewhere: they have a name here, and no way in."""

import hashlib

from galena.classroom.models import Person

LONGEST = 150  # characters of a name
MADE_ELSEWHERE = "elsewhere-"  # how the account of somebody without a way in begins


def person_from_elsewhere(name: str) -> Person:
    """Give the person of a name from elsewhere, the same each time.

    That somebody here is called the same says nothing: whoever made a file could write any name.
    """
    called = " ".join(name.split())[:LONGEST] or "somebody"
    username = MADE_ELSEWHERE + hashlib.sha256(called.encode()).hexdigest()[:24]
    person = Person.objects.filter(username=username).first()
    if person is None:
        person = Person(username=username, first_name=called, is_active=False)
        person.set_unusable_password()
        person.save()
    return person
