"""What of straightening goes along into a copy of an experiment."""

from galena.exchange.parts import Part, register
from galena.straighten.models import Guidance


def register_parts() -> None:
    """Have the teacher's wishes copied with their experiment."""
    register(Part(Guidance, "experiment"))
