"""All changes of typed tables, and setting readings aside. What was there before is kept."""

from collections.abc import Callable, Collection

from django.db import transaction
from django.utils import timezone

from galena.core.errors import TableError
from galena.core.formats.heads import Head, head
from galena.core.formats.pasted import MOST_COLUMNS, MOST_ROWS, Pasted, cell_text
from galena.core.numbers import decimals_of_text, parse
from galena.experiments.flows import add_entered, next_number, touch
from galena.experiments.models import Aside, Experiment, Quantity, Run, Stream, TypedColumn
from galena.experiments.quantity_flows import refresh, rename_in_formulas

LARGEST_FILLED = 1e12
MOST_ASIDES = 1000
SYMBOLS = "xyzuvwabcdfkmnpqrs"


def new_table(experiment: Experiment, person, quantities: Collection[Quantity] = ()) -> Run:
    """Begin a typed table, with columns for these quantities or two new ones."""
    with transaction.atomic():
        number = next_number(experiment)
        run = Run.objects.create(
            experiment=experiment,
            number=number,
            place=number,
            plan=Run.Plan.TYPED,
            state=Run.State.FINISHED,
            started_at=timezone.now(),
            ended_at=timezone.now(),
            started_by=person,
        )
        chosen = list(quantities) or [new_quantity(experiment, Head("", "", "")) for _ in "xy"]
        for quantity in chosen:
            _keep(run, quantity, [], person, "begun")
        touch(experiment)
    return run


def table_of_file(
    experiment: Experiment, person, name: str, columns: list[tuple[Head, list[str]]]
) -> Run:
    """Make a typed table of what stood in a file; quantities that are here already are used."""
    with transaction.atomic():
        kept: list[Quantity] = []
        for heading, _ in columns:
            same = experiment.entered.filter(symbol=heading.symbol, unit=heading.unit)
            free = same.exclude(pk__in=[one.pk for one in kept]) if heading.symbol else same.none()
            kept.append(free.first() or new_quantity(experiment, heading))
        run = new_table(experiment, person, kept)
        run.name = name[:80]
        run.save(update_fields=["name"])
        for quantity, (_, cells) in zip(kept, columns, strict=True):
            _keep(run, quantity, list(cells), person, f"taken in from {name}")
    return run


def add_column(run: Run, person, heading: Head | None = None) -> TypedColumn:
    """Put a further column beside the others, under a head if one is given."""
    if run.typed_columns.filter(replaced_at=None).count() >= MOST_COLUMNS:
        raise TableError(f"A typed table has at most {MOST_COLUMNS} columns.")
    quantity = new_quantity(run.experiment, heading or Head("", "", ""))
    return _keep(run, quantity, [], person, "begun")


def set_head(quantity: Quantity, text: str) -> None:
    """Name a typed quantity by the head of its column, as `overhang L / m`.

    Raises TableError, UnitError.
    """
    heading = head(text)
    symbol = heading.symbol or _symbol_for(quantity.experiment, heading.name, quantity.symbol)
    if len(heading.name) > 100 or len(symbol) > 20:
        raise TableError("Keep the name to 100 characters and the symbol to 20.")
    taken = quantity.experiment.quantities.exclude(pk=quantity.pk).filter(symbol=symbol)
    if taken.exists():
        raise TableError(f"{symbol} is the symbol of {taken.first().name} already. Choose another.")
    rename_in_formulas(quantity.experiment, quantity.symbol, symbol)
    quantity.name, quantity.symbol, quantity.unit = heading.name or symbol, symbol, heading.unit
    quantity.save(update_fields=["name", "symbol", "unit"])
    refresh(quantity.experiment)
    touch(quantity.experiment)


