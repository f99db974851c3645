"""Models fitted to readings by least squares."""

from galena.core.fits.fitting import fit
from galena.core.fits.models import MODELS, LinearModel
from galena.core.fits.result import Fit

__all__ = ["MODELS", "Fit", "LinearModel", "fit"]
