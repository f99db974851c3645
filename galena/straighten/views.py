"""The page on which a curve is made straight, and what is claimed from the line."""

from collections.abc import Mapping

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from galena.core.errors import GalenaError
from galena.core.straightening import RELATIONS, SHAPES, against, course
from galena.desk.errors import DeskError
from galena.desk.findings.questions import Estimate
from galena.desk.models import Sheet
from galena.desk.page import responses
from galena.straighten import cards, keep, work
from galena.straighten.back import already, back_to_law
from galena.straighten.choice import Choice, choice_from
from galena.straighten.claiming import thinned
from galena.straighten.models import Guidance
from galena.straighten.pictures import outline
from galena.straighten.subject import Subject, subject_of

LONGEST_WHY = 2000


@require_GET
def page(request: HttpRequest, experiment_id: int, sheet_id: int) -> HttpResponse:
    """Show what could be plotted, and the relation that is chosen."""
    sheet = responses.sheet_for(request, experiment_id, sheet_id)
    return _page(request, sheet, choice_from(request.GET))


@require_POST
def keep_it(request: HttpRequest, experiment_id: int, sheet_id: int) -> HttpResponse:
    """Make the second sheet with its line and its law, and go to the Desk."""
    sheet = responses.sheet_for(request, experiment_id, sheet_id)
    choice = choice_from(request.POST)
    why = request.POST.get("why", "")[:LONGEST_WHY]
    back = "back" in request.POST
    if choice.relation not in RELATIONS and not back:
        return _page(request, sheet, choice, "Choose first what is to be plotted.", why, 422)

    kept: list[Sheet] = []

    def act() -> None:
        subject = _subject(sheet, choice)
        if back:
            back_to_law(subject, choice, why)
            kept.append(sheet)
        else:
            kept.append(keep.keep(work.work_of(subject, choice), subject, choice, why))

    label = "back to the law" if back else f"straighten: {RELATIONS[choice.relation].words}"
    error = responses.attempt(request, sheet, label, act)
    if error is not None:
        return _page(request, sheet, choice, str(error), why, 422)
    responses.to_front(request, kept[0])
    return redirect("desk", sheet.experiment_id)


@require_POST
def guide(request: HttpRequest, experiment_id: int, sheet_id: int) -> HttpResponse:
    """Have a shape be chosen first in this experiment, or no longer."""
    sheet = responses.sheet_for(request, experiment_id, sheet_id)
    choice = choice_from(request.POST)
    keep.set_shape_first(sheet.experiment, "shape_first" in request.POST)
    address = reverse("straighten", args=[experiment_id, sheet.pk])
    return redirect(f"{address}?{choice.address()}")


def _subject(sheet: Sheet, choice: Choice) -> Subject:
    """Give what is straightened. Raises DeskError."""
    span = sheet.spans.filter(pk=choice.span).first() if choice.span else None
    if choice.span and span is None:
        raise DeskError(responses.GONE)
    return subject_of(sheet, span, choice.of, choice.run)


def _page(
    request: HttpRequest, sheet: Sheet, choice: Choice, trouble: str = "", why: str = "",
    status: int = 200,
) -> HttpResponse:  # fmt: skip
    context: dict = {"experiment": sheet.experiment, "sheet": sheet, "choice": choice,
                     "trouble": trouble, "why": why, "tab": "desk"}  # fmt: skip
    try:
        subject = _subject(sheet, choice)
    except GalenaError as error:
        context["trouble"] = context["trouble"] or str(error)
        return render(request, "straighten/page.html", context, status=status)
    context |= _context(subject, choice)
    return render(request, "straighten/page.html", context, status=status)


def _context(subject: Subject, choice: Choice) -> dict:
    guidance = Guidance.objects.filter(experiment=subject.sheet.experiment).first()
    shape_first = guidance is not None and guidance.shape_first
    judged = bool(choice.shape) or not shape_first
    shown = cards.cards_of(subject, choice, judged=judged)
    context: dict = {
        "subject": subject,
        "already": already(subject.sheet, subject.quantity),
        "shape_first": shape_first,
        "judged": judged,
        "shapes": [_shape(key, choice) for key in SHAPES],
        "everything": choice.address(shape=""),
        "shape_words": SHAPES[choice.shape].words if choice.shape else "",
        "against": _against(subject, choice),
        "cards": [(card, choice.address(relation=card.relation.key)) for card in shown],
        "runs": [(one.run, choice.address(run=one.run.pk)) for one in subject.curves],
        "addresses": _addresses(choice),
    }
    if not judged or not choice.relation:
        return context
    context["chosen"] = RELATIONS[choice.relation]
    try:
        context |= _of_work(work.work_of(subject, choice), subject, choice)
    except GalenaError as error:
        context["no_work"] = str(error)
    return context


def _of_work(done: work.Work, subject: Subject, choice: Choice) -> dict:
    exponent, relation = done.of_run.claim.exponent, done.relation
    x_0 = relation.x_0
    plain = done.relation.x.is_plain and done.relation.y.is_plain and relation.key != "own"
    return {
        "work": done,
        "held_exponent": choice.address(exponent=f"{exponent:g}") if exponent else "",
        "turning": Estimate("x_0", "x_0", *x_0, subject.x[1]) if x_0 else None,
        "typed": [(name, getattr(choice, name))
                  for name in ("x_0", "across", "upwards", "exponent")],
        "keep_words": "Save line and law" if plain else "Make the second sheet",
    }  # fmt: skip


def _shape(key: str, choice: Choice) -> tuple:
    """Give a shape with its drawing and the address that chooses it."""
    shape = SHAPES[key]
    relation = choice.relation if key in _shapes_of(choice.relation) else ""
    return shape, outline(shape), choice.address(shape=key, relation=relation)


def _shapes_of(relation: str) -> tuple[str, ...]:
    return RELATIONS[relation].shapes if relation in RELATIONS else ()


def _against(subject: Subject, choice: Choice) -> str:
    """Say kindly what the readings have against the chosen shape."""
    if not choice.shape:
        return ""
    curve = subject.curve
    return against(SHAPES[choice.shape], course(*thinned(curve.x, curve.y, curve.u)[:2]))


def _addresses(choice: Choice) -> Mapping[str, str]:
    """Give the addresses of what can be switched."""
    return {
        "weighted": choice.address(weighted=not choice.weighted),
        "exponent_free": choice.address(exponent=""),
    }
