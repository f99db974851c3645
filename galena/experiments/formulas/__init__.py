"""Symbols, formulas and what they give."""
