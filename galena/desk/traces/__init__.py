"""The readings that a trace of a graph shows, and what they are at the cursor."""
