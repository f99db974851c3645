"""Galena takes a class from a sensor to an argument."""

__version__ = "0.2.0"
