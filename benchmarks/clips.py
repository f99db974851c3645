"""Clips: how long a film takes to be prepared beside its duration, how fast a thing is followed,
and how soon after a key its picture is shown in Chromium.

Following is told in pictures a second, and beside two-dimensional transforms of such a picture.

Run: python -m benchmarks.clips
"""

import os
import tempfile
import time
from pathlib import Path

os.environ["DJANGO_SETTINGS_MODULE"] = "galena.config.settings"

import django
import numpy as np

from benchmarks import sizes
from benchmarks.serving import served_from
from benchmarks.timing import best

PICTURES = sizes.of(150, 24)
STEPS = sizes.of(80, 6)
PAUSES = (0, 150)  # ms between two steps: as fast as they are answered, and as a hand does them
SHOWN = """(k) => document.getElementById('stage')?.dataset.picture === String(k)"""
STEP = """() => new Promise((done) => {
  const stage = document.getElementById("stage");
  const from = stage.dataset.picture;
  const began = performance.now();
  const watch = new MutationObserver(() => {
    if (stage.dataset.picture === from) return;
    watch.disconnect();
    done(performance.now() - began);
  });
  watch.observe(stage, { attributes: true });
  stage.dispatchEvent(new KeyboardEvent("keydown", { key: ".", bubbles: true }));
})"""


def prepared(folder: Path) -> None:
    """Draw a film, prepare it and follow the nut of its seed."""
    from galena.clips import video
    from galena.instruments.films.sycamore import SycamoreFilm

    film = SycamoreFilm()
    times = film.times[:PICTURES]
    path = str(folder / "seed.mp4")
    video.write(path, film.size, times, film.picture)
    began = time.perf_counter()
    made = video.prepare(path, str(folder))
    taken = time.perf_counter() - began
    print(f"  {times.size} pictures of {film.size[0]} x {film.size[1]}: prepared in {taken:.1f} s = "
          f"{taken / times[-1]:.1f} times their duration, {times.size / taken:.0f} a second")  # fmt: skip
    first = 10
    start = tuple(film.nut(times)[first])
    began = time.perf_counter()
    seen = video.followed(str(folder / "working.mp4"), first, PICTURES - first, made.times, start)
    rate = len(seen) / (time.perf_counter() - began)
    picture = np.zeros((film.size[1], film.size[0]))
    transform = best(lambda: np.fft.rfft2(picture))
    off = np.hypot(*(np.array(seen)[:, :2] - film.nut(times)[first : first + len(seen)]).T)
    print(f"  followed at {rate:.0f} pictures a second = one in {1 / rate / transform:.1f} transforms; "
          f"{np.mean(off < 1):.0%} within a pixel of the truth")  # fmt: skip


def stepped(folder: str) -> None:
    """Time steps in Chromium, one by one."""
    from django.core.management import call_command
    from playwright.sync_api import sync_playwright

    from benchmarks.windows import launch, new_context
    from galena.classroom.models import Person
    from galena.demo import films
    from galena.experiments import flows as experiment_flows
    from galena.instruments.films.sycamore import SycamoreFilm

    call_command("migrate", verbosity=0)
    ada = Person.objects.create_user("ada", first_name="Ada")
    experiment = experiment_flows.create(ada, "Seeds")
    film = SycamoreFilm()
    film.times = film.times[:PICTURES]
    clip = films.take_film(experiment, film, "Seed", ada)
    with served_from(folder, []) as (address, _), sync_playwright() as playwright:
        browser = launch(playwright)
        page = new_context(browser).new_page()
        page.goto(address)
        page.get_by_role("button", name="Come in as Ada").click()
        page.goto(f"{address}/experiments/{experiment.pk}/clips/{clip.pk}")
        page.wait_for_function(SHOWN, arg=0)
        for pause in PAUSES:
            page.keyboard.press("Home")
            page.wait_for_function(SHOWN, arg=0)
            taken = []
            for _ in range(STEPS):
                page.wait_for_timeout(pause)
                taken.append(page.evaluate(STEP))
            slow = np.quantile(taken, 0.95)
            print(f"  a step {pause} ms after the one before: {np.median(taken):.0f} ms, "
                  f"p95 {slow:.0f} ms")  # fmt: skip
        browser.close()


def main() -> None:
    """Measure in a folder and a database of their own."""
    with tempfile.TemporaryDirectory() as folder:
        os.environ["GALENA_DATA"] = folder
        django.setup()
        print("clips:")
        prepared(Path(folder))
        stepped(folder)
        from galena.clips import preparing

        preparing.WORKERS.close()


if __name__ == "__main__":
    main()
