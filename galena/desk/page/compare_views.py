"""The fits of a span side by side."""

from dataclasses import replace

from django.http import HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from galena.core.fits.comparing import compare as compared
from galena.desk.findings.answers import RELATED, Answers
from galena.desk.findings.questions import FITS
from galena.desk.ledger.rows import Row
from galena.desk.models import Finding, Span
from galena.desk.page import responses
from galena.desk.page.annotation_views import placed


@require_GET
def compare(request, experiment_id: int, span_id: int):
    """Show the fits of a span side by side, run by run, in the drawer."""
    span, sheet = placed(request, experiment_id, Span, span_id)
    if span is None:
        return HttpResponse(responses.GONE, status=409, content_type="text/plain")
    findings = [
        finding
        for finding in _of_span(span)
        if finding.kind in FITS and not finding.details.get("by_hand")
    ]
    of_all = Answers(findings)
    groups: dict[tuple[int, int], list[Finding]] = {}
    for finding in findings:
        if of_all.of(finding).fit is not None:
            groups.setdefault((finding.run.number, finding.quantity_id), []).append(finding)
    tables = [_side_by_side(group, of_all) for _, group in sorted(groups.items())]
    context = {"experiment": sheet.experiment, "sheet": sheet, "span": span, "tables": tables}
    return render(request, "desk/_compare.html", context)


def _side_by_side(group: list[Finding], of_all: Answers) -> dict:
    fitted = []
    for member in group:
        subject = of_all.subject_of(member)
        fit = of_all.of(member).fit
        left = fit.residuals_at(subject.inside.t, subject.inside.y)
        fitted.append(replace(fit, residuals=left[left == left]))
    rows = []
    for member in compared(fitted):
        finding = group[member.place]
        rows.append({"row": Row(finding, of_all.of(finding)), "one": member})
    weighted = {member.weighted for member in fitted}
    return {
        "run": group[0].run,
        "quantity": group[0].quantity,
        "rows": rows,
        "mixed": len(weighted) > 1,
        "counts": len({member.count for member in fitted}) > 1,
    }


def _of_span(span: Span) -> list[Finding]:
    kept = span.findings.filter(run__removed_at=None).select_related(*RELATED)
    return list(kept.order_by("run__number", "pk"))
