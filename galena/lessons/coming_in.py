"""Groups come into a lesson by its code, and back by their own word."""

import secrets
import unicodedata

from django.conf import settings
from django.db import IntegrityError, transaction
from django.db.models import Max
from django.utils import timezone

from galena.classroom.codes import read_code, read_word, word_of
from galena.classroom.models import Lesson, Person
from galena.desk.models import Finding
from galena.lessons import giving
from galena.lessons.errors import LessonError
from galena.lessons.handing_out import hand_out
from galena.lessons.models import Copy

LONGEST_NAME = 40
MOST_GROUPS = 64
NO_SUCH_CODE = (
    "No lesson has this code now. Look at the code again; one that was used before ended with "
    "its lesson."
)
_SHOWN_KINDS = ("L", "N", "P", "S", "M")  # letters, digits, signs and emoji, and what joins them


def lesson_of_code(typed: str) -> Lesson:
    """Give the lesson that a code lets in. Raises LessonError."""
    code = read_code(typed)
    lesson = Lesson.objects.filter(code=code, ended_at=None).select_related("task", "teacher")
    found = lesson.first() if code else None
    if found is None:
        raise LessonError(NO_SUCH_CODE, "code")
    return found


def come_in(typed_code: str, typed_name: str, ticket: str) -> Person:
    """Make a group with its copy. Raises LessonError.

    ticket: what a form was sent with: a second click on it gives the same group.
    """
    lesson = lesson_of_code(typed_code)
    name = read_name(typed_name)
    username = f"group-{lesson.pk}-{ticket}"
    with transaction.atomic():
        before = Person.objects.filter(username=username, lesson=lesson).first()
        if before is not None and before.first_name == name:
            return before
        if not lesson.is_open:
            raise LessonError(
                f"The door of “{lesson}” is closed. Ask {lesson.teacher} to open it.", "code"
            )
        refuse_name(lesson, name)
        if lesson.groups.count() >= MOST_GROUPS:
            raise LessonError(f"{MOST_GROUPS} groups are in this lesson already.", "name")
        group = Person(
            username=username if before is None else f"{username}-{secrets.token_hex(4)}",
            first_name=name, lesson=lesson, word_seed=_free_seed(lesson), came_at=timezone.now(),
            reads_comma=lesson.teacher.reads_comma,
        )  # fmt: skip
        group.set_unusable_password()
        try:
            with transaction.atomic():
                group.save()
        except IntegrityError as error:
            raise _taken(name) from error
        _copy_for(lesson, group)
    return group


def _copy_for(lesson: Lesson, group: Person) -> Copy:
    task = lesson.task
    given = set(lesson.given.filter(to_all=True).values_list("run", flat=True))
    experiment = hand_out(task.experiment, group, task.starts_with, but=given)
    begun_with = Finding.objects.filter(sheet__experiment=experiment).aggregate(last=Max("pk"))
    copy = Copy.objects.create(
        lesson=lesson, group=group, experiment=experiment, last_finding=begun_with["last"] or 0
    )
    giving.receive_all(copy)
    giving.follow_live(task.experiment_id, experiment.pk)
    return copy


def come_back(typed_code: str, typed_word: str) -> Person:
    """Give the group of a lesson that has a word. Raises LessonError."""
    lesson = lesson_of_code(typed_code)
    typed = read_word(typed_word)
    for group in lesson.groups.filter(is_active=True):
        if secrets.compare_digest(word(group).encode(), typed.encode()):
            return group
    raise LessonError(
        "No group of this lesson has this word. Your teacher can show it to you.", "word"
    )


def word(group: Person) -> str:
    """Give the word by which a group comes back."""
    return word_of(settings.SECRET_KEY.encode(), group.word_seed)


def _free_seed(lesson: Lesson) -> str:
    """Draw a seed whose word no other group of the lesson has."""
    taken = {word(group) for group in lesson.groups.all()}
    while True:
        seed = secrets.token_hex(16)
        if word_of(settings.SECRET_KEY.encode(), seed) not in taken:
            return seed


def read_name(typed: str) -> str:
    """Read a group's name as it is shown: any writing, signs and emoji. Raises LessonError."""
    composed = unicodedata.normalize("NFC", typed[:1000])
    shown = "".join(
        sign if unicodedata.category(sign)[0] in _SHOWN_KINDS or sign == "\u200d" else " "
        for sign in composed
    )
    name = " ".join(shown.split())
    if not any(unicodedata.category(sign)[0] in "LNPS" for sign in name):
        raise LessonError("Give your group a name.", "name")
    if len(name) > LONGEST_NAME:
        raise LessonError(f"Keep the name to {LONGEST_NAME} characters.", "name")
    return name


def refuse_name(lesson: Lesson, name: str, but: Person | None = None) -> None:
    """Raise LessonError where another group of the lesson is called so."""
    taken = {group.first_name.casefold() for group in lesson.groups.all() if group != but}
    if name.casefold() in taken:
        raise _taken(name)


def _taken(name: str) -> LessonError:
    return LessonError(
        f"There is a group “{name}” already. Take another name; or, if that is you, come back "
        "with your word.", "name",
    )  # fmt: skip
