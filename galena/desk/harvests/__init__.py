"""Findings over many runs or spans as a table that can be graphed."""
