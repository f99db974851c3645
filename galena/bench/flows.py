"""All changes to instruments, their channels, zeros, signs and names."""

from collections.abc import Sequence

from django.db import transaction
from django.utils import timezone

from galena.bench.channel_display import display
from galena.bench.models import Channel, Instrument, Zero
from galena.core.numbers import decimals_of
from galena.experiments.flows import touch
from galena.experiments.models import Experiment, into_unit
from galena.instruments.protocols.line_v1 import ChannelFacts, Identity


def register(identity: Identity, channels: tuple[ChannelFacts, ...]) -> list[Channel]:
    """Keep what an instrument says of itself; gives its channels in its order."""
    with transaction.atomic():
        instrument, _ = Instrument.objects.update_or_create(
            maker=identity.maker, model=identity.model, serial=identity.serial
        )
        for facts in channels:
            stated = {
                "name": facts.quantity,
                "symbol": facts.symbol,
                "unit": facts.unit,
                "minimum": facts.min,
                "maximum": facts.max,
                "max_rate": facts.max_rate,
                "resolution": facts.resolution,
            }
            first = stated | {"decimals": decimals_of(facts.resolution)}
            Channel.objects.update_or_create(
                instrument=instrument, ident=facts.id, defaults=stated, create_defaults=first
            )
    by_ident = {channel.ident: channel for channel in channels_of(instrument.pk)}
    return [by_ident[facts.id] for facts in channels]


def channels_of(instrument_id: int) -> list[Channel]:
    """Give the channels of an instrument with all that the bench asks of them."""
    return list(
        Channel.objects.filter(instrument=instrument_id)
        .select_related("instrument", "calibration")
        .prefetch_related("zeros")
    )


def name_instrument(instrument: Instrument, name: str) -> None:
    """Give an instrument a name that is kept with its serial; an empty one takes it away."""
    instrument.nickname = name.strip()[:60]
    instrument.save(update_fields=["nickname"])


def zero(values: Sequence[tuple[Channel, float, *tuple[float, ...]]], person) -> list[Zero]:
    """Read these raw values as zero from now on, together; raw readings stay as they are.

    values: each with its channel and, where it is known, its standard uncertainty.
    """
    now = timezone.now()
    zeros = [
        Zero(channel=channel, value=value, u=u[0] if u else 0.0, set_at=now, set_by=person)
        for channel, value, *u in values
    ]
    return Zero.objects.bulk_create(zeros)


def undo_zero(channel: Channel) -> Zero | None:
    """Take back the zero in force; the one before it, if there is one, is in force again."""
    latest = channel.zero_in_force
    if latest is not None:
        latest.undone_at = timezone.now()
        latest.save(update_fields=["undone_at"])
    return latest


def channels_of_zeros(zeros: Sequence[int]) -> list[int]:
    """Give the keys of the channels that some zeros are of."""
    return list(Zero.objects.filter(pk__in=zeros).values_list("channel_id", flat=True))


def undo_zeros_of(zeros: Sequence[int]) -> int:
    """Take back zeros that were set together; gives how many were still in force."""
    return Zero.objects.filter(pk__in=zeros, undone_at=None).update(undone_at=timezone.now())


def reverse(channel: Channel) -> None:
    """Turn the direction of a channel round."""
    channel.reversed = not channel.reversed
    channel.save(update_fields=["reversed"])


def describe(
    experiment: Experiment,
    shown: display.Shown,
    *,
    name: str = "",
    symbol: str = "",
    unit: str | None = None,
    decimals: int | None = None,
    used: bool | None = None,
) -> None:
    """Set how an experiment shows a channel; what is not given stays.

    A new unit takes the decimals along: 412.6 mm become 41.26 cm.
    """
    with transaction.atomic():
        quantity = display.quantity_for(experiment, shown)
        if unit is not None and unit != quantity.unit:
            factor, _ = into_unit(quantity.unit, unit)
            step = 10.0**-quantity.decimals * abs(factor)
            quantity.decimals = display.decimals_for(step, quantity.decimals)
            quantity.unit = unit
        quantity.name = name.strip()[:100] or quantity.name
        quantity.symbol = symbol.strip()[:20] or quantity.symbol
        quantity.decimals = quantity.decimals if decimals is None else decimals
        quantity.used = quantity.used if used is None else used
        quantity.save()
        touch(experiment)
