"""All changes to lessons, their door and their groups."""

from django.contrib.sessions.models import Session
from django.db import IntegrityError, transaction
from django.utils import timezone

from galena.classroom.codes import new_code
from galena.classroom.models import Lesson, Person
from galena.experiments.flows import touch
from galena.experiments.models import Experiment
from galena.lessons import lending
from galena.lessons.coming_in import read_name, refuse_name
from galena.lessons.done import DONE, PAGES
from galena.lessons.errors import LessonError
from galena.lessons.handing_out import completed
from galena.lessons.live import tell, tell_group, tell_teacher
from galena.lessons.models import ClassQuestion, Copy, LeftOut, Task, TypedAnswer, Word

MOST_STEPS, LONGEST_STEP, LONGEST_TASK, LONGEST_WORD = 20, 500, 20_000, 500
USUAL_STEPS = (
    {"page": "bench", "text": "Set the sensor to zero.", "done": "zero"},
    {"page": "record", "text": "Record a run at a setting of your own.", "done": "run"},
    {"page": "desk", "text": "Mark off the stretch that counts, and ask something of it.",
     "done": "finding"},
    {"page": "report", "text": "Say what you found and why you believe it.", "done": "report"},
)  # fmt: skip


def begin(teacher: Person, experiment: Experiment, described: dict) -> Lesson:
    """Begin a lesson with an experiment; its door is open. Raises LessonError.

    described: `title`, `text`, `steps` and `starts_with`, as `described_of` gives them.
    """
    for _ in range(50):
        try:
            with transaction.atomic():
                lesson = Lesson.objects.create(
                    teacher=teacher, title=described["title"], code=new_code()
                )
                Task.objects.create(lesson=lesson, experiment=experiment, **_of_task(described))
                return lesson
        except IntegrityError:
            continue  # the code is another lesson's
    raise LessonError("No code is free just now. End an old lesson first.")


def describe(lesson: Lesson, described: dict) -> None:
    """Change a lesson's title and task; what copies start with holds for groups to come."""
    with transaction.atomic():
        lesson.title = described["title"]
        lesson.save(update_fields=["title"])
        Task.objects.filter(lesson=lesson).update(**_of_task(described))
    tell(lesson, "task")


def _of_task(described: dict) -> dict:
    return {name: described[name] for name in ("text", "steps", "starts_with")}


def described_of(
    title: str, text: str, steps: list[tuple[str, str, str]], starts_with: list[str]
) -> dict:
    """Read what describes a lesson. Raises LessonError."""
    title, text = " ".join(title.split()), text.replace("\r\n", "\n").strip()
    if not title or len(title) > 200:
        raise LessonError("Give the lesson a title of up to 200 characters.", "title")
    if len(text) > LONGEST_TASK:
        raise LessonError("Keep the task to 20 000 characters.", "text")
    kept = []
    for page, words, done in steps:
        words = " ".join(words.split())
        if not words:
            continue
        if page not in PAGES or not (done in ("", *DONE) or done.startswith("finding:")):
            raise LessonError("A step names a page and what counts as done. Choose both.", "steps")
        if len(words) > LONGEST_STEP:
            raise LessonError(f"Keep each step to {LONGEST_STEP} characters.", "steps")
        kept.append({"page": page, "text": words, "done": done[:60]})
    if len(kept) > MOST_STEPS:
        raise LessonError(f"A task has at most {MOST_STEPS} steps.", "steps")
    return {"title": title, "text": text, "steps": kept, "starts_with": completed(starts_with)}


def set_door(lesson: Lesson, is_open: bool) -> None:
    """Open or close the door: whether further groups can come in."""
    if lesson.ended_at is not None:
        raise LessonError("This lesson has ended. Begin another one with the same experiment.")
    lesson.is_open = is_open
    lesson.save(update_fields=["is_open"])
    tell_teacher(lesson, "door")


def rename(group: Person, typed: str) -> None:
    """Give a group another name. Raises LessonError."""
    name = read_name(typed)
    refuse_name(group.lesson, name, but=group)
    group.first_name = name
    group.save(update_fields=["first_name"])
    tell_group(group, "name")
    tell_teacher(group.lesson_id)


