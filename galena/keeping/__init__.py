"""Keeping what was measured: backups, what the disk holds, and what was removed."""
