"""The list of experiments, a new one, and the rail of runs."""

from datetime import datetime, timedelta

from django.db.models import Count, Exists, OuterRef, Q, QuerySet
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_http_methods, require_POST

from galena.classroom.permissions import for_teachers, may_teach
from galena.experiments import choosing, flows, repeats
from galena.experiments.access import experiment_for, experiments_of
from galena.experiments.forms import NewExperiment
from galena.experiments.models import ConditionValue, Experiment, Quantity, Run, Stream
from galena.experiments.sources import SOURCES
from galena.shell import requested
from galena.shell.prepared import hold, prepared_objects
from galena.shell.templatetags.addresses import address

UNDO_FOR = timedelta(minutes=10)
MOST_WORDS = 8
AT_ONCE, MOST_LISTED = 48, 10**6  # experiments that a page shows before it is scrolled

# Where a card of the list leads: its word for each address, and that address's name.
LEADS_TO = {
    "desk": "desk",
    "bench": "bench",
    "picture": "picture",
    "duplicate": "duplicate",
    "file": "experiment-file",
    "archive": "archive",
    "remove": "remove-experiment",
}
ORDERS = {
    "changed": ("last changed", ["-changed_at"]),
    "made": ("last made", ["-created_at"]),
    "title": ("title", ["title", "pk"]),
    "owner": ("owner", ["owner__first_name", "owner__username", "title"]),
}


def listing(request):
    """List the person's experiments, in the order and with the words asked for."""
    if not may_teach(request.user):
        return redirect("my-lesson")
    words = " ".join(request.GET.get("words", "").split())[:200]
    order = request.GET.get("order", "")
    order = order if order in ORDERS else "changed"
    archived = "archived" in request.GET
    mine = experiments_of(request)
    matching = mine.filter(archived_at__isnull=not archived)
    for word in words.split()[:MOST_WORDS]:
        noted = Run.objects.kept().filter(experiment=OuterRef("pk"))
        noted = noted.filter(Q(note__icontains=word) | Q(name__icontains=word))
        named = Quantity.objects.filter(experiment=OuterRef("pk"), name__icontains=word)
        matching = matching.filter(Q(title__icontains=word) | Exists(noted) | Exists(named))
    matching = matching.order_by(*ORDERS[order][1], "pk")
    first = requested.whole(
        request.GET.get("from"), "Experiments", 0, MOST_LISTED, otherwise=0, clip=True
    )
    listed = list(matching[first : first + AT_ONCE + 1])
    runs = _counts_of_runs(listed)
    context = {
        "shown": [
            {
                "experiment": one,
                "runs": runs.get(one.pk, 0),
                "to": {word: address(name, (one.pk,)) for word, name in LEADS_TO.items()},
                "state": int(one.changed_at.timestamp()),
                "changed": _day_and_time(one.changed_at),
            }
            for one in listed[:AT_ONCE]
        ],
        "further": _further(request, first + AT_ONCE) if len(listed) > AT_ONCE else "",
        "words": words,
        "order": order,
        "orders": [(key, name) for key, (name, _) in ORDERS.items()],
        "archived": archived,
        "place": "experiments",
        "others": mine.filter(archived_at__isnull=archived).count(),
    }
    return render(request, "experiments/list.html", context)


def _counts_of_runs(experiments: list[Experiment]) -> dict[int, int]:
    """Count the kept runs of experiments: of those shown alone, for there may be many others."""
    of_them = Run.objects.kept().filter(experiment__in=[one.pk for one in experiments])
    return dict(of_them.order_by().values_list("experiment").annotate(Count("pk")))


def _day_and_time(moment: datetime) -> str:
    local = timezone.localtime(moment)
    return f"{local.day} {local:%B, %H:%M}"


def _further(request, first: int) -> str:
    """Give the address of the list from an experiment on, in the same order and with the words."""
    asked = request.GET.copy()
    asked["from"] = str(first)
    return f"{request.path}?{asked.urlencode()}"


@require_POST
@for_teachers
def archive(request, experiment_id: int):
    """Put an experiment out of the list, or back into it."""
    experiment = experiment_for(request, experiment_id)
    flows.set_archived(experiment, "back" not in request.POST)
    return redirect("experiments")


