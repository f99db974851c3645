"""Two instruments of 10 kHz, armed: is every event caught, and what does waiting cost?

Run: python -m benchmarks.armed_pair [claps]
"""

import time
from pathlib import Path

import numpy as np

from benchmarks import sizes
from benchmarks.live_path import ask
from benchmarks.serving import cpu_seconds, served, signed_in
from galena.instruments.rigs.process import RigProcess
from galena.instruments.rigs.room import RigControl

PLAN = {
    "plan": "armed", "kind-shown": "armed", "event": "1:rising", "level": "0.5", "again": "on",
    "rate": "10 kHz", "before": "5 ms", "duration": "50 ms", "channel": ["1", "2"],
}  # fmt: skip
FINISHED = "select count(*) from experiments_run where state = 'finished'"


def stored_after_clap(control: RigControl, folder: Path, number: int) -> float:
    """Clap, and give how long it takes in s until so many runs are stored; 5 s at most."""
    began = time.time()
    control.request("RIG:SET clap,1")
    while ask(folder, FINISHED) < number and time.time() < began + 5:
        time.sleep(0.005)
    return time.time() - began


def main(claps: int) -> None:
    """Arm, clap, and arm again by itself, so many times."""
    with RigProcess("two_horns", seed=4) as rig, served(rig.addresses) as (address, pid, folder):
        client, control = signed_in(address), RigControl(rig.addresses[0])
        for _ in range(200):
            if client.post("/experiments/1/record/start", data=PLAN).status_code == 200:
                break
            time.sleep(0.05)
        time.sleep(sizes.of(2, 0.5))
        before, began = cpu_seconds(pid), time.time()
        time.sleep(sizes.of(10, 0.5))
        waiting = (cpu_seconds(pid) - before) / (time.time() - began)
        took = []
        for number in range(1, claps + 1):
            while client.get("/experiments/1/record/status").json()["phase"] != "armed":
                time.sleep(0.02)
            time.sleep(0.3)
            took.append(stored_after_clap(control, folder, number))
        client.post("/experiments/1/record/stop")
        runs = ask(folder, FINISHED)
        lost = ask(folder, "select sum(lost) from experiments_stream")
        counts = ask(
            folder,
            "select min(n) || ' to ' || max(n) from (select sum(count) n from experiments_serieschunk join"
            " experiments_series s on s.id = series_id where s.quantity_id is null group by s.stream_id)",
        )
        control.close()
    print(
        f"2 instruments x 10 kHz, armed, {claps} claps: {runs} runs of {counts} readings (550 planned), {lost} lost"
    )
    print(f"  waiting costs the server {waiting:.0%} of a core")
    print(
        f"  clap to stored run: median {np.median(took) * 1e3:.0f} ms, most {max(took) * 1e3:.0f} ms (55 ms of it sampled)"
    )


if __name__ == "__main__":
    main(int(sizes.typed(0, 20, 1)))
