"""Runs that were given on: their series say where the readings are stored, and follow what is
recorded there. Nothing measured is stored twice, and nothing in use is lost with its original.
"""

from django.db import transaction
from django.db.models import QuerySet

from galena.experiments.data.cache import forget
from galena.experiments.flows import touch
from galena.experiments.models import Experiment, Run, Series, SeriesChunk, Stream

FACTS = ("lost", "garbled", "origin_us", "scale", "drift_ppm")


def follow_stream(stream: Stream) -> None:
    """Have the streams that were given from one know what is known of it."""
    followers = Stream.objects.filter(series__stored_in__stream=stream, run__state="following")
    Stream.objects.filter(pk__in=list(followers.values_list("pk", flat=True))).update(
        **{fact: getattr(stream, fact) for fact in FACTS}
    )


def follow_end(run: Run) -> list[Run]:
    """Have the runs that were given from one end with it; gives them."""
    followers = Run.objects.filter(state=Run.State.FOLLOWING)
    followers = followers.filter(streams__series__stored_in__stream__run=run)
    ended = list(followers.distinct().select_related("experiment"))
    for follower in ended:
        follower.state, follower.ending = run.state, run.ending
        follower.ended_at, follower.details = run.ended_at, dict(run.details)
        follower.save(update_fields=["state", "ending", "ended_at", "details"])
        touch(follower.experiment)
    return ended


def users_of(runs) -> list[Experiment]:
    """List the other experiments that use what is stored of some runs."""
    own = {run.experiment_id for run in runs}
    using = Experiment.objects.filter(runs__streams__series__stored_in__stream__run__in=runs)
    return list(using.exclude(pk__in=own).distinct())


def delete(experiment: Experiment) -> None:
    """Delete an experiment with all that is its own, for good.

    Readings that other experiments use move to the first of these; they are lost with none.
    """
    with transaction.atomic():
        _hand_on(Run.objects.filter(experiment=experiment))
        experiment.runs.update(state=Run.State.FINISHED)
        Stream.objects.filter(run__experiment=experiment).delete()
        _delete_rows(experiment)
    forget()  # what is kept in memory is named by the keys of series


def delete_run(run: Run) -> None:
    """Delete a removed run for good; its number is not used again.

    Readings that other runs use move to the first of these.
    """
    with transaction.atomic():
        _hand_on(Run.objects.filter(pk=run.pk))
        Experiment.objects.filter(pk=run.experiment_id, last_number__lt=run.number).update(
            last_number=run.number
        )
        Stream.objects.filter(run=run).delete()
        run.delete()
    forget()


def _hand_on(runs: QuerySet[Run]) -> None:
    """Give what is stored of some runs to the first of the others that use it."""
    held = Series.objects.filter(stream__run__in=runs, stored_in=None)
    used = Series.objects.filter(stored_in__in=held).exclude(stream__run__in=runs)
    followers: dict[int, list[Series]] = {}
    for follower in used.order_by("pk"):
        followers.setdefault(follower.holder_id, []).append(follower)
    for holder, (first, *others) in followers.items():
        SeriesChunk.objects.filter(series=holder).update(series=first)
        Series.objects.filter(pk__in=[one.pk for one in others]).update(stored_in=first)
        Series.objects.filter(stored_in=holder).exclude(pk=first.pk).update(stored_in=first)
        Series.objects.filter(pk=first.pk).update(stored_in=None)


def _delete_rows(experiment: Experiment) -> None:
    """Delete runs before what their rows refer to: quantities are kept as long as they are used."""
    experiment.runs.all().delete()
    experiment.delete()
