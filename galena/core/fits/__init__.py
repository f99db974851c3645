"""Models fitted to readings by least squares."""

from galena.core.fits.fitting import MODELS, chosen_model, fit
from galena.core.fits.intersection import Crossing, intersect
from galena.core.fits.models import LinearModel, Model
from galena.core.fits.result import Fit

__all__ = [
    "MODELS", "Crossing", "Fit", "LinearModel", "Model", "chosen_model", "fit", "intersect",
]  # fmt: skip