def set_cell(column: TypedColumn, row: int, text: str, person) -> TypedColumn | None:
    """Type a cell; rows are counted from 0. Gives the column anew, None where nothing changed.

    Raises NumberError, TableError.
    """
    if not 0 <= row < MOST_ROWS:
        raise TableError(f"A typed table has at most {MOST_ROWS:,} rows.")
    typed, cells = cell_text(text), column.cells
    before = cells[row] if row < len(cells) else ""
    if typed == before:
        return None
    cells += [""] * (row + 1 - len(cells))
    cells[row] = typed
    change = f"row {row + 1}: {before or 'empty'} → {typed or 'empty'}" if before else ""
    return _keep(column.run, column.quantity, cells, person, change)


def paste(run: Run, row: int, place: int, table: Pasted, person) -> str:
    """Put a pasted table from a row and a column on; columns are made where they are missing.

    Gives what was taken for separator and decimal mark, in words.
    """
    with transaction.atomic():
        columns = list(_in_force(run))
        heads = dict(enumerate(table.heads, start=place)) if row == 0 else {}
        for column, heading in [(columns[at], heads[at]) for at in heads if at < len(columns)]:
            if heading.name or heading.symbol:
                _name(column.quantity, heading)
        while len(columns) < place + len(table.rows[0]):
            columns.append(add_column(run, person, heads.get(len(columns))))
        if row + len(table.rows) > MOST_ROWS:
            raise TableError(f"A typed table has at most {MOST_ROWS:,} rows.")
        for number, column in enumerate(columns[place : place + len(table.rows[0])]):
            cells = column.cells
            cells += [""] * (row + len(table.rows) - len(cells))
            cells[row : row + len(table.rows)] = [cells_of[number] for cells_of in table.rows]
            _keep(run, column.quantity, cells, person, f"pasted {len(table.rows)} rows")
    return table.took


def _name(quantity: Quantity, heading: Head) -> None:
    """Take a pasted head where its symbol is free; the name and the unit in any case."""
    symbol = heading.symbol or _symbol_for(quantity.experiment, heading.name, quantity.symbol)
    others = quantity.experiment.quantities.exclude(pk=quantity.pk)
    if not others.filter(symbol=symbol).exists() and len(symbol) <= 20:
        rename_in_formulas(quantity.experiment, quantity.symbol, symbol)
        quantity.symbol = symbol
    quantity.name, quantity.unit = (heading.name or quantity.symbol)[:100], heading.unit
    quantity.save(update_fields=["name", "symbol", "unit"])
    refresh(quantity.experiment)


def insert_row(run: Run, row: int, person) -> None:
    """Put an empty row before a row; what was set aside moves along. Raises TableError."""
    if any(len(column.cells) >= MOST_ROWS for column in _in_force(run)):
        raise TableError(f"A typed table has at most {MOST_ROWS:,} rows.")
    _reshape(run, person, f"row {row + 1} put in", lambda cells: cells.insert(row, ""), row, 1)


def remove_row(run: Run, row: int, person) -> None:
    """Take a row out; what was set aside moves along."""
    with transaction.atomic():
        run.asides.filter(stream=None, first=row, last=row).delete()
        _reshape(run, person, f"row {row + 1} taken out", lambda cells: cells.pop(row), row, -1)


def _reshape(
    run: Run, person, change: str, act: Callable[[list[str]], object], row: int, by: int
) -> None:
    with transaction.atomic():
        for column in _in_force(run):
            cells = column.cells
            if row < len(cells):
                act(cells)
                _keep(run, column.quantity, cells, person, change)
        for aside in run.asides.filter(stream=None, last__gte=row):
            aside.first += by if aside.first >= row else 0
            aside.last += by
            aside.save()


