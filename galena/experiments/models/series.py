"""What was measured: streams of instruments, their series, and readings as rows of bytes."""

from functools import lru_cache

from django.db import models

from galena.core import units
from galena.core.calibration import Correction
from galena.core.errors import UnitError
from galena.core.formats.calibration_file import CalibrationRecord, from_data
from galena.core.series import Chunk
from galena.experiments.models.experiment import Quantity
from galena.experiments.models.run import Run


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
    drift_ppm = models.FloatField(null=True, help_text="of its clock against this computer's")

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return f"{self.instrument} {self.serial}"


class Series(models.Model):
    """One row of numbers of a stream: raw readings of a quantity, or, without one, time stamps.

    The raw readings are in `unit`; `minimum`, `maximum`, `resolution` and `max_rate` are what
    the channel could read then. `calibration` is a copy of the one that the run uses, as
    core.formats.calibration_file writes it, so that a run means the same wherever it is taken.
    `stored_in` is the series that holds the readings, where this one is of a run that was given:
    nothing measured is stored twice.
    """

    stream = models.ForeignKey(Stream, models.CASCADE, related_name="series")
    quantity = models.ForeignKey(Quantity, models.RESTRICT, null=True)
    unit = models.CharField(max_length=60, blank=True)
    zero = models.FloatField(null=True, help_text="raw value that is read as zero")
    u_zero = models.FloatField(default=0.0, help_text="its standard uncertainty")
    sign = models.SmallIntegerField(default=1)
    calibration = models.JSONField(null=True)
    minimum = models.FloatField(null=True)
    maximum = models.FloatField(null=True)
    resolution = models.FloatField(null=True)
    max_rate = models.FloatField(null=True)
    stored_in = models.ForeignKey("self", models.RESTRICT, null=True, related_name="followers")

    class Meta:
        verbose_name_plural = "series"
        ordering = ["pk"]

    def __str__(self) -> str:
        return f"{self.quantity or 'time stamps'} of {self.stream}"

    @property
    def holder_id(self) -> int:
        """The key of the series whose chunks hold its readings."""
        return self.stored_in_id or self.pk

    @property
    def stored(self) -> "models.QuerySet[SeriesChunk]":
        """The chunks that hold its readings, in their order."""
        return SeriesChunk.objects.filter(series=self.holder_id).order_by("sequence")

    @property
    def record(self) -> CalibrationRecord | None:
        """The calibration that the run uses, with what it is of."""
        return None if self.calibration is None else from_data(self.calibration)

    @property
    def correction(self) -> Correction:
        """What is done to its raw readings; `quantity` must be loaded with it."""
        record = self.record
        if self.quantity is None:
            raise ValueError("Time stamps are not corrected.")
        used = record.calibration if record else None
        given = used.unit if used else self.unit
        factor, shift = into_unit(given, self.quantity.unit)
        if self.zero is not None:
            shift = 0.0  # a difference has no origin
        return Correction(self.zero, used, self.sign, factor, shift, self.u_zero)

    @property
    def corrections_said(self) -> list[str]:
        """Say what is done to the raw readings, so that they can be had back."""
        sentences = []
        if (record := self.record) is not None:
            sentences.append(f"calibration of {record.made_at} by {record.made_by}")
        if self.zero is not None:
            sentences.append(f"zero at {self.zero:.6g} {self.unit} raw")
        if self.sign < 0:
            sentences.append("reversed")
        return sentences


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
