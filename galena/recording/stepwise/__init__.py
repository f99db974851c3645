"""Runs that are taken step by step."""
