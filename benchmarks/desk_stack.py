"""Four stacked graphs over a run of 1,000,000 readings of four channels, in Chromium.

First paint, bytes and server time of a window, the time between and within frames while it is
zoomed and slid, the browser's memory; and how often a run that is being recorded is drawn.

Run: python -m benchmarks.desk_stack
"""

import os
import tempfile
import time

os.environ["DJANGO_SETTINGS_MODULE"] = "galena.config.settings"

import django
import numpy as np

from benchmarks import sizes
from benchmarks.timing import best

COUNT = sizes.of(1_000_000, 20_000)
RATE = 1000.0
SECONDS = COUNT / RATE
CHANNELS = ("a", "b", "c", "d")
COLUMNS = 1350  # pixel columns of a window at 1280 x 800, with what lies beside it

WATCH_FRAMES = """() => { window.frames_ = []; window.work = []; const ask = requestAnimationFrame;
  window.requestAnimationFrame = (paint) => ask((at) => { const began = performance.now();
    paint(at); window.work.push(performance.now() - began); });
  let last = 0; const tick = (at) => { if (last) window.frames_.push(at - last); last = at;
    ask(tick); }; ask(tick); }"""


def build(person):
    """Store a run of four channels of one instrument."""
    from galena.bench.channel_display import display
    from galena.bench.flows import channels_of, register
    from galena.core.plans import SteadyPlan
    from galena.experiments import flows as experiment_flows
    from galena.instruments.protocols.line_v1 import ChannelFacts, Identity
    from galena.recording import flows
    from galena.recording.acquisition.taking import Batch
    from tests import making

    experiment = experiment_flows.create(person, "Four by a million")
    identity = Identity("Skerry Works", "Four channels", "4444", "1.0")
    facts = [ChannelFacts(one, f"level {one}", one, "mm", -1e4, 1e4, 0.1, RATE) for one in CHANNELS]
    made = register(identity, tuple(facts))
    channels = list(channels_of(made[0].instrument_id))
    keys = [one.pk for one in channels]
    by_key = display.channels(experiment, keys)
    plan = SteadyPlan(RATE, COUNT / RATE)
    run, (stored,) = flows.begin_run(
        experiment, plan, [[by_key[key] for key in keys]], {}, "", person
    )
    stamps = (np.arange(COUNT) * 1e6 / RATE).astype(np.int64)
    noise = [making.ramp(COUNT, rate=RATE, slope=0.02, noise=3.0, seed=s) for s in range(4)]
    values = np.column_stack(noise)
    for first in range(0, COUNT, 250):
        part = slice(first, first + 250)
        flows.write([(stored, 0, Batch(first, stamps[part], values[part]))])
    flows.end_run(run, "", [flows.StreamEnd(stored, 0, 0, 0, 1.0)])
    return experiment, values


def main() -> None:
    """Build the run, then measure."""
    django.setup()
    from django.core.management import call_command

    call_command("migrate", verbosity=0)
    from galena.classroom.models import Person
    from galena.desk.drawing import window
    from galena.desk.sheets import flows as sheet_flows

    ada = Person.objects.create_user("ada", first_name="Ada")
    experiment, values = build(ada)
    sheet = sheet_flows.first_sheet(experiment)
    for quantity in experiment.measured.exclude(pk=sheet.quantity.pk):
        sheet_flows.add_graph(sheet, quantity)
    sheet = sheet_flows.first_sheet(experiment)
    blobs = [np.ascontiguousarray(values[:, place]).tobytes() for place in range(4)]
    edges = (np.arange(COLUMNS) * (COUNT / COLUMNS)).astype(int)

    def plain() -> None:
        for blob in blobs:
            y = np.frombuffer(blob, dtype="<f8").copy()
            np.minimum.reduceat(y, edges)
            np.maximum.reduceat(y, edges)

    numpy_only = best(plain)
    window.encode(sheet, None, None, COLUMNS)
    print(f"{COUNT:,} readings x 4, {COLUMNS} pixel columns:")
    for name, ends in [
        ("all", (None, None)),
        ("an eighth", (0.3 * SECONDS, 0.42 * SECONDS)),
        ("0.5 s", (0.3 * SECONDS, 0.3 * SECONDS + 0.5)),
    ]:
        taken = best(lambda ends=ends: window.encode(sheet, *ends, COLUMNS))
        size = len(window.encode(sheet, *ends, COLUMNS))
        print(f"  {name}: {taken * 1e3:.1f} ms, {taken / numpy_only:.2f} x reading and decimating "
              f"the blobs with plain numpy, {size / 1e3:.0f} kB")  # fmt: skip
    browser(experiment.pk)


