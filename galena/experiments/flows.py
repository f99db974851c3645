"""All changes to experiments and their runs."""

from collections.abc import Collection, Iterable

from django.db import transaction
from django.db.models import Max
from django.utils import timezone

from galena.core import symbols, units
from galena.core.errors import ConditionError, UnitError
from galena.core.formula import FUNCTIONS
from galena.experiments.errors import ExperimentError
from galena.experiments.models import (
    Condition,
    ConditionValue,
    Experiment,
    Quantity,
    Run,
)
from galena.shell.marks import MARKS

MOST_CHOICES = 20


def create(owner, title: str, conditions: Iterable[tuple[str, ...]] = ()) -> Experiment:
    """Make an experiment with conditions, each a name, a unit and, where it has one, a symbol."""
    with transaction.atomic():
        experiment = Experiment.objects.create(owner=owner, title=title)
        for name, unit, *symbol in conditions:
            letter = symbol[0] if symbol else ""
            try:
                refuse_symbol(experiment, letter)
            except ExperimentError:  # a name that looks like a symbol
                name, letter = f"{name} {letter}".strip(), ""
            Condition.objects.create(
                experiment=experiment, name=name or letter, symbol=letter, unit=unit,
                kind=_kind_of(unit),
            )  # fmt: skip
    return experiment


def _kind_of(unit: str) -> str:
    return Condition.Kind.NUMBER if unit else Condition.Kind.TEXT


def add_condition(
    experiment: Experiment,
    name: str,
    kind: str,
    symbol: str = "",
    unit: str = "",
    choices: str = "",
) -> Condition:
    """Give an experiment a further condition; choices are separated by commas.

    Raises ExperimentError, which names the field.
    """
    name, symbol, unit = " ".join(name.split()), symbol.strip(), unit.strip()
    if not name or len(name) > 60:
        raise ExperimentError("name", "Give the condition a name of up to 60 characters.")
    if experiment.conditions.filter(name__iexact=name).exists():
        raise ExperimentError("name", f"There is a condition “{name}” already.")
    refuse_symbol(experiment, symbol)
    listed = list(dict.fromkeys(part.strip() for part in choices.split(",") if part.strip()))
    if kind == Condition.Kind.CHOICE and not 2 <= len(listed) <= MOST_CHOICES:
        raise ExperimentError(
            "choices", "Write what can be chosen, with commas between. For example: none, in front"
        )
    if any(len(one) > 60 for one in listed):
        raise ExperimentError("choices", "Keep each choice to 60 characters.")
    condition = Condition(
        experiment=experiment,
        name=name,
        symbol=symbol,
        kind=kind if kind in Condition.Kind.values else Condition.Kind.TEXT,
        unit=unit_of(unit) if kind == Condition.Kind.NUMBER else "",
        choices=listed if kind == Condition.Kind.CHOICE else [],
    )
    condition.save()
    touch(experiment)
    return condition


def drop_condition(condition: Condition) -> None:
    """Take a condition away; refused where a run has a value for it."""
    used = ConditionValue.objects.filter(condition=condition, run__removed_at=None)
    numbers = list(used.exclude(text="").values_list("run__number", flat=True)[:5])
    if numbers:
        which = ", ".join(map(str, sorted(numbers)))
        raise ExperimentError(
            "name", f"“{condition}” has a value in run {which}. Empty it there first."
        )
    condition.delete()
    touch(condition.experiment)


def add_entered(
    experiment: Experiment, name: str, symbol: str, unit: str = "", decimals: str = "2"
) -> Quantity:
    """Give an experiment a quantity whose readings are typed. Raises ExperimentError."""
    name, symbol, decimals = " ".join(name.split()), symbol.strip(), decimals.strip()
    if not name or len(name) > 60:
        raise ExperimentError("name", "Give what you type a name of up to 60 characters.")
    if not symbol:
        raise ExperimentError("symbol", "Give it a symbol, for example d.")
    refuse_symbol(experiment, symbol)
    if not (decimals.isascii() and decimals.isdigit() and int(decimals) <= 9):
        raise ExperimentError("decimals", "Decimals are a whole number from 0 to 9.")
    quantity = Quantity.objects.create(
        experiment=experiment,
        name=name,
        symbol=symbol,
        unit=unit_of(unit.strip()),
        decimals=int(decimals),
        kind=Quantity.Kind.ENTERED,
    )
    touch(experiment)
    return quantity


def drop_entered(quantity: Quantity) -> None:
    """Take a typed quantity away; refused where something was typed for it."""
    if quantity.entries.exists():
        raise ExperimentError(
            "name", f"“{quantity}” has typed readings and so stays. Leave it out of the next run."
        )
    quantity.delete()
    touch(quantity.experiment)


def unit_of(text: str) -> str:
    """Read a unit as typed into the text it is kept as. Raises ExperimentError."""
    try:
        return str(units.parse(text)) if text else ""
    except UnitError as error:
        raise ExperimentError("unit", str(error)) from error


