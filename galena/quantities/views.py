"""The page of quantities: the list, the editor of one of them, and the givens."""

from collections.abc import Callable

from django.http import Http404
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from galena.core.errors import GalenaError
from galena.core.uncertainty_rules import RULES
from galena.desk import history
from galena.desk.page import responses
from galena.desk.sheets import flows as sheet_flows
from galena.experiments import quantity_flows
from galena.experiments.access import experiment_for
from galena.experiments.errors import ExperimentError
from galena.experiments.formulas.symbols import formulas_of
from galena.experiments.models import Experiment, Quantity
from galena.quantities import listing
from galena.quantities.preview import preview
from galena.shell import requested

NEW = "new"
LONGEST_DRAFT = 1200
FIELDS = ("formula", "name", "symbol", "unit", "decimals")


def page(request, experiment_id: int):
    """Show the quantities, and the editor of the one that is asked for."""
    experiment = experiment_for(request, experiment_id)
    quantity = _chosen(experiment, request.GET.get("of", ""))
    return _page(request, experiment, quantity, typed=_draft(request, experiment, quantity))


def show_preview(request, experiment_id: int):
    """Say what the formula that is being typed would give."""
    experiment = experiment_for(request, experiment_id)
    typed = {name: request.GET.get(name, "") for name in FIELDS}
    quantity = _chosen(experiment, request.GET.get("of", ""))
    return render(
        request, "quantities/_preview.html", {"preview": _preview(experiment, typed, quantity)}
    )


@require_POST
def keep_formula(request, experiment_id: int):
    """Make a quantity of a formula, or change one; the typed stays where it cannot be."""
    experiment = experiment_for(request, experiment_id)
    quantity = _chosen(experiment, request.POST.get("of", ""))
    typed = {name: request.POST.get(name, "") for name in FIELDS}
    _keep_draft(request, experiment, typed)
    same = experiment.derived.filter(
        symbol=typed["symbol"].strip(), formula=typed["formula"].strip()
    )
    if quantity is None and same.exists():
        return _back(experiment, same.first().pk)  # a second click on the button
    if quantity is not None and not quantity.is_derived:
        raise Http404("A formula is of a derived quantity.")
    if quantity is not None and request.POST.get("was", quantity.formula) != quantity.formula:
        refusal = (
            f"Meanwhile somebody has changed this formula to {quantity.formula}. Yours is still "
            "here: keep it again to put it in the place of theirs."
        )
        return _page(request, experiment, quantity, typed=typed, trouble=refusal, status=409)
    kept: list[Quantity] = []

    def act() -> None:
        if quantity is None:
            kept.append(quantity_flows.add_derived(experiment, **typed))
        else:
            kept.append(quantity_flows.change_derived(quantity, **typed))

    wrong = _try(request, experiment, f"formula {typed['symbol']}", act)
    if wrong:
        quantity = _chosen(experiment, request.POST.get("of", ""))  # as it is kept
        return _page(request, experiment, quantity, typed=typed, wrong=wrong, status=422)
    request.session.pop(_draft_key(experiment), None)
    if "show" in request.POST:
        return _show(request, experiment, kept[0])
    return _back(experiment, kept[0].pk)


@require_POST
def keep_quantity(request, experiment_id: int, quantity_id: int):
    """Give a measured or entered quantity another name, symbol or rule for its uncertainty."""
    experiment = experiment_for(request, experiment_id)
    quantity = get_object_or_404(experiment.quantities.exclude(kind=Quantity.Kind.DERIVED),
                                 pk=quantity_id)  # fmt: skip
    typed = {name: request.POST.get(name, "") for name in
             ("name", "symbol", "decimals", "rule", "absolute", "relative")}  # fmt: skip
    typed["calibration"] = "calibration" in request.POST

    def act() -> None:
        quantity_flows.describe(quantity, typed["name"], typed["symbol"], typed["decimals"])
        quantity_flows.set_rule(quantity, typed["rule"], typed["absolute"], typed["relative"],
                       typed["calibration"])  # fmt: skip

    wrong = _try(request, experiment, f"quantity {quantity.symbol}", act)
    if wrong:
        quantity.refresh_from_db()
        return _page(request, experiment, quantity, typed=typed, wrong=wrong, status=422)
    return _back(experiment, quantity.pk)


