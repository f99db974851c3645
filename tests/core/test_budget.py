import time

import pytest

from galena.core.budget import TookTooLongError, allowed, spend


@pytest.fixture
def thread_time(monkeypatch):
    spent = [0.0]
    monkeypatch.setattr(time, "thread_time", lambda: spent[0])
    return spent


def test_what_others_take_of_the_processor_is_not_spent(thread_time, monkeypatch):
    monkeypatch.setattr(time, "monotonic", lambda: 1e9)
    with allowed(5.0):
        spend()
        thread_time[0] = 4.9
        spend()
        thread_time[0] = 5.1
        with pytest.raises(TookTooLongError, match="took too long: mark off less"):
            spend()
    spend()  # nothing is bounded outside


def test_an_inner_bound_is_never_later_than_the_outer(thread_time):
    with allowed(1.0):
        with allowed(0.5):
            thread_time[0] = 0.6
            with pytest.raises(TookTooLongError):
                spend()
        with allowed(60.0):
            spend()
            thread_time[0] = 1.1
            with pytest.raises(TookTooLongError):
                spend()
