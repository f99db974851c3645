"""What the start of the server does not wait for is loaded a while after it."""

import subprocess
import sys

AT_THE_START = """
import sys
import galena.config.asgi, galena.config.serving, galena.config.urls
from galena.config.warming import LATER, load_later
late = {"scipy", "pint", "cryptography", "av"}
early = {name for name in sys.modules if name.split(".")[0] in late}
load_later(0.0).join(60)
print(len(LATER) > 5, sorted(early), sorted(LATER - set(sys.modules)))
"""


def test_the_start_loads_what_it_needs_and_the_rest_comes_later(tmp_path, monkeypatch):
    monkeypatch.setenv("GALENA_DATA", str(tmp_path))
    monkeypatch.setenv("DJANGO_SETTINGS_MODULE", "galena.config.settings")
    words = [sys.executable, "-c", AT_THE_START]
    ended = subprocess.run(words, capture_output=True, text=True, timeout=300, check=True)
    assert ended.stdout.split("\n")[0] == "True [] []"


SHORT_OF_MEMORY = """
import re, resource, threading
from pathlib import Path
import numpy as np
from scipy.linalg import blas
from galena.config import memory
products = [np.matmul, lambda first, second: blas.dgemm(1.0, first, second)]
for multiply in products:
    memory.take_room_to_compute(multiply)
square = np.ones((200, 200))
ready = threading.Barrier(memory.COMPUTE_AT_ONCE + 1)
def compute():
    ready.wait()
    ready.wait()
    for multiply in products:
        for _ in range(20):
            multiply(square, square)
threads = [threading.Thread(target=compute, daemon=True) for _ in range(memory.COMPUTE_AT_ONCE)]
for thread in threads:
    thread.start()
ready.wait()
used = re.search(r"VmSize:\\s+(\\d+)", Path("/proc/self/status").read_text())[1]
limit = int(used) * 1024 + 8_000_000
resource.setrlimit(resource.RLIMIT_AS, (limit, resource.RLIM_INFINITY))
ready.wait()
for thread in threads:
    thread.join()
print("all computed")
"""


def test_where_memory_runs_out_computing_beside_each_other_ends_nothing():
    words = [sys.executable, "-c", SHORT_OF_MEMORY]
    ended = subprocess.run(words, capture_output=True, text=True, timeout=300, check=False)
    assert ended.stdout == "all computed\n", ended.stderr[-1000:]


SCATTERED = """
import re, time
from pathlib import Path
from galena.config import memory
def resident():
    return int(re.search(r"VmRSS:\\s+(\\d+)", Path("/proc/self/status").read_text())[1])
pieces = [bytes(1000) for _ in range(100_000)]
pieces = pieces[::50]
before, end = resident(), time.monotonic() + 60
memory.give_back(every=0.05)
while resident() > before - 50_000 and time.monotonic() < end:
    time.sleep(0.05)
print(before - resident() > 50_000)
"""


def test_what_a_rush_has_freed_goes_back_to_the_system():
    words = [sys.executable, "-c", SCATTERED]
    ended = subprocess.run(words, capture_output=True, text=True, timeout=300, check=True)
    assert ended.stdout == "True\n"
