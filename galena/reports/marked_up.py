"""Markdown to HTML, in a worker: what takes long holds nobody up and is given up in time.

What is put in, `{...}`, and mathematics are told apart here and set later: in the HTML each stands
as a place, a number between two signs that no text can hold.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from functools import lru_cache

from galena.reports.mathematics import Mathematics, mathematics
from galena.shell.worker import WORKERS, WorkerError

TAGS = {
    "p", "h1", "h2", "h3", "h4", "em", "strong", "ul", "ol", "li", "blockquote", "hr", "br",
    "table", "thead", "tbody", "tr", "th", "td", "code", "pre", "del",
}  # fmt: skip
PATIENCE = 5.0  # seconds
MOST_ACROSS, MOST_CELLS = 40, 20_000  # of tables in a report
MOST_PUT_IN, MOST_MATHEMATICS = 400, 300
SHORT = 4000  # characters: so few cannot take long, and need no worker
BEGIN, MIDDLE, END = "\ue000", "\ue001", "\ue002"  # of a place; the middle tells mathematics
PLACE = re.compile(f"[{BEGIN}{MIDDLE}](\\d+){END}")
_ASKED = re.compile(r"\{([^\W\d][^{}\n]{0,299})\}")


@dataclass(frozen=True)
class Marked:
    """A text as HTML with places; what is asked for at each, and the mathematics."""

    html: str
    asked: list[str] = field(default_factory=list)
    formulas: list[Mathematics] = field(default_factory=list)


@lru_cache(maxsize=32)
def marked_up(text: str) -> Marked:
    """Give harmless HTML for a report's text. Raises WorkerError where that takes too long."""
    if len(text) <= SHORT and "|" not in text and "$" not in text:
        return marked(text)
    given: Marked = WORKERS.do(marked, text, patience=PATIENCE)
    return given


def marked(text: str) -> Marked:
    """Set Markdown (CommonMark with tables) as HTML. Raises WorkerError for what is too large."""
    import nh3
    from markdown_it import MarkdownIt
    from mdit_py_plugins.dollarmath import dollarmath_plugin

    _refuse_large(text)
    for sign in (BEGIN, MIDDLE, END):
        text = text.replace(sign, "")
    markdown = MarkdownIt("commonmark", {"html": False}).enable(["table", "strikethrough"])
    markdown.use(dollarmath_plugin, allow_labels=False, allow_space=False,
                 allow_digits=False, double_inline=False)  # fmt: skip
    asked: list[str] = []
    formulas: list[Mathematics] = []
    markdown.inline.ruler.before("text", "put_in", _put_in(asked))
    for name in ("math_inline", "math_block"):
        markdown.add_render_rule(name, _formula(formulas, is_block=name == "math_block"))
    tokens = markdown.parse(text)
    for token in tokens:
        if token.map is not None and token.nesting == 1:
            token.attrSet("data-line", str(token.map[0]))
    html = markdown.renderer.render(tokens, markdown.options, {})
    return Marked(nh3.clean(html, tags=TAGS, attributes={"*": {"data-line"}}), asked, formulas)


def _refuse_large(text: str) -> None:
    across = max((line.count("|") for line in text.split("\n")), default=0)
    rows = sum("|" in line for line in text.split("\n"))
    if across > MOST_ACROSS + 1 or across * rows > MOST_CELLS:
        raise WorkerError(
            f"A table of a report has at most {MOST_ACROSS} columns and all of them {MOST_CELLS} "
            "cells. Make it smaller: long tables are kept with their run."
        )


def _put_in(asked: list[str]):
    """Give the rule for `{...}`; never inside of code, whose rule comes first."""

    def rule(state, silent: bool) -> bool:
        if state.src[state.pos] != "{":
            return False
        match = _ASKED.match(state.src, state.pos)
        if match is None or len(asked) >= MOST_PUT_IN:
            return False
        if not silent:
            token = state.push("text", "", 0)
            token.content = f"{BEGIN}{len(asked)}{END}"
            asked.append(match[1].strip())
        state.pos = match.end()
        return True

    return rule


def _formula(formulas: list[Mathematics], *, is_block: bool):
    """Give the rule that renders mathematics as a place."""

    def render(renderer, tokens, index, options, env) -> str:
        if len(formulas) >= MOST_MATHEMATICS:
            return "<p>There is more mathematics than a report holds.</p>" if is_block else "…"
        formulas.append(mathematics(tokens[index].content.strip(), is_block=is_block))
        place = f"{MIDDLE}{len(formulas) - 1}{END}"
        return f"<p>{place}</p>\n" if is_block else place

    return render
