"""What formulas cost on 1,000,000 readings, as multiples of the same written by hand in numpy.

Run: python -m benchmarks.formulas
"""

import os
import tempfile

os.environ["DJANGO_SETTINGS_MODULE"] = "galena.config.settings"

import django
import numpy as np

from benchmarks import sizes
from benchmarks.timing import best
from galena.core import formula

COUNT = sizes.of(1_000_000, 5000)
SYMBOLS = {
    "v": "m/s",
    "m": "kg",
    "t": "s",
    "y": "m",
    "k": "N/m",
    "f": "Hz",
    "U_1": "V",
    "R_load": "Ω",
}
LONG = (
    "rate(0.5*m*v^2 + m*g_n*(y - first(y)) + 0.5*k*(y - mean(y))^2, t)*1 s + area(U_1^2/R_load, t)"
    "*exp(-t/(2.5 s))*cos(2*π*f*t + 30 deg) + smooth(0.5*k*y^2, 11) - previous(m*g_n*y) - 0.12500 J"
    " + 2*(1 J)"
)


def of_the_core() -> None:
    """Compare a formula with numpy by hand, and time how long it takes to read one."""
    rng = np.random.default_rng(1)
    v, u_v = rng.random(COUNT) + 1, np.full(COUNT, 0.02)
    m, u_m = 0.25, 0.01
    energy = formula.compile("0.5*m*v^2", SYMBOLS)

    def by_hand() -> np.ndarray:
        return 0.5 * m * v**2

    def by_hand_with_u() -> tuple[np.ndarray, np.ndarray]:
        return by_hand(), np.sqrt((0.5 * v**2 * u_m) ** 2 + (m * v * u_v) ** 2)

    plain, hand = best(lambda: energy.evaluate({"m": m, "v": v})), best(by_hand)
    with_u = best(lambda: energy.evaluate({"m": (m, u_m), "v": (v, u_v)}))
    hand_u = best(by_hand_with_u)
    print(f"0.5*m*v^2 on {COUNT:,} readings:")
    print(f"  without uncertainty {plain * 1e3:.1f} ms, {plain / hand:.2f} x by hand (1.5 allowed)")
    print(f"  with uncertainty {with_u * 1e3:.1f} ms, {with_u / hand_u:.2f} x by hand (2 allowed)")
    t = np.cumsum(0.001 + 1e-5 * rng.random(COUNT))
    gradient = best(lambda: np.gradient(v, t, edge_order=2), 3)
    for text in ("rate(v, t)", "running_area(v, t)", "smooth(v, 11)", "rate(v, t, 11)"):
        made = formula.compile(text, SYMBOLS)
        bare = best(lambda made=made: made.evaluate({"v": v, "t": t}), 2)
        full = best(lambda made=made: made.evaluate({"v": (v, u_v), "t": t}), 2)
        print(f"  {text}: {bare / gradient:.1f} x numpy.gradient, with uncertainty "
              f"{full / gradient:.1f} x")  # fmt: skip
    read = best(_compiled, 20)
    print(f"  a formula of {len(LONG)} characters is compiled in {read * 1e3:.1f} ms (5 allowed)")


def _compiled() -> None:
    from galena.core.formula import parsing

    parsing.parse.cache_clear()
    formula.compile(LONG, SYMBOLS)


def of_a_chain() -> None:
    """Change a given under five formulas of each other, and draw the last one again."""
    django.setup()
    from django.core.management import call_command

    call_command("migrate", verbosity=0)
    from galena.classroom.models import Person
    from galena.desk.drawing import window
    from galena.desk.sheets import flows as sheet_flows
    from galena.experiments import flows as experiment_flows
    from galena.experiments.quantity_flows import add_derived, save_given, set_rule
    from tests import making

    ada = Person.objects.create_user("ada", first_name="Ada")
    experiment = experiment_flows.create(ada, "A million readings")
    making.run(experiment, making.ramp(COUNT, rate=1000.0, slope=0.02, noise=3.0), rate=1000.0,
               chunk=2500)  # fmt: skip
    set_rule(experiment.quantities.get(symbol="h"), "absolute", "3")
    given = save_given(experiment, None, "offset", "a", "2.0 ± 0.1", "mm")
    for symbol, text in (("b", "h - a"), ("c", "2*b"), ("d", "c^2/(1 mm)"), ("q", "d + 3*h"),
                         ("r", "q*a/(1 mm) - b")):  # fmt: skip
        last = add_derived(experiment, text, symbol, symbol)
    sheet = sheet_flows.first_sheet(experiment)
    sheet_flows.choose_quantity(sheet, last)
    sheet = sheet_flows.first_sheet(experiment)
    window.encode(sheet, None, None, 800)
    values = iter(range(2, 100))

    def change() -> None:
        save_given(experiment, given, "offset", "a", f"{next(values)}.0 ± 0.1", "mm")

    def change_and_draw() -> None:
        change()
        window.encode(sheet_flows.first_sheet(experiment), None, None, 800)

    both, kept = best(change_and_draw, 5), best(change, 5)
    print(f"a chain of 5 formulas on {COUNT:,} readings with uncertainties:")
    print(f"  a given changed {kept * 1e3:.0f} ms, worked out and drawn anew {both * 1e3:.0f} ms")


if __name__ == "__main__":
    of_the_core()
    with tempfile.TemporaryDirectory() as folder:
        os.environ["GALENA_DATA"] = folder
        of_a_chain()
