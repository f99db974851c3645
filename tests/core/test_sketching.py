"""Models as small drawings, and laid over readings at a glance."""

import numpy as np
import pytest

from galena.core.errors import FitError, FormulaError, TooFewReadings
from galena.core.fits import MODELS, fit
from galena.core.fits.outlines import outline
from galena.core.fits.sketching import MOST, sketch
from galena.core.model_facts import FAMILIES


@pytest.mark.parametrize("key", MODELS)
def test_a_shape_fills_its_square(key):
    places = outline(MODELS[key])
    assert np.isfinite(places).all()
    assert places[0, 0] == 0 and places[-1, 0] == 1
    assert places.min() >= 0 and places[:, 1].max() == (0.5 if key == "constant" else 1)


def test_every_family_has_members_and_shapes_differ():
    assert {one.facts.family for one in MODELS.values()} == set(FAMILIES)
    shapes = [tuple(outline(one)[:, 1].round(3)) for one in MODELS.values()]
    assert len(set(shapes)) == len(shapes)


@pytest.mark.parametrize("key", MODELS)
def test_over_exact_readings_a_model_lies_on_them(key):
    model = MODELS[key]
    example = model.facts.example
    x = np.linspace(example.lo, example.hi, 400)
    truth = dict.fromkeys(model.parameters, 1.0) | dict(example.params)
    y = model.values(x, truth)
    left = sketch(key, x, y).predict(x) - y
    assert np.sqrt(np.mean(left**2)) < 0.02 * (np.ptp(y) or 1)


def test_it_lies_where_the_fit_will():
    random = np.random.default_rng(5)
    x = np.linspace(0, 12, 30_000)
    y = 5 * np.exp(-x / 3) + 1 + random.normal(0, 0.05, x.size)
    for model in ("decay_constant", "line", "p*exp(-x/q) + r"):
        laid, fitted = sketch(model, x, y).predict(x), fit(model, x, y).predict(x)
        assert np.max(np.abs(laid - fitted)) < 0.05
    assert x.size > MOST


def test_a_fast_wave_among_many_readings_is_no_slow_one():
    x = np.linspace(0, 100, 50_000)
    laid = sketch("sine", x, 2 * np.sin(2 * np.pi * x / 0.14 + 1) + 3)
    assert abs(laid.params["T"]) == pytest.approx(0.14, rel=1e-3)


def test_places_without_a_value_are_left_out():
    laid = sketch("inverse", np.array([0.0, 1.0, 2.0, 4.0]), np.array([np.nan, 8.0, 4.0, 2.0]))
    assert laid.params["k"] == pytest.approx(8)


@pytest.mark.parametrize(("model", "error"), [
    ("cubic", TooFewReadings), ("sine", TooFewReadings), ("a*exp(", FormulaError),
    ("nothing", FitError),
])  # fmt: skip
def test_what_cannot_be_drawn_is_refused(model, error):
    with pytest.raises(error):
        sketch(model, np.array([1.0, 2.0]), np.array([3.0, 4.0]))
