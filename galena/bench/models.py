from django.conf import settings
from django.db import models

from galena.core.calibration import Calibration as Curve
from galena.core.calibration import Standard
from galena.core.formats.calibration_file import CalibrationRecord, from_data
from galena.instruments.protocols.plain_board import BoardFacts, ColumnFacts


class Instrument(models.Model):
    """A device that has been seen, told apart from others of its model by its serial."""

    maker = models.CharField(max_length=60)
    model = models.CharField(max_length=60)
    serial = models.CharField(max_length=60)
    nickname = models.CharField(max_length=60, blank=True, help_text="the name people gave it")
    seen_at = models.DateTimeField(auto_now=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["maker", "model", "serial"], name="one_device_a_serial")
        ]

    def __str__(self) -> str:
        return f"{self.label} {self.serial}"

    @property
    def label(self) -> str:
        """What people call it."""
        return self.nickname or self.model


class PrintingBoard(models.Model):
    """What people have said of a board that just prints numbers, kept with the port's own key.

    `columns` are the fields of instruments.protocols.plain_board.ColumnFacts, one a column;
    `clock` is the place of the column that is the board's clock, in units of `clock_unit`.
    """

    port = models.CharField(max_length=60, unique=True)
    columns = models.JSONField(default=list)
    clock = models.PositiveSmallIntegerField(null=True)
    clock_unit = models.CharField(max_length=5, default="ms")

    def __str__(self) -> str:
        return f"board at {self.port}"

    @property
    def facts(self) -> BoardFacts:
        described = tuple(ColumnFacts(**one) for one in self.columns)
        return BoardFacts(described, self.clock, self.clock_unit)


class KnownPlace(models.Model):
    """A place that a person has connected: it is connected again at the start.

    `key` is what a port is known by (its serial number, or the way of its cable), or the address
    of an instrument in the network; `speed` is that of a serial line.
    """

    key = models.CharField(max_length=250, unique=True)
    address = models.CharField(max_length=250)
    speed = models.PositiveIntegerField(null=True)

    def __str__(self) -> str:
        return self.address


class Channel(models.Model):
    """One stream of values of an instrument, as the instrument describes it.

    Its zeros, sign and calibration stay with it, whoever plugs it in again.
    """

    instrument = models.ForeignKey(Instrument, models.CASCADE, related_name="channels")
    ident = models.CharField(max_length=40)
    name = models.CharField(max_length=100)
    symbol = models.CharField(max_length=20)
    unit = models.CharField(max_length=60)
    minimum = models.FloatField()
    maximum = models.FloatField()
    max_rate = models.FloatField()
    decimals = models.PositiveSmallIntegerField()
    resolution = models.FloatField(default=0.0)
    reversed = models.BooleanField(default=False)
    calibration = models.ForeignKey(
        "Calibration", models.SET_NULL, null=True, related_name="in_force_on"
    )

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.UniqueConstraint(fields=["instrument", "ident"], name="one_channel_an_ident")
        ]

    def __str__(self) -> str:
        return self.name

    @property
    def source(self) -> str:
        """What an experiment's quantity is tied to."""
        device = self.instrument
        return f"{device.maker}|{device.model}|{device.serial}|{self.ident}"

    @property
    def zero_in_force(self) -> "Zero | None":
        """The latest zero that was not undone."""
        return max(
            (zero for zero in self.zeros.all() if zero.undone_at is None),
            key=lambda zero: zero.pk,
            default=None,
        )

    @property
    def zero_value(self) -> float | None:
        """The raw value that is read as zero, if one is."""
        zero = self.zero_in_force
        return None if zero is None else zero.value

    @property
    def u_zero(self) -> float:
        """The standard uncertainty of that value."""
        zero = self.zero_in_force
        return 0.0 if zero is None else zero.u

    @property
    def sign(self) -> int:
        return -1 if self.reversed else 1

    @property
    def record(self) -> CalibrationRecord | None:
        """The calibration in force, with what it is of."""
        return None if self.calibration is None else self.calibration.record


class Zero(models.Model):
    """A raw value that is read as zero, from a moment on until undone or zeroed again."""

    channel = models.ForeignKey(Channel, models.CASCADE, related_name="zeros")
    value = models.FloatField()
    u = models.FloatField(default=0.0, help_text="its standard uncertainty")
    set_at = models.DateTimeField()
    set_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT)
    undone_at = models.DateTimeField(null=True)

    def __str__(self) -> str:
        return f"{self.channel} zero {self.value}"


class CalibrationQuerySet(models.QuerySet):
    def kept(self) -> "CalibrationQuerySet":
        """Leave out those that are still being made."""
        return self.exclude(made_at=None)


class Calibration(models.Model):
    """A curve through standards; while it is being made it has standards and no date.

    `data` is what core.formats.calibration_file writes.
    """

    channel = models.ForeignKey(Channel, models.CASCADE, related_name="calibrations")
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT)
    made_at = models.DateTimeField(null=True)
    model = models.CharField(max_length=12, default="line")
    quantity = models.CharField(max_length=100)
    symbol = models.CharField(max_length=20)
    unit = models.CharField(max_length=60, blank=True)
    data = models.JSONField(null=True)
    origin = models.CharField(max_length=200, blank=True, help_text="where it was read from")

    objects = CalibrationQuerySet.as_manager()

    class Meta:
        ordering = ["-made_at", "-pk"]
        constraints = [
            models.UniqueConstraint(
                fields=["channel", "made_by"],
                condition=models.Q(made_at=None),
                name="one_calibration_in_the_making_a_person",
            )
        ]

    def __str__(self) -> str:
        return f"calibration of {self.channel}"

    @property
    def record(self) -> CalibrationRecord | None:
        return None if self.data is None else from_data(self.data)

    @property
    def curve(self) -> Curve | None:
        record = self.record
        return None if record is None else record.calibration


class Take(models.Model):
    """A standard with its known value and the mean raw reading of it over some seconds."""

    calibration = models.ForeignKey(Calibration, models.CASCADE, related_name="takes")
    known = models.FloatField()
    known_text = models.CharField(max_length=40, help_text="as it was typed, with its zeros")
    u_known = models.FloatField(default=0.0)
    mean = models.FloatField()
    sd = models.FloatField(null=True)
    count = models.PositiveIntegerField()
    seconds = models.FloatField()
    taken_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return f"{self.known} read as {self.mean}"

    @property
    def u_raw(self) -> float:
        """Standard error of the mean."""
        return (self.sd or 0.0) / self.count**0.5

    @property
    def standard(self) -> Standard:
        return Standard(self.known, self.mean, self.u_known, self.u_raw)