def fill(column: TypedColumn, row: int, start: str, step: str, count: int, person) -> None:
    """Fill a column from a row on with evenly spaced values. Raises NumberError, TableError."""
    first, by = parse(start, "The start", "0.10"), parse(step, "The step", "0.05")
    if not 0 <= row < MOST_ROWS:
        raise TableError(f"A typed table has at most {MOST_ROWS:,} rows.")
    if not 1 <= count <= MOST_ROWS - row:
        raise TableError(f"Fill between 1 and {MOST_ROWS - row:,} rows.")
    if max(abs(first), abs(first + by * count)) > LARGEST_FILLED:
        raise TableError(f"Fill with numbers up to {LARGEST_FILLED:g}.")
    decimals = max(decimals_of_text(cell_text(start)), decimals_of_text(cell_text(step)))
    cells = column.cells
    cells += [""] * (row + count - len(cells))
    cells[row : row + count] = [f"{first + by * number:.{decimals}f}" for number in range(count)]
    _keep(column.run, column.quantity, cells, person, f"filled {count} rows")


def set_aside(run: Run, stream: Stream | None, first: int, last: int, reason: str, person) -> Aside:
    """Leave readings out of every calculation; rows are counted from 0. Raises TableError."""
    line = " ".join(reason.split())
    if not line or len(line) > 200:
        raise TableError("Say in up to 200 characters why they are set aside.")
    if not 0 <= first <= last:
        raise TableError("The rows to set aside end before they begin.")
    if run.asides.count() >= MOST_ASIDES:
        raise TableError(f"{MOST_ASIDES:,} stretches are set aside already. Take some back first.")
    aside = Aside.objects.create(
        run=run, stream=stream, first=first, last=last, reason=line, made_by=person
    )
    touch(run.experiment)
    return aside


def take_back(run: Run, stream: Stream | None, row: int, person) -> None:
    """Let a reading that was set aside count again; others set aside with it stay so."""
    with transaction.atomic():
        for aside in run.asides.filter(stream=stream, first__lte=row, last__gte=row):
            around = [(aside.first, row - 1), (row + 1, aside.last)]
            aside.delete()
            for first, last in around:
                if first <= last:
                    set_aside(run, stream, first, last, aside.reason, person)
        touch(run.experiment)


def _in_force(run: Run):
    kept = run.typed_columns.filter(replaced_at=None).select_related("quantity__experiment")
    return kept.order_by("quantity_id")


def _keep(run: Run, quantity: Quantity, cells: list[str], person, change: str) -> TypedColumn:
    """Put a column in force; the one before is kept."""
    while cells and not cells[-1]:
        cells.pop()
    decimals = max((decimals_of_text(cell) for cell in cells if cell), default=None)
    now = timezone.now()
    with transaction.atomic():
        run.typed_columns.filter(quantity=quantity, replaced_at=None).update(replaced_at=now)
        column = run.typed_columns.create(
            quantity=quantity, texts=_joined(cells), change=change[:120], made_at=now,
            made_by=person,
        )  # fmt: skip
        if decimals is not None and decimals != quantity.decimals:
            Quantity.objects.filter(pk=quantity.pk).update(decimals=decimals)
        touch(run.experiment)
    return column


def _joined(cells: list[str]) -> str:
    return "\n".join(cells)


def new_quantity(experiment: Experiment, heading: Head) -> Quantity:
    """Make the quantity of a typed column, under the symbol of its head where that is free."""
    free = not experiment.quantities.filter(symbol=heading.symbol).exists()
    symbol = (
        heading.symbol if heading.symbol and free else _symbol_for(experiment, heading.name, "")
    )
    return add_entered(experiment, heading.name or f"column {symbol}", symbol, heading.unit, "2")


def symbol_for(experiment: Experiment, name: str) -> str:
    """Suggest a symbol for something that has a name only."""
    return _symbol_for(experiment, name, "")


def _symbol_for(experiment: Experiment, name: str, now: str) -> str:
    """Suggest a symbol: the first letter of the name where it is free, else any that is."""
    taken = set(experiment.quantities.exclude(symbol=now).values_list("symbol", flat=True))
    letters = [name[0].lower()] if name[:1].isalpha() else [now] if now else []
    numbered = [f"x_{number}" for number in range(1, 1000)]
    return next(one for one in [*letters, *SYMBOLS, *numbered] if one and one not in taken)
