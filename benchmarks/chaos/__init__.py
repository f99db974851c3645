"""What may go wrong in a room, done on purpose and counted: see `python -m benchmarks.chaos`."""
