"""The gallery of models: what can be laid over a span, and how it would lie."""

from collections.abc import Iterator
from functools import lru_cache

from django.http import HttpResponse, JsonResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from galena.core.errors import GalenaError
from galena.core.fits import MODELS
from galena.core.fits.outlines import outline
from galena.core.formula import typesetting
from galena.core.model_facts import FAMILIES
from galena.desk.ledger.sketches import laid_over
from galena.desk.models import Span
from galena.desk.page import asked_of, responses
from galena.desk.page.annotation_views import placed
from galena.desk.traces.drawn import shown_runs

WIDTH, HEIGHT, ROOM = 52, 32, 3  # of a small drawing, and what it leaves free within its frame
LONGEST = 300  # of a typed model


@require_GET
def gallery(request, experiment_id: int, span_id: int):
    """Show the models that can be laid over a span, in the drawer."""
    span, sheet = placed(request, experiment_id, Span, span_id)
    if span is None:
        return HttpResponse(responses.GONE, status=409, content_type="text/plain")
    quantity = asked_of.quantity(sheet, request.GET)
    runs = [one.run for one in shown_runs(sheet, quantity)]
    context = {"experiment": sheet.experiment, "sheet": sheet, "span": span, "quantity": quantity}
    return render(request, "desk/_models.html", context | {"families": families(), "runs": runs})


@require_GET
def lay_over(request, experiment_id: int, span_id: int):
    """Give the curves of a model over the readings of a span; nothing is kept."""
    span, sheet = placed(request, experiment_id, Span, span_id)
    if span is None:
        return JsonResponse({"trouble": responses.GONE}, status=409)
    model = request.GET.get("formula", "").strip()[:LONGEST] or request.GET.get("kind", "")
    try:
        quantity = asked_of.quantity(sheet, request.GET)
        runs = asked_of.runs(sheet, quantity, request.GET)
        curves, trouble = laid_over(span, [one for one in runs if one.run.shown], model)
    except GalenaError as error:
        return JsonResponse({"trouble": str(error)}, status=422)
    return JsonResponse({"curves": curves, "trouble": trouble})


@lru_cache(maxsize=1)
def families() -> list[tuple[str, list[dict]]]:
    """Give the models by their families, each with its shape and its equation."""
    return [(family, list(_members(family))) for family in FAMILIES]


def _members(family: str) -> Iterator[dict]:
    for key, model in MODELS.items():
        if model.facts.family == family:
            across, up = WIDTH - 2 * ROOM, HEIGHT - 2 * ROOM
            places = [(ROOM + across * x, HEIGHT - ROOM - up * y) for x, y in outline(model)]
            points = " ".join(f"{x:.1f},{y:.1f}" for x, y in places)
            equation = typesetting.mathml(model.formula, "y")
            about = {"key": key, "label": model.label, "formula": model.formula}
            yield about | {"points": points, "equation": equation}
