"""Readings out of a link into a run: steady, armed, step by step, and the scenes of rigs."""
