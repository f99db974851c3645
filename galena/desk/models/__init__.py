"""What is kept of the Desk."""

from galena.desk.models.annotations import Marker, Note, Span
from galena.desk.models.changes import Change
from galena.desk.models.findings import Finding
from galena.desk.models.harvests import Harvest
from galena.desk.models.sheets import SIDES, Graph, Sheet, Trace, axis_from, axis_kept

__all__ = [
    "SIDES",
    "Change",
    "Finding",
    "Graph",
    "Harvest",
    "Marker",
    "Note",
    "Sheet",
    "Span",
    "Trace",
    "axis_from",
    "axis_kept",
]
