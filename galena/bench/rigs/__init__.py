"""Rigs plugged in and moved by hand."""
