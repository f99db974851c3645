"""What a person sees and does at the Desk, in the units of the graphs."""

import json

from playwright.sync_api import expect

from tests.waiting import until


def shown(desk, sheet=0):
    """What a sheet shows, as it says itself."""
    until_shown(desk, "true", sheet)  # one that comes anew says so with its first picture
    return json.loads(desk.locator(".stack").nth(sheet).get_attribute("data-shown"))


def box_of(locator):
    """Where something is in the window; what is being drawn anew has no place for a moment."""
    return until(locator.bounding_box, "its place")


def pixel(desk, x, y, graph=0, side="left", sheet=0):
    """Where a place of a graph is in the window, on linear axes."""
    view, stack = shown(desk, sheet), desk.locator(".stack").nth(sheet).bounding_box()
    one = view["graphs"][graph]
    box, (x_lo, x_hi), (y_lo, y_hi) = one["box"], view["x"], one[side]
    across = box["left"] + (x - x_lo) / (x_hi - x_lo) * (box["right"] - box["left"])
    up = box["bottom"] - (y - y_lo) / (y_hi - y_lo) * (box["bottom"] - box["top"])
    return stack["x"] + across, stack["y"] + up


def colour_of(desk, at, sheet=0):
    """The colour of the plots at a place of the window."""
    stack = desk.locator(".stack").nth(sheet).bounding_box()
    found = desk.evaluate(
        """([sheet, x, y]) => { const r = devicePixelRatio;
        const canvas = document.querySelectorAll("canvas.plots")[sheet];
        return [...canvas.getContext("2d").getImageData(x * r, y * r, 1, 1).data]; }""",
        [sheet, at[0] - stack["x"], at[1] - stack["y"]],
    )
    return "#{:02x}{:02x}{:02x}".format(*found[:3])


def colour_at(desk, x, y, **where):
    """The colour of the plots at a place of a graph."""
    return colour_of(desk, pixel(desk, x, y, **where), where.get("sheet", 0))


def drag(desk, start, end):
    """Drag from one place of the window to another."""
    desk.mouse.move(*start)
    desk.mouse.down()
    desk.mouse.move((start[0] + end[0]) / 2, (start[1] + end[1]) / 2)
    desk.mouse.move(*end)
    desk.mouse.up()


def drag_across(desk, lo, hi):
    """Drag from x to x at half the height of the first graph, wherever its readings lie."""
    height = sum(shown(desk)["y"]) / 2
    drag(desk, pixel(desk, lo, height), pixel(desk, hi, height))


def until_shown(desk, condition, sheet=0):
    """Wait for what a sheet shows; the condition is JavaScript over `s`."""
    desk.wait_for_function(
        f"() => {{ const text = document.querySelectorAll('.stack')[{sheet}]?.dataset.shown;"
        f" if (!text) return false; const s = JSON.parse(text); return {condition}; }}"
    )


def open_axis(desk, which):
    """Open the form of an axis by its label."""
    desk.locator(f".axis-label{which}").first.click()
    expect(desk.locator("#axis-form")).to_be_visible()
