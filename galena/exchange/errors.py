"""What can be wrong with a file that is to be taken in."""

from galena.core.errors import GalenaError


class PackageError(GalenaError, ValueError):
    """An experiment file that is damaged, newer than this Galena, or none."""
