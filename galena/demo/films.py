"""The films of the demo world: drawn, prepared as any film is, and one measured to its end."""

import tempfile
from pathlib import Path

from galena.classroom.models import Person
from galena.clips import files, following, marking, preparing, sending, ties, tracked_run, video
from galena.clips.models import Clip
from galena.desk.annotations import flows as annotation_flows
from galena.desk.findings import flows as finding_flows
from galena.desk.sheets import flows as sheet_flows
from galena.experiments.columns import over
from galena.experiments.models import Experiment
from galena.experiments.quantity_flows import add_derived
from galena.instruments.films import shaft_spring as shaft
from galena.instruments.films import sycamore
from galena.instruments.films.shaft_spring import SpringFilm, swing_of
from galena.instruments.films.sycamore import SycamoreFilm
from galena.instruments.rigs.shaft_spring import HOOK

SYCAMORE = "Sycamore seeds"
FROM, TO, EVERY = 8, 118, 3  # the pictures that are measured, counted from 0
STRIPES = 4  # of the staff, 0.1 m each
TERMINAL = (0.9, 1.85)  # s: where it falls as fast as it will
SPRING_MASS = 0.5  # kg, of the run that is filmed
FILM_BEGINS = 1.25  # s of the run
ABOUT_PEAK = 0.3  # s before and after the highest place that are asked for it


def sycamore_seeds(experiment: Experiment, person: Person) -> Clip:
    """A seed filmed from a gallery: scale, axes, marks by following, and its terminal speed."""
    clip = take_film(experiment, SycamoreFilm(), "Seed from the gallery", person)
    left, width, stripe = sycamore.STAFF
    x, bottom = left + width + 8, 680 - 3 * stripe
    ends = (x, bottom - STRIPES * stripe, x, bottom)
    marking.set_scale(clip, ends, "0.400 ± 0.001", "m")
    marking.set_steadiness(clip, 0.5)
    marking.set_axes(clip, *sycamore.START)
    marking.choose_pictures(clip, FROM, TO, EVERY)
    nut = clip.tracked.get()
    marking.rename_object(nut, "nut of the seed")
    _follow(clip, nut, FROM, sycamore.START, person)
    run = tracked_run.use_as_run(clip, person)
    add_derived(experiment, "rate(y)", "speed", "v", "m/s")
    y, speed = (experiment.quantities.get(symbol=one) for one in ("y", "v"))
    sheet = sheet_flows.first_sheet(experiment)
    graph = sheet.graphs.first()
    sheet_flows.show(graph, {y: "left"})
    sheet_flows.add_graph(sheet, speed)
    sheet = sheet_flows.first_sheet(experiment)
    span = annotation_flows.add_span(sheet, *TERMINAL, y)
    finding_flows.ask(span, "line", y, [run])
    return clip


def shaft_spring(experiment: Experiment, person: Person) -> Clip:
    """The weight of the last run filmed while the ranger looked: its height a second time.

    The film's origin lies at the hook without a weight, whose height the ranger itself has read.
    """
    run = experiment.runs.order_by("number").last()
    height = experiment.quantities.get(symbol="y")
    read = over(None, [(run, height)])[run.pk, height.pk].readings
    swing = swing_of(read.t, read.y, SPRING_MASS)
    film = SpringFilm(swing, FILM_BEGINS)
    clip = take_film(experiment, film, "Weight in the shaft", person)
    ties.tie(clip, run, FILM_BEGINS, 0.0)
    ties.time_by(clip, run)
    left, width = shaft.STAFF
    x = left + width + 8
    marking.set_scale(clip, (x, shaft.row_of(2.3), x, shaft.row_of(1.8)), "0.500 ± 0.001", "m")
    marking.set_steadiness(clip, 0.5)
    marking.set_axes(clip, shaft.MIDDLE, shaft.row_of(HOOK))
    marking.choose_pictures(clip, 0, clip.count - 1, 2)
    dot = clip.tracked.get()
    marking.rename_object(dot, "dot on the weight")
    _follow(clip, dot, 0, tuple(film.dot(film.times[:1])[0]), person)
    filmed = tracked_run.use_as_run(clip, person)
    filmed.name = "the weight in the film"
    filmed.save(update_fields=["name"])
    below = experiment.quantities.get(source=f"clip|{dot.number}|y")
    add_derived(experiment, f"y_0 + {below.symbol}", "height in the film", "h", "m")
    seen = experiment.quantities.get(symbol="h")
    sheet = sheet_flows.add_sheet(experiment, None, [height], "height twice")
    sheet_flows.show(sheet.graphs.get(), {height: "left", seen: "left"})
    highest = swing.highest_after(FILM_BEGINS + ABOUT_PEAK)
    span = annotation_flows.add_span(sheet, highest - ABOUT_PEAK, highest + ABOUT_PEAK, height)
    finding_flows.ask(span, "peak", height, [run])
    finding_flows.ask(span, "peak", seen, [filmed])
    return clip


def _follow(clip: Clip, tracked, picture: int, place: tuple[float, float], person: Person) -> None:
    """Mark a place, and follow from there to the last picture that is measured."""
    marking.mark(tracked, picture, *place, person)
    tracked.clip, is_sure = clip, True
    while is_sure and picture + clip.every <= clip.stop:
        marked, is_sure = following.follow_on(tracked, picture, person)
        if not marked:
            break
        picture = marked[-1]


def take_film(experiment: Experiment, film, name: str, person: Person) -> Clip:
    """Draw a film and take it as one that was sent; it is prepared before this returns."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"{name}.mp4"
        video.write(str(path), film.size, film.times, film.picture)
        size = path.stat().st_size
        clip = sending.begin(experiment, path.name, size, "", person)
        with path.open("rb") as sent:
            files.file_of(clip.folder, files.ORIGINAL).write_bytes(sent.read())
    fields = preparing.prepared_fields(clip.folder) | {"is_simulated": True}
    Clip.objects.filter(pk=clip.pk).update(**fields)
    clip.refresh_from_db()
    return clip
