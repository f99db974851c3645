"""Readings out of Galena in open formats."""
