"""The page of quantities: the editor's preview, what is kept, and what is refused."""

import re

import pytest
from django.urls import reverse

from galena.experiments import quantity_flows as quantities
from galena.experiments.models import Given, Quantity
from tests import making


@pytest.fixture
def tank(experiment):
    making.run(experiment, making.ramp(), conditions=["40"])
    return experiment


def at(name, experiment, *args, **query):
    text = "&".join(f"{key}={value}" for key, value in query.items())
    return reverse(name, args=[experiment.pk, *args]) + (f"?{text}" if text else "")


def typed(**more):
    return {"formula": "h/(2 s)", "name": "rise", "symbol": "r", "unit": "", "decimals": ""} | more


def plain(html: str) -> str:
    return " ".join(re.sub(r"<[^>]+>", " ", html).split()).replace("&#x27;", "'")


def preview(client, experiment, formula, **more):
    return client.get(
        reverse("preview-formula", args=[experiment.pk]), {"formula": formula, **more}
    ).text


def test_the_page_lists_quantities_and_offers_what_a_formula_can_use(as_ada, tank):
    quantities.save_given(tank, None, "offset", "h_0", "2.0 ± 0.1", "mm")
    quantities.add_derived(tank, "h - h_0", "level", "L")
    text = as_ada.get(at("quantities", tank)).text
    assert "2.0 ± 0.1 mm" in text
    assert "molar gas constant" in text and "8.31446" in text
    assert "time since the start of the run" in text
    assert "used by" in text
    assert "<math" in text
    for group in ("Quantities", "Givens", "Constants", "Functions"):
        assert f">{group} ▾<" in text


def test_the_preview_shows_the_formula_its_unit_and_first_values(as_ada, tank):
    text = preview(as_ada, tank, "2*h", symbol="D")
    assert "<math" in text
    assert "in mm" in plain(text)
    assert "200 in all" in plain(text)
    assert '<option value="cm">' in text
    first = making.ramp()[0]
    assert f"{2 * first:.0f}" in plain(text) or f"{2 * first:.1f}" in plain(text)
    as_metres = plain(preview(as_ada, tank, "2*h", unit="m", decimals="5"))
    assert "in m " in as_metres and f"{2 * first / 1000:.5f}" in as_metres


@pytest.mark.parametrize(
    ("formula", "said", "marked"),
    [
        ("h + 2", "h is in millimetres and 2 is a plain number", "h + 2"),
        ("2 h + x", "There is no x in this experiment", "x"),
        ("sin(7)", "sin needs an angle: write 7 deg or 7 rad", "7"),
        ("0,5*h", "Decimals are written with a point", ","),
        ("hh", "There is no hh in this experiment", "hh"),
    ],
)
def test_the_preview_marks_the_place_of_a_mistake(as_ada, tank, formula, said, marked):
    text = preview(as_ada, tank, formula)
    assert said in text
    assert f"<mark>{marked}</mark>" in text


@pytest.mark.parametrize(
    ("formula", "said"),
    [
        ("0.002 mm/mm*h", "in mm"),
        ("5 J/kg K", "“J/kg K” can be read in two ways. Write brackets after the /."),
        ("5 m^13", "a power of 13 is beyond what units have"),
        ("h^7*h^7", "a power of 14 is beyond what units have"),
        ("5 °F", "Degrees Fahrenheit are not counted with here"),
    ],
)
def test_odd_units_are_answered_and_nothing_is_locked(as_ada, tank, formula, said):
    answer = as_ada.get(reverse("preview-formula", args=[tank.pk]), {"formula": formula})
    assert answer.status_code == 200
    assert said in plain(answer.text)
    as_ada.post(at("keep-formula", tank), typed(formula=formula))
    for name in ("quantities", "desk", "record"):
        assert as_ada.get(reverse(name, args=[tank.pk])).status_code == 200
    assert as_ada.get(reverse("run-file", args=[tank.pk, 1, "csv"])).status_code == 200


def test_the_preview_counts_what_has_no_number_and_says_what_a_run_lacks(as_ada, tank):
    making.run(tank, [1.0, 2.0], conditions=[""])
    said = plain(preview(as_ada, tank, "sqrt(h - 20 mm)"))
    assert re.search(r"\d+ without a number", said)
    tank.conditions.filter(name="pump").update(symbol="q_V")
    said = plain(preview(as_ada, tank, "h/q_V"))
    assert "Run 2 has no value for q_V (pump). Type it at the run." in said


def test_markup_in_a_formula_stays_text(as_ada, tank):
    text = preview(as_ada, tank, "<script>alert(1)</script>", symbol="<b>")
    assert "<script>" not in text
    assert "&lt;" in text