@require_POST
def act_on(request, experiment_id: int, quantity_id: int, act: str):
    """Remove a quantity, show it on the Desk, shift its origin or reverse its sign."""
    experiment = experiment_for(request, experiment_id)
    quantity = experiment.quantities.filter(pk=quantity_id).first()
    if quantity is None:
        return _page(request, experiment, None, trouble=responses.GONE, status=409)
    if act == "show":
        return _show(request, experiment, quantity)
    acts = {
        "remove": quantity_flows.drop,
        "shift": quantity_flows.shift_origin,
        "reverse": quantity_flows.reverse_sign,
    }
    changed: list[Quantity | None] = []
    wrong = _try(
        request, experiment, f"{act} {quantity.symbol}", lambda: changed.append(acts[act](quantity))
    )
    if wrong:
        refusal = next(iter(wrong.values()))
        return _page(request, experiment, quantity, trouble=refusal, status=409)
    return _back(experiment, changed[0].pk if changed[0] else NEW)


@require_POST
def keep_given(request, experiment_id: int):
    """Make a given, change one or remove one."""
    experiment = experiment_for(request, experiment_id)
    key = request.POST.get("given", "")
    given = get_object_or_404(experiment.givens, pk=requested.key(key)) if key.strip("0") else None
    typed = {name: request.POST.get(name, "") for name in
             ("name", "symbol", "value", "unit", "note")}  # fmt: skip

    of = _chosen(experiment, request.POST.get("of", ""))
    same = experiment.givens.filter(symbol=typed["symbol"].strip(), note=typed["note"].strip())
    if given is None and same.filter(name=typed["name"].strip() or typed["symbol"]).exists():
        return _back(experiment, of.pk if of else NEW)  # a second click on the button

    def act() -> None:
        if "remove" in request.POST and given is not None:
            quantity_flows.drop(given)
        else:
            quantity_flows.save_given(experiment, given, **typed)

    wrong = _try(request, experiment, f"given {typed['symbol']}", act)
    if wrong:
        back = {"given": given.pk if given else 0, "typed": typed, "wrong": wrong}
        return _page(request, experiment, of, given=back, status=422)
    return _back(experiment, of.pk if of else NEW)


@require_POST
def keep_symbol(request, experiment_id: int, condition_id: int):
    """Give a condition a symbol for formulas."""
    experiment = experiment_for(request, experiment_id)
    condition = get_object_or_404(experiment.conditions, pk=condition_id)
    wrong = _try(
        request,
        experiment,
        f"symbol of {condition.name}",
        lambda: quantity_flows.set_symbol(condition, request.POST.get("symbol", "")),
    )
    of = _chosen(experiment, request.POST.get("of", ""))
    if wrong:
        refusal = next(iter(wrong.values()))
        return _page(request, experiment, of, trouble=refusal, status=422)
    return _back(experiment, of.pk if of else NEW)


def _draft_key(experiment: Experiment) -> str:
    return f"half-typed formula of {experiment.pk}"


def _keep_draft(request, experiment: Experiment, typed: dict[str, str]) -> None:
    """Keep a half-typed formula until it is a whole one."""
    of = requested.key_or_none(request.POST.get("of"))
    kept = {name: text[:LONGEST_DRAFT] for name, text in typed.items()}
    request.session[_draft_key(experiment)] = {"of": of, "typed": kept}


def _draft(request, experiment: Experiment, quantity: Quantity | None) -> dict | None:
    """Give what is half typed for a quantity, or for a new one."""
    draft = request.session.get(_draft_key(experiment))
    if draft is None or draft["of"] != (quantity.pk if quantity else None):
        return None
    return draft["typed"] if any(draft["typed"].values()) else None


def _try(request, experiment: Experiment, label: str, act: Callable[[], object]) -> dict[str, str]:
    """Do an act that can be undone; give what is wrong by field, nothing if it was done.

    A formula that is half typed beside it is kept.
    """
    if "draft-formula" in request.POST:
        typed = {name: request.POST.get(f"draft-{name}", "") for name in FIELDS}
        _keep_draft(request, experiment, typed)
    try:
        with history.changing(experiment, request.user, label):
            act()
    except ExperimentError as error:
        return {error.field: str(error)}
    except GalenaError as error:
        return {"formula": str(error)}
    return {}


