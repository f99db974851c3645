"""Harvests of the demo world: plateaus of a wing, areas of a pulse, times of a sound."""

from galena.classroom.models import Person
from galena.desk.annotations import flows as annotation_flows
from galena.desk.findings import flows as finding_flows
from galena.desk.findings.answers import Answers
from galena.desk.harvests import flows as harvest_flows
from galena.desk.models import Finding, Span
from galena.desk.sheets import flows as sheet_flows
from galena.experiments.models import Experiment, Quantity
from galena.experiments.quantity_flows import add_derived, set_rule

TURNS, HEIGHT, ENDS = "N 200", "0.60 ± 0.01", (-0.08, 0.12)


def wing(experiment: Experiment, person: Person) -> None:
    """Five plateaus of speed and lift, harvested: lift over the square of the speed."""
    speed, lift = (experiment.quantities.get(symbol=one) for one in "vL")
    sheet = sheet_flows.first_sheet(experiment)
    sheet_flows.choose_quantity(sheet, speed)
    below = sheet_flows.add_graph(sheet, lift)
    run = experiment.runs.get()
    spans = finding_flows.mark_plateaus(sheet, speed, run)
    spans = [one for one in spans if _mean(one, speed, run) > 1.0]
    sheet.spans.exclude(pk__in=[one.pk for one in spans]).delete()
    for span in spans:
        for quantity in (speed, lift):
            finding_flows.ask(span, "mean", quantity, [run])
    annotation_flows.add_note(below, "five steps of the fan", 160.0, 1.8)
    findings = list(sheet.findings.filter(span=spans[0]))
    taken = harvest_flows.harvest(spans[0], findings, person, [run], spans)
    mean_v, mean_l = (_column(taken, "mean", one) for one in (speed, lift))
    square = add_derived(experiment, f"{mean_v.symbol}^2", "square of the mean speed", "v_sq")
    over = sheet_flows.add_sheet(experiment, square, [mean_l], "lift over the square of the speed")
    span = annotation_flows.add_span(over, 5.0, 240.0)
    finding_flows.ask(span, "proportional", mean_l, [taken.run])
    finding_flows.ask(span, "line", mean_l, [taken.run])


def magnet(experiment: Experiment, person: Person) -> None:
    """Both lobes of the pulse, equal and opposite; and the linked flux over turns by harvest."""
    voltage = experiment.quantities.get(symbol="ε")
    set_rule(voltage, "absolute", "0.002")
    flux = add_derived(experiment, "running_area(ε, t)", "flux linked, changed sign", "Φ", "mWb")
    sheet = sheet_flows.first_sheet(experiment)
    sheet_flows.choose_quantity(sheet, voltage)
    sheet_flows.add_graph(sheet, flux)
    runs = list(experiment.runs.filter(rate=10_000))
    low = [one for one in runs if TURNS in one.label and HEIGHT in one.label]
    experiment.runs.exclude(pk__in=[one.pk for one in low]).update(shown=False)
    lo, hi = ENDS
    whole = annotation_flows.add_span(sheet, lo, hi)
    finding_flows.ask(whole, "trough", flux, low)
    middle = _middle(whole, flux, low[0])
    lobes = [
        annotation_flows.add_span(sheet, lo, middle),
        annotation_flows.add_span(sheet, middle, hi),
    ]
    for span, name in zip(lobes, ("magnet comes", "magnet goes"), strict=True):
        annotation_flows.rename(span, name)
    areas = [finding_flows.ask(span, "area", voltage, low[:1])[0] for span in lobes]
    symbols = {f"area_{span}": (one.pk, "area") for span, one in zip(lobes, areas, strict=True)}
    both = " + ".join(symbols)
    finding_flows.build_formula(sheet, both, "both", symbols)
    taken = harvest_flows.harvest(whole, list(sheet.findings.filter(span=whole)), person, runs,
                             [whole], repeats=True)  # fmt: skip
    turns, least = taken.columns[0]["quantity"], _column(taken, "trough", flux, "y")
    over = sheet_flows.add_sheet(experiment, Quantity.objects.get(pk=turns), [least],
                            "flux linked over turns")  # fmt: skip
    (law,) = finding_flows.ask(annotation_flows.add_span(over, 100.0, 500.0), "proportional", least,
                               [taken.run])  # fmt: skip
    finding_flows.weight(law, True)  # each area knows its own uncertainty


def _middle(span: Span, flux: Quantity, run) -> float:
    """Tell when the magnet is in the middle of the coil: there the flux is greatest."""
    probe = Finding(sheet=span.sheet, span=span, kind="trough", run=run, quantity=flux)
    return Answers([probe]).of(probe).estimates[0].value


def horns(experiment: Experiment, person: Person) -> None:
    """The first crest of a clap at both horns: its time difference over their distance."""
    first, second = (experiment.quantities.get(symbol=one) for one in ("p_1", "p_2"))
    sheet = sheet_flows.first_sheet(experiment)
    sheet_flows.choose_quantity(sheet, first)
    sheet_flows.add_graph(sheet, second)
    runs = list(experiment.runs.all())
    span = annotation_flows.add_span(sheet, -0.001, 0.0075)
    for quantity in (first, second):
        finding_flows.ask(span, "peak", quantity, runs)
    taken = harvest_flows.harvest(span, list(sheet.findings.all()), person, runs, [span])
    at = [_column(taken, "peak", one, "x") for one in (first, second)]
    between = f"{at[1].symbol} - {at[0].symbol}"
    apart = add_derived(experiment, between, "time between", "t_12", "ms")
    distance = Quantity.objects.get(pk=taken.columns[0]["quantity"])
    over = sheet_flows.add_sheet(experiment, distance, [apart], "time between over distance")
    wide = annotation_flows.add_span(over, 0.3, 1.7)
    (line,) = finding_flows.ask(wide, "line", apart, [taken.run])
    finding_flows.build_formula(over, "1/slope_c", "c_air", {"slope_c": (line.pk, "slope")})


def _mean(span: Span, quantity: Quantity, run) -> float:
    probe = Finding(sheet=span.sheet, span=span, kind="mean", run=run, quantity=quantity)
    return Answers([probe]).of(probe).estimates[0].value


def _column(taken, kind: str, quantity: Quantity, key: str = "") -> Quantity:
    wanted = next(
        one for one in taken.columns
        if one.get("kind") == kind and one["of"] == quantity.pk and (not key or one["key"] == key)
    )  # fmt: skip
    return Quantity.objects.get(pk=wanted["quantity"])
