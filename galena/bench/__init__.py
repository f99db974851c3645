"""Instruments and their channels: connected, zeroed, calibrated and watched."""
