"""Pages of other apps that the card of a span leads to."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Link:
    """`words` on the card; `url_name` of a page that takes an experiment and a sheet, and reads
    the span from `span`, its quantity from `of`."""

    words: str
    url_name: str


LINKS: list[Link] = []


def register(*links: Link) -> None:
    """Have further links on the cards of spans, and beside the tools of a sheet."""
    LINKS.extend(one for one in links if one not in LINKS)