def zoom_and_slide(page, box) -> list[float]:
    """Zoom 60 times in and out and slide what is in a box; gives the ms between frames."""
    page.evaluate(WATCH_FRAMES)
    middle, below = box["y"] + box["height"] / 2, box["y"] + box["height"] - 30
    page.mouse.move(box["x"] + box["width"] / 2, middle)
    for turn in range(sizes.of(60, 4)):
        page.mouse.wheel(0, -60 if turn < sizes.of(30, 2) else 60)
        page.wait_for_timeout(16)
    page.mouse.move(box["x"] + box["width"] / 3, below)
    page.mouse.down()
    for turn in range(sizes.of(90, 6)):
        page.mouse.move(box["x"] + box["width"] / 3 - 3 * turn, below)
        page.wait_for_timeout(16)
    page.mouse.up()
    page.wait_for_timeout(600)
    return page.evaluate("window.frames_")


def browser(experiment_id: int) -> None:
    """Open, pan and zoom in Chromium."""
    from playwright.sync_api import sync_playwright

    from benchmarks.serving import served_from
    from benchmarks.windows import launch, new_context

    with (
        served_from(os.environ["GALENA_DATA"], []) as (address, _),
        sync_playwright() as playwright,
    ):
        chromium = launch(playwright)
        page = new_context(chromium).new_page()
        page.goto(address)
        page.get_by_role("button", name="Come in as Ada").click()
        for turn in ("first, from the disk", "again"):
            began = time.perf_counter()
            page.goto(f"{address}/experiments/{experiment_id}/desk")
            page.wait_for_function(
                "() => JSON.parse(document.querySelector('.stack').dataset.shown).runs === 1"
            )
            print(f"  first paint, {turn}: {time.perf_counter() - began:.2f} s")
        box = page.locator(".stack").bounding_box()
        frames = zoom_and_slide(page, box)
        work = page.evaluate("window.work")
        fetched = page.evaluate(
            "performance.getEntriesByType('resource').filter(e => e.name.includes('/data?'))"
            ".map(e => [e.encodedBodySize, e.responseEnd - e.startTime])"
        )
        memory = page.evaluate("performance.memory.usedJSHeapSize")
        page.goto("about:blank")
        of_empty = zoom_and_slide(page, box)
        chromium.close()
    octets, waits = np.array(fetched).T
    painted = np.array([one for one in work if one > 0.3])
    print(f"  60 zooms and 90 slides: painting p50 {np.percentile(painted, 50):.1f} ms, p95 "
          f"{np.percentile(painted, 95):.1f} ms")  # fmt: skip
    nothing, late = np.percentile(of_empty, 95), np.percentile(frames, 95)
    print(f"  between frames p50 {np.percentile(frames, 50):.1f} ms, p95 {late:.1f} ms = "
          f"{late / nothing:.2f} x that of an empty page ({nothing:.1f} ms)")  # fmt: skip
    print(f"  {len(octets)} fetches of at most {octets.max() / 1e3:.0f} kB, p95 "
          f"{np.percentile(waits, 95):.0f} ms; browser heap {memory / 1e6:.0f} MB")  # fmt: skip


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as folder:
        os.environ["GALENA_DATA"] = folder
        main()
