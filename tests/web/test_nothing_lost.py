"""What was sampled is stored, bit for bit, over a long run and on a disk that fills up."""

import contextlib
import socket
import threading

import numpy as np
from django.db import connection

from galena.bench.live.bench import BENCH
from galena.core.plans import SteadyPlan
from galena.experiments.data.readings import raw_of
from galena.experiments.models import Run, Series
from galena.instruments.address import Address
from galena.recording import flows
from galena.recording.engine.recorder import RECORDER
from galena.recording.engine.state import Wish
from tests import recording_now
from tests.waiting import until

COUNT = 300_000
CHANNELS = (
    '[{"id": "a", "quantity": "tide", "symbol": "a", "unit": "mm", "min": -1e9, "max": 1e9, '
    '"resolution": 1e-6, "max_rate": 10000},'
    '{"id": "b", "quantity": "swell", "symbol": "b", "unit": "mm", "min": -1e9, "max": 1e9, '
    '"resolution": 1e-6, "max_rate": 10000}]'
)


class Sender:
    """A stand-in that sends a long stream as fast as it is read, and remembers what it sent."""

    def __init__(self):
        rng = np.random.default_rng(11)
        self.values = np.round(rng.normal(0, 1e4, (COUNT, 2)), 6)
        self.values[7, 0], self.values[8, 0] = -0.0, 1e-5
        self.listening = socket.create_server(("127.0.0.1", 0))
        self.port = self.listening.getsockname()[1]
        self.fast = threading.Event()
        self.line = threading.Lock()  # an answer never stands amid a line of readings
        threading.Thread(target=self._serve, daemon=True).start()

    def _serve(self):
        stream, _ = self.listening.accept()
        streaming = None
        with contextlib.suppress(OSError), stream, stream.makefile("rb") as reader:
            for line in reader:
                request = line.decode().strip()
                answers = {"*IDN?": "Skerry Works,Long sender,0001,1.0", "CHAN:LIST?": CHANNELS}
                answer = answers.get(request, "0" if request == "CLOCK?" else "OK")
                if streaming is not None and request == "STREAM OFF":
                    streaming.set()
                with self.line:
                    stream.sendall(answer.encode() + b"\n")
                if request == "STREAM ON":
                    streaming = threading.Event()
                    wanted = COUNT if self.fast.is_set() else 40
                    threading.Thread(target=self._send, args=(stream, streaming, wanted)).start()

    def _send(self, stream, stopping, wanted):
        for first in range(0, wanted, 2000):
            lines = []
            for number in range(first, min(first + 2000, wanted)):
                a, b = self.values[number].tolist()
                text = f"{number},{number * 100},{a!r},{b!r}".encode()
                check = 0
                for octet in text:
                    check ^= octet
                lines.append(b"#%s*%02X\n" % (text, check))
            # A board is never minutes ahead of who reads it: an answer would wait behind all that.
            until(
                lambda first=first: stopping.is_set() or first - taken() < 20_000, "the reader", 60
            )
            if stopping.is_set():
                return
            with contextlib.suppress(OSError), self.line:
                stream.sendall(b"".join(lines))


def taken():
    """How many readings the recorder has taken of the run."""
    current = recording_now.current()
    return current.count if current else 0


def test_a_long_run_is_stored_bit_for_bit(room, experiment):
    sender = Sender()
    place = Address("tcp", "127.0.0.1", sender.port)
    BENCH.connect(place)
    try:
        until(lambda: any(one.symbol == "a" for one in BENCH.live_channels()), "the sender")
        sender.fast.set()
        chosen = [one.pk for one in BENCH.live_channels() if one.symbol in "ab"]
        plan = SteadyPlan(10_000, COUNT / 10_000)
        run = RECORDER.start(Wish(experiment, chosen, {}, "", experiment.owner), plan)
        until(lambda: recording_now.current() is None, "the end of the run")
    finally:
        BENCH.disconnect(place)
        sender.listening.close()
    series = list(Series.objects.filter(stream__run=run).select_related("quantity", "stream__run"))
    raw = raw_of(series)
    by_symbol = {one.quantity.symbol if one.quantity else "t": raw[one.pk] for one in series}
    run.refresh_from_db()
    stream = run.streams.get()
    told = (run.state, run.ending, stream.lost, stream.garbled, len(by_symbol["t"]))
    assert told == (Run.State.FINISHED, "", 0, 0, COUNT)
    assert by_symbol["a"].tobytes() == sender.values[:, 0].astype("<f8").tobytes()
    assert by_symbol["b"].tobytes() == sender.values[:, 1].astype("<f8").tobytes()
    assert by_symbol["t"].tolist() == list(range(0, COUNT * 100, 100))


def test_on_a_full_disk_the_run_stops_with_what_it_has(room, experiment, monkeypatch):
    write, room_left = flows.write, {"pages": None}

    def limited(batches):
        with connection.cursor() as cursor:
            cursor.execute("PRAGMA page_count")
            pages = cursor.fetchone()[0] + (room_left["pages"] or 1_000_000)
            cursor.execute(f"PRAGMA max_page_count = {pages}")
        write(batches)

    with connection.cursor() as cursor:
        cursor.execute("VACUUM")  # pages that other tests left free would be filled first
    monkeypatch.setattr(flows, "write", limited)
    channel = next(one for one in BENCH.live_channels() if one.symbol == "h")
    wish = Wish(experiment, [channel.pk], {}, "", experiment.owner)
    run = RECORDER.start(wish, SteadyPlan(1000, 600))
    current = recording_now.current()
    until(lambda: current.written > 100, "something on the disk")
    room_left["pages"] = -1
    said = until(lambda: current.trouble, "the disk to be full")
    assert said.startswith("The disk is full: the run was stopped.")
    until(lambda: all(taking.complete for taking in current.takings), "the end of sampling")
    taken = current.count
    room_left["pages"] = None
    until(lambda: recording_now.current() is None, "the rest to be written")
    run.refresh_from_db()
    assert run.state == Run.State.FINISHED
    assert run.ending == "The disk was full: the run was stopped with what it had."
    series = Series.objects.select_related("quantity", "stream__run").get(
        stream__run=run, quantity__symbol="h"
    )
    assert raw_of([series])[series.pk].size == taken


def test_where_no_memory_is_left_for_a_moment_nothing_is_lost(room, experiment, monkeypatch):
    write, short = flows.write, {"of memory": 3}

    def without_memory(batches):
        if short["of memory"]:
            short["of memory"] -= 1
            raise MemoryError
        write(batches)

    monkeypatch.setattr(flows, "write", without_memory)
    channel = next(one for one in BENCH.live_channels() if one.symbol == "h")
    RECORDER.start(Wish(experiment, [channel.pk], {}, "", experiment.owner), SteadyPlan(500, 2))
    until(lambda: recording_now.current() is None, "the end of the run")
    run = Run.objects.get()
    assert (run.state, run.ending, short["of memory"]) == (Run.State.FINISHED, "", 0)
    series = list(Series.objects.filter(stream__run=run).select_related("quantity", "stream__run"))
    assert [raw.size for raw in raw_of(series).values()] == [1000] * len(series)
