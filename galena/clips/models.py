"""Clips, what tells places in their pictures, and the marks that were set."""

import numpy as np
from django.conf import settings
from django.db import models
from numpy.typing import NDArray

from galena.core import geometry
from galena.experiments.models import Experiment, Quantity, Run


class Clip(models.Model):
    """A film and what was made of it. Its files lie in a folder of their own and never change.

    `times` are those of its pictures as int64 µs from the first; `start`, `stop` and `every` say
    which pictures are measured. `u_mark` is the standard uncertainty of a mark set by hand, in
    pixels. `left_out` counts pictures whose time does not come after the one before, `missing`
    those that the camera seems to have lost. `ticket` names the same file when it is sent on.
    `is_filmed` says that it comes from a camera while it is made, `filmed` how the browser's clock
    stood to the server's, and `during` the run that it is still to be tied to. With `timed_by`, a
    run that it is tied to, its positions stand at that run's times.
    """

    class State(models.TextChoices):
        SENDING = "sending", "sending"
        PREPARING = "preparing", "preparing"
        READY = "ready", "ready"
        FAILED = "failed", "failed"

    experiment = models.ForeignKey(Experiment, models.CASCADE, related_name="clips")
    name = models.CharField(max_length=100)
    folder = models.CharField(max_length=32)
    ticket = models.CharField(max_length=200, blank=True)
    state = models.CharField(max_length=12, choices=State, default=State.SENDING)
    trouble = models.CharField(max_length=300, blank=True)
    size = models.BigIntegerField(help_text="bytes of the file as it came")
    width = models.PositiveIntegerField(default=0)
    height = models.PositiveIntegerField(default=0)
    shown_width = models.PositiveIntegerField(default=0)
    shown_height = models.PositiveIntegerField(default=0)
    times = models.BinaryField(blank=True, default=b"")
    missing = models.PositiveIntegerField(default=0)
    left_out = models.PositiveIntegerField(default=0)
    is_broken = models.BooleanField(default=False)
    is_simulated = models.BooleanField(default=False)
    start = models.PositiveIntegerField(default=0)
    stop = models.PositiveIntegerField(default=0)
    every = models.PositiveIntegerField(default=1)
    u_mark = models.FloatField(default=1.0)
    run = models.ForeignKey(Run, models.SET_NULL, null=True, related_name="clips")
    is_filmed = models.BooleanField(default=False)
    filmed = models.JSONField(default=dict)
    during = models.ForeignKey(Run, models.SET_NULL, null=True, related_name="+")
    timed_by = models.ForeignKey(Run, models.SET_NULL, null=True, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return self.name

    @property
    def ticks(self) -> NDArray[np.int64]:
        """When each picture was taken, µs from the first; shape (n,)."""
        return np.frombuffer(self.times, dtype="<i8")

    @property
    def count(self) -> int:
        """How many pictures there are."""
        return len(self.times) // 8

    @property
    def duration(self) -> float:
        """From the first picture to the last, s."""
        return float(self.ticks[-1]) / 1e6 if self.count else 0.0

    @property
    def rate(self) -> float:
        """Pictures a second, as the camera took them."""
        steps = np.diff(self.ticks)
        return 1e6 / float(np.median(steps)) if steps.size else 0.0


class Scale(models.Model):
    """A length drawn in the pictures, in pixels of the film, whose true length is known."""

    clip = models.OneToOneField(Clip, models.CASCADE, related_name="scale")
    x1 = models.FloatField()
    y1 = models.FloatField()
    x2 = models.FloatField()
    y2 = models.FloatField()
    length = models.FloatField()
    u_length = models.FloatField(default=0.0)
    text = models.CharField(max_length=60, help_text="the length as it was typed")
    unit = models.CharField(max_length=60)

    def __str__(self) -> str:
        return f"{self.text} {self.unit}"

    def geometry(self, u_mark: float) -> geometry.Scale:
        """The scale for the core, whose ends were set as surely as marks. Raises GeometryError."""
        ends = ((self.x1, self.y1), (self.x2, self.y2))
        return geometry.Scale(*ends, self.length, self.u_length, u_mark)


class SlantedPlane(models.Model):
    """A known rectangle seen at a slant: its corners in pixels of the film, in order around it.

    The first corner is its origin; to the second one goes its width. It goes before a scale.
    """

    clip = models.OneToOneField(Clip, models.CASCADE, related_name="plane")
    corners = models.JSONField(help_text="four pairs")
    width = models.FloatField()
    u_width = models.FloatField(default=0.0)
    height = models.FloatField()
    u_height = models.FloatField(default=0.0)
    width_text = models.CharField(max_length=60)
    height_text = models.CharField(max_length=60)
    unit = models.CharField(max_length=60)

    def __str__(self) -> str:
        return f"{self.width_text} × {self.height_text} {self.unit}"

    @property
    def geometry(self) -> geometry.Plane:
        """The plane for the core. Raises GeometryError."""
        corners = tuple((float(x), float(y)) for x, y in self.corners)
        return geometry.Plane(corners, self.width, self.height)


class Axes(models.Model):
    """Where positions count from, in pixels of the film, and which way."""

    clip = models.OneToOneField(Clip, models.CASCADE, related_name="axes")
    x = models.FloatField()
    y = models.FloatField()
    angle = models.FloatField(default=0.0)
    x_to_left = models.BooleanField(default=False)
    y_down = models.BooleanField(default=False)
    moves_with = models.ForeignKey("clips.TrackedObject", models.SET_NULL, null=True)

    def __str__(self) -> str:
        return f"origin at {self.x:.1f}, {self.y:.1f}"

    @property
    def geometry(self) -> geometry.Axes:
        """The axes for the core."""
        return geometry.Axes((self.x, self.y), self.angle, self.x_to_left, self.y_down)


class TrackedObject(models.Model):
    """Something whose place is marked in the pictures; it has a mark as runs have."""

    clip = models.ForeignKey(Clip, models.CASCADE, related_name="tracked")
    number = models.PositiveSmallIntegerField()
    name = models.CharField(max_length=60)
    x_quantity = models.ForeignKey(Quantity, models.SET_NULL, null=True, related_name="+")
    y_quantity = models.ForeignKey(Quantity, models.SET_NULL, null=True, related_name="+")

    class Meta:
        ordering = ["number"]
        constraints = [
            models.UniqueConstraint(fields=["clip", "number"], name="one_object_a_number")
        ]

    def __str__(self) -> str:
        return self.name


class Mark(models.Model):
    """A place of an object in a picture, in pixels of the film; the one in force is not replaced.

    `score` is how like its surroundings were, where it was followed; None where a hand set it.
    `undone_at` says that it was undone, and can be done again until something else is marked.
    """

    tracked = models.ForeignKey(TrackedObject, models.CASCADE, related_name="marks")
    picture = models.PositiveIntegerField()
    x = models.FloatField()
    y = models.FloatField()
    score = models.FloatField(null=True)
    made_at = models.DateTimeField()
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT)
    replaced_at = models.DateTimeField(null=True)
    undone_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["picture", "pk"]
        constraints = [
            models.UniqueConstraint(
                fields=["tracked", "picture"],
                condition=models.Q(replaced_at=None),
                name="one_mark_in_force",
            )
        ]

    def __str__(self) -> str:
        return f"{self.tracked} in picture {self.picture + 1}"


class Tie(models.Model):
    """A moment that is seen in a clip and recorded in a run; a second one tells the drift."""

    clip = models.ForeignKey(Clip, models.CASCADE, related_name="ties")
    run = models.ForeignKey(Run, models.CASCADE, related_name="ties")
    run_time = models.FloatField(help_text="s since the run's t = 0")
    clip_time = models.FloatField(help_text="s since the first picture")

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return f"{self.run}: {self.run_time:g} s is {self.clip_time:g} s in {self.clip}"
