"""Readings in open formats."""
