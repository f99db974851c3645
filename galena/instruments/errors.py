"""What can go wrong between Galena and a device.

InstrumentError (a GalenaError)
├── AddressError       text that is no address of an instrument
├── LinkLost           the device or its cable went away
├── NoAnswer           the device did not answer in time
└── RequestRefused     the device answered that it cannot do it
    └── NoClock        it answered something else when asked its clock
"""

from galena.core.errors import GalenaError


class InstrumentError(GalenaError):
    """Something between Galena and a device."""


class AddressError(InstrumentError, ValueError):
    """A text is no address of an instrument."""


class LinkLost(InstrumentError, ConnectionError):  # noqa: N818
    """The device or its cable went away."""


class NoAnswer(InstrumentError, TimeoutError):  # noqa: N818
    """The device did not answer in time."""


class RequestRefused(InstrumentError, ValueError):  # noqa: N818
    """The device answered that it cannot do what was asked."""


class NoClock(RequestRefused):
    """The device answered something else when it was asked its clock."""
