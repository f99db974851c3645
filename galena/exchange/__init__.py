"""Readings out of Galena in open formats, and what belongs to an experiment in every app."""
