"""Runs as they are made: the plan, the recorder and the live feed of a run."""
