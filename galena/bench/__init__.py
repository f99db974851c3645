"""Instruments and their channels: found, zeroed and watched."""
