"""The bench of this computer as it is now: links to instruments and what they give.

One process holds one bench. Readings arrive in the links' threads; events leave from the event
loop, encoded once for all who watch the same experiment (`publishing`).
"""

import asyncio
import contextlib
import logging
import threading
from collections.abc import Callable, Iterable
from functools import partial
from pathlib import Path

from django.conf import settings
from django.db import DatabaseError, close_old_connections, connections

from galena.bench import flows
from galena.bench.boards import flows as board_flows
from galena.bench.channel_display import display
from galena.bench.channel_display.display import Shown
from galena.bench.live import strips
from galena.bench.live.feed import Feed
from galena.bench.live.hub import Hub
from galena.bench.live.in_use import Uses, refuse
from galena.bench.live.known_ports import KnownPorts
from galena.bench.live.loans import Loans
from galena.bench.live.publishing import Publisher
from galena.bench.models import Channel, KnownPlace
from galena.classroom.models import Person
from galena.experiments.models import Experiment
from galena.instruments import address as addresses
from galena.instruments import discovery
from galena.instruments.address import Address
from galena.instruments.errors import InstrumentError
from galena.instruments.link import ANSWER_WITHIN, Connect, Link
from galena.instruments.link_state import StreamStart
from galena.instruments.protocols.line_v1 import Block
from galena.instruments.protocols.recognising import Recogniser
from galena.instruments.rigs.room import RigRoom
from galena.instruments.visa import list_meters

MOST_EXPERIMENTS = 200  # so many pages of groups and teachers are open at most
log = logging.getLogger(__name__)


