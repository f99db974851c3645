"""What a report is written from: the experiment's sheets, findings and runs, each loaded once."""

from dataclasses import dataclass
from functools import cached_property

from galena.core.errors import SeriesError
from galena.desk.findings.questions import Estimate
from galena.desk.ledger.cards import Ledger, of_sheet
from galena.desk.ledger.rows import Row, rows
from galena.desk.models import Sheet
from galena.desk.sheets.flows import sheets_of
from galena.experiments.models import Experiment, Run
from galena.reports.put_ins.put_in import PutInError


@dataclass(frozen=True)
class Reference:
    """A number of a ledger that text can refer to."""

    name: str
    row: Row
    estimate: Estimate

    @property
    def always(self) -> str:
        """A name that stays this number's, whatever else is asked."""
        finding = self.row.finding
        return f"{finding}#{finding.pk}.{self.estimate.key}"


class Source:
    """An experiment, for one setting of its report. on_paper: whether that is for paper."""

    def __init__(self, experiment: Experiment, *, on_paper: bool = False) -> None:
        self.experiment = experiment
        self.on_paper = on_paper
        self._ledgers: dict[int, Ledger] = {}

    @cached_property
    def sheets(self) -> list[Sheet]:
        """The sheets, from the first on."""
        return sheets_of(self.experiment)

    @cached_property
    def rows(self) -> list[Row]:
        """The findings of all sheets with their answers."""
        return [row for sheet in self.sheets for row in self._rows_of(sheet)]

    def _rows_of(self, sheet: Sheet) -> list[Row]:
        try:
            return self.ledger(sheet).rows
        except SeriesError:  # each answer says so itself
            return rows(sheet)

    def ledger(self, sheet: Sheet) -> Ledger:
        """Give the ledger of a sheet. Raises SeriesError."""
        if sheet.pk not in self._ledgers:
            self._ledgers[sheet.pk] = of_sheet(sheet)
        return self._ledgers[sheet.pk]

    @cached_property
    def references(self) -> list[Reference]:
        """The numbers of all ledgers; a name that another has is given up for a lasting one."""
        listed: list[Reference] = []
        taken: set[str] = set()
        for row in self.rows:
            for estimate, name in row.references:
                reference = Reference(name, row, estimate)
                if name in taken:
                    reference = Reference(reference.always, row, estimate)
                taken.add(reference.name)
                listed.append(reference)
        return listed

    @cached_property
    def by_name(self) -> dict[str, Reference]:
        """The numbers by all names that they have; a named finding also by its name alone."""
        named: dict[str, Reference] = {}
        for reference in self.references:
            named.setdefault(reference.name, reference)
            named.setdefault(reference.always, reference)
        for reference in self.references:
            finding = reference.row.finding
            if finding.name and reference.row.answer.estimates[0] is reference.estimate:
                named.setdefault(finding.name, reference)
        return named

    @cached_property
    def runs(self) -> list[Run]:
        """The runs that are not removed."""
        kept = self.experiment.runs.kept().order_by("number")
        return list(kept.prefetch_related("condition_values__condition"))

    def run(self, text: str) -> Run:
        """Give the run of `run 3` or `3`, or of its name. Raises PutInError."""
        number = text.removeprefix("run").strip()
        for run in self.runs:
            if (number.isdecimal() and run.number == int(number)) or (
                run.name and run.name == text
            ):
                return run
        raise PutInError(f"there is no {text or 'run'}")

    def sheet(self, text: str) -> Sheet:
        """Give the sheet of a title, of `sheet 2`, or the first. Raises PutInError."""
        if not text:
            return self.sheets[0]
        for sheet in self.sheets:
            if str(sheet) == text:
                return sheet
        number = text.removeprefix("sheet").strip()
        if number.isdecimal() and 1 <= int(number) <= len(self.sheets):
            return self.sheets[int(number) - 1]
        raise PutInError(f"there is no sheet “{text}”")

    def name_of(self, sheet: Sheet) -> str:
        """Give what a sheet is called in a text."""
        title = str(sheet)
        is_plain = (
            not set(title) & set("{}|\n") and [str(one) for one in self.sheets].count(title) == 1
        )
        return title if is_plain else f"sheet {self.sheets.index(sheet) + 1}"
