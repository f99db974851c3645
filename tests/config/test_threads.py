"""The threads in which pages are made."""

import threading

import pytest
from django.db import connections

from galena.config import threads as page_threads
from galena.config.threads import Threads


@pytest.fixture
def threads():
    kept = Threads()
    yield kept
    kept.close()


def test_what_comes_one_after_the_other_is_done_in_one_thread(threads):
    names = {threads.submit(threading.get_ident).result() for _ in range(20)}
    assert len(names) == 1
    assert threading.get_ident() not in names


def test_what_comes_at_once_is_done_at_once_and_few_threads_stay(threads, monkeypatch):
    monkeypatch.setattr(page_threads, "MOST_KEPT", 2)
    ended = []
    monkeypatch.setattr(connections, "close_all", lambda: ended.append(threading.get_ident()))
    all_there = threading.Barrier(5)

    def meet():
        all_there.wait(60)
        return threading.get_ident()

    met = [threads.submit(meet) for _ in range(5)]
    idents = {one.result(60) for one in met}
    assert len(idents) == 5
    assert len(ended) == 3  # each in itself
    assert set(ended) < idents
    assert threads.submit(threading.get_ident).result() in idents - set(ended)


def test_a_thread_serves_on_after_an_error(threads):
    def fail():
        raise ValueError("no such page")

    with pytest.raises(ValueError, match="no such page"):
        threads.submit(fail).result()
    first, second = (threads.submit(threading.get_ident).result() for _ in range(2))
    assert first == second


def test_a_thread_that_is_at_work_ends_when_it_is_done(threads):
    may_end = threading.Event()
    work = threads.submit(may_end.wait, 60)
    threads.close()
    may_end.set()
    assert work.result(60)
    assert threads.submit(threading.active_count).result(60)  # opened anew
