"""Notes in graphs: written, moved, pointed elsewhere and taken away."""

from django.views.decorators.http import require_POST

from galena.desk.annotations import flows
from galena.desk.models import Note
from galena.desk.page import responses
from galena.desk.page.forms import NewNote, NotePlace, NoteShift
from galena.desk.page.sheet_views import graph_for
from galena.experiments.access import experiment_for
from galena.shell import fields


@require_POST
def add(request, experiment_id: int, graph_id: int):
    """Write words beside a place in a graph."""
    graph = graph_for(request, experiment_id, graph_id)
    if graph is None:
        return responses.show_sheets(
            request, experiment_for(request, experiment_id), responses.GONE
        )

    def act() -> None:
        flows.add_note(graph, **fields.read(NewNote, request.POST))

    return responses.changed(request, graph.sheet, "new note", act, whole=True)


@require_POST
def change(request, experiment_id: int, note_id: int):
    """Change a note's words or places, or take it away."""
    experiment = experiment_for(request, experiment_id)
    note = Note.objects.filter(graph__sheet__experiment=experiment, pk=note_id)
    note = note.select_related("graph__sheet").first()
    if note is None:
        return responses.show_sheets(request, experiment, responses.GONE)
    note.graph.sheet.experiment = experiment

    def act() -> None:
        if "remove" in request.POST:
            flows.drop(note, experiment)
        elif "text" in request.POST:
            flows.change_note(note, request.POST["text"])
        elif "dx" in request.POST:
            flows.move_note(note, **fields.read(NoteShift, request.POST))
        else:
            flows.point_note(note, **fields.read(NotePlace, request.POST))

    label = "remove a note" if "remove" in request.POST else "a note"
    return responses.changed(request, note.graph.sheet, label, act, whole=True)
