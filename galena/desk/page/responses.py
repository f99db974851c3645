"""What the Desk answers to a gesture: the sheets or the ledger anew, and why something was not."""

from collections.abc import Callable

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render

from galena.core.errors import GalenaError, SeriesError, UnknownSymbolError
from galena.desk import history
from galena.desk.ledger import cards
from galena.desk.ledger.overlay import overlay
from galena.desk.models import SIDES, Sheet
from galena.desk.sheets.flows import LINES, SIZES, sheets_of
from galena.desk.sheets.loading import sheet_in
from galena.experiments.access import experiment_for
from galena.experiments.columns import looked_up_once
from galena.experiments.models import Experiment
from galena.shell import requested

GONE = "It was taken away in the meantime, perhaps in another window."


def sheet_for(request: HttpRequest, experiment_id: int, sheet_id: int) -> Sheet:
    """Give a sheet of an experiment that the person may see, with its graphs."""
    experiment = experiment_for(request, experiment_id)
    sheet = next((one for one in sheets_of(experiment) if one.pk == sheet_id), None)
    return sheet or get_object_or_404(experiment.sheets, pk=sheet_id)


def sheet_as_it_is(request: HttpRequest, experiment_id: int, sheet_id: int) -> Sheet | None:
    """Give a sheet as a page shows it already, with its graphs; None where it is there no more.

    A wheel that is turned asks for it ten times a second: nothing is mended on the way.
    """
    return sheet_in(experiment_for(request, experiment_id), sheet_id)


def sheet_or_none(request: HttpRequest, experiment_id: int, sheet_id: int) -> Sheet | None:
    """Give a sheet as `sheet_for` does; None where the experiment has it no more.

    A page may still ask for what it shows while another one, or an undo, has removed it.
    """
    try:
        return sheet_for(request, experiment_id, sheet_id)
    except Http404:
        experiment_for(request, experiment_id)  # of somebody else's nothing is told
        return None


def front_of(request: HttpRequest, experiment: Experiment, sheets: list[Sheet]) -> Sheet:
    """Give the sheet that the person has in front; what is asked for comes there."""
    key = f"sheet of {experiment.pk}"
    wanted = requested.key_or_none(request.GET.get("front"))
    if wanted is not None:
        _remember(request, key, wanted)
    return next((one for one in sheets if one.pk == request.session.get(key)), sheets[0])


def to_front(request: HttpRequest, sheet: Sheet) -> None:
    """Put a sheet in front."""
    _remember(request, f"sheet of {sheet.experiment_id}", sheet.pk)


def _remember(request: HttpRequest, key: str, value: int) -> None:
    """Keep something in the session; what is there already is not written again."""
    if request.session.get(key) != value:
        request.session[key] = value


def changed(
    request: HttpRequest,
    sheet: Sheet,
    label: str,
    change: Callable[[], object],
    *,
    about: str = "",
    whole: bool = False,
    draft: dict[str, str] | None = None,
) -> HttpResponse:
    """Do an act that can be undone; answer with the ledger, or with the sheets as a whole.

    draft: what was typed for a formula over
    findings; where it could not be kept it stands there again, with the reason."""
    error = attempt(request, sheet, label, change, about=about)
    trouble = "" if error is None else str(error)
    if error is not None and draft is not None:
        missing = draft.get("given", "")
        if isinstance(error, UnknownSymbolError):
            missing = error.symbol
        return show_ledger(request, sheet, draft=draft | {"wrong": trouble, "missing": missing})
    if whole:
        return show_sheets(request, sheet.experiment, trouble)
    return show_ledger(request, sheet, trouble)


def attempt(
    request: HttpRequest, sheet: Sheet, label: str, change: Callable[[], object], *, about: str = ""
) -> GalenaError | None:
    """Do an act that can be undone; give why it could not be done, nothing then being changed."""
    try:
        with history.changing(sheet.experiment, request.user, label, about):
            change()
    except GalenaError as error:
        return error
    return None


def show_ledger(
    request: HttpRequest, sheet: Sheet, trouble: str = "", draft: dict[str, str] | None = None
) -> HttpResponse:
    """Answer with the ledger of a sheet, and what can be undone."""
    context = ledger_context(sheet, trouble, opened_at(request, sheet))
    context |= acts_context(request, sheet.experiment)
    context["draft"] = draft
    return render(request, "desk/_ledger_and_acts.html", context)


def show_sheets(request: HttpRequest, experiment: Experiment, trouble: str = "") -> HttpResponse:
    """Answer with the sheets in front and the ledger of the first of them."""
    context = sheets_context(request, experiment)
    context["trouble"] = trouble or context["trouble"]
    return render(request, "desk/_sheets_and_ledger.html", context)


def sheets_context(request: HttpRequest, experiment: Experiment) -> dict:
    """Give what the sheets and the ledger show."""
    sheets = sheets_of(experiment)
    front = front_of(request, experiment, sheets)
    beside = [sheet for sheet in sheets if sheet.beside and sheet != front]
    shown = ledger_context(front, opened=opened_at(request, front))
    for sheet in beside:
        sheet.drawn_over = ledger_context(sheet)["overlay"]
    return (
        shown
        | acts_context(request, experiment)
        | {"sheets": sheets, "front": front, "in_sight": sorted([front, *beside], key=sheets.index)}
        | {"quantities": experiment.shown, "lines": LINES, "sizes": SIZES, "sides": SIDES}
    )


def acts_context(request: HttpRequest, experiment: Experiment) -> dict:
    """Give what can be undone and done again."""
    undo, redo = history.next_ones(experiment, request.user)
    return {"undoable": undo, "redoable": redo}


def open_card(request: HttpRequest, sheet: Sheet, span_id: int | None) -> None:
    """Have the card of a span be the one that is not folded."""
    if span_id is not None:
        _remember(request, f"card of {sheet.pk}", span_id)


def opened_at(request: HttpRequest, sheet: Sheet) -> int | None:
    """Give the span whose card is not folded; None for the one marked off last."""
    return request.session.get(f"card of {sheet.pk}")


def ledger_context(sheet: Sheet, trouble: str = "", opened: int | None = None) -> dict:
    """Give what the ledger shows, the card of one span open."""
    try:
        with looked_up_once():
            ledger = cards.of_sheet(sheet)
    except SeriesError as error:
        ledger, trouble = cards.Ledger(sheet, [], [], [], []), trouble or str(error)
    keys = [card.span.pk for card in ledger.spans]
    return {
        "experiment": sheet.experiment,
        "sheet": sheet,
        "opened": opened if opened in keys else max(keys, default=None),
        "trouble": trouble,
        "ledger": ledger,
        "asks": cards.Asks(),
        "overlay": overlay(ledger),
    }
