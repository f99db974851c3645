"""Armed runs at the Magnet tube and the Two horns, and their replay, by the page alone."""

import re

import numpy as np
from playwright.sync_api import expect

from galena.bench.live.bench import BENCH
from galena.core.trigger import CrossingFinder, Level
from galena.experiments.data.readings import readings
from galena.experiments.models import Quantity, Run
from galena.instruments.rigs.magnet_tube import Drop
from tests import recording_now
from tests.browser import at_record
from tests.browser.test_accessibility import violations
from tests.waiting import until


def is_clear():
    waiting = recording_now.waiting()
    return waiting is not None and waiting.trigger.finder.is_clear


def waits_again():
    return recording_now.waiting() is not None and recording_now.is_free()


def arm(page):
    page.get_by_role("button", name="Arm Space").click()
    expect(page.locator("#plan")).to_contain_text("armed: waiting for")
    until(
        lambda: recording_now.waiting() and recording_now.waiting().trigger.finder.is_clear,
        "readings",
    )


def drop(page, count):
    until(lambda: at_record.rig_state()["fallen"] == 0, "the magnet to be up")
    page.get_by_role("button", name="let the magnet go").click()
    found = at_record.runs(count)
    expect(at_record.listed(page, count)).to_be_visible()
    return found[-1]


def stop_waiting(page):
    at_record.space(page)
    expect(page.get_by_role("button", name="Arm Space")).to_be_visible()


def lobes(run):
    """Areas of the two lobes, in V s."""
    found = readings(run, Quantity.objects.get(symbol="ε"))
    y = found.y - np.median(found.y)
    turn = int(np.argmin(found.y) + np.argmin(np.abs(y[np.argmin(y) : np.argmax(y)])))
    return np.trapezoid(y[:turn], found.t[:turn]), np.trapezoid(y[turn:], found.t[turn:])


def test_falling_magnets_are_caught_and_a_slow_one_is_remarked_on(page):
    at_record.begin(page, "Falling magnet", "drop (m)", "Magnet tube")
    page.get_by_text("change the conditions").click()
    at_record.fill(page, **{"new-name": "turns", "new-symbol": "N"})
    page.get_by_role("button", name="Add the condition").click()
    expect(page.locator("#act .field", has_text="turns")).to_be_visible()
    at_record.choose(page, "armed")
    at_record.choose_event(page, "ε falls past")
    expect(page.get_by_label("level / V")).to_be_visible()
    at_record.fill(page, level="9")
    page.get_by_role("button", name="Arm Space").click()
    expect(page.locator(".wrong").first).to_contain_text("would never pass 9 V")
    at_record.fill(page, level="-0.10", rate="10 kHz", before="10 ms", duration="60 ms")
    expect(page.locator("#size")).to_contain_text("700 readings each, 100 of them before the event")

    count = 0
    for coil, turns in ((0, "200"), (1, "400")):
        at_record.move(page, "coil", coil)
        for height in ("0.30", "0.60"):
            at_record.move(page, "height", height)
            at_record.hold(page, turns=turns, drop=f"{height} ± 0.01")
            repeats = 2 if (turns, height) == ("200", "0.30") else 1
            page.get_by_label("arm again").set_checked(repeats > 1)
            arm(page)
            expect(page.locator("#awaited")).to_contain_text("above the level")
            for _ in range(repeats):
                count += 1
                run = drop(page, count)
                if count < 2:
                    until(
                        lambda: recording_now.waiting() and recording_now.is_free(),
                        "the next to wait",
                    )
                assert run.remarks == []
                found = readings(run, Quantity.objects.get(symbol="ε"))
                assert len(found) == 700
                crossing = CrossingFinder(Level(-0.1, "falling")).feed(found.t * 1e6, found.y)
                assert abs(crossing.stamp) < 2  # µs: t = 0 is where the level was passed
                first, second = lobes(run)
                flux = Drop(0, float(height), int(turns)).flux
                assert abs(-first / flux - 1) < 0.1
                assert abs(first + second) < 0.1 * abs(first)
            if repeats > 1:
                stop_waiting(page)
            expect(page.get_by_role("button", name="Arm Space")).to_be_visible()
    expect(at_record.listed(page, 2)).to_contain_text("repeat of 1")

    at_record.fill(page, rate="500")
    arm(page)
    slow = drop(page, count + 1)
    assert "across the fastest part" in slow.remarks[0][0]
    # One reading or two lie on the steep part, by where the first one fell.
    advice = re.compile("Try (5|10)\u2009000 a second.")
    expect(at_record.listed(page, slow.number)).to_contain_text(advice)
    assert violations(page) == []

    at_record.listed(page, 1).get_by_role("button", name="Replay").click()
    said, numbers = page.locator("#replay-status"), page.locator("#numbers .then")
    expect(page.locator(".rig-then")).to_contain_text("as it was then")
    expect(said).to_contain_text("run 1")
    page.keyboard.press("Space")  # it may be over: then it begins anew, and is paused again
    page.get_by_role("button", name="¼×").click()
    slider = page.locator("#replay-at")
    slider.fill("0.01")
    expect(said).to_contain_text("t = 0.0100 s")
    before = numbers.inner_text()
    page.keyboard.press("ArrowRight")
    expect(said).to_contain_text(re.compile("t = 0.010[01] s"))
    page.keyboard.press("Shift+ArrowRight")
    expect(said).to_contain_text(re.compile("t = 0.011[01] s"))
    expect(numbers).not_to_have_text(before)
    assert violations(page) == []
    page.get_by_role("button", name="close").click()
    expect(numbers).to_have_count(0)


def test_a_clap_passes_two_horns(page):
    at_record.begin(page, "Two horns", "apart (m)", "Two horns")
    until(lambda: len(BENCH.live_channels()) == 2, "both sound meters")
    page.reload()
    at_record.choose(page, "armed")
    at_record.choose_event(page, "p₁ rises past")
    at_record.fill(page, level="0.5", rate="10 kHz", before="5 ms", duration="50 ms")
    for count, apart in enumerate(("0.5", "1.5"), 1):
        at_record.move(page, "apart", apart)
        at_record.hold(page, apart=apart)
        arm(page)
        page.get_by_role("button", name="clap").click()
        run = at_record.runs(count)[-1]
        expect(page.get_by_role("button", name="Arm Space")).to_be_visible()
        arrivals = []
        for symbol in ("p_1", "p_2"):
            found = readings(run, Quantity.objects.get(symbol=symbol))
            assert len(found) == 550
            loud = np.abs(found.y - np.median(found.y[:30])) > 0.3
            arrivals.append(found.t[np.argmax(loud)])
        way = (arrivals[1] - arrivals[0]) * 342.8
        assert abs(way - float(apart)) < 0.15
        assert Run.objects.get(pk=run.pk).details["event"] == "p₁ rose past 0.500 Pa"
