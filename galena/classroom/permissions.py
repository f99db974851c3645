"""The one answer to "may this person see or change this?".

Whatever belongs to someone has an `owner`; those who manage the school's Galena (staff) may
see and change everything.
"""

from django.db.models import QuerySet

from galena.classroom.models import Person


def visible_to(person: Person, owned: QuerySet) -> QuerySet:
    """Narrow a query over owned things down to those that a person may see and change."""
    return owned if person.is_staff else owned.filter(owner=person)
