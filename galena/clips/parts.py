"""What of clips goes along into a copy of an experiment, and into the experiment as a file.

A copy uses the same files; the file of an experiment has each film as it came.
"""

from functools import partial

import numpy as np
from django.db import transaction

from galena.clips import files, preparing, sending
from galena.clips.models import Axes, Clip, Mark, Scale, SlantedPlane, Tie, TrackedObject
from galena.exchange import npy
from galena.exchange.errors import PackageError
from galena.exchange.packing import STORED, Packing
from galena.exchange.parts import Belongs, Keys, Part, register
from galena.exchange.unpacking import Unpacking
from galena.experiments.models import Experiment

RUNS = Belongs.RUNS
HERE = (Clip.State.PREPARING, Clip.State.READY, Clip.State.FAILED)  # the film is there
MOST_PICTURES = 2_000_000
TIMES = np.dtype("<i8")
_PIECE = 1_000_000  # bytes
_NOT_OF_FILE = ("folder", "ticket", "state", "trouble", "times")


def register_parts() -> None:
    """Have clips copied with their experiment."""
    of_clip = {"clip__state__in": HERE}
    register(
        Part(Clip, "experiment", RUNS, apart=_NOT_OF_FILE, kept={"state__in": HERE},
             run_way="run"),
        *(
            Part(model, "clip__experiment", RUNS, kept=of_clip, run_way="clip__run")
            for model in (Scale, SlantedPlane, TrackedObject, Axes)
        ),
        Part(Mark, "tracked__clip__experiment", RUNS, kept={"tracked__clip__state__in": HERE},
             run_way="tracked__clip__run"),
        Part(Tie, "clip__experiment", RUNS, kept=of_clip, run_way="clip__run"),
        files=ClipFiles(),
    )  # fmt: skip


class ClipFiles:
    """Writes and reads the films of an experiment, as they came, and when each picture was."""

    def write(self, experiment: Experiment, numbers: Keys, package: Packing) -> None:
        """Write the film of each clip; one that is not on the disk is told."""
        for clip in experiment.clips.filter(pk__in=numbers[Clip]).order_by("pk"):
            folder = f"clips/{numbers[Clip][clip.pk]}"
            times = clip.ticks.astype(TIMES)
            package.put(f"{folder}/times.npy", npy.head(times.size, TIMES) + times.tobytes())
            if not package.films:
                continue
            try:
                size = files.file_of(clip.folder, files.ORIGINAL).stat().st_size
                film = files.file_of(clip.folder, files.ORIGINAL).open("rb")
            except OSError:
                package.told.append(f"The film of clip “{clip}” is not on the disk.")
                continue
            with film, package.file(f"{folder}/original", size, STORED) as entry:
                while piece := film.read(_PIECE):
                    entry.write(piece)

    def read(self, experiment: Experiment, keys: Keys, package: Unpacking) -> None:
        """Keep the film of each clip and have it prepared, once all is there."""
        made = keys.get(Clip, {})
        if experiment.clips.count() > sending.MOST_CLIPS:
            raise PackageError(f"An experiment has at most {sending.MOST_CLIPS} clips.")
        clips = Clip.objects.in_bulk(made.values())
        for number, key in made.items():
            clip, folder = clips[key], files.new_folder()
            package.undo.append(partial(files.remove, folder))
            clip.folder, clip.times = folder, _times(package, number)
            if f"clips/{number}/original" in package.names:
                clip.state = Clip.State.PREPARING
                clip.size = _film(package, number, folder)
                transaction.on_commit(partial(preparing.begin, clip))
            else:
                clip.state, clip.trouble = Clip.State.FAILED, "Its film was not in the file."
            clip.save(update_fields=["folder", "times", "state", "trouble", "size"])


def _times(package: Unpacking, number: int) -> bytes:
    name = f"clips/{number}/times.npy"
    with package.file(name) as file:
        count = npy.count(file, TIMES, name)
        if count > MOST_PICTURES:
            raise PackageError(f"{name} has too many pictures.")
        times = file.read(count * TIMES.itemsize + 1)
    if len(times) != count * TIMES.itemsize:
        raise PackageError(f"{name} does not have the length that it says.")
    if np.any(np.diff(np.frombuffer(times, TIMES)) <= 0):
        raise PackageError(f"{name}: its times do not follow each other.")
    return times


def _film(package: Unpacking, number: int, folder: str) -> int:
    """Keep a film; gives its size."""
    size = 0
    path = files.file_of(folder, files.ORIGINAL)
    with package.file(f"clips/{number}/original") as film, path.open("wb") as kept:
        while piece := film.read(_PIECE):
            size += len(piece)
            if size > sending.LARGEST:
                raise PackageError(f"A film has at most {sending.LARGEST // 1_000_000} MB.")
            kept.write(piece)
    return size
