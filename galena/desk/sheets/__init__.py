"""Sheets and their graphs: all changes to them, and how places on x are written."""
