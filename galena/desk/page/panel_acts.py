"""What can be done with a finding at its panel, each act stated once."""

from collections.abc import Callable, Mapping

from django.http import QueryDict

from galena.core import numbers
from galena.desk.errors import DeskError
from galena.desk.findings import flows
from galena.desk.models import Finding

Act = Callable[[Finding, QueryDict], object]
CHANGE_GRAPHS = ("residuals", "graph")  # acts after which graphs are drawn anew


def act_of(finding: Finding, typed: QueryDict) -> Callable[[], object]:
    """Give what is to be done with a finding, from what was pressed and typed."""
    return lambda: ACTS.get(typed.get("act", ""), _unknown)(finding, typed)


def _unknown(finding: Finding, typed: QueryDict) -> None:
    raise DeskError("This cannot be done with a finding.")


def _lay(finding: Finding, typed: QueryDict) -> None:
    flows.lay_on(finding, _parameters(typed, flows.parameters_of(finding)))


def _fit(finding: Finding, typed: QueryDict) -> None:
    """Fit it, from where it was laid by hand if that was typed."""
    parameters = _parameters(typed, flows.parameters_of(finding))
    if parameters:
        flows.lay_on(finding, parameters)
    flows.fit_it(finding)


def _hold(finding: Finding, typed: QueryDict) -> None:
    flows.hold(finding, _parameters(typed, typed.getlist("held")))


def _parameters(typed: QueryDict, names: list[str]) -> dict[str, float]:
    """Read the parameters that were typed. Raises NumberError."""
    return {
        name: numbers.parse(typed.get(f"p-{name}", ""), name)
        for name in names
        if f"p-{name}" in typed
    }


ACTS: Mapping[str, Act] = {
    "weighted": lambda finding, typed: flows.weight(finding, "weighted" in typed),
    "hand": lambda finding, _: flows.by_hand(finding),
    "lay": _lay,
    "fit": _fit,
    "hold": _hold,
    "share": lambda finding, typed: flows.share(finding, typed.getlist("shared")),
    "name": lambda finding, typed: flows.rename(finding, typed.get("name", "")),
    "why": lambda finding, typed: flows.say_why(finding, typed.get("why", "")),
    "graph": lambda finding, typed: flows.show_on_graph(finding, "shown" in typed),
    "residuals": lambda finding, typed: flows.show_residuals(finding, "shown" in typed),
}
