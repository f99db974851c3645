"""Clips that tests know: prepared in this process, with a dot whose way is known."""

import numpy as np
from django.urls import reverse

from galena.clips import files, preparing, sending
from galena.clips.models import Clip

TIMES = np.delete(np.arange(22) / 25, [9, 15])  # two pictures are missing


def sent(experiment, data, name="A film.mp4"):
    """Give a clip whose file has come, without its preparing."""
    clip = sending.begin(experiment, name, len(data), "", experiment.owner)
    files.file_of(clip.folder, files.ORIGINAL).write_bytes(data)
    return clip


def prepared(experiment, data):
    """Give a clip that is ready."""
    clip = sent(experiment, data)
    Clip.objects.filter(pk=clip.pk).update(**preparing.prepared_fields(clip.folder))
    clip.refresh_from_db()
    return clip


def post(client, url, clip, *more, **fields):
    """Do something on a clip's page."""
    return client.post(reverse(url, args=[clip.experiment_id, clip.pk, *more]), fields)
