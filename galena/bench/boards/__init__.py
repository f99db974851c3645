"""Boards that just print numbers: what their columns are, as a person says."""
