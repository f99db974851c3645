"""The argument, written around graphs and findings, and its PDF."""
