"""One person's work leaves threads and turns to others, and stops when nobody waits for it."""

from __future__ import annotations

import asyncio
import threading
import time
from functools import partial
from types import SimpleNamespace
from uuid import uuid4

import pytest

from fern_ticket.core.threads import goes_on
from fern_ticket.web.common.memory_limit import MemoryLimit
from fern_ticket.web.common.turns import FairThreads, SharedThreads, Shares, Turns
from fern_ticket.web.common.waiting import Asker, Left
from tests.application import run_apart


def with_a_loop(test):
    """In a loop of its own, in a thread of its own: the browser's driver keeps one in this."""

    def run():
        run_apart(test())

    run.__name__ = test.__name__
    return run


@with_a_loop
async def test_of_one_person_s_work_a_thread_stays_free_for_others():
    threads, may_end, many = SharedThreads(2, "tried", MemoryLimit(0)), threading.Event(), uuid4()
    began = [threading.Event() for _ in range(3)]

    def stays(own):
        own.set()
        may_end.wait(20)

    slow = [asyncio.create_task(threads.run(many, lambda own=own: stays(own))) for own in began]
    await asyncio.to_thread(began[0].wait, 20)
    assert await asyncio.wait_for(threads.run(uuid4(), lambda: 7), 20) == 7
    assert not began[1].is_set()
    may_end.set()
    await asyncio.gather(*slow)
    threads.close()


@with_a_loop
async def test_who_leaves_calls_off_what_has_not_begun_and_waits_for_what_has():
    threads, may_end, person = SharedThreads(2, "tried", MemoryLimit(0)), threading.Event(), uuid4()
    began, done = threading.Event(), []

    def stays():
        began.set()
        may_end.wait(20)
        done.append("slow")

    slow = asyncio.create_task(threads.run(person, stays))
    await asyncio.to_thread(began.wait, 20)
    waiting = asyncio.create_task(threads.run(person, lambda: done.append("never")))
    await asyncio.sleep(0)
    slow.cancel()
    waiting.cancel()
    await asyncio.gather(slow, waiting, return_exceptions=True)
    after = asyncio.create_task(threads.run(person, lambda: done.append("after")))
    await asyncio.sleep(0)
    assert not after.done()
    may_end.set()
    await asyncio.wait_for(after, 20)
    assert done == ["slow", "after"]
    threads.close()


@with_a_loop
async def test_what_work_raises_is_raised_and_ends_its_turn():
    threads, person = SharedThreads(2, "tried", MemoryLimit(0)), uuid4()
    for _ in range(3):
        answers = await asyncio.gather(threads.run(person, lambda: 1 // 0), return_exceptions=True)
        assert isinstance(answers[0], ZeroDivisionError)
    threads.close()


@with_a_loop
async def test_turns_are_each_person_s_own():
    turns, person = Turns(1), uuid4()
    async with turns.of(person):
        assert turns.of(person).locked()
        assert not turns.of(uuid4()).locked()
    assert not turns.of(person).locked()


@with_a_loop
async def test_who_took_some_of_the_time_stands_back_and_others_do_not():
    shares, greedy, done = Shares(0.1), uuid4(), []

    def takes(name, seconds):
        time.sleep(seconds)
        done.append(name)

    await shares.run(greedy, lambda: takes("first", 0.05))
    again = asyncio.create_task(shares.run(greedy, lambda: takes("again", 0)))
    await asyncio.sleep(0)
    await shares.run(uuid4(), lambda: takes("another's", 0))
    await asyncio.wait_for(again, 20)
    assert done == ["first", "another's", "again"]


@with_a_loop
async def test_what_fails_ends_its_share():
    shares, person = Shares(0.5), uuid4()
    for _ in range(3):
        answers = await asyncio.gather(shares.run(person, lambda: 1 // 0), return_exceptions=True)
        assert isinstance(answers[0], ZeroDivisionError)


class _Request:
    """One whose sender is still there, or gone."""

    def __init__(self, looking: SharedThreads, *, gone: bool) -> None:
        self.gone = gone
        self.app = SimpleNamespace(state=SimpleNamespace(looking=looking))

    async def is_disconnected(self) -> bool:
        return self.gone


@with_a_loop
async def test_work_that_nobody_waits_for_any_more_stops_between_its_parts():
    """It would go on for as long as it may: only that its sender has gone ends it."""
    beat, stopped = threading.Event(), threading.Event()

    def work():
        try:
            for _ in range(6000):
                goes_on()
                beat.wait(0.01)
        except Left:
            stopped.set()
            raise

    looking = SharedThreads(2, "tried", MemoryLimit(0))
    with pytest.raises(Left):
        await Asker(_Request(looking, gone=True), uuid4()).told(work)
    assert await asyncio.to_thread(stopped.wait, 30)
    assert await Asker(_Request(looking, gone=False), uuid4()).told(lambda: goes_on() or "all of it") == "all of it"
    looking.close()


@with_a_loop
async def test_one_person_has_only_so_many_threads_at_once():
    threads, may_end, one = SharedThreads(4, "tried", MemoryLimit(0), each=2), threading.Event(), uuid4()
    began = [threading.Event() for _ in range(3)]

    def stays(own):
        own.set()
        return may_end.wait(30)

    lasting = [asyncio.create_task(threads.run(one, lambda own=own: stays(own))) for own in began]
    for own in began[:2]:
        assert await asyncio.to_thread(own.wait, 30)
    assert await threads.run(uuid4(), lambda: "another's") == "another's"
    assert not began[2].is_set()
    may_end.set()
    assert await asyncio.gather(*lasting) == [True] * 3
    threads.close()


def test_who_asks_for_one_thing_does_not_wait_for_all_that_others_asked_for():
    threads, many, one = FairThreads(2, "tried", MemoryLimit(0)), uuid4(), uuid4()
    may_end = [threading.Event() for _ in range(6)]
    order: list[str] = []

    def stays(name, until):
        until.wait(20)
        order.append(name)

    theirs = [threads.submit(many, partial(stays, f"theirs {n}", ends)) for n, ends in enumerate(may_end)]
    asked = threads.submit(one, lambda: order.append("one"))
    # alone, they have both threads
    may_end[0].set()
    asked.result(20)
    assert order == ["theirs 0", "one"]
    for ends in may_end:
        ends.set()
    for work in theirs:
        work.result(20)
    assert sorted(order[2:]) == [f"theirs {n}" for n in range(1, 6)]
    threads.close()


def test_fairly_shared_threads_raise_what_work_raises_and_call_off_what_waits():
    threads, may_end, person = FairThreads(1, "tried", MemoryLimit(0)), threading.Event(), uuid4()
    failing = threads.submit(person, lambda: 1 // 0)
    with pytest.raises(ZeroDivisionError):
        failing.result(20)
    running, waiting, closed = (threads.submit(person, lambda: may_end.wait(20)) for _ in range(3))
    assert waiting.cancel()
    threads.close()
    assert closed.cancelled()
    may_end.set()
    assert running.result(20)