def exchange_copies(group: Person, other: Person) -> None:
    """Give a group's copy to another one, and the other's to it: nothing is lost."""
    if group.pk == other.pk or group.lesson_id != other.lesson_id:
        raise LessonError("Choose another group of this lesson.")
    with transaction.atomic():
        one, two = (Copy.objects.select_related("experiment").get(group=member)
                    for member in (group, other))  # fmt: skip
        first, second = one.experiment, two.experiment
        first.owner, second.owner = other, group
        for experiment in (first, second):
            experiment.save(update_fields=["owner"])
            touch(experiment)
        _exchange(one, two)
    for member in (group, other):
        tell_group(member, "copy")
    tell_teacher(group.lesson_id)


def _exchange(one: Copy, two: Copy) -> None:
    first, second = one.group_id, two.group_id
    spare = Person.objects.create(username=f"spare-{one.pk}", is_active=False)
    Copy.objects.filter(pk=one.pk).update(group=spare)
    Copy.objects.filter(pk=two.pk).update(group=first)
    Copy.objects.filter(pk=one.pk).update(group=second)
    spare.delete()


def say(lesson: Lesson, text: str, group: Person | None) -> Word:
    """Send a remark to one group or to all. Raises LessonError."""
    text = " ".join(text.split())
    if not text:
        raise LessonError("Type what you want to say first.")
    if len(text) > LONGEST_WORD:
        raise LessonError(f"Keep it to {LONGEST_WORD} characters.")
    word = Word.objects.create(lesson=lesson, group=group, text=text)
    if group is None:
        tell(lesson, "word")
    else:
        tell_group(group, "word")
    return word


def show_desk(lesson: Lesson, shown: bool) -> None:
    """Show the teacher's Desk to all groups, or no longer."""
    Task.objects.filter(lesson=lesson).update(desk_shown=shown)
    tell(lesson, "desk")


def hide_names(lesson: Lesson, hidden: bool) -> None:
    """Show answers without the names of the groups, or with them again."""
    Task.objects.filter(lesson=lesson).update(names_hidden=hidden)
    tell(lesson, "answers")


def leave_out(question: ClassQuestion, group: Person, reason: str) -> None:
    """Set a group's answer aside with a reason, or count it again without one."""
    reason = " ".join(reason.split())[:200]
    if reason:
        LeftOut.objects.update_or_create(
            question=question, group=group, defaults={"reason": reason}
        )
    else:
        LeftOut.objects.filter(question=question, group=group).delete()
    answers_changed(question)


def type_answer(question: ClassQuestion, group: Person, text: str, value: float,
                u: float | None) -> None:  # fmt: skip
    """Keep the number that a group typed; a further one takes its place."""
    TypedAnswer.objects.update_or_create(
        question=question, group=group, defaults={"text": text[:60], "value": value, "u": u}
    )
    answers_changed(question)


def answers_changed(question: ClassQuestion) -> None:
    """Have all pages that show the answers look anew."""
    tell(question.lesson_id, "answers")
    for table in question.tables.filter(frozen__isnull=True).select_related("run__experiment"):
        touch(table.run.experiment)


def end(lesson: Lesson) -> None:
    """End a lesson: its code no longer lets anybody in, lent instruments come back, groups leave;
    their copies stay with the teacher."""
    if lesson.ended_at is not None:
        return
    lending.take_all_back(lesson)
    with transaction.atomic():
        lesson.is_open, lesson.ended_at = False, timezone.now()
        lesson.save(update_fields=["is_open", "ended_at"])
        Task.objects.filter(lesson=lesson).update(desk_shown=False)
        lesson.groups.update(is_active=False)
    tell(lesson, "ended")


def sign_out(groups) -> None:
    """End the sessions of some groups."""
    keys = {str(group.pk) for group in groups}
    for session in Session.objects.filter(expire_date__gt=timezone.now()):
        if session.get_decoded().get("_auth_user_id") in keys:
            session.delete()
