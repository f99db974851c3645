"""What a lesson is made of, and what comes of it."""

from django.conf import settings
from django.db import models

from galena.bench.models import Instrument
from galena.classroom.models import Lesson
from galena.core import units
from galena.experiments.models import Experiment, Run

GROUP = settings.AUTH_USER_MODEL


class Task(models.Model):
    """What the groups of a lesson are told, and what their copies start with.

    `steps` is a list of `page`, `text` and `done`, a key of `done.DONE` or nothing. `starts_with`
    lists keys of `handing_out.CHOICES`. `desk_shown` says that the teacher shows their Desk,
    `names_hidden` that answers are shown without names.
    """

    lesson = models.OneToOneField(Lesson, models.CASCADE, related_name="task")
    experiment = models.ForeignKey(Experiment, models.PROTECT, related_name="tasks")
    text = models.TextField(blank=True)
    steps = models.JSONField(default=list, blank=True)
    starts_with = models.JSONField(default=list, blank=True)
    desk_shown = models.BooleanField(default=False)
    names_hidden = models.BooleanField(default=False)

    def __str__(self) -> str:
        return f"task of {self.lesson}"


class Copy(models.Model):
    """A group's own copy of the lesson's experiment."""

    lesson = models.ForeignKey(Lesson, models.CASCADE, related_name="copies")
    group = models.OneToOneField(GROUP, models.CASCADE, related_name="copy")
    experiment = models.OneToOneField(Experiment, models.PROTECT, related_name="copy")
    made_at = models.DateTimeField(auto_now_add=True)
    last_finding = models.BigIntegerField(default=0, help_text="of those that it began with")

    class Meta:
        verbose_name_plural = "copies"
        ordering = ["pk"]

    def __str__(self) -> str:
        return f"copy of {self.group}"


class GivenRun(models.Model):
    """A run that the teacher gives to all groups, to those as well that come in later."""

    lesson = models.ForeignKey(Lesson, models.CASCADE, related_name="given")
    run = models.ForeignKey(Run, models.CASCADE, related_name="+")
    to_all = models.BooleanField(default=True, help_text="or to those only who took it")
    given_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.UniqueConstraint(fields=["lesson", "run"], name="one_gift_a_run_and_lesson")
        ]

    def __str__(self) -> str:
        return f"{self.run} given"


class Received(models.Model):
    """A given run in a group's copy."""

    given = models.ForeignKey(GivenRun, models.CASCADE, related_name="received")
    copy = models.ForeignKey(Copy, models.CASCADE, related_name="received")
    run = models.OneToOneField(Run, models.CASCADE, related_name="received")

    class Meta:
        verbose_name_plural = "received"
        constraints = [
            models.UniqueConstraint(fields=["given", "copy"], name="one_given_run_a_copy")
        ]

    def __str__(self) -> str:
        return f"{self.run} of {self.copy}"


class Loan(models.Model):
    """An instrument that a group uses from its own device until it comes back."""

    lesson = models.ForeignKey(Lesson, models.CASCADE, related_name="loans")
    instrument = models.ForeignKey(Instrument, models.CASCADE, related_name="loans")
    group = models.ForeignKey(GROUP, models.CASCADE, related_name="loans")
    lent_at = models.DateTimeField(auto_now_add=True)
    back_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.UniqueConstraint(
                fields=["instrument"],
                condition=models.Q(back_at=None),
                name="one_loan_an_instrument",
            )
        ]

    def __str__(self) -> str:
        return f"{self.instrument} to {self.group}"


