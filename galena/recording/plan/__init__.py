"""The plan of a run: its form, its size, its conditions."""
