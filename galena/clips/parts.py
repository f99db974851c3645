"""What of clips goes along into a copy of an experiment: its rows; the files are the same."""

from galena.clips.models import Axes, Clip, Mark, Scale, SlantedPlane, Tie, TrackedObject
from galena.exchange.parts import Part, register


def register_parts() -> None:
    """Have clips copied with their experiment."""
    register(
        Part(Clip, "experiment", True),
        Part(Scale, "clip__experiment", True),
        Part(SlantedPlane, "clip__experiment", True),
        Part(TrackedObject, "clip__experiment", True),
        Part(Axes, "clip__experiment", True),
        Part(Mark, "tracked__clip__experiment", True),
        Part(Tie, "clip__experiment", True),
    )
