"""A film comes in pieces, each behind the one before; what broke off goes on from where it was."""

from django.db import transaction

from galena.clips import files, preparing
from galena.clips.errors import ClipError
from galena.clips.models import Clip
from galena.experiments.flows import touch
from galena.experiments.models import Experiment
from galena.shell import pieces
from galena.shell.pieces import Readable

LARGEST = 500_000_000  # bytes
MOST_CLIPS = 60  # of an experiment
_LONGEST_NAME = 100


def begin(experiment: Experiment, name: str, size: int, ticket: str, person) -> Clip:
    """Begin to take a film, or go on with one that broke off. Raises ClipError.

    ticket: what tells the same file of the same person from others.
    """
    if not 0 < size <= LARGEST:
        raise ClipError(
            f"A film has at most {LARGEST // 1_000_000} MB. Cut it, or save it smaller."
            if size > 0
            else "This file is empty."
        )
    before = experiment.clips.filter(
        state=Clip.State.SENDING, ticket=ticket, size=size, made_by=person
    ).last()
    if before is not None:
        return before
    shown = " ".join(name.split())[:_LONGEST_NAME] or "clip"
    stem = shown.rpartition(".")[0] or shown
    return new(experiment, stem, person, size=size, ticket=ticket[:200])


def new(experiment: Experiment, name: str, person, **about) -> Clip:
    """Make a clip whose film is still to come. Raises ClipError where there are too many.

    about: what else is known of it, by its fields.
    """
    if experiment.clips.count() >= MOST_CLIPS:
        raise ClipError(f"There are {MOST_CLIPS} clips already. Take one away first.")
    with transaction.atomic():
        clip = Clip.objects.create(
            experiment=experiment, name=name, folder=files.new_folder(), made_by=person, **about
        )
        clip.tracked.create(number=1, name="object 1")
        files.file_of(clip.folder, files.ORIGINAL).touch()
        touch(experiment)
    return clip


def sent(clip: Clip) -> int:
    """Tell how many bytes of a film have come."""
    return pieces.come(files.file_of(clip.folder, files.ORIGINAL))


def take(clip: Clip, at: int, piece: Readable) -> int:
    """Take a piece that begins at a byte; gives how many have come. Raises ClipError.

    A piece that is not the next one changes nothing: what has come tells where to go on.
    """
    if clip.state != Clip.State.SENDING:
        raise ClipError("This film has come as a whole already.")
    beyond = (
        f"A film has at most {LARGEST // 1_000_000} MB: it ends here."
        if clip.is_filmed
        else "More came than was announced. Send the film anew."
    )
    path = files.file_of(clip.folder, files.ORIGINAL)
    try:
        here = pieces.append(path, at, piece, LARGEST if clip.is_filmed else clip.size, beyond)
    except pieces.PieceError as error:
        raise ClipError(str(error)) from error
    if here == clip.size and not clip.is_filmed:
        preparing.begin(clip)
    return here


def drop(clip: Clip) -> None:
    """Take a clip away, with its files where no copy of the experiment uses them."""
    folder, experiment = clip.folder, clip.experiment
    clip.delete()
    if not Clip.objects.filter(folder=folder).exists():
        files.remove(folder)
    touch(experiment)


def rename(clip: Clip, name: str) -> None:
    """Give a clip another name."""
    clip.name = " ".join(name.split())[:_LONGEST_NAME] or clip.name
    clip.save(update_fields=["name"])
