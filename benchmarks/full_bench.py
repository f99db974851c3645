"""A full Bench: 16 channels of 11 instruments at 20 readings a second, then two at 10 kHz beside.

One Chromium window watches all strips. How often each strip is told its value, how old the newest
point of its trace is when it comes, how many frames are painted, and what the server costs; first
alone, then while the Two horns stream 2 x 10,000 readings a second into a run.

Run: python -m benchmarks.full_bench [seconds]
"""

import time

import numpy as np
from playwright.sync_api import sync_playwright

from benchmarks import sizes
from benchmarks.serving import cpu_seconds, served, signed_in
from benchmarks.windows import launch, new_context

ALL = ("grow_shelf", "cocoa", "tide_tank", "shaft_spring", "linked_wells", "wind_duct",
        "lantern_cell", "two_horns")  # fmt: skip
RIGS = sizes.of(ALL, ALL[-2:])
QUIET = sizes.of(16, 1)  # channels without the horns'
WATCH = """() => {
  window.told = {}; window.frames = 0;
  const parse = JSON.parse;
  JSON.parse = (text) => {
    const content = parse(text);
    if (content && content.strips) for (const one of content.strips) {
      if (one.value !== null) (window.told[one.channel] ??= []).push([performance.now(), one.value]);
    }
    return content;
  };
  const frame = () => { window.frames += 1; requestAnimationFrame(frame); };
  requestAnimationFrame(frame);
}"""


def watch(page, pid: int, seconds: float, title: str) -> float:
    """Measure for a while; gives the 95th percentile of the time between two values, in ms."""
    page.evaluate("() => { window.told = {}; window.frames = 0; }")
    cpu, began = cpu_seconds(pid), time.monotonic()
    time.sleep(seconds)
    told = page.evaluate("() => window.told")
    lasted = time.monotonic() - began
    gaps = np.concatenate([np.diff([at for at, _ in told[one]]) for one in told])
    changes = [len({value for _, value in told[one]}) for one in told]
    p95 = float(np.percentile(gaps, 95))
    print(f"{title}: {len(told)} strips told, every {np.median(gaps):.0f} ms (p95 {p95:.0f}, "
          f"worst {gaps.max():.0f}); at least {min(changes)} different values each in {lasted:.0f} s; "
          f"{page.evaluate('() => window.frames') / lasted:.0f} frames a second; "
          f"server {100 * (cpu_seconds(pid) - cpu) / lasted:.0f} % of a core")  # fmt: skip
    return p95


def main(seconds: float) -> None:
    """Plug the rigs in, watch, stream, watch again."""
    with served([]) as (address, pid, _), sync_playwright() as playwright:
        client = signed_in(address)
        for key in RIGS:
            client.post(f"/experiments/1/bench/rigs/{key}/plug", data={"in": "yes"})
        browser = launch(playwright)
        page = new_context(browser).new_page()
        page.add_init_script(f"({WATCH})()")
        page.goto(address)
        page.get_by_role("button", name="Come in as Ada").click()
        page.wait_for_load_state("load")
        page.goto(f"{address}/experiments/1/bench")
        wanted = QUIET + 2
        page.wait_for_function(
            f"() => Object.keys(window.told).length >= {wanted}", timeout=180_000
        )
        alone = watch(page, pid, seconds, f"{QUIET} + 2 channels watched")
        horns = page.locator('.strip[aria-label="sound pressure"]')
        chosen = [horns.nth(n).get_attribute("data-channel") for n in range(2)]
        plan = {"rate": "10000", "duration": str(seconds + 5), "channel": chosen}
        answer = client.post("/experiments/1/record/start", data=plan)
        assert answer.status_code == 200, answer.text
        beside = watch(page, pid, seconds, "with 2 x 10 kHz recorded beside")
        print(f"ratio of the p95: {beside / alone:.2f}")
        browser.close()


if __name__ == "__main__":
    main(sizes.typed(0, 15.0, 1.0))
