"""What the panel of a finding shows: its parameters, and what it can be put beside."""

from django.http import HttpResponse
from django.shortcuts import render

from galena.core import fits, numbers
from galena.core.errors import GalenaError
from galena.desk.findings.questions.fitted import model_of
from galena.desk.ledger import cards
from galena.desk.ledger.rows import Row
from galena.desk.models import Finding, Sheet
from galena.desk.page import responses

RANGE = 4.0  # a slider reaches from minus to plus so many times its value


def show_panel(
    request, finding: Finding, sheet: Sheet, trouble: str = "", *, whole: bool = False
) -> HttpResponse:
    """Answer with the panel of a finding, with the sheets as well where they change."""
    context = responses.ledger_context(sheet, trouble)
    context |= responses.acts_context(request, sheet.experiment)
    row = next((one for one in context["ledger"].rows if one.finding.pk == finding.pk), None)
    if row is None:
        return render(request, "desk/_ledger_and_acts.html", context)
    context |= {"row": row, "params": _params(row), "others": _others(context["ledger"], row)}
    if whole:
        responses.to_front(request, sheet)
        context = responses.sheets_context(request, sheet.experiment) | context
        return render(request, "desk/_sheets_and_panel.html", context)
    return render(request, "desk/_panel_and_acts.html", context)


def _params(row: Row) -> list[dict]:
    """Give the parameters of a fit, each with the reach of its slider."""
    details, fit = row.finding.details, row.answer.fit
    if not row.is_fit:
        return []
    try:
        model = fits.chosen_model(model_of(row.finding.kind, details))
    except GalenaError:
        return []
    held, shared = details.get("fixed") or {}, details.get("shared") or []
    hand = details.get("by_hand") or {}
    values = fit.params if fit is not None else hand or dict.fromkeys(model.parameters, 1.0)
    params = []
    for place, name in enumerate(model.parameters):
        value = float(values[name])
        size = abs(value) or 1.0
        estimate = next((one for one in row.answer.estimates if one.key == name), None)
        interval = None
        if (
            fit is not None
            and name in fit.uncertainties
            and not row.answer.by_hand
            and name not in held
        ):
            decimals = _decimals(estimate)
            interval = [numbers.fixed(one, decimals) for one in fit.interval(name)]
        params.append(
            {"name": name, "id": f"p{place}", "value": value, "estimate": estimate,
             "typed": f"{value:.6g}", "lo": value - RANGE / 2 * size,
             "hi": value + RANGE / 2 * size, "step": size / 500,
             "held": name in held, "shared": name in shared,
             "interval": interval}
        )  # fmt: skip
    return params


def _decimals(estimate) -> int:
    """Give the decimals that an uncertainty shows with two digits."""
    u = estimate.uncertainty if estimate else 0.0
    text = numbers.significant(u) if u and u == u else "0"
    return len(text.partition(".")[2])


def _others(ledger: cards.Ledger, row: Row) -> dict:
    """Give what a finding can be put beside: fits that it may meet, numbers to differ from."""
    numbers_of = [(one, estimate) for one in ledger.rows if one.finding.pk != row.finding.pk
                  for estimate in one.answer.estimates if not one.answer.trouble]  # fmt: skip
    own = {str(one.unit) for one in row.answer.estimates}
    alike = [pair for pair in numbers_of if str(pair[1].unit) in own]
    return {
        "fits": [one for one in ledger.rows if one.is_fit and one.finding.pk != row.finding.pk
                 and not one.answer.trouble],
        "numbers": alike[:60],
        "has_place": any(one.key == "x" for one in row.answer.estimates),
    }  # fmt: skip
