"""Readings out of storage, what was set aside, their uncertainties, and the rows they stand in."""
