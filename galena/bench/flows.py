"""All changes to instruments, channels and zeros."""

from django.db import transaction
from django.utils import timezone

from galena.bench.models import Channel, Instrument, Zero
from galena.core.numbers import decimals_of
from galena.instruments.protocol import ChannelFacts, Identity


def register(identity: Identity, channels: tuple[ChannelFacts, ...]) -> list[Channel]:
    """Keep what an instrument says of itself; gives its channels in its order."""
    with transaction.atomic():
        instrument, _ = Instrument.objects.update_or_create(
            maker=identity.maker, model=identity.model, serial=identity.serial
        )
        for facts in channels:
            said = {
                "name": facts.quantity,
                "symbol": facts.symbol,
                "unit": facts.unit,
                "minimum": facts.min,
                "maximum": facts.max,
                "max_rate": facts.max_rate,
            }
            first = said | {"decimals": decimals_of(facts.resolution)}
            Channel.objects.update_or_create(
                instrument=instrument, ident=facts.id, defaults=said, create_defaults=first
            )
    known = {channel.ident: channel for channel in channels_of(instrument.pk)}
    return [known[facts.id] for facts in channels]


def channels_of(instrument_id: int) -> list[Channel]:
    """Give the channels of an instrument with all that the bench asks of them."""
    return list(
        Channel.objects.filter(instrument=instrument_id)
        .select_related("instrument")
        .prefetch_related("zeros")
    )


def zero(channel: Channel, value: float, person) -> Zero:
    """Read this raw value as zero from now on; raw readings stay as they are."""
    return Zero.objects.create(channel=channel, value=value, set_by=person)


def undo_zero(channel: Channel) -> Zero | None:
    """Take back the zero in force; the one before it, if there is one, is in force again."""
    latest = channel.zero_in_force
    if latest is not None:
        latest.undone_at = timezone.now()
        latest.save(update_fields=["undone_at"])
    return latest
