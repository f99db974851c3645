"""Sheets with their graphs and what these show: asked for with every look at the Desk, therefore
in few queries that are written once."""

from collections.abc import Callable

from django.db.models import QuerySet

from galena.desk.models import Graph, Note, Sheet, Trace
from galena.experiments.models import Experiment
from galena.shell.prepared import hold, prepared_objects


def sheets_in(experiment: Experiment) -> list[Sheet]:
    """Give an experiment's sheets in order, with their graphs, traces and notes."""
    return _complete("sheets of an experiment", "sheet__experiment", experiment.pk, experiment)


def sheet_in(experiment: Experiment, sheet_id: int) -> Sheet | None:
    """Give a sheet of an experiment as a page shows it already; None where it is gone."""
    return next(iter(_complete("a sheet", "sheet", sheet_id, experiment)), None)


def _complete(name: str, way: str, key: int, experiment: Experiment) -> list[Sheet]:
    """Give sheets of an experiment, and no others, with all that belongs to them.

    way: from a graph to the key that they have in common.
    """
    of_sheet = "pk" if way == "sheet" else "experiment"
    asked = prepared_objects(name, _rows_by(Sheet.objects.select_related("x"), of_sheet), key)
    sheets = [one for one in asked if one.experiment_id == experiment.pk]
    if not sheets:
        return []
    graphs = prepared_objects(f"graphs: {name}", _rows_by(Graph.objects, way), key)
    shown = Trace.objects.select_related("quantity")
    traces = prepared_objects(f"traces: {name}", _rows_by(shown, f"graph__{way}"), key)
    notes = prepared_objects(f"notes: {name}", _rows_by(Note.objects, f"graph__{way}"), key)
    hold(graphs, "traces", traces)
    hold(graphs, "notes", notes)
    hold(sheets, "graphs", graphs)
    for sheet in sheets:
        sheet.experiment = experiment
    return sheets


def _rows_by(rows, way: str) -> Callable[[int], QuerySet]:
    return lambda key: rows.filter(**{way: key})
