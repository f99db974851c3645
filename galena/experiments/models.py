"""What is kept of an experiment. Readings are rows of bytes, many to a row; see `readings`."""

from functools import lru_cache

from django.conf import settings
from django.db import models

from galena.core import units
from galena.core.calibration import Correction
from galena.core.errors import UnitError
from galena.core.formats.calibration_file import CalibrationRecord, from_data
from galena.core.series import Chunk
from galena.shell.marks import Mark, mark_of


class Experiment(models.Model):
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT)
    title = models.CharField(max_length=200)
    created_at = models.DateTimeField(auto_now_add=True)
    changed_at = models.DateTimeField(auto_now=True)

    def __str__(self) -> str:
        return self.title

    @property
    def measured(self) -> "models.QuerySet[Quantity]":
        """The quantities of which a kept run has readings."""
        kept = {"series__stream__run__removed_at": None}
        return self.quantities.filter(series__isnull=False, **kept).distinct().order_by("pk")


class Quantity(models.Model):
    """A named column. `source` tells which channel of which instrument measures it."""

    experiment = models.ForeignKey(Experiment, models.CASCADE, related_name="quantities")
    name = models.CharField(max_length=100)
    symbol = models.CharField(max_length=20)
    unit = models.CharField(max_length=60, blank=True)
    decimals = models.PositiveSmallIntegerField(default=2)
    source = models.CharField(max_length=200)
    used = models.BooleanField(default=True, help_text="whether its channel is on at the bench")

    class Meta:
        verbose_name_plural = "quantities"
        constraints = [
            models.UniqueConstraint(fields=["experiment", "source"], name="one_quantity_a_source")
        ]

    def __str__(self) -> str:
        return self.name


class Condition(models.Model):
    """A named value that holds during a run."""

    experiment = models.ForeignKey(Experiment, models.CASCADE, related_name="conditions")
    name = models.CharField(max_length=100)
    unit = models.CharField(max_length=60, blank=True)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return self.name


class RunQuerySet(models.QuerySet):
    def kept(self) -> "RunQuerySet":
        """Leave out the removed runs."""
        return self.filter(removed_at=None)


class Run(models.Model):
    """One recording. `ending` says in a sentence why it ended other than as planned."""

    class State(models.TextChoices):
        RECORDING = "recording", "recording"
        FINISHED = "finished", "finished"
        INTERRUPTED = "interrupted", "interrupted"

    experiment = models.ForeignKey(Experiment, models.CASCADE, related_name="runs")
    number = models.PositiveIntegerField()
    note = models.CharField(max_length=200, blank=True)
    state = models.CharField(max_length=12, choices=State, default=State.RECORDING)
    rate = models.FloatField(help_text="planned readings a second")
    duration = models.FloatField(help_text="planned, in seconds")
    started_at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True)
    started_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT)
    ending = models.CharField(max_length=300, blank=True)
    shown = models.BooleanField(default=True)
    removed_at = models.DateTimeField(null=True)

    objects = RunQuerySet.as_manager()

    class Meta:
        ordering = ["number"]
        constraints = [
            models.UniqueConstraint(fields=["experiment", "number"], name="one_run_a_number"),
            models.UniqueConstraint(
                fields=["experiment"],
                condition=models.Q(state="recording"),
                name="one_run_recording_at_a_time",
            ),
        ]

    def __str__(self) -> str:
        return f"run {self.number}"

    @property
    def mark(self) -> Mark:
        return mark_of(self.number)

    @property
    def label(self) -> str:
        """Its conditions and note in a few words."""
        held = [value.shown for value in self.condition_values.all() if value.text]
        return " · ".join([*held, self.note] if self.note else held)


class ConditionValue(models.Model):
    run = models.ForeignKey(Run, models.CASCADE, related_name="condition_values")
    condition = models.ForeignKey(Condition, models.CASCADE)
    text = models.CharField(max_length=60, blank=True)

    class Meta:
        ordering = ["condition_id"]
        constraints = [
            models.UniqueConstraint(fields=["run", "condition"], name="one_value_a_condition")
        ]

    def __str__(self) -> str:
        return f"{self.condition.name} {self.text} {self.condition.unit}".strip()

    @property
    def shown(self) -> str:
        return str(self)


class Stream(models.Model):
    """What one instrument gave to one run.

    Its clock read `origin_us` at the run's t = 0, and a second of it is `scale` seconds of the
    clock of the run's first instrument.
    """

    run = models.ForeignKey(Run, models.CASCADE, related_name="streams")
    instrument = models.CharField(max_length=120)
    serial = models.CharField(max_length=60)
    origin_us = models.BigIntegerField(null=True)
    scale = models.FloatField(default=1.0)
    lost = models.PositiveIntegerField(default=0)
    garbled = models.PositiveIntegerField(default=0)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return f"{self.instrument} {self.serial}"


class Series(models.Model):
    """One row of numbers of a stream: raw readings of a quantity, or, without one, time stamps.

    The raw readings are in `unit`. `calibration` is a copy of the one that the run uses, as
    core.formats.calibration_file writes it, so that a run means the same wherever it is taken.
    """

    stream = models.ForeignKey(Stream, models.CASCADE, related_name="series")
    quantity = models.ForeignKey(Quantity, models.RESTRICT, null=True)
    unit = models.CharField(max_length=60, blank=True)
    zero = models.FloatField(null=True, help_text="raw value that is read as zero")
    sign = models.SmallIntegerField(default=1)
    calibration = models.JSONField(null=True)

    class Meta:
        verbose_name_plural = "series"
        ordering = ["pk"]

    def __str__(self) -> str:
        return f"{self.quantity or 'time stamps'} of {self.stream}"

    @property
    def record(self) -> CalibrationRecord | None:
        """The calibration that the run uses, with what it is of."""
        return None if self.calibration is None else from_data(self.calibration)

    @property
    def correction(self) -> Correction:
        """What is done to its raw readings; `quantity` must be loaded with it."""
        record = self.record
        used = record.calibration if record else None
        given = used.unit if used else self.unit
        factor, shift = into_unit(given, self.quantity.unit)
        if self.zero is not None:
            shift = 0.0  # a difference has no origin
        return Correction(self.zero, used, self.sign, factor, shift)

    @property
    def corrections_said(self) -> list[str]:
        """Say what is done to the raw readings, so that they can be had back."""
        said = []
        if (record := self.record) is not None:
            said.append(f"calibration of {record.made_at} by {record.made_by}")
        if self.zero is not None:
            said.append(f"zero at {self.zero:.6g} {self.unit} raw")
        if self.sign < 0:
            said.append("reversed")
        return said


@lru_cache(maxsize=512)
def into_unit(unit: str, to: str) -> tuple[float, float]:
    """Give factor and shift from one unit as typed into another; none where they do not fit."""
    if unit == to:
        return 1.0, 0.0
    try:
        return units.affine(units.parse(unit), units.parse(to))
    except UnitError:
        return 1.0, 0.0


class SeriesChunk(models.Model):
    """So many readings as bytes; never changed once written."""

    series = models.ForeignKey(Series, models.CASCADE, related_name="chunks")
    sequence = models.PositiveIntegerField()
    first_index = models.BigIntegerField()
    count = models.PositiveIntegerField()
    data = models.BinaryField()
    crc32 = models.BigIntegerField()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["series", "sequence"], name="one_chunk_a_sequence")
        ]

    def __str__(self) -> str:
        return f"readings {self.first_index + 1} to {self.first_index + self.count}"

    @property
    def content(self) -> Chunk:
        return Chunk(self.first_index, self.count, bytes(self.data), self.crc32)
