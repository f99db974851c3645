"""A run as a table: heads, rows as text, statistics."""
