"""Where the pages are that a test asks for."""

from django.urls import reverse

from galena.desk.sheets import flows as sheet_flows
from galena.experiments.models import Experiment

OF_A_SHEET = {
    "add-graph",
    "add-marker",
    "add-span",
    "change-sheet",
    "desk-at",
    "desk-data",
    "keep-view",
    "ledger",
    "x-axis",
}


def address(name, experiment, *args):
    """Give the address of a page; those of a sheet are of the experiment's first."""
    if name in OF_A_SHEET:
        sheet = sheet_flows.first_sheet(Experiment.objects.get(pk=experiment))
        return reverse(name, args=[experiment, sheet.pk, *args])
    return reverse(name, args=[experiment, *args])
