"""The findings of a sheet as cards and rows, and what they draw on the graphs."""
