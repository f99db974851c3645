"""What clips put on other pages: a picture at the Desk's cursor, camera and film on Record."""

from galena.clips import filming
from galena.clips.models import Clip
from galena.clips.ties import clocks
from galena.experiments.models import Experiment


def beside_graphs(experiment: Experiment) -> dict | None:
    """Give the clips whose pictures stand beside the graphs; None where no run has one."""
    tied = _tied(experiment)
    return {"clips": tied} if tied else None


def on_record(experiment: Experiment) -> dict:
    """Give what Record needs to film a run, and the clips that a replay shows along."""
    return {"clips": _tied(experiment)}


def _tied(experiment: Experiment) -> list[dict]:
    """List the clips that runs are tied to, each with what is told of its times."""
    if not experiment.clips.exists():
        return []
    filming.settle(experiment)
    shown = []
    for clip in experiment.clips.filter(state=Clip.State.READY).select_related("run"):
        of_clip = clocks(clip)
        if of_clip:
            told = {number: [one.offset, one.rate] for number, one in of_clip.items()}
            shown.append({"clip": clip, "told": {"runs": told, "ticks": clip.ticks.tolist()}})
    return shown