def test_a_formula_is_kept_changed_and_removed(as_ada, tank):
    answer = as_ada.post(at("keep-formula", tank), typed())
    made = tank.derived.get()
    assert answer.headers["Location"] == at("quantities", tank, of=made.pk)
    assert (made.formula, made.unit, str(made)) == ("h/(2 s)", "mm/s", "rise")
    as_ada.post(at("keep-formula", tank), typed(of=made.pk, formula="h/(4 s)", decimals="3"))
    made.refresh_from_db()
    assert (made.formula, made.decimals) == ("h/(4 s)", 3)
    text = as_ada.get(at("quantities", tank, of=made.pk)).text
    assert 'value="h/(4 s)"' in text and 'value="3"' in text
    as_ada.post(at("remove-quantity", tank, made.pk))
    assert not tank.derived.exists()
    level = tank.quantities.get()
    assert as_ada.post(at("keep-formula", tank), typed(of=level.pk)).status_code == 404
    gone = as_ada.post(at("remove-quantity", tank, made.pk))
    assert gone.status_code == 409 and "taken away in the meantime" in gone.text


def test_two_people_and_a_second_click_lose_nothing(as_ada, tank):
    for _ in range(2):
        answer = as_ada.post(at("keep-formula", tank), typed())
        assert answer.status_code == 302
    made = tank.derived.get()
    as_ada.post(at("keep-formula", tank), typed(of=made.pk, was="h/(2 s)", formula="h/(3 s)"))
    late = as_ada.post(
        at("keep-formula", tank), typed(of=made.pk, was="h/(2 s)", formula="h/(9 s)")
    )
    assert late.status_code == 409
    assert "somebody has changed this formula to h/(3 s). Yours is still" in plain(late.text)
    assert 'value="h/(9 s)"' in late.text and 'name="was" value="h/(3 s)"' in late.text
    made.refresh_from_db()
    assert made.formula == "h/(3 s)"


def test_the_desk_says_why_a_formula_has_no_graph_for_a_run(as_ada, tank):
    tank.conditions.filter(name="drain").update(symbol="D", kind="number")
    as_ada.post(at("keep-formula", tank), typed(formula="h*D", show="yes"))
    sheet = tank.sheets.get()
    packed = as_ada.get(reverse("desk-data", args=[tank.pk, sheet.pk])).content
    assert "Run 1 has no value for D (drain)" in packed.decode("utf-8", "ignore")


@pytest.mark.parametrize(
    ("wrong", "said"),
    [
        ({"formula": "h + "}, "The formula stops after"),
        ({"formula": "("}, "The formula stops after"),
        ({"formula": "h" * 1100}, "at most 1000 characters"),
        ({"symbol": "h"}, "h stands for “water level” already"),
        ({"symbol": ""}, "Give the quantity a symbol"),
        ({"unit": "J"}, "cannot be shown in joules"),
        ({"unit": "glug"}, "is not a unit that Galena knows"),
        ({"decimals": "many"}, "Decimals are a whole number from 0 to 9"),
        ({"name": "n" * 80}, "Keep the name to 60 characters"),
    ],
)
def test_what_cannot_be_kept_is_said_and_stays_as_typed(as_ada, tank, wrong, said):
    answer = as_ada.post(at("keep-formula", tank), typed(**wrong))
    assert answer.status_code == 422
    assert said in answer.text
    for text in (typed() | wrong).values():
        assert not text or f'value="{text}"' in answer.text
    assert not tank.derived.exists()


def test_a_formula_is_shown_at_the_desk_in_a_graph_of_its_own(as_ada, tank):
    as_ada.get(at("desk", tank))
    answer = as_ada.post(at("keep-formula", tank), typed(show="yes"))
    assert answer.headers["Location"] == at("desk", tank)
    assert [str(graph) for graph in tank.sheets.get().graphs.all()] == ["h", "r"]
    as_ada.post(reverse("undo", args=[tank.pk]))
    assert [str(graph) for graph in tank.sheets.get().graphs.all()] == ["h"]


def test_a_reading_gets_a_rule_a_symbol_and_formulas_made_of_it(as_ada, tank):
    level = tank.quantities.get(symbol="h")
    said = {"name": "water level", "symbol": "y", "decimals": "1", "rule": "relative"}
    wrong = as_ada.post(at("keep-quantity", tank, level.pk), said | {"relative": "a lot"})
    assert wrong.status_code == 422
    assert "The relative uncertainty: “a lot” is not a number" in wrong.text
    as_ada.post(at("keep-quantity", tank, level.pk), said | {"relative": "2", "calibration": "on"})
    level.refresh_from_db()
    assert (level.symbol, level.u_rule, level.u_relative) == ("y", "relative", 0.02)
    as_ada.post(at("shift-origin", tank, level.pk))
    as_ada.post(at("reverse-sign", tank, level.pk))
    assert [one.formula for one in tank.derived] == ["y - first(y)", "-y"]
    text = as_ada.get(at("quantities", tank, of=level.pk)).text
    assert 'value="2"' in text


