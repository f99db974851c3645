"""Numbers of the ledger, and fits with their equation and reason."""

from django.utils.html import conditional_escape, format_html
from django.utils.safestring import mark_safe

from galena.core.symbols import plain
from galena.reports.put_ins.put_in import Asked, Choice, Piece, PutIn, PutInError
from galena.reports.source import Reference, Source


def number(name: str, source: Source) -> Piece:
    """Set a number of the ledger. Raises PutInError."""
    reference = source.by_name.get(name)
    if reference is None:
        raise PutInError(f"no finding {name}")
    estimate = reference.estimate
    text = f"{estimate.text} {estimate.unit_text}".rstrip()
    origin = f"{estimate.name}, {reference.row.description}"
    html = format_html('<span class="quoted" title="{}">{}</span>', origin, text)
    return Piece("text", html, text, origin=origin, is_number=True)


def of_ledger(source: Source) -> list[Choice]:
    """List the numbers of the ledger in the order of its cards."""
    return [
        Choice(
            f"{reference.estimate.name}, {reference.row.description}",
            f"{{{reference.name}}}",
            f"{reference.estimate.text} {reference.estimate.unit_text}".rstrip(),
            _mark(reference),
        )
        for reference in source.references
    ]


def _mark(reference: Reference) -> int | None:
    run = reference.row.finding.run
    return None if run is None else run.marked


def _fits(source: Source) -> list[Choice]:
    return [
        Choice(f"{row.description}: equation and reason", f"{{fit {row.finding}#{row.finding.pk}}}",
               "", row.finding.run.marked if row.finding.run else None)
        for row in source.rows if row.answer.fit is not None
    ]  # fmt: skip


def _set_fit(asked: Asked, source: Source) -> Piece:
    for row in source.rows:
        names = (str(row.finding), f"{row.finding}#{row.finding.pk}")
        if asked.of in names and row.answer.fit is not None:
            break
    else:
        raise PutInError(f"no fit {asked.of}")
    values = ", ".join(
        f"{plain(one.symbol) or one.name} = {one.text} {one.unit_text}".rstrip()
        for one in row.answer.estimates
    )
    why = " ".join(row.finding.why.split())
    reason = f" {why}" if why else ""
    # MathML is for the screen: on paper a fraction of it would stand in one line.
    is_set = bool(row.mathml) and not source.on_paper
    equation = mark_safe(row.mathml) if is_set else conditional_escape(row.equation)
    html = format_html('<span class="put-fit" title="{}">{} with {}.</span>{}',
                       row.description, equation, values, reason)  # fmt: skip
    return Piece("text", html, f"{row.equation} with {values}.{reason}", origin=row.description)


FIT = PutIn("fit", "Fits", _fits, _set_fit)
