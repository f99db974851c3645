"""Builds the Skerry Point world by recording it through the real recording path."""