def test_givens_are_added_changed_and_removed_and_a_wrong_one_loses_nothing(as_ada, tank):
    given = {
        "symbol": "m",
        "value": "250 ± 2 g",
        "unit": "kg",
        "name": "mass",
        "note": "of the cup",
    }
    as_ada.post(at("keep-given", tank), given)
    made = Given.objects.get()
    assert (made.text, made.u) == ("0.250 ± 0.002", 0.002)
    as_ada.post(at("keep-given", tank), given | {"given": made.pk, "value": "0.3"})
    made.refresh_from_db()
    assert (made.value, made.u) == (0.3, None)
    wrong = as_ada.post(at("keep-given", tank), given | {"symbol": "k", "value": "stiff"})
    assert wrong.status_code == 422
    assert "“stiff” is not a number" in wrong.text and 'value="stiff"' in wrong.text
    as_ada.post(at("keep-formula", tank), typed(formula="m*h"))
    refused = as_ada.post(at("keep-given", tank), {"given": made.pk, "remove": "yes"})
    assert "m is used by r = m*h" in refused.text
    as_ada.post(at("remove-quantity", tank, tank.derived.get().pk))
    as_ada.post(at("keep-given", tank), {"given": made.pk, "remove": "yes"})
    assert not Given.objects.exists()


def test_a_condition_gets_a_symbol_for_formulas(as_ada, tank):
    pump = tank.conditions.get(name="pump")
    refused = as_ada.post(at("keep-symbol", tank, pump.pk), {"symbol": "h"})
    assert "h stands for “water level” already" in refused.text
    as_ada.post(at("keep-symbol", tank, pump.pk), {"symbol": "q_V"})
    assert "40" in plain(preview(as_ada, tank, "q_V + 0 mL/s*(h/h)"))


def test_typed_columns_that_mix_decimals_are_remarked_on(as_ada, tank, ada):
    from galena.core.formats.pasted import pasted
    from galena.experiments import table_flows

    run = table_flows.new_table(tank, ada)
    table_flows.paste(run, 0, 0, pasted("length L / m\tsag s / mm\n0.20\t1.0\n0.4\t2.0"), ada)
    text = as_ada.get(at("quantities", tank)).text
    assert text.count("numbers with 1 and with 2 decimals are mixed. Type trailing zeros too") == 1


def test_another_experiments_quantities_are_out_of_reach(client, tern, as_ada, tank):
    level = tank.quantities.get()
    client.force_login(tern)
    for name, args in (
        ("quantities", ()), ("preview-formula", ()), ("keep-formula", ()), ("keep-given", ()),
        ("keep-quantity", (level.pk,)), ("remove-quantity", (level.pk,)),
    ):  # fmt: skip
        ask = client.get if name in ("quantities", "preview-formula") else client.post
        assert ask(at(name, tank, *args), typed()).status_code == 404
    assert Quantity.objects.count() == 1


def test_formulas_are_in_the_table_and_in_the_file_of_a_run(as_ada, tank):
    quantities.save_given(tank, None, "offset", "h_0", "2.0 ± 0.1", "mm")
    quantities.add_derived(tank, "h - h_0", "level", "L")
    rows = as_ada.get(reverse("rows", args=[tank.pk, 1]) + "?from=0&count=2")
    assert rows.json()["rows"][0][-1].endswith(" ± 0.10")
    text = as_ada.get(reverse("run-file", args=[tank.pk, 1, "csv"])).content.decode("utf-8-sig")
    assert "L = h - h_0: level" in text
    assert "Given: h_0 = 2.0 ± 0.1 mm (offset)" in text
    assert "L / mm" in text and "u(L) / mm" in text


def test_record_works_formulas_out_as_far_as_a_run_is_stored(as_ada, tank):
    made = quantities.add_derived(tank, "rate(h, t)", "rise", "r")
    address = reverse("derived-of-run", args=[tank.pk, 1])
    told = as_ada.get(f"{address}?quantity={made.pk}&quantity=oops").json()["quantities"]
    assert [one["symbol"] for one in told] == ["r"]
    assert told[0]["unit"] == "mm/s" and len(told[0]["t"]) == 200
    assert re.fullmatch(r"\u2212?\d+(\.\d+)?", told[0]["text"])
    tank.conditions.filter(name="drain").update(symbol="D", kind="number")
    other = quantities.add_derived(tank, "h*D", "none", "n")
    told = as_ada.get(f"{address}?quantity={other.pk}").json()["quantities"]
    assert "Run 1 has no value for D" in told[0]["trouble"]
    assert str(made.pk) in as_ada.get(reverse("record", args=[tank.pk])).text
