"""Drawn films of what moves: pictures with true times and places, for clips without a camera."""
