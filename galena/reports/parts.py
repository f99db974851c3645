"""What of the report goes along into a copy of an experiment, and into the experiment as a file."""

from galena.exchange.errors import PackageError
from galena.exchange.packing import Packing
from galena.exchange.parts import Belongs, Keys, Part, register
from galena.exchange.unpacking import Unpacking
from galena.experiments.models import Experiment
from galena.reports.models import Report

TEXT = "report.md"
LONGEST = 2_000_000  # bytes


def register_parts() -> None:
    """Have the report copied with its experiment."""
    part = Part(Report, "experiment", Belongs.WORDS, apart=("text",))
    register(part, files=ReportFile())


class ReportFile:
    """Writes and reads the text of the report, in Markdown as it was written."""

    def write(self, experiment: Experiment, numbers: Keys, package: Packing) -> None:
        """Write the text, where there is a report."""
        report = Report.objects.filter(experiment=experiment).first()
        if report is not None:
            package.put(TEXT, report.text.encode())

    def read(self, experiment: Experiment, keys: Keys, package: Unpacking) -> None:
        """Read the text into the report. Raises PackageError."""
        if keys.get(Report):
            text = package.text(TEXT, LONGEST)
            if "\0" in text:
                raise PackageError(f"{TEXT} has signs that cannot be shown.")
            Report.objects.filter(pk__in=keys[Report].values()).update(text=text)
