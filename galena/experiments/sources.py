"""Where runs come from besides Record and typing: what apps above offer at the rail of runs."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Source:
    """Words that lead to a page of the experiment; `url_name` takes its key."""

    words: str
    url_name: str


SOURCES: list[Source] = []


def register(source: Source) -> None:
    """Offer a further source of runs."""
    SOURCES.append(source)