class ClassQuestion(models.Model):
    """A question to all groups: of a finding in their copies, or for a number that they type.

    kind: `typed`, `named` (a finding by its name) or a question of the Desk, asked of a span by
    its letter; `details` then has `span`, `quantity` (its symbol) and `number` (its key).
    """

    lesson = models.ForeignKey(Lesson, models.CASCADE, related_name="questions")
    words = models.CharField(max_length=120)
    symbol = models.CharField(max_length=20, blank=True)
    unit = models.CharField(max_length=60, blank=True)
    kind = models.CharField(max_length=30)
    details = models.JSONField(default=dict, blank=True)
    asked_at = models.DateTimeField(auto_now_add=True)
    is_shown = models.BooleanField(default=False, help_text="whether groups see all answers")

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return self.words

    @property
    def heading(self) -> str:
        """What stands over a column of answers: slope of A / (mm/s)."""
        unit = units.shown(self.unit) if self.unit else ""
        words = self.symbol or self.words
        compound = any(sign in unit for sign in "/ ·")
        return f"{words} / ({unit})" if compound else f"{words} / {unit}" if unit else words


class TypedAnswer(models.Model):
    """What a group typed, in its newest version; `u` is its standard uncertainty."""

    question = models.ForeignKey(ClassQuestion, models.CASCADE, related_name="typed")
    group = models.ForeignKey(GROUP, models.CASCADE, related_name="typed_answers")
    text = models.CharField(max_length=60)
    value = models.FloatField()
    u = models.FloatField(null=True)
    typed_at = models.DateTimeField(auto_now=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["question", "group"], name="one_answer_a_group")
        ]

    def __str__(self) -> str:
        return self.text


class LeftOut(models.Model):
    """A group whose answer is set aside, with the reason; it is shown all the same."""

    question = models.ForeignKey(ClassQuestion, models.CASCADE, related_name="left_out")
    group = models.ForeignKey(GROUP, models.CASCADE, related_name="+")
    reason = models.CharField(max_length=200)

    class Meta:
        verbose_name_plural = "left out"
        constraints = [
            models.UniqueConstraint(fields=["question", "group"], name="one_reason_a_group")
        ]

    def __str__(self) -> str:
        return self.reason


class AnswersTable(models.Model):
    """Everyone's answers as a run at a Desk; they follow the groups until they are frozen.

    `frozen` holds, for each row, the group's name, the value, its uncertainty, and whether it is
    left out, with the reason.
    """

    run = models.OneToOneField(Run, models.CASCADE, related_name="answers_table")
    question = models.ForeignKey(ClassQuestion, models.SET_NULL, null=True, related_name="tables")
    columns = models.JSONField(default=dict)
    frozen = models.JSONField(null=True)

    def __str__(self) -> str:
        return f"answers in {self.run}"


class Word(models.Model):
    """A remark of the teacher to one group or, without one, to all, that appears on their page."""

    lesson = models.ForeignKey(Lesson, models.CASCADE, related_name="words")
    group = models.ForeignKey(GROUP, models.CASCADE, null=True, related_name="words")
    text = models.CharField(max_length=500)
    said_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return self.text


class HandIn(models.Model):
    """A group's report as it was handed in: a frozen copy, with its PDF and the experiment file.

    `page` is the report as it is shown, `folder` where the files are.
    """

    copy = models.ForeignKey(Copy, models.CASCADE, related_name="hand_ins")
    number = models.PositiveIntegerField()
    title = models.CharField(max_length=200)
    text = models.TextField(blank=True)
    page = models.TextField()
    folder = models.CharField(max_length=40)
    handed_in_at = models.DateTimeField(auto_now_add=True)
    handed_back_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["number"]
        constraints = [
            models.UniqueConstraint(fields=["copy", "number"], name="one_hand_in_a_number")
        ]

    def __str__(self) -> str:
        return f"{self.title}, {self.number}"

    @property
    def state(self) -> str:
        return "handed back" if self.handed_back_at else "handed in"


class Remark(models.Model):
    """What the teacher says to a place of a report that was handed in.

    `place` names the paragraph, figure or number as `places` counts them; `quote` begins as what
    stands there.
    """

    hand_in = models.ForeignKey(HandIn, models.CASCADE, related_name="remarks")
    place = models.CharField(max_length=40)
    quote = models.CharField(max_length=120, blank=True)
    text = models.CharField(max_length=1000)
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return self.text
