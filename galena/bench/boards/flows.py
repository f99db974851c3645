"""What a person says of a board that prints numbers, kept with the key of its port."""

from __future__ import annotations

from dataclasses import asdict

from django.db import close_old_connections, connections

from galena.bench.models import PrintingBoard
from galena.instruments.protocols.plain_board import BoardFacts


def facts_of(port: str) -> BoardFacts | None:
    """Give what is known of the board at a port; called in the links' own threads."""
    close_old_connections()
    try:
        return kept_facts(port)
    finally:
        connections.close_all()


def kept_facts(port: str) -> BoardFacts | None:
    """Give what is known of the board at a port."""
    kept = PrintingBoard.objects.filter(port=port).first()
    return None if kept is None else kept.facts


def forget(port: str) -> None:
    """Forget what was said of the board at a port: it is read as it prints."""
    PrintingBoard.objects.filter(port=port).delete()


def describe(port: str, facts: BoardFacts) -> None:
    """Keep what a person says of the columns of the board at a port."""
    kept = {
        "columns": [asdict(one) for one in facts.columns],
        "clock": facts.clock,
        "clock_unit": facts.clock_unit,
    }
    PrintingBoard.objects.update_or_create(port=port, defaults=kept)
