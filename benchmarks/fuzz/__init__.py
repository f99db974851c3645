"""Junk of every kind, thrown at whatever reads what others have written: see `python -m benchmarks.fuzz`."""
