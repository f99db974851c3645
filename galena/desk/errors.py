from galena.core.errors import GalenaError


class DeskError(GalenaError, ValueError):
    """What was asked at the Desk cannot be done."""
