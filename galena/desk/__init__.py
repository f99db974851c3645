"""Readings looked at, marked and measured: sheets, graphs, spans, markers, findings."""
