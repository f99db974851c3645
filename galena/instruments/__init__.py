"""Speaks to devices and simulates them. May use the core; knows nothing of pages or storage."""
