"""The main path in a second engine: in by the door, watch, record, mark off, ask, report."""

import re

import pytest

from galena.experiments.models import Run
from galena.shell.worker import WORKERS
from tests.browser.firefox import Firefox
from tests.waiting import until

LIVE = "/\\d/.test(document.querySelector('[data-shown=text]')?.innerText ?? '')"
SLIDE = """(slide => {
  slide.value = 40;
  for (const type of ["input", "change"]) slide.dispatchEvent(new Event(type, { bubbles: true }));
})(document.querySelector("input[type=range]"))"""
ESTIMATE = re.compile(r"(−?[\d.]+) ± ([\d.]+)")


@pytest.fixture
def firefox(room):
    browser = Firefox()
    yield browser
    browser.close()
    WORKERS.close()
    assert browser.faults == []


def test_the_main_path_in_firefox(firefox, room):
    firefox.goto(f"{room.url}/sign-in")
    firefox.fill("input[name=username]", "ada")
    firefox.fill("input[name=password]", "skerry-lamp")
    firefox.type("Enter")
    firefox.click("a", "New experiment")
    firefox.until("document.title.startsWith('New')")
    firefox.fill("input[name=title]", "Filling the tank")
    firefox.click("button", "Make it and go to its Bench")

    firefox.until(LIVE)
    before = firefox.text("[data-shown=text]")
    firefox.click("button", "Zero")
    firefox.until(f"document.querySelector('[data-shown=text]').innerText !== {before!r}")
    firefox.value(SLIDE)
    firefox.until("document.body.innerText.includes('40 mL/s')")

    firefox.click("a", "Plan a run")
    firefox.until("/\\d/.test(document.querySelector('#numbers [data-shown]')?.innerText ?? '')")
    firefox.fill("#rate", "50")
    firefox.fill("#duration", "4")
    firefox.click("button", "Record")
    run = until(lambda: Run.objects.filter(state=Run.State.FINISHED).first(), "the run")
    assert run.number == 1

    firefox.until("document.querySelector('#taken')?.innerText.startsWith('run 1: 200 ')")
    firefox.click("a", "To the Desk")
    firefox.until("document.querySelector('.stack')?.dataset.shown?.includes('\"runs\":1')")
    x, y, width, height = firefox.place(".stack")
    middle = y + height / 2
    firefox.drag([(x + width * share, middle) for share in (0.2, 0.3, 0.5, 0.7, 0.9)])
    firefox.until("document.querySelector('[aria-label=\"Span A\"]') !== null")
    firefox.click("[aria-label='Span A'] button", "line")
    firefox.until("document.querySelector('[aria-label=\"Span A\"]').innerText.includes('slope')")
    card = firefox.text("[aria-label='Span A']")
    slope = ESTIMATE.search(card.partition("slope")[2])
    assert float(slope[2]) > 0

    firefox.click("a", "Report")
    firefox.until("document.querySelector('#text') !== null")
    firefox.fill("#text", "The level rises by ")
    firefox.click("button", "slope, line of A, run 1")
    firefox.until(f"document.querySelector('#paper').innerText.includes('{slope[0]}')")
    firefox.until("document.querySelector('#kept').innerText === 'kept'")
