"""Calibrations: takes, the curve through them, files."""
