"""What can be wrong with a clip, in words."""

from galena.core.errors import GalenaError


class ClipError(GalenaError, ValueError):
    """A clip cannot be taken, prepared or marked like this."""
