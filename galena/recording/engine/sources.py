"""Where a run's readings come from: the links of its channels, and the rigs behind them."""

from dataclasses import dataclass, replace
from typing import TypeVar

from galena.bench.channel_display.display import Shown
from galena.bench.live.bench import Bench
from galena.bench.live.feed import Feed
from galena.bench.models import Channel
from galena.core import plans
from galena.core.calibration import Correction
from galena.core.plans import ArmedPlan, Limit, SteadyPlan, Timed
from galena.instruments.link import Link
from galena.recording.acquisition.scenes import SceneWatcher
from galena.recording.engine.state import Wish
from galena.recording.errors import NothingToRecord

PlanT = TypeVar("PlanT", SteadyPlan, ArmedPlan)


@dataclass(frozen=True)
class Source:
    """An instrument, the columns wanted of it, and how their channels are shown."""

    link: Link
    columns: list[int]
    shown: list[Shown]

    @property
    def own_rate(self) -> float:
        """The readings a second that it gives, whatever it is asked; 0 where it can be asked."""
        return self.link.own_rate

    @property
    def corrections(self) -> list[Correction]:
        return [one.correction for one in self.shown]


def find(bench: Bench, wish: Wish, plan: Timed | None = None) -> list[Source]:
    """Give the instruments of the wished channels.

    Raises NothingToRecord, or PlanError where a channel cannot give the plan's rate.
    """
    feeds = _feeds(bench, wish.channels)
    bench.loans.refuse(wish.person, [feed for feed, _ in feeds])
    shown_by_key = bench.show(wish.experiment)
    sources = [
        Source(feed.link, columns, [shown_by_key[feed.channels[one].pk] for one in columns])
        for feed, columns in feeds
    ]
    if plan is not None:
        everything = [one for source in sources if not source.own_rate for one in source.shown]
        limits = (Limit(name_of(one.channel), one.channel.max_rate) for one in everything)
        plans.check(plan, limits)
    return sources


def paced(plan: PlanT, chosen: list[Source]) -> PlanT:
    """Give a plan the rate of the instrument, where none can be told one: it records what comes.

    Raises PlanError where that are more readings than a run holds.
    """
    if any(not source.own_rate for source in chosen):
        return plan
    return replace(plan, rate=chosen[0].own_rate)


def scenes(
    bench: Bench, links: list[Link], lasts: float | None, *, waiting: bool = False
) -> SceneWatcher:
    """Begin to look at the rigs behind these links; lasts: how long, in their own seconds."""
    used = {str(link.address) for link in links}
    rigs = [one for one in bench.room.plugged.values() if used & set(one.addresses)]
    pace = links[0].stream.clock.pace
    return SceneWatcher(rigs, lasts and lasts / pace, waiting=waiting)


def name_of(channel: Channel) -> str:
    """Name a channel so that it cannot be mistaken."""
    return f"{channel.name} ({channel.instrument.model} {channel.instrument.serial})"


def _feeds(bench: Bench, channel_ids: list[int]) -> list[tuple[Feed, list[int]]]:
    if not channel_ids:
        raise NothingToRecord("No channel is chosen. Tick at least one to record.")
    feeds: dict[int, tuple[Feed, list[int]]] = {}
    for channel_id in dict.fromkeys(channel_ids):
        place = bench.feed_of(channel_id)
        if place is None:
            channel = Channel.objects.select_related("instrument").filter(pk=channel_id).first()
            name = name_of(channel) if channel else "A channel"
            raise NothingToRecord(
                f"{name} gives no readings now. Is its cable in? The Bench says more."
            )
        feed, column = place
        feeds.setdefault(feed.key, (feed, []))[1].append(column)
    return list(feeds.values())