def _show(request, experiment: Experiment, quantity: Quantity):
    """Put a quantity into a graph of its own under those in front, and go there."""
    shown = sheet_flows.sheets_of(experiment)
    front = responses.front_of(request, experiment, shown)
    try:
        with history.changing(experiment, request.user, f"graph of {quantity.symbol}"):
            if len(front.graphs.all()) < sheet_flows.MOST_GRAPHS:
                sheet_flows.add_graph(front, quantity)
            else:
                responses.to_front(request, sheet_flows.add_sheet(experiment, front.x, [quantity]))
    except GalenaError as error:
        return _page(request, experiment, quantity, trouble=str(error), status=409)
    return redirect("desk", experiment.pk)


def _chosen(experiment: Experiment, key: str) -> Quantity | None:
    wanted = requested.key_or_none(key)
    return None if wanted is None else experiment.quantities.filter(pk=wanted).first()


def _back(experiment: Experiment, of: int | str):
    return redirect(f"{reverse('quantities', args=[experiment.pk])}?of={of}")


def _preview(experiment: Experiment, typed: dict, quantity: Quantity | None):
    given = {name: typed[name] for name in ("formula", "symbol", "unit", "decimals")}
    return preview(experiment, **given, quantity=quantity)


def _page(
    request,
    experiment: Experiment,
    quantity: Quantity | None,
    *,
    typed: dict | None = None,
    wrong: dict | None = None,
    given: dict | None = None,
    trouble: str = "",
    status: int = 200,
):
    formulas = formulas_of(experiment)
    groups = listing.insertions(formulas)
    is_formula = quantity is None or quantity.is_derived
    typed = typed or (_draft(request, experiment, quantity) if is_formula else None)
    typed = typed or (_of_formula(quantity) if is_formula else _of_reading(quantity))
    context = {
        "tab": "desk",
        "experiment": experiment,
        "listed": listing.listed(experiment, formulas),
        "quantity": quantity,
        "is_formula": is_formula,
        "typed": typed,
        "was": quantity.formula if quantity else "",
        "wrong": wrong or {},
        "trouble": trouble,
        "groups": groups,
        "offers": listing.offers(groups),
        "rules": RULES.values(),
        "givens": _givens(formulas, given or {}),
        "conditions": experiment.conditions.filter(kind="number"),
        "users": formulas.users(quantity) if quantity else [],
        "uses": formulas.uses(quantity) if quantity else [],
    }
    if is_formula:
        context["preview"] = _preview(experiment, typed, quantity)
    return render(request, "quantities/page.html", context, status=status)


def _of_formula(quantity: Quantity | None) -> dict:
    if quantity is None:
        return dict.fromkeys(FIELDS, "")
    typed = {name: getattr(quantity, name) for name in ("formula", "name", "symbol")}
    typed["unit"] = quantity.unit if quantity.unit_chosen else ""
    return typed | {"decimals": str(quantity.decimals) if quantity.decimals_chosen else ""}


def _of_reading(quantity: Quantity) -> dict:
    percent = "" if quantity.u_relative is None else f"{100 * quantity.u_relative:.10g}"
    absolute = "" if quantity.u_absolute is None else f"{quantity.u_absolute:.10g}"
    return {
        "name": quantity.name,
        "symbol": quantity.symbol,
        "decimals": str(quantity.decimals),
        "rule": quantity.u_rule,
        "absolute": absolute,
        "relative": percent,
        "calibration": quantity.u_calibration,
    }


def _givens(formulas, back: dict) -> list[dict]:
    """Give the rows of the table of givens, the last one empty; the refused one as typed."""
    rows = [
        {"pk": one.pk, "name": one.name, "symbol": one.symbol, "value": one.text,
         "unit": one.unit, "note": one.note, "users": [user.symbol for user in formulas.users(one)]}
        for one in formulas.givens
    ]  # fmt: skip
    rows.append({"pk": 0, "name": "", "symbol": "", "value": "", "unit": "", "note": ""})
    for row in rows:
        if back and row["pk"] == back["given"]:
            row |= back["typed"] | {"wrong": back["wrong"]}
    return rows
