from django.conf import settings
from django.db import models

from galena.core.calibration import Correction


class Instrument(models.Model):
    """A device that has been seen, told apart from others of its model by its serial."""

    maker = models.CharField(max_length=60)
    model = models.CharField(max_length=60)
    serial = models.CharField(max_length=60)
    seen_at = models.DateTimeField(auto_now=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["maker", "model", "serial"], name="one_device_a_serial")
        ]

    def __str__(self) -> str:
        return f"{self.model} {self.serial}"


class Channel(models.Model):
    """One stream of values of an instrument, as the instrument describes it."""

    instrument = models.ForeignKey(Instrument, models.CASCADE, related_name="channels")
    ident = models.CharField(max_length=40)
    name = models.CharField(max_length=100)
    symbol = models.CharField(max_length=20)
    unit = models.CharField(max_length=60)
    minimum = models.FloatField()
    maximum = models.FloatField()
    max_rate = models.FloatField()
    decimals = models.PositiveSmallIntegerField()

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
    def correction(self) -> Correction:
        zero = self.zero_in_force
        return Correction(zero.value if zero else 0.0)


class Zero(models.Model):
    """A raw value that is read as zero, from a moment on until undone or zeroed again."""

    channel = models.ForeignKey(Channel, models.CASCADE, related_name="zeros")
    value = models.FloatField()
    set_at = models.DateTimeField(auto_now_add=True)
    set_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT)
    undone_at = models.DateTimeField(null=True)

    def __str__(self) -> str:
        return f"{self.channel} zero {self.value}"