@require_http_methods(["GET", "POST"])
@for_teachers
def new(request):
    """Make an experiment and go to its Bench."""
    form = NewExperiment(request.POST or None)
    if request.method == "POST" and form.is_valid():
        experiment = flows.create(
            request.user, form.cleaned_data["title"], form.cleaned_data["conditions"]
        )
        if "type" in request.POST:
            return redirect(reverse("desk", args=[experiment.pk]) + "?type")
        return redirect("bench", experiment.pk)
    status = 422 if form.errors else 200
    return render(request, "experiments/new.html", {"form": form}, status=status)


@require_POST
def show_run(request, experiment_id: int, number: int):
    """Show or hide a run in the graphs."""
    experiment = experiment_for(request, experiment_id)
    run = experiment.runs.kept().filter(number=number).first()
    if run is None:
        return _rail(request, experiment, gone=number)
    flows.show(run, not run.shown)
    return _rail(request, experiment)


@require_POST
def restore_run(request, experiment_id: int, number: int):
    """Undo a removal."""
    experiment = experiment_for(request, experiment_id)
    flows.restore(get_object_or_404(experiment.runs, number=number))
    response = _rail(request, experiment)
    response["HX-Trigger"] = '{"run-list-changed": "", "rail-changed": ""}'
    return response


def rail(request, experiment_id: int):
    """Give the rail as it is now."""
    return _rail(request, experiment_for(request, experiment_id))


@require_http_methods(["GET", "POST"])
def choose_runs(request, experiment_id: int):
    """Show all runs with their conditions, sorted and narrowed down; show or hide some of them."""
    experiment = experiment_for(request, experiment_id)
    sent = request.POST if request.method == "POST" else request.GET
    if request.method == "POST":
        numbers = [requested.key(one) for one in sent.getlist("number")]
        flows.show_runs(experiment, numbers, sent.get("act", ""))
    runs = list(experiment.runs.kept().prefetch_related("condition_values__condition"))
    sort, down = sent.get("sort") or choosing.BY_NUMBER, bool(sent.get("down"))
    if "by" in sent:  # a column again turns its order round
        sort, down = sent["by"], sent["by"] == sort and not down
    wanted = {one.removeprefix("wanted-"): sent[one] for one in sent if one.startswith("wanted-")}
    context = {
        "experiment": experiment,
        "choice": choosing.choice(runs, wanted, sort, down=down),
        "shown_count": sum(run.shown for run in runs),
    }
    response = render(request, "experiments/_chooser.html", context)
    if request.method == "POST":
        response["HX-Trigger-After-Settle"] = "rail-changed"
    return response


def _rail(request, experiment: Experiment, gone: int = 0):
    trouble = f"Run {gone} was removed in the meantime, perhaps in another window." if gone else ""
    context = rail_context(experiment) | {"trouble": trouble}
    response = render(request, "experiments/_rail.html", context)
    response["HX-Trigger-After-Settle"] = "runs-changed"
    return response


def _kept_runs(experiment: int) -> QuerySet[Run]:
    return Run.objects.kept().filter(experiment=experiment).select_related("started_by")


def _conditions(experiment: int) -> QuerySet[ConditionValue]:
    kept = ConditionValue.objects.filter(run__experiment=experiment, run__removed_at=None)
    return kept.select_related("condition")


def _streams(experiment: int) -> QuerySet[Stream]:
    return Stream.objects.filter(run__experiment=experiment, run__removed_at=None)


def _removed(experiment: int) -> QuerySet[Run]:
    gone = Run.objects.filter(experiment=experiment, removed_at__isnull=False)
    return gone.order_by("-removed_at")[:1]


def rail_context(experiment: Experiment) -> dict:
    """Give what the rail of runs shows, and the run that was removed last, for a while."""
    runs = prepared_objects("kept runs", _kept_runs, experiment.pk)
    values = prepared_objects("conditions of kept runs", _conditions, experiment.pk)
    hold(runs, "condition_values", values)
    hold(runs, "streams", prepared_objects("streams of kept runs", _streams, experiment.pk))
    for run in runs:
        run.experiment = experiment
    repeats.mark(sorted(runs, key=lambda run: run.number))
    removed = next(iter(prepared_objects("run removed last", _removed, experiment.pk)), None)
    if removed is not None and removed.removed_at <= timezone.now() - UNDO_FOR:
        removed = None
    folded = len(runs) > choosing.MOST_CHIPS
    return {
        "experiment": experiment,
        "runs": runs,
        "folded": folded,
        "chips": [run for run in runs if run.shown] if folded else runs,
        "shown_count": sum(run.shown for run in runs),
        "sources": SOURCES,
        "removed": removed,
    }
