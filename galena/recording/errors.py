"""What can stand in the way of a run.

RecordingError (a GalenaError)
├── NothingToRecord    no channel was chosen, or its instrument is gone
├── AlreadyRecording   another run holds the instruments
└── NothingWaits       there is no armed run whose key could be pressed
"""

from galena.core.errors import GalenaError


class RecordingError(GalenaError):
    """A run cannot be started."""


class NothingToRecord(RecordingError):  # noqa: N818
    """No channel was chosen, or its instrument is gone."""


class AlreadyRecording(RecordingError):  # noqa: N818
    """Another run holds the instruments."""


class NothingWaits(RecordingError):  # noqa: N818
    """There is no armed run whose key could be pressed."""
