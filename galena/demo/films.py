"""The films of the demo world: drawn, prepared as any film is, and one measured to its end."""

import tempfile
from pathlib import Path

from galena.classroom.models import Person
from galena.clips import files, following, marking, preparing, sending, tracked_run, video
from galena.clips.models import Clip
from galena.desk.annotations import flows as annotation_flows
from galena.desk.findings import flows as finding_flows
from galena.desk.sheets import flows as sheet_flows
from galena.experiments.models import Experiment
from galena.experiments.quantity_flows import add_derived
from galena.instruments.films import sycamore
from galena.instruments.films.sycamore import SycamoreFilm

SYCAMORE = "Sycamore seeds"
FROM, TO, EVERY = 8, 118, 3  # the pictures that are measured, counted from 0
STRIPES = 4  # of the staff, 0.1 m each
TERMINAL = (0.9, 1.85)  # s: where it falls as fast as it will


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
    marking.mark(nut, FROM, *sycamore.START, person)
    nut.clip, picture, is_sure = clip, FROM, True
    while is_sure and picture + EVERY <= TO:
        marked, is_sure = following.follow_on(nut, picture, person)
        if not marked:
            break
        picture = marked[-1]
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
