"""The way to a clip from a request: always through an experiment that the person may see."""

from django.shortcuts import get_object_or_404

from galena.clips.models import Clip, TrackedObject
from galena.experiments.access import experiment_for


def clip_for(request, experiment_id: int, clip_id: int) -> Clip:
    """Give a clip of an experiment, or answer that there is none."""
    experiment = experiment_for(request, experiment_id)
    clip = get_object_or_404(experiment.clips.select_related("run"), pk=clip_id)
    clip.experiment = experiment
    return clip


def object_for(clip: Clip, object_id: int) -> TrackedObject:
    """Give what is marked in a clip, or answer that there is no such thing."""
    tracked = get_object_or_404(clip.tracked, pk=object_id)
    tracked.clip = clip
    return tracked
