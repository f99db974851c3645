"""Runs as they are listed: their facts, marks, replay and calibration afterwards."""
