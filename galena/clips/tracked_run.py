"""A clip with marks becomes a run: t, and x and y for each object; it follows what is changed."""

from django.db import transaction
from django.utils import timezone

from galena.clips.errors import ClipError
from galena.clips.models import Clip, Scale, SlantedPlane, TrackedObject
from galena.clips.rulers import ruler_of
from galena.core.numbers import significant
from galena.experiments.flows import next_number, touch
from galena.experiments.models import Experiment, Quantity, Run
from galena.experiments.quantity_flows import add_derived, save_given

LEAST_OF_CENTRE = 2  # objects
TRACKED = "tracked"  # the key of the kind of run and of its quantities


def use_as_run(clip: Clip, person) -> Run:
    """Have a clip be a run. Raises ClipError where something is missing."""
    clip.refresh_from_db(fields=["run"])  # a second click finds the run of the first
    if clip.run is not None and clip.run.removed_at is None:
        return clip.run
    if clip.state != Clip.State.READY:
        raise ClipError("This clip is not ready yet.")
    if not any(one.objects.filter(clip=clip).exists() for one in (Scale, SlantedPlane)):
        raise ClipError("Set the scale first: drag along something whose length you know.")
    if not any(one.marks.filter(replaced_at=None).exists() for one in clip.tracked.all()):
        raise ClipError("Mark something first, in a few pictures.")
    with transaction.atomic():
        number = next_number(clip.experiment)
        clip.run = Run.objects.create(
            experiment=clip.experiment, number=number, place=number, plan=TRACKED,
            state=Run.State.FINISHED, name=clip.name[:80], started_at=clip.made_at,
            ended_at=timezone.now(), started_by=person, details=_details(clip),
        )  # fmt: skip
        clip.save(update_fields=["run"])
        follow(clip)
        touch(clip.experiment)
    return clip.run


def follow(clip: Clip) -> None:
    """Have the quantities and facts of a clip's run be what the clip is now."""
    if clip.run_id is None:
        return
    scale = Scale.objects.filter(clip=clip).first()
    plane = SlantedPlane.objects.filter(clip=clip).first()
    if scale is None and plane is None:
        return
    ruler = ruler_of(clip, scale, plane)
    decimals = decimals_of_two_digits(clip.u_mark * ruler.pixel)
    several = clip.tracked.count() > 1
    for tracked in clip.tracked.select_related("x_quantity", "y_quantity"):
        for axis in ("x", "y"):
            _quantity(clip, tracked, axis, ruler.unit, decimals, several)
    Run.objects.filter(pk=clip.run_id).update(details=_details(clip))


def decimals_of_two_digits(u: float) -> int:
    """Tell how many decimals show two digits of an uncertainty, 9 at most."""
    return min(9, len(significant(u).partition(".")[2])) if u > 0 else 2


def _details(clip: Clip) -> dict:
    return {"interval": clip.every / clip.rate if clip.rate else 0.1}


def _quantity(
    clip: Clip, tracked: TrackedObject, axis: str, unit: str, decimals: int, several: bool
) -> None:
    """Make the quantity of an axis of an object, or have it follow the scale.

    Clips of an experiment share their quantities, so that their runs stand in one graph.
    """
    quantity = getattr(tracked, f"{axis}_quantity")
    if quantity is None:
        source = f"clip|{tracked.number}|{axis}"
        quantity = clip.experiment.quantities.filter(source=source).first()
        if quantity is None:
            name = f"{axis} of {tracked.name}" if several else f"place along {axis}"
            quantity = Quantity.objects.create(
                experiment=clip.experiment, name=name[:100], kind=TRACKED, unit=unit,
                symbol=_free_symbol(clip.experiment, axis, tracked.number), decimals=decimals,
                source=source,
            )  # fmt: skip
        setattr(tracked, f"{axis}_quantity", quantity)
        tracked.save(update_fields=[f"{axis}_quantity"])
    clips = Clip.objects.filter(experiment=clip.experiment).exclude(run=None)
    is_alone = not clips.exclude(pk=clip.pk).exists()
    if is_alone and (quantity.unit, quantity.decimals) != (unit, decimals):
        quantity.unit, quantity.decimals = unit, decimals
        quantity.save(update_fields=["unit", "decimals"])


def _free_symbol(experiment: Experiment, axis: str, number: int) -> str:
    kept = (experiment.quantities, experiment.givens, experiment.conditions)
    taken = {symbol for one in kept for symbol in one.values_list("symbol", flat=True)}
    further = axis + ("" if "_" in axis else "_")
    wanted = [axis, *(f"{further}{place}" for place in range(number, number + 200))]
    return next(symbol for symbol in wanted if symbol not in taken)


def speed_of(tracked: TrackedObject) -> Quantity | None:
    """Give the quantity that is the speed of an object, where there is one."""
    if tracked.x_quantity_id is None or tracked.y_quantity_id is None:
        return None
    formula = _speed_formula(tracked)
    return tracked.clip.experiment.derived.filter(formula=formula).first()


def add_speed(tracked: TrackedObject) -> None:
    """Have the speed of an object, √(ẋ² + ẏ²), as a quantity; asked twice there is one."""
    if tracked.x_quantity_id is None or tracked.y_quantity_id is None:
        raise ClipError("Use the clip as a run first.")
    if speed_of(tracked) is None:
        experiment = tracked.clip.experiment
        symbol = _free_symbol(experiment, "v", tracked.number)
        add_derived(experiment, _speed_formula(tracked), f"speed of {tracked.name}"[:60], symbol)


def add_centre(clip: Clip, masses: dict[int, str], unit: str) -> None:
    """Have the centre of mass of all objects as two quantities, and their masses as givens.

    masses: as they are typed, by the keys of objects: 0.20 ± 0.01. Raises ClipError, and what a
    given or a formula that cannot be raises. Source: x_c = Σ mᵢ xᵢ / Σ mᵢ.
    """
    objects = list(clip.tracked.select_related("x_quantity", "y_quantity"))
    if len(objects) < LEAST_OF_CENTRE:
        raise ClipError("A centre of mass is one of two objects or more: mark a second one.")
    if any(one.x_quantity is None or one.y_quantity is None for one in objects):
        raise ClipError("Use the clip as a run first.")
    experiment = clip.experiment
    with transaction.atomic():
        weights = []
        for tracked in objects:
            symbol = _free_symbol(experiment, "m", tracked.number)
            typed = masses.get(tracked.pk, "")
            save_given(experiment, None, f"mass of {tracked.name}"[:60], symbol, typed, unit)
            weights.append(symbol)
        whole = " + ".join(weights)
        for axis in ("x", "y"):
            places = [getattr(one, f"{axis}_quantity").symbol for one in objects]
            terms = " + ".join(
                f"{mass}*{place}" for mass, place in zip(weights, places, strict=True)
            )
            symbol = _free_symbol(experiment, f"{axis}_c", 2)
            add_derived(experiment, f"({terms})/({whole})", f"{axis} of the centre of mass", symbol)


def _speed_formula(tracked: TrackedObject) -> str:
    x, y = tracked.x_quantity.symbol, tracked.y_quantity.symbol
    return f"sqrt(rate({x})^2 + rate({y})^2)"
