"""Experiments with their quantities, conditions, runs and stored readings."""
