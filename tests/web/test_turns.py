"""Few pages are made at once; one that takes long lets the next begin."""

import asyncio
from concurrent.futures import ThreadPoolExecutor

import pytest

from galena.config.turns import Turns


def run(scene):
    with ThreadPoolExecutor() as pool:  # a thread without Playwright's event loop
        return pool.submit(lambda: asyncio.run(scene())).result(timeout=180)


class Page:
    """A page that is made until it is told that it is ready."""

    def __init__(self, turns: Turns, begun: list, name: str) -> None:
        self.ready = asyncio.Event()
        self.task = asyncio.create_task(self._make(turns, begun, name))

    async def _make(self, turns: Turns, begun: list, name: str) -> None:
        async with turns.turn():
            begun.append(name)
            await self.ready.wait()

    async def end(self) -> None:
        self.ready.set()
        await self.task


async def settled() -> None:
    for _ in range(5):
        await asyncio.sleep(0)


def test_two_are_made_at_once_and_the_others_in_the_order_in_which_they_came():
    async def scene():
        turns, begun = Turns(2, takes_long=60), []
        pages = [Page(turns, begun, name) for name in "abcd"]
        await settled()
        assert begun == ["a", "b"]
        await pages[1].end()
        await settled()
        assert begun == ["a", "b", "c"]
        await pages[0].end()
        await settled()
        assert begun == ["a", "b", "c", "d"]
        await asyncio.gather(*(one.end() for one in pages[2:]))

    run(scene)


def test_one_that_takes_long_lets_the_next_begin_and_gives_its_turn_back_once():
    async def scene():
        turns, begun = Turns(1, takes_long=0.01), []
        slow, second = Page(turns, begun, "slow"), Page(turns, begun, "second")
        while "second" not in begun:
            await asyncio.sleep(0.005)
        await slow.end()
        third, fourth = Page(turns, begun, "third"), Page(turns, begun, "fourth")
        while len(begun) < 4:
            await asyncio.sleep(0.005)
        await asyncio.gather(second.end(), third.end(), fourth.end())
        a, b = Page(turns, begun, "a"), Page(turns, begun, "b")
        await settled()
        assert begun[4:] == ["a"], "more are let in than before"
        await asyncio.gather(a.end(), b.end())

    run(scene)


@pytest.mark.parametrize("is_called", [False, True])
def test_who_goes_away_while_waiting_holds_nobody_up(is_called):
    async def scene():
        turns, begun = Turns(1, takes_long=60), []
        first, gone, last = (Page(turns, begun, name) for name in ("first", "gone", "last"))
        await settled()
        if is_called:  # the turn comes at the moment at which it is given up
            first.ready.set()
            while not first.task.done():
                await asyncio.sleep(0)
        gone.task.cancel()
        first.ready.set()
        await settled()
        await first.task
        await settled()
        assert begun[-1] == "last"
        await last.end()
        again = Page(turns, begun, "again")
        await settled()
        assert begun[-1] == "again"
        await again.end()

    run(scene)