class Bench:
    """All links of this process, the rigs plugged in, and how experiments show them."""

    def __init__(self, patience: float = ANSWER_WITHIN) -> None:
        self.patience = patience
        self.hub = Hub()
        self.room = RigRoom(1.5 * patience)
        self.feeds: dict[Address, Feed] = {}
        self.places: list[discovery.Place] = []
        self.tolerances: dict[int, float] = {}  # by experiment, while its strips are matched
        self.publisher = Publisher(self)
        self.uses: Uses = list  # set by what records
        self.loans = Loans()
        self.list_ports: discovery.Lister = discovery.list_serial_ports
        self.list_meters: Callable[[], Iterable[str]] = list_meters
        self.typed: list[Address] = []  # addresses in the network
        self.known_ports = KnownPorts(lambda: self.list_ports())
        self._recogniser = Recogniser(
            board_flows.facts_of,
            self.known_ports.key_of,
            own_commands=Path(settings.DATA_DIR) / "scpi_commands.txt",
        )
        self.setups: dict[int, dict[int, Shown]] = {}
        self._owners: dict[int, Person] = {}  # of the experiments in `_setups`
        self._stand_ins: list[str] = []
        self._keys = 0
        self._lock = threading.RLock()
        self._task: asyncio.Task[None] | None = None

    def start(self, stand_ins: list[str], known: Iterable[KnownPlace] = ()) -> None:
        """Connect to the stand-ins and what is known; begin to publish. Called in the event loop.

        known: places that a person has connected before.
        """
        self.hub = Hub()
        known = list(known)
        self.typed = [addresses.parse(one.address) for one in known if one.speed is None]
        self.known_ports.begin(known)
        self.room.find(stand_ins)
        self._stand_ins = list(stand_ins)
        self.setups.clear()
        self._owners.clear()
        self.tolerances.clear()
        self.look_again()
        for where in self._stand_ins:
            self.connect(discovery.stand_in(where).address)
        for place in self.places:
            if place.address in self.typed or place.address in self.known_ports:
                self.connect(self.known_ports.at_its_speed(place.address))
        self._task = asyncio.get_running_loop().create_task(self.publisher.publish_forever())

    async def stop(self) -> None:
        """Let go of all instruments and take all rigs away."""
        self.hub.close()
        if self._task is not None:
            self._task.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await self._task
        await self.publisher.stop()
        feeds = list(self.feeds.values())
        await asyncio.gather(*(asyncio.to_thread(feed.link.stop) for feed in feeds))
        self.feeds.clear()
        await asyncio.to_thread(self.room.close)

    def look_again(self) -> None:
        """List what may be an instrument now, and forget those that are gone for good."""
        self._list_places()
        self._forget_gone()

    def _list_places(self) -> None:
        self.places = discovery.find(self._stand_ins, self.list_ports, self.typed, self.list_meters)

    def add_typed(self, address: Address) -> None:
        """Put an address that was typed on the list of places."""
        if address not in self.typed:
            self.typed.append(address)
        self._list_places()

    def remove_typed(self, address: Address) -> None:
        """Let go of an address that was typed."""
        self.typed = [one for one in self.typed if one != address]
        self.disconnect(address)
        self._list_places()

    def look_for_new(self) -> None:
        """Connect to what was plugged in since one looked last; what was there already waits.

        What is gone stays on the list with its reason, until something new is plugged in: that may
        be the same thing.
        """
        before = {place.address for place in self.places}
        self._list_places()
        new = [
            place for place in self.places
            if not place.simulated and place.address not in before
        ]  # fmt: skip
        if new:
            self._forget_gone()
        for place in new:
            self.connect(self.known_ports.at_its_speed(place.address))

    def _forget_gone(self) -> None:
        here = {place.address.where for place in self.places}
        for feed in list(self.feeds.values()):
            lost = feed.link.state.health in ("gone", "strange")
            if lost and feed.link.address.where not in here:
                self.retire(feed)

    def connect(
        self, address: Address, how: Connect | None = None, group: int | None = None
    ) -> None:
        """Begin to read the instrument at an address; nothing happens if that is so already.

        group: the key of the group whose own device it is on.
        """
        with self._lock:
            if address in self.feeds:
                return
            how = how or partial(self._recogniser.open, address)
            link = Link(address, self._take, self._on_state, how, self.patience)
            self._keys += 1
            self.feeds[address] = Feed(self._keys, link, str(address) in self._stand_ins)
            self.feeds[address].group = group
        link.start()

    def reconnect(self, address: Address) -> None:
        """Read the instrument at an address anew, as after its columns were named."""
        self.disconnect(address)
        self.connect(address)

    def disconnect(self, address: Address) -> None:
        """Let go of the instrument at an address."""
        if (feed := self.feeds.get(address)) is not None:
            self.retire(feed)

    def plug_in(self, key: str) -> None:
        """Plug a rig in: its instruments come to the bench."""
        rig = self.room.plug_in(key)
        with self._lock:
            new = [one for one in rig.addresses if one not in self._stand_ins]
            self._stand_ins += new
        self.look_again()
        for where in rig.addresses:
            self.connect(discovery.stand_in(where).address)

    def unplug(self, key: str) -> None:
        """Pull a rig's cables out; its instruments stay on the list until one looks again."""
        rig = self.room.plugged.get(key)
        self.room.unplug(key)
        if rig is None:
            return
        with self._lock:
            self._stand_ins = [one for one in self._stand_ins if one not in rig.addresses]
        if rig.process is None:  # someone else's process: it goes on, but not on this bench
            for where in rig.addresses:
                self.disconnect(discovery.stand_in(where).address)
        self._list_places()

    def feed_of(self, channel_id: int) -> tuple[Feed, int] | None:
        """Find the feed and the column of a channel that gives readings."""
        for feed in list(self.feeds.values()):
            for column, channel in enumerate(feed.channels):
                if channel.pk == channel_id and feed.is_live:
                    return feed, column
        return None

    def refuse_others(self, person: Person, feeds: Iterable[Feed]) -> None:
        """Raise InUseError or NotLentError where somebody else has one of these instruments."""
        feeds = list(feeds)
        self.loans.refuse(person, feeds)
        refuse(self.uses(), [feed.link for feed in feeds], person.pk)

    def lent_from(self, experiment_id: int) -> dict[int, str]:
        """Say to whom the channels are lent that an experiment's owner may not use for now."""
        owner = self._owners.get(experiment_id)
        if owner is None or owner.is_group:
            return {}
        lent: dict[int, str] = {}
        for feed in self.feeds_for(owner):
            if (holder := self.loans.holder_of(feed)) is not None:
                lent |= {channel.pk: f"It is lent to {holder[1]}" for channel in feed.channels}
        return lent

    def feeds_for(self, person: Person) -> list[Feed]:
        """List the instruments that a person's Bench shows."""
        return [feed for feed in list(self.feeds.values()) if self.loans.in_sight_of(person, feed)]

    def rigs_for(self, person: Person) -> list[str]:
        """List the plugged-in rigs that a person's Bench shows, by their keys."""
        if not person.is_group:
            return list(self.room.plugged)
        return [
            key for key in list(self.room.plugged)
            if any(self.loans.in_sight_of(person, feed) for feed in self.feeds_of_rig(key))
        ]  # fmt: skip

    def feeds_of_rig(self, key: str) -> list[Feed]:
        """List the feeds of a rig that is plugged in."""
        rig = self.room.plugged.get(key)
        where = set(rig.addresses) if rig is not None else set()
        return [feed for feed in list(self.feeds.values()) if str(feed.link.address) in where]

    def feeds_of_channels(self, keys: Iterable[int]) -> list[Feed]:
        """List the feeds that some channels belong to."""
        wanted = set(keys)
        return [feed for feed in list(self.feeds.values())
                if any(one.pk in wanted for one in feed.channels)]  # fmt: skip

    def live_channels(self) -> list[Channel]:
        """List the channels that give readings now."""
        feeds = list(self.feeds.values())
        return [channel for feed in feeds if feed.is_live for channel in feed.channels]

    def show(self, experiment: Experiment) -> dict[int, Shown]:
        """Give how an experiment shows the channels on the bench, as it is stored now.

        One at a time: what was read earlier must not take the place of what was read later.
        """
        with self._lock:
            feeds = self.feeds_for(experiment.owner)
            keys = [channel.pk for feed in feeds for channel in feed.channels]
            shown = display.channels(experiment, keys)
            self.setups.pop(experiment.pk, None)
            self.setups[experiment.pk] = shown
            self._owners[experiment.pk] = experiment.owner
            while len(self.setups) > MOST_EXPERIMENTS:
                oldest = next(iter(self.setups))
                self.setups.pop(oldest)
                self._owners.pop(oldest, None)
        return shown

    def refresh(self) -> None:
        """Read again how experiments show the channels, after a change."""
        kept = Experiment.objects.filter(pk__in=list(self.setups))
        for experiment in kept.select_related("owner"):
            self.show(experiment)

    def strips_of(self, experiment: Experiment | int) -> list[strips.Strip]:
        """Give the strips of an experiment with their latest readings."""
        key = experiment if isinstance(experiment, int) else experiment.pk
        shown = self.setups.get(key, {})
        feeds = [feed for feed in list(self.feeds.values()) if feed.is_live]
        return [one for feed in feeds for one in strips.read(feed, shown)]

    def retire(self, feed: Feed) -> None:
        with self._lock:
            self.feeds.pop(feed.link.address, None)
        feed.link.stop()

    def _take(self, link: Link, block: Block, stream: StreamStart) -> None:
        feed = self.feeds.get(link.address)
        if feed is not None and feed.claimed and feed.channels:
            feed.add(block, stream)

    def _on_state(self, link: Link) -> None:
        feed = self.feeds.get(link.address)
        if feed is None:
            return
        if link.state.is_live:
            if not feed.is_live:
                try:
                    self._claim(feed)
                except DatabaseError as error:  # the link tries again in a second
                    raise InstrumentError(f"it cannot be kept on the disk ({error})") from error
            return
        feed.forget()
        if link.state.health != "silent":
            feed.claimed = False  # it may be another one that is plugged in next
        for other in list(self.feeds.values()):
            if other.twin and other.link.state.is_live:
                self._claim(other)

    def _claim(self, feed: Feed) -> None:
        """Take an instrument for itself, unless another that is live claims its serial."""
        identity = feed.link.identity
        if identity is None:
            return
        with self._lock:
            same = [
                other
                for other in self.feeds.values()
                if other is not feed
                and other.link.identity is not None
                and other.link.identity.key == identity.key
            ]
            live = next((other for other in same if other.is_live), None)
            feed.twin = live.link.address.label if live else ""
            if live is not None:
                feed.adopt([])
                return
            close_old_connections()
            feed.adopt(flows.register(identity, feed.link.channels))
            feed.claimed = True
            self.refresh()
            connections.close_all()

    def shape(self, experiment_id: int) -> str:
        """Name what instruments and strips there are, so that a page knows when to ask anew."""
        feeds = self.feeds_shown_in(experiment_id)
        parts = [
            f"{feed.key}{feed.link.state.health == 'looking'}{bool(feed.twin)}"
            + "".join(f",{one.pk}" for one in feed.channels if feed.is_live)
            for feed in feeds
        ]
        matched = str(experiment_id in self.tolerances)
        return ";".join([*parts, *sorted(self.room.plugged), f"{len(self.places)}", matched])

    def feeds_shown_in(self, experiment_id: int) -> list[Feed]:
        owner = self._owners.get(experiment_id)
        return list(self.feeds.values()) if owner is None else self.feeds_for(owner)


BENCH = Bench()
