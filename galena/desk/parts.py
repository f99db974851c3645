"""What of the Desk goes along into a copy of an experiment."""

from galena.desk.models import Finding, Graph, Harvest, Marker, Note, Sheet, Span, Trace
from galena.exchange.parts import Keys, Part, register
from galena.experiments.models import Condition, Experiment, Quantity, Run

PARTS = (
    Part(Sheet, "experiment"),
    Part(Graph, "sheet__experiment"),  # those of what a fit leaves over come with the fits
    Part(Trace, "graph__sheet__experiment"),
    Part(Span, "sheet__experiment", True),
    Part(Marker, "sheet__experiment", True),
    Part(Finding, "sheet__experiment", True),
    Part(Note, "graph__sheet__experiment", True),
    Part(Harvest, "run__experiment", True),
)


def register_parts() -> None:
    """Have the Desk's rows copied with their experiment."""
    register(*PARTS, point=_point)


def _point(copy: Experiment, keys: Keys, runs: bool) -> None:
    """Have what findings and harvests name by key be the copies."""
    if not runs:
        Graph.objects.filter(sheet__experiment=copy).exclude(residuals_of=None).delete()
        Sheet.objects.filter(experiment=copy).update(spans_made=0, markers_made=0, x_axis={})
        Graph.objects.filter(sheet__experiment=copy).update(axes={})
        return
    findings = keys[Finding]
    for graph in Graph.objects.filter(sheet__experiment=copy).exclude(residuals_of=None):
        graph.residuals_of_id = findings.get(graph.residuals_of_id)
        graph.save(update_fields=["residuals_of"])
    for finding in Finding.objects.filter(sheet__experiment=copy):
        _point_finding(finding, findings)
    for harvest in Harvest.objects.filter(run__experiment=copy):
        _point_harvest(harvest, keys)


def _point_finding(finding: Finding, findings: dict[int, int]) -> None:
    details = dict(finding.details)
    if "of" in details:
        details["of"] = [_pointed(source, findings) for source in details["of"]]
    if "symbols" in details:
        details["symbols"] = {
            symbol: _pointed(source, findings) for symbol, source in details["symbols"].items()
        }
    if details != finding.details:
        finding.details = details
        finding.save(update_fields=["details"])


def _pointed(source: int | list, findings: dict[int, int]) -> int | list | None:
    """Give a finding's key, or a pair of it and the name of a number, for the copy."""
    if isinstance(source, list):
        return [findings.get(source[0]), *source[1:]]
    return findings.get(source)


def _point_harvest(harvest: Harvest, keys: Keys) -> None:
    harvest.rows = [[keys[Run].get(run), keys[Span].get(span)] for run, span in harvest.rows]
    for column in harvest.columns:
        for name, of in (("quantity", Quantity), ("of", Quantity), ("condition", Condition)):
            if name in column:
                column[name] = keys[of].get(column[name])
    harvest.save(update_fields=["rows", "columns"])
