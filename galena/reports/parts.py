"""What of the report goes along into a copy of an experiment, and into the experiment as a file."""

import re

from galena.desk.models import Finding
from galena.exchange.errors import PackageError
from galena.exchange.packing import Packing
from galena.exchange.parts import Belongs, Keys, Part, Point, register
from galena.exchange.unpacking import Unpacking
from galena.experiments.models import Experiment
from galena.reports.models import Report, Version
from galena.reports.showing import look_through

TEXT = "report.md"
LONGEST = 2_000_000  # bytes
_LASTING = re.compile(r"(\{[^{}\n]{0,200}?)#(\d{1,18})")


def register_parts() -> None:
    """Have the report copied with its experiment."""
    register(
        Part(Report, "experiment", Belongs.WORDS, apart=("text",), pointed={"text": _text}),
        Part(Version, "report__experiment", Belongs.WORDS, pointed={"text": _text}),
        files=ReportFile(), shown=look_through,
    )  # fmt: skip


def _text(text: str, point: Point) -> str:
    """Have references that name a finding by its key name its copy."""

    def pointed(match: re.Match) -> str:
        key = point(Finding, int(match[2]))
        return match[0] if key is None else f"{match[1]}#{key}"

    return _LASTING.sub(pointed, text)


def _by(keys: Keys) -> Point:
    return lambda model, key: keys.get(model, {}).get(key)


class ReportFile:
    """Writes and reads the text of the report, in Markdown as it was written."""

    def write(self, experiment: Experiment, numbers: Keys, package: Packing) -> None:
        """Write the text, where there is a report."""
        report = Report.objects.filter(experiment=experiment).first()
        if report is not None:
            package.put(TEXT, _text(report.text, _by(numbers)).encode())

    def read(self, experiment: Experiment, keys: Keys, package: Unpacking) -> None:
        """Read the text into the report. Raises PackageError."""
        if keys.get(Report):
            text = package.text(TEXT, LONGEST)
            if "\0" in text:
                raise PackageError(f"{TEXT} has signs that cannot be shown.")
            Report.objects.filter(pk__in=keys[Report].values()).update(text=_text(text, _by(keys)))
