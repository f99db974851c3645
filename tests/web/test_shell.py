import os
import socket
import time
from concurrent.futures import ThreadPoolExecutor

import pytest
from django.template import Context, Template

from galena.config import serving
from galena.experiments.data.cache import Cache
from galena.shell.marks import MARKS, mark_of
from galena.shell.worker import WorkerError, Workers
from tests.waiting import until


def shown(template, **context):
    return Template(template).render(Context(context))


@pytest.mark.parametrize(
    ("template", "value", "text"),
    [
        ("{{ v|symbol }}", "h", '<i class="symbol">h</i>'),
        ("{{ v|symbol }}", "T_1", '<i class="symbol">T</i><sub>1</sub>'),
        ("{{ v|symbol }}", "<b>", '<span>&lt;</span><i class="symbol">b</i><span>&gt;</span>'),
        ("{{ v|unit }}", "m s^-2", "m/s²"),
        ("{{ v|unit }}", "furlongs", "furlongs"),
        ("{{ v|grouped }}", 12345, "12\u2009345"),
        ("{{ v|plain_number }}", 0.5, "0.5"),
        ("{{ v|plain_number }}", 1000.0, "1000"),
    ],
)
def test_what_science_needs_in_templates(template, value, text):
    assert shown(template, v=value) == text


def test_a_mark_is_named_for_those_who_do_not_see_it():
    text = shown("{% run_mark 2 %}")
    assert 'aria-label="triangle"' in text
    assert MARKS[1].colour in text


def test_marks_differ_in_colour_shape_and_dash():
    for part in ("colour", "shape", "path", "dash"):
        assert len({getattr(mark, part) for mark in MARKS}) == len(MARKS)
    assert mark_of(9) == mark_of(1)


def test_a_port_in_use_is_said_with_what_to_do():
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        with pytest.raises(SystemExit, match="cannot be opened .* choose another one"):
            serving.listen("127.0.0.1", port)


def test_the_server_listens_on_this_computer_only_and_answers_without_delay():
    with serving.listen("127.0.0.1", 0) as listening:
        assert listening.getsockname()[0] == "127.0.0.1"
        assert listening.proto == socket.IPPROTO_TCP


def test_heavy_work_is_done_in_another_process_and_a_dead_one_replaced():
    press = Workers()
    try:
        worker = press.do(os.getpid)
        assert worker != os.getpid()
        assert press.do(os.nice, 0) == os.nice(0) + 10
        with pytest.raises(ValueError, match="could not convert"):
            press.do(float, "x")
        with pytest.raises(WorkerError, match="broke off"):
            press.do(os._exit, 1)
        assert press.do(os.getpid) != worker
    finally:
        press.close()


def test_a_worker_that_hangs_is_replaced_and_holds_nobody_up():
    press = Workers()
    try:
        first = press.do(os.getpid)
        with ThreadPoolExecutor() as pool:
            hanging = pool.submit(press.do, time.sleep, 600, patience=1.0)
            until(lambda: press._busy == 1, "the work that hangs")
            assert press.do(os.getpid) != first  # another worker does it meanwhile
            with pytest.raises(WorkerError, match="took too long"):
                hanging.result()
        assert press.do(os.getpid) != first
    finally:
        press.close()


def test_how_long_work_may_take_is_counted_by_the_processor_not_by_the_clock():
    press = Workers()
    try:
        assert press.do(time.sleep, 0.6, patience=0.2) is None  # as where the machine is busy
        worker = press.do(os.getpid)
        with pytest.raises(WorkerError, match="took too long"):
            press.do(exec, "while True: pass", patience=0.2)
        assert press.do(os.getpid) != worker
    finally:
        press.close()


def test_a_shelf_throws_away_the_longest_unused():
    shelf = Cache(100)
    for key in "abc":
        shelf.put(key, key.upper(), 40)
        shelf.get("a")
    assert [shelf.get(key) for key in "abc"] == ["A", None, "C"]
    shelf.put("a", "larger", 90)
    assert [shelf.get(key) for key in "abc"] == ["larger", None, None]
    shelf.put("huge", "kept alone", 500)
    assert shelf.get("huge") == "kept alone"
    shelf.clear()
    assert shelf.get("huge") is None


def test_a_shelf_keeps_only_the_last_state_of_what_changes():
    shelf = Cache(100)
    shelf.put("other", "stays", 10)
    for count in range(5):
        shelf.put(("run", count), count, 30, state_of="run")
    assert [shelf.get(("run", count)) for count in range(5)] == [None] * 4 + [4]
    shelf.put(("run", 4), "again", 30, state_of="run")
    assert (shelf.get(("run", 4)), shelf.get("other"), len(shelf)) == ("again", "stays", 2)
    shelf.put("fits beside both", "for what has gone takes no room", 60)
    assert len(shelf) == 3
