"""Spans, markers and notes: all changes to them."""
