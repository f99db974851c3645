"""Sheets and their graphs: made, titled, put beside each other, resized and taken away."""

from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_GET, require_POST

from galena.core.errors import GalenaError
from galena.desk import history
from galena.desk.models import Graph, Sheet
from galena.desk.page import responses
from galena.desk.sheets import flows as sheet_flows
from galena.experiments.access import experiment_for
from galena.experiments.models import Experiment, Quantity
from galena.shell import requested


def graph_for(request, experiment_id: int, graph_id: int) -> Graph | None:
    """Give a graph of an experiment that the person may see; None where it is gone."""
    experiment = experiment_for(request, experiment_id)
    graph = Graph.objects.filter(sheet__experiment=experiment, pk=graph_id)
    graph = graph.select_related("sheet__x", "sheet__experiment").first()
    if graph is not None:
        graph.sheet.experiment = experiment
    return graph


def chosen(experiment: Experiment, key: str) -> Quantity | None:
    """Give the quantity of a form's choice; None for time."""
    return get_object_or_404(experiment.quantities, pk=requested.key(key)) if key else None


@require_GET
def sheets_now(request, experiment_id: int):
    """Give the sheets as they are now, with the one that is asked for in front."""
    return responses.show_sheets(request, experiment_for(request, experiment_id))


@require_POST
def add(request, experiment_id: int):
    """Make a further sheet and put it in front."""
    experiment = experiment_for(request, experiment_id)
    x = chosen(experiment, request.POST.get("x", ""))
    ys = [chosen(experiment, key) for key in request.POST.getlist("y")]
    title = request.POST.get("title", "")
    try:
        with history.changing(experiment, request.user, "new sheet"):
            sheet = sheet_flows.add_sheet(experiment, x, [one for one in ys if one], title)
    except GalenaError as error:
        return responses.show_sheets(request, experiment, str(error))
    responses.to_front(request, sheet)
    return responses.show_sheets(request, experiment)


@require_POST
def change(request, experiment_id: int, sheet_id: int):
    """Change what a sheet shows and how, or take it away."""
    sheet = responses.sheet_for(request, experiment_id, sheet_id)
    label, act = _act(request, sheet)
    return responses.changed(request, sheet, label, act, whole=True)


def _act(request, sheet: Sheet):
    post = request.POST
    if "remove" in post:
        return f"remove sheet {sheet}", lambda: sheet_flows.drop_sheet(sheet)
    if "title" in post:
        return "title of a sheet", lambda: sheet_flows.retitle(sheet, post["title"])
    if "beside" in post:
        beside = post["beside"] == "yes"
        return "side by side", lambda: sheet_flows.set_beside(sheet, beside)
    if "x" in post:
        x = chosen(sheet.experiment, post["x"])
        return "quantity on x", lambda: sheet_flows.choose_x(sheet, x)
    if "shares" in post:
        return "heights of graphs", lambda: sheet_flows.resize(sheet, _shares(post["shares"]))
    return "look of a sheet", lambda: sheet_flows.set_look(sheet, _look(post))


def _shares(text: str) -> dict[int, float]:
    shares = requested.listed(text, "The heights")
    if not isinstance(shares, dict):
        raise requested.RequestError("These are no heights of graphs.")
    return {
        requested.key(key): requested.bounded(share, "A height") for key, share in shares.items()
    }


def _look(post) -> dict:
    if "legend_at" in post:
        place = [requested.number(one, "The place") for one in post["legend_at"][:100].split(",")]
        if len(place) != 2:
            raise requested.RequestError("A place is two numbers.")
        return {"legend_at": [min(max(one, 0.0), 1.0) for one in place]}
    size = {str(one): one for one in sheet_flows.SIZES}.get(post.get("size", ""))
    chosen = {name: name in post for name in ("errors", "legend", "plain")}
    return chosen | {"lines": post.get("lines", ""), "size": size}


@require_POST
def add_graph(request, experiment_id: int, sheet_id: int):
    """Put a further graph under the others."""
    sheet = responses.sheet_for(request, experiment_id, sheet_id)
    wanted = request.POST.get("y", "")
    if not wanted:
        shown = sheet.quantities
        choices = sheet.experiment.shown
        others = [one for one in choices if one not in shown] or choices
        if not others:
            return responses.show_sheets(request, sheet.experiment, "There is nothing to show yet.")
        quantity = others[0]
    else:
        quantity = chosen(sheet.experiment, wanted)
    label = f"graph of {quantity.symbol}"
    act = lambda: sheet_flows.add_graph(sheet, quantity)  # noqa: E731
    return responses.changed(request, sheet, label, act, whole=True)


@require_POST
def change_graph(request, experiment_id: int, graph_id: int):
    """Move a graph, give it a title, or take it away."""
    graph = graph_for(request, experiment_id, graph_id)
    if graph is None:
        return responses.show_sheets(
            request, experiment_for(request, experiment_id), responses.GONE
        )
    post = request.POST
    if "remove" in post:
        label, act = f"remove graph of {graph}", lambda: sheet_flows.drop_graph(graph)
    elif "move" in post:
        by = -1 if post["move"] == "up" else 1
        label, act = f"move graph of {graph}", lambda: sheet_flows.move_graph(graph, by)
    else:
        label, act = "title of a graph", lambda: sheet_flows.retitle(graph, post.get("title", ""))
    return responses.changed(request, graph.sheet, label, act, whole=True)
