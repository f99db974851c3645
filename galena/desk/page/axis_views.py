"""Axes: what is on them, their limits as typed or as a hand moved them, and logarithms."""

from typing import Any

from django.shortcuts import render
from django.views.decorators.http import require_http_methods, require_POST

from galena.core import axes
from galena.core.errors import GalenaError
from galena.desk import history
from galena.desk.annotations.carrying import carry
from galena.desk.models import SIDES, Sheet
from galena.desk.page import responses
from galena.desk.page.forms import AxisLimits
from galena.desk.page.sheet_views import chosen, graph_for
from galena.desk.sheets import flows as sheet_flows
from galena.experiments.access import experiment_for
from galena.experiments.models import Quantity
from galena.shell import fields, requested


@require_POST
def keep_view(request, experiment_id: int, sheet_id: int):
    """Keep the limits that a hand has moved."""
    sheet = responses.sheet_for(request, experiment_id, sheet_id)
    try:
        x, graphs = _moved(requested.listed(request.POST.get("view"), "The view"))
        with history.changing(
            sheet.experiment, request.user, f"limits of {sheet}", f"limits {sheet.pk}"
        ):
            sheet_flows.set_view(sheet, x, graphs)
    except GalenaError as error:
        return requested.refused(request, str(error))
    context = responses.acts_context(request, sheet.experiment) | {"experiment": sheet.experiment}
    return render(request, "desk/_acts.html", context)


def _moved(view: Any) -> tuple[dict, dict[int, dict]]:
    """Read the limits of x, and by graph those of its sides. Raises RequestError."""
    graphs = view.get("graphs") if isinstance(view, dict) else None
    if not isinstance(graphs, dict) or not all(isinstance(one, dict) for one in graphs.values()):
        raise requested.RequestError("These are no limits.")
    moved = {
        requested.key(key): {side: _limits(one) for side, one in sides.items()}
        for key, sides in graphs.items()
    }
    return ({"x": _limits(view["x"])} if "x" in view else {}), moved


def _limits(pair: object) -> list[float] | None:
    if pair is None:
        return None
    if not isinstance(pair, list) or len(pair) != 2:
        raise requested.RequestError("Limits are two numbers.")
    return [requested.bounded(one, "A limit") for one in pair]


@require_http_methods(["GET", "POST"])
def x_axis(request, experiment_id: int, sheet_id: int):
    """Show or change the x axis of a sheet."""
    sheet = responses.sheet_for(request, experiment_id, sheet_id)
    form = {"sheet": sheet, "experiment": sheet.experiment, "axis": sheet.x_view}
    form |= {"quantities": sheet.experiment.shown, "chosen": sheet.x_id}
    form["has_places"] = sheet.spans.exists() or sheet.markers.exists()
    if request.method == "GET":
        return render(request, "desk/_x_axis.html", form | _ends(request, sheet.x_view))

    def act() -> None:
        view = _typed(request)
        x = chosen(sheet.experiment, request.POST.get("x", ""))
        shown = sheet
        if x != sheet.x:
            before = _ends(request, sheet.x_view)
            shown = _over(request, sheet, x)
            view = view if _is_new(request, before) else axes.Axis(log=view.log)
        sheet_flows.set_axis(shown, "x", view)

    return _done(request, sheet, act, "x axis", "desk/_x_axis.html", form)


def _over(request, sheet: Sheet, x: Quantity | None) -> Sheet:
    """Have a sheet go over another quantity, as was chosen for what lies on it."""
    along = request.POST.get("along", "")
    if along == "sheet":
        other = sheet_flows.add_sheet(sheet.experiment, x, sheet.quantities)
        responses.to_front(request, other)
        return other
    if along == "carry":
        carry(sheet, x)
    else:
        sheet_flows.choose_x(sheet, x)
    return sheet


@require_http_methods(["GET", "POST"])
def y_axis(request, experiment_id: int, graph_id: int, side: str):
    """Show or change the axis of a graph's side, and what is on it."""
    graph = graph_for(request, experiment_id, graph_id)
    if graph is None or side not in SIDES:
        return responses.show_sheets(
            request, experiment_for(request, experiment_id), responses.GONE
        )
    sheet = graph.sheet
    traces = {trace.quantity_id: trace.side for trace in graph.traces.all()}
    form: dict[str, Any] = {
        "graph": graph, "side": side, "sheet": sheet, "experiment": sheet.experiment,
        "choices": (*SIDES, ""),
        "rows": [{"quantity": quantity, "side": traces.get(quantity.pk, "")}
                 for quantity in sheet.experiment.shown],
    }  # fmt: skip
    form |= {"axis": graph.view(side), "several": sheet.graphs.count() > 1}
    if request.method == "GET":
        return render(request, "desk/_y_axis.html", form | _ends(request, graph.view(side)))

    def act() -> None:
        view = _typed(request)
        sides = {
            row["quantity"]: request.POST.get(f"side-{row['quantity'].pk}", "")
            for row in form["rows"]
        }
        wanted = {quantity: one for quantity, one in sides.items() if one in SIDES}
        before = {one for one in traces if traces[one] == side}
        sheet_flows.show(graph, wanted)
        after = {quantity.pk for quantity, one in wanted.items() if one == side}
        keeps = before == after or _is_new(request, _ends(request, form["axis"]))
        sheet_flows.set_axis(graph, side, view if keeps else axes.Axis(log=view.log))
        sheet_flows.retitle(graph, request.POST.get("title", ""))

    label = f"axis of {graph}"
    return _done(request, sheet, act, label, "desk/_y_axis.html", form)


def _typed(request) -> axes.Axis:
    return fields.read(AxisLimits, request.POST)["view"]


def _ends(request, axis: axes.Axis) -> dict:
    """Give the limits as fields: those that are set, or none where all is shown."""
    if axis.limits is None:
        return {"lo": "", "hi": ""}
    return {"lo": f"{axis.lo:.10g}", "hi": f"{axis.hi:.10g}"}


def _is_new(request, before: dict) -> bool:
    """Tell whether limits were typed, and not those that the form was opened with."""
    return any(request.POST.get(end, "").strip() != before[end] for end in ("lo", "hi"))


def _done(request, sheet, act, label: str, template: str, form: dict):
    try:
        with history.changing(sheet.experiment, request.user, label):
            act()
    except GalenaError as error:
        typed = {name: request.POST.get(name, "") for name in ("lo", "hi")}
        response = render(request, template, form | typed | {"wrong": str(error)}, status=422)
        response["HX-Retarget"] = "#axis-form"
        response["HX-Reswap"] = "innerHTML"
        return response
    return responses.show_sheets(request, sheet.experiment)
