"""Facts of the recording, pictures of clips, and what the second look remarked on."""

from django.utils.html import format_html

from galena.core.errors import GalenaError
from galena.experiments.models import Run, Series
from galena.experiments.pictures import PICTURES
from galena.reports.put_ins.put_in import Asked, Choice, Piece, PutIn, PutInError
from galena.reports.source import Source


def _facts(source: Source) -> list[Choice]:
    return [
        Choice(f"how run {run.number} was recorded", f"{{facts run {run.number}}}", "", run.marked)
        for run in source.runs
    ]


def _set_facts(asked: Asked, source: Source) -> Piece:
    run = source.run(asked.of)
    words = facts_of(run)
    html = format_html('<span class="put-facts" title="run {}">{}</span>', run.number, words)
    return Piece("text", html, words, origin=f"run {run.number}")


def facts_of(run: Run) -> str:
    """Say how a run was recorded: its plan, its instruments, and what is done to the readings."""
    listed = Series.objects.filter(stream__run=run).exclude(quantity=None)
    by_stream: dict[str, list[str]] = {}
    for series in listed.select_related("quantity", "stream").order_by("stream_id", "pk"):
        if series.stream.serial:
            said = by_stream.setdefault(str(series.stream), [])
            said += [f"{series.quantity.name}: {one}" for one in series.corrections_said]
    parts = [
        f"{stream[:1].lower()}{stream[1:]}" + (f" ({'; '.join(said)})" if said else "")
        for stream, said in by_stream.items()
    ]
    return f"{run.planned} with {' and '.join(parts)}" if parts else run.planned


def _pictures(source: Source) -> list[Choice]:
    listed = []
    for kind in PICTURES.values():
        for reference, words in kind.listed(source.experiment):
            listed.append(Choice(f"{kind.words}: {words}", f"{{{kind.key} {reference}}}"))
    return listed


def _set_picture(asked: Asked, source: Source) -> Piece:
    what, _, reference = asked.of.partition(" ")
    kind = PICTURES.get(f"{asked.word} {what}")
    if kind is None:
        raise PutInError(f"there is no picture “{asked.word} {asked.of}”")
    try:
        picture = kind.drawn(source.experiment, reference.strip())
    except GalenaError as error:
        raise PutInError(str(error)) from error
    caption = format_html("{}", picture.caption)
    return Piece("figure", picture.svg, picture.caption, caption, picture.caption, picture)


def _remarks(source: Source) -> list[Choice]:
    return [
        Choice(f"run {run.number}: {remark[0]}",
               f"{{remark {number} run {run.number} | our answer: }}", "", run.marked)
        for run in source.runs for number, remark in enumerate(run.remarks, start=1)
    ]  # fmt: skip


def _set_remark(asked: Asked, source: Source) -> Piece:
    number, _, of = asked.of.partition(" ")
    run = source.run(of.strip())
    if not number.isdecimal() or not 1 <= int(number) <= len(run.remarks):
        raise PutInError(f"run {run.number} has no remark {number}")
    seen, _ = run.remarks[int(number) - 1]
    answer = next((one.partition(":")[2].strip() for one in asked.options
                   if one.startswith("our answer:")), "")  # fmt: skip
    plain = f"Second look at run {run.number}: {seen}" + (
        f" Our answer: {answer}" if answer else ""
    )
    html = format_html(
        '<span class="put-remark"><b>Second look at run {}</b> {}{}</span>', run.number, seen,
        format_html(" <b>Our answer</b> {}", answer) if answer else "",
    )  # fmt: skip
    return Piece("text", html, plain, origin=f"run {run.number}")


FACTS = PutIn("facts", "Facts", _facts, _set_facts)
CLIP = PutIn("clip", "Clips", _pictures, _set_picture, is_block=True)
REMARK = PutIn("remark", "Remarks", _remarks, _set_remark)
