"""Letting instruments go back to watching, and what is known of their clocks then."""

import logging

from galena.instruments.errors import InstrumentError
from galena.instruments.link import Link, Listener

log = logging.getLogger(__name__)


def release(link: Link, sink: Listener) -> None:
    """Have a link go back to watching."""
    try:
        link.release(sink)
    except InstrumentError:
        log.warning("%s did not go back to watching.", link.address)


def drift_of(link: Link) -> float | None:
    """Tell how much faster the device's clock runs than this computer's, in parts per million.

    None if that is not known.
    """
    clock = link.clock.estimate()
    return clock.drift_ppm if clock.rate != clock.pace else None
