"""The sheet on which the columns of a board are named."""

from __future__ import annotations

from dataclasses import asdict

from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_http_methods

from galena.bench.boards import flows
from galena.bench.boards.forms import read_facts
from galena.bench.live.bench import BENCH
from galena.bench.live.feed import Feed
from galena.bench.models import Instrument
from galena.classroom.permissions import for_teachers
from galena.core import numbers
from galena.experiments.access import experiment_for
from galena.experiments.models import Experiment
from galena.instruments.errors import InstrumentError
from galena.instruments.protocols.plain_board import CLOCKS, BoardFacts, PlainBoard, suggested
from galena.shell import requested

GONE = "This board prints nothing now. Plug it in again; then its columns can be named."
CLOCK_WORDS = {"count": "counts the lines", "s": "in s", "ms": "in ms", "us": "in µs"}


@require_http_methods(["GET", "POST"])
@for_teachers
def columns(request, experiment_id: int, instrument_id: int):
    """Show what a board prints, or keep what a person says of it."""
    experiment = experiment_for(request, experiment_id)
    instrument = get_object_or_404(Instrument, pk=instrument_id)
    feed = _feed_of(instrument)
    board = None if feed is None else feed.link.board
    if feed is None or board is None:
        return _sheet(request, experiment, instrument, None, trouble=GONE)
    if request.method == "GET":
        return _sheet(request, experiment, instrument, board)
    try:
        BENCH.refuse_others(request.user, [feed])
        is_one = board.with_comma is not None and "with_comma" in request.POST
        if board.with_comma is not None and not is_one and len(board.layout) == 1:
            flows.forget(board.serial)  # two columns after all
        else:
            facts = read_facts(request.POST, 1 if is_one else len(board.layout))
            flows.describe(board.serial, facts)
    except (requested.RequestError, InstrumentError) as error:
        return _sheet(request, experiment, instrument, board, trouble=str(error))
    BENCH.reconnect(feed.link.address)
    return _sheet(request, experiment, instrument, board, kept=True)


def _feed_of(instrument: Instrument) -> Feed | None:
    for feed in list(BENCH.feeds.values()):
        identity = feed.link.identity
        if identity is not None and identity.key == (
            instrument.maker, instrument.model, instrument.serial,
        ):  # fmt: skip
            return feed
    return None


def _sheet(
    request, experiment: Experiment, instrument: Instrument,
    board: PlainBoard | None, *, trouble: str = "", kept: bool = False,
):  # fmt: skip
    typed = request.POST if trouble else {}
    facts = None if board is None else flows.kept_facts(board.serial) or board.facts
    clock = "none" if facts is None or facts.clock is None else str(facts.clock)
    unit = facts.clock_unit if facts else "ms"
    context = {
        "experiment": experiment,
        "instrument": instrument,
        "columns": [] if board is None else [_row(board, facts, one, typed)
                                             for one in range(len(board.layout))],
        "clock": typed.get("clock", clock),
        "clock_unit": typed.get("clock_unit", unit),
        "clock_units": [(key, CLOCK_WORDS[key]) for key in CLOCKS],
        "may_have_comma": board is not None and board.with_comma is not None,
        "has_comma": board is not None and len(board.layout) == 1,
        "trouble": trouble,
        "kept": kept,
    }  # fmt: skip
    return render(request, "bench/_columns.html", context)


def _row(board: PlainBoard, kept: BoardFacts | None, place: int, typed) -> dict:
    """Say what a column prints now, and what its fields hold."""
    described = kept.columns if kept and len(kept.columns) == len(board.layout) else None
    facts = described[place] if described else suggested(board.layout, board.latest, place)
    texts = {
        key: f"{value:.12g}".replace("-", numbers.MINUS) if isinstance(value, float) else value
        for key, value in asdict(facts).items()
    }
    texts |= {key: typed[f"{key}-{place}"] for key in texts if f"{key}-{place}" in typed}
    latest = numbers.fixed(board.latest[place], board.layout.columns[place].decimals)
    return texts | {"place": place, "number": place + 1, "latest": latest}