def refuse_symbol(experiment: Experiment, symbol: str, but: object = None) -> None:
    """Raise ExperimentError where something cannot have this symbol.

    but: what has it already and may keep it.
    """
    if len(symbol) > 12:
        raise ExperimentError("symbol", "Keep the symbol to 12 characters.")
    if symbol and not symbols.is_symbol(symbol):
        raise ExperimentError(
            "symbol",
            f"“{symbol}” is no symbol. Begin with a letter; digits and _ may follow, for example "
            "T_1.",
        )
    if symbol in FUNCTIONS:
        raise ExperimentError(
            "symbol", f"{symbol} is the name of a function in formulas. Take another."
        )
    holders = (experiment.quantities, experiment.conditions, experiment.givens)
    for holder in holders if symbol else ():
        for taken in holder.filter(symbol=symbol):
            if taken != but:
                raise ExperimentError(
                    "symbol", f"{symbol} stands for “{taken}” already. Take another."
                )


def next_number(experiment: Experiment) -> int:
    """Give the number of the next run; the number of a removed run is not used again."""
    highest = experiment.runs.aggregate(last=Max("number"))["last"] or 0
    return max(highest, experiment.last_number) + 1


def hold_conditions(run: Run, values: dict[int, str]) -> None:
    """Keep the values of a run's conditions, given by the condition's key.

    Raises ConditionError where one cannot be held, and then none is kept.
    """
    values_held = []
    for condition in run.experiment.conditions.all():
        held = condition.hold(values.get(condition.pk, ""))
        values_held.append(
            ConditionValue(
                run=run, condition=condition, text=held.text[:60], value=held.value, u=held.u
            )
        )
    with transaction.atomic():
        run.condition_values.all().delete()
        ConditionValue.objects.bulk_create(values_held)


def describe(run: Run, name: str, note: str, values: dict[int, str]) -> dict[int, str]:
    """Change a run's name, note and conditions; gives what is wrong, by condition, if any is."""
    wrong = {}
    for condition in run.experiment.conditions.all():
        try:
            condition.hold(values.get(condition.pk, ""))
        except ConditionError as error:
            wrong[condition.pk] = str(error)
    if wrong:
        return wrong
    with transaction.atomic():
        run.name, run.note = " ".join(name.split())[:80], " ".join(note.split())[:200]
        run.save(update_fields=["name", "note"])
        hold_conditions(run, values)
        touch(run.experiment)
    return {}


def choose_mark(run: Run, mark: int) -> None:
    """Have a run drawn with another of the marks; with its own again by its own number."""
    if not 1 <= mark <= len(MARKS) or mark == (run.marked - 1) % len(MARKS) + 1:
        return
    run.marked_as = mark
    run.save(update_fields=["marked_as"])
    touch(run.experiment)


def set_archived(experiment: Experiment, archived: bool) -> None:
    """Put an experiment out of the list, or back into it; nothing of it is lost."""
    experiment.archived_at = timezone.now() if archived else None
    experiment.save(update_fields=["archived_at"])


def remove_experiment(experiment: Experiment) -> None:
    """Take an experiment away; nothing of it is deleted for a while, so it can be brought back."""
    experiment.removed_at = timezone.now()
    experiment.save(update_fields=["removed_at"])


def bring_back(experiment: Experiment) -> None:
    """Undo the removal of an experiment."""
    experiment.removed_at = None
    experiment.save(update_fields=["removed_at"])


def set_unused(run: Run, reason: str) -> None:
    """Mark a run as not to be used, with the reason; without one it is used again."""
    run.unused = " ".join(reason.split())[:200]
    run.save(update_fields=["unused"])
    touch(run.experiment)


def move(run: Run, by: int) -> None:
    """Put a run so many places later in the order of runs, or earlier."""
    with transaction.atomic():
        runs = list(run.experiment.runs.kept())
        old = next((place for place, run_there in enumerate(runs) if run_there.pk == run.pk), None)
        if old is None:
            return
        runs.insert(min(max(old + by, 0), len(runs) - 1), runs.pop(old))
        for place, run_there in enumerate(runs, 1):
            run_there.place = place
        Run.objects.bulk_update(runs, ["place"])
        touch(run.experiment)


def show(run: Run, shown: bool) -> None:
    """Show a run in graphs, or hide it."""
    run.shown = shown
    run.save(update_fields=["shown"])
    touch(run.experiment)


def show_runs(experiment: Experiment, numbers: Collection[int], act: str) -> None:
    """Show some runs in graphs, hide them, or show no others: show, hide, only."""
    runs = experiment.runs.kept()
    if act == "only":
        runs.exclude(number__in=numbers).update(shown=False)
    runs.filter(number__in=numbers).update(shown=act != "hide")
    touch(experiment)


def remove(run: Run) -> None:
    """Take a run out of the experiment; nothing of it is deleted, so this can be undone."""
    run.removed_at = timezone.now()
    run.save(update_fields=["removed_at"])
    touch(run.experiment)


def restore(run: Run) -> None:
    """Undo a removal."""
    run.removed_at = None
    run.save(update_fields=["removed_at"])
    touch(run.experiment)


def touch(experiment: Experiment) -> None:
    """Note that something of an experiment changed."""
    experiment.save(update_fields=["changed_at"])


def free_symbol(experiment: Experiment, symbol: str) -> str:
    """Give a symbol that nothing has yet."""
    taken = {one.symbol for one in experiment.quantities.all()}
    taken |= {one.symbol for one in experiment.givens.all()}
    taken |= {one.symbol for one in experiment.conditions.all()}
    if symbol not in taken:
        return symbol
    return next(f"{symbol}{n}" for n in range(2, 1000) if f"{symbol}{n}" not in taken)
