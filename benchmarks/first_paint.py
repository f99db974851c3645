"""When each page is first painted in Chromium, cold and warm, how many bytes come, and whether
anything moves by itself while readings come.

Cold: a browser that was never here; warm: the same page again. First paint is told beside that of an
empty page of the same server. A layout that moves is counted as CLS (W3C Layout Instability).

Run: python -m benchmarks.first_paint
"""

import statistics

from playwright.sync_api import sync_playwright

from benchmarks import sizes
from benchmarks.answers import pages, recording_world
from benchmarks.windows import launch, new_context

TIMES = sizes.of(5, 1)
LIVE_FOR = sizes.of(10_000, 500)  # ms
PAINTED = """() => new Promise((told) => {
  const ready = () => {
    const paint = performance.getEntriesByName("first-contentful-paint")[0];
    if (!paint) return requestAnimationFrame(ready);
    const all = [...performance.getEntriesByType("navigation"),
                 ...performance.getEntriesByType("resource")];
    told([paint.startTime, all.reduce((sum, one) => sum + one.transferSize, 0)]);
  };
  ready();
})"""
MOVED = """(milliseconds) => new Promise((told) => {
  let moved = 0;
  const what = new Set();
  const watch = new PerformanceObserver((list) => {
    for (const shift of list.getEntries()) {
      if (shift.hadRecentInput) continue;
      moved += shift.value;
      for (const { node } of shift.sources)
        what.add(node?.id || node?.className || node?.parentElement?.className || node?.nodeName);
    }
  });
  watch.observe({ type: "layout-shift", buffered: false });
  setTimeout(() => told([moved, [...what].join(", ")]), milliseconds);
})"""


def painted(browser, state: dict, address: str) -> list[tuple[float, float]]:
    """Open an address in a browser that was never here, and again; gives ms and bytes of both."""
    context = new_context(browser, state)
    page = context.new_page()
    seen = []
    for _ in ("cold", "warm"):
        page.goto(address, wait_until="load")
        seen.append(tuple(page.evaluate(PAINTED)))
    context.close()
    return seen


def main() -> None:
    """Measure each page of a world in which a run is recorded."""
    with recording_world() as (address, client), sync_playwright() as playwright:
        browser = launch(playwright)
        key = client.cookies["sessionid"]
        cookie = {"name": "sessionid", "value": key, "domain": "127.0.0.1", "path": "/", "expires": -1,
                  "httpOnly": True, "secure": False, "sameSite": "Lax"}  # fmt: skip
        state = {"cookies": [cookie], "origins": []}
        empty = _middle([painted(browser, {}, f"{address}/nothing") for _ in range(TIMES)])
        print(f"an empty page: cold {empty[0][0]:.0f} ms, warm {empty[1][0]:.0f} ms")
        for name in ("list", "Bench", "Record", "Desk", "quantities", "Report"):
            cold, warm = _middle(
                [painted(browser, state, address + pages()[name]) for _ in range(TIMES)]
            )
            print(f"  {name:10s} cold {cold[0]:4.0f} ms, {cold[1] / 1e3:5.0f} kB; warm {warm[0]:4.0f} ms, "
                  f"{warm[1] / 1e3:4.0f} kB ({warm[0] / empty[1][0]:.1f} x the empty page)")  # fmt: skip
        context = new_context(browser, state)
        for name in ("Bench", "Record", "Desk"):
            page = context.new_page()
            page.goto(address + pages()[name], wait_until="load")
            page.wait_for_timeout(LIVE_FOR / 10)
            moved, what = page.evaluate(MOVED, LIVE_FOR)
            words = f", of {what}" if moved else ""
            print(f"  {name}: CLS {moved:.4f} in {LIVE_FOR / 1000:g} s while readings come{words}")
            page.close()
        browser.close()


def _middle(seen: list[list[tuple[float, float]]]) -> list[tuple[float, float]]:
    """Give the median of each figure."""
    return [
        (statistics.median(one[place][0] for one in seen),
         statistics.median(one[place][1] for one in seen))
        for place in (0, 1)
    ]  # fmt: skip


if __name__ == "__main__":
    main()
