"""Markdown to HTML, in a worker: what takes long holds nobody up and is given up in time."""

from functools import lru_cache

from galena.shell.worker import WORKERS, WorkerError

TAGS = {
    "p", "h1", "h2", "h3", "h4", "em", "strong", "ul", "ol", "li", "blockquote", "hr", "br",
    "table", "thead", "tbody", "tr", "th", "td", "code", "pre", "del",
}  # fmt: skip
PATIENCE = 5.0  # seconds
MOST_ACROSS, MOST_CELLS = 40, 20_000  # of tables in a report
SHORT = 4000  # characters: so few cannot take long, and need no worker


@lru_cache(maxsize=32)
def html_of(text: str) -> str:
    """Give harmless HTML for a report's text. Raises WorkerError where that takes too long."""
    if len(text) <= SHORT and "|" not in text:
        return rendered(text)
    return str(WORKERS.do(rendered, text, patience=PATIENCE))


def rendered(text: str) -> str:
    """Set Markdown (CommonMark with tables) as HTML. Raises WorkerError for tables too large."""
    import nh3
    from markdown_it import MarkdownIt

    across = max((line.count("|") for line in text.split("\n")), default=0)
    rows = sum("|" in line for line in text.split("\n"))
    if across > MOST_ACROSS + 1 or across * rows > MOST_CELLS:
        raise WorkerError(
            f"A table of a report has at most {MOST_ACROSS} columns and all of them {MOST_CELLS} "
            "cells. Make it smaller: long tables are kept with their run."
        )
    markdown = MarkdownIt("commonmark", {"html": False}).enable(["table", "strikethrough"])
    return nh3.clean(markdown.render(text), tags=TAGS, attributes={})
