"""How soon a group's page shows what the teacher does at a Desk that is shown to all.

Two windows of one Chromium: the teacher zooms, points, marks spans off and changes sheets; noted is when
the hand did it, and when the other window first shows the same; once the server has loaded all.

Run: python -m benchmarks.shown_desk [gestures of each kind]
"""

import re

import numpy as np
from playwright.sync_api import Page, sync_playwright

from benchmarks import sizes
from benchmarks.lesson import TASK, come_in, over, record
from benchmarks.serving import all_is_loaded, four_channels, served, signed_in
from benchmarks.windows import launch, new_context
from tests.browser.at_desk import drag, pixel, until_shown

CHANNELS = ["1", "2", "3", "4"]
MOST = {"span": sizes.of(5, 2)}  # so few that each has its room
NOTE = """() => {
  window.state = {
    limits: () => document.querySelector(".stack")?.dataset.shown.match(/"x":[^\\]]*/)?.[0],
    cursor: () => document.querySelector(".reading")?.textContent,
    span: () => String(document.querySelectorAll(".body[data-kind=spans]").length),
    sheet: () => document.querySelector(".tab[aria-current]")?.textContent,
  };
  const note = () => {
    for (const [kind, now] of Object.entries(window.state))
      (window.seen[kind] ??= {})[now() ?? ""] ??= Date.now();
  };
  window.seen = {};
  new MutationObserver(note).observe(document.body,
    { subtree: true, childList: true, characterData: true, attributes: true });
  for (const kind of ["wheel", "pointermove", "pointerup", "click"])
    addEventListener(kind, () => (window.at = Date.now()), true);
}"""


def gesture(teacher: Page, kind: str, number: int) -> None:
    """Do something of a kind at the Desk, each time another."""
    box = teacher.locator(".stack").bounding_box()
    x, y = box["x"] + (0.3 + 0.02 * (number % 20)) * box["width"], box["y"] + 0.4 * box["height"]
    if kind == "limits":
        teacher.mouse.move(x, y)
        teacher.mouse.wheel(0, 110 if number % 2 else -120)
    elif kind == "cursor":
        teacher.mouse.move(x, y)
    elif kind == "span":
        (lo, hi), height = (0.5 + 0.1 * number, 2.5 + 0.1 * number), y
        drag(teacher, (pixel(teacher, lo, 0)[0], height), (pixel(teacher, hi, 0)[0], height))
    else:
        teacher.locator(".tab[aria-current]").evaluate(
            "tab => (tab.nextElementSibling?.matches('.tab:not(.plus)') ? tab.nextElementSibling"
            " : tab.previousElementSibling).click()"
        )


def delay(teacher: Page, group: Page, kind: str, number: int) -> float:
    """Do something, and give how many ms later the group saw it."""
    for window in (teacher, group):
        window.evaluate("window.seen = {}")
    before = teacher.evaluate(f"window.state.{kind}()")
    gesture(teacher, kind, number)
    now = teacher.wait_for_function(
        f"before => {{ const now = window.state.{kind}(); return now && now !== before && now; }}",
        arg=before,
    ).json_value()
    group.wait_for_function(f"now => window.seen.{kind}?.[now]", arg=now)
    return group.evaluate(f"window.seen.{kind}[{now!r}]") - teacher.evaluate("window.at")


def measure(times: int) -> None:
    """Show a Desk to a group, and say how soon it follows."""
    with four_channels() as stand_in, served([stand_in]) as (address, pid, _folder):
        ada = signed_in(address)
        ada.headers["HX-Request"] = "true"
        lasted = sizes.of(8, 4)
        record(ada, "1", CHANNELS, lasted)
        over(ada, "1")
        desk = ada.get("/experiments/1/desk").text
        quantity = re.search(r'"quantity": (\d+)', desk)[1]
        ada.post("/experiments/1/desk/sheets/add", data={"y": quantity, "title": "beside"})
        page = ada.post("/class/new", data=TASK | {"experiment": "1"}, follow_redirects=True)
        lesson = re.search(r"/class/(\d+)/now", page.text)[1]
        code = re.search(r'class="code">([^<]+)<', page.text)[1]
        member = come_in(address, code, 1)
        ada.post(f"/class/{lesson}/show-desk", data={"on": "yes"})
        with sync_playwright() as playwright:
            browser = launch(playwright)
            windows = []
            for cookies in (dict(ada.cookies), member["cookies"]):
                context = new_context(browser)
                context.add_cookies([{"name": "sessionid", "value": cookies["sessionid"],
                                      "url": address}])  # fmt: skip
                window = context.new_page()
                window.goto(f"{address}/experiments/1/desk")
                until_shown(window, "s.runs >= 1")
                window.evaluate(NOTE)
                windows.append(window)
            while not (sizes.SMALL or all_is_loaded(pid)):
                windows[0].wait_for_timeout(100)
            for kind in ("span", "limits", "cursor", "sheet"):
                windows[0].locator("[data-act=all]").click()
                until_shown(windows[0], f"s.x[0] < 0.2 && s.x[1] > {0.7 * lasted}")
                delays = [delay(*windows, kind, number) for number in range(MOST.get(kind, times))]
                p50, p95 = np.percentile(delays, [50, 95])
                print(f"  {kind}: p50 {p50:.0f} ms, p95 {p95:.0f} ms, most {max(delays):.0f} ms")
            browser.close()


if __name__ == "__main__":
    count = int(sizes.typed(0, 20, 2))
    print(f"a shown Desk, {count} times each, from the hand to the group's page:")
    measure(count)
