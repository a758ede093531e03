"""Over a process's limit of memory, the work of whoever takes most stops, and nobody else's."""

from __future__ import annotations

import asyncio
import threading
from concurrent.futures import ThreadPoolExecutor
from uuid import uuid4

import numpy as np
import pytest

from fern_ticket.core.threads import goes_on, stoppable
from fern_ticket.memory import own
from fern_ticket.web.common import memory_limit
from fern_ticket.web.common.memory_limit import MemoryLimit, TooMuch, limit_for_each
from fern_ticket.web.common.turns import SharedThreads
from tests.application import run_apart

GIGA = 1 << 30


class Process:
    """One whose memory is said."""

    def __init__(self) -> None:
        self.has, self.relieved = 0, 0
        self.limit = MemoryLimit(3 * GIGA, self.relieve, lambda: self.has)
        self.threads = ThreadPoolExecutor(3)
        self.may_end = threading.Event()

    def relieve(self) -> None:
        self.relieved += 1

    def begin(self, person):
        """Work of a person that goes on until it is told to end."""
        began = threading.Event()

        def work():
            began.set()
            while not self.may_end.wait(0.01):
                goes_on()
            return "done"

        coming = self.threads.submit(self.limit.within, person, work)
        assert began.wait(20)
        return coming


@pytest.fixture
def process():
    made = Process()
    yield made
    made.may_end.set()
    made.threads.shutdown()


def test_whose_work_it_grew_under_is_stopped_and_others_go_on(process: Process):
    greedy, other = uuid4(), uuid4()
    slow = process.begin(greedy)
    process.has = 2 * GIGA
    another = process.begin(other)
    process.has = 4 * GIGA
    assert process.limit.look() == greedy
    with pytest.raises(TooMuch):
        slow.result(20)
    # what was stopped is given time to give its memory back
    assert process.limit.look() is None
    process.may_end.set()
    assert another.result(20) == "done"


def test_the_next_is_stopped_where_that_was_not_enough(process: Process):
    first, second = uuid4(), uuid4()
    begun = [process.begin(first), process.begin(second)]
    process.has = 4 * GIGA
    stopped = set()
    for _ in range(30):
        stopped.add(process.limit.look())
    assert stopped == {None, first, second}
    for one in begun:
        with pytest.raises(TooMuch):
            one.result(20)


def test_nobody_is_to_blame_for_what_was_there_before(process: Process):
    process.has = 4 * GIGA
    begun = process.begin(uuid4())
    process.has += 100 << 20
    assert [process.limit.look() for _ in range(3)] == [None] * 3
    assert process.relieved == 1
    process.may_end.set()
    assert begun.result(20) == "done"


def test_what_can_be_computed_again_goes_first(process: Process):
    def relieve():
        process.has = GIGA

    process.limit = MemoryLimit(3 * GIGA, relieve, lambda: process.has)
    begun = process.begin(uuid4())
    process.has = 4 * GIGA
    assert process.limit.look() is None
    process.may_end.set()
    assert begun.result(20) == "done"


def test_below_the_limit_and_without_one_nothing_is_stopped(process: Process):
    process.begin(uuid4())
    process.has = 3 * GIGA
    assert process.limit.look() is None
    assert process.relieved == 0
    assert MemoryLimit(0, taken=lambda: 1 << 50).look() is None


def test_a_real_process_stops_what_really_takes_memory(monkeypatch: pytest.MonkeyPatch):
    monkeypatch.setattr(memory_limit, "_OFTEN", 0.01)
    limit = MemoryLimit(own() + (500 << 20))
    held = []

    def takes():
        for _ in range(400):
            held.append(np.ones(4 << 20, np.uint8))
            goes_on()
        return "all of it"

    async def tried():
        threads = SharedThreads(1, "tried", limit)
        looks = asyncio.create_task(limit.look_often())
        try:
            with pytest.raises(TooMuch, match="more memory"):
                await threads.run(uuid4(), takes)
        finally:
            looks.cancel()
            threads.close()

    run_apart(tried())


def test_work_within_other_work_is_stopped_by_either():
    def stops():
        raise TooMuch

    with stoppable(stops), stoppable(lambda: None), pytest.raises(TooMuch):
        goes_on()
    goes_on()


def test_processes_share_what_they_are_told_or_most_of_what_the_machine_has():
    assert limit_for_each(8 * GIGA, 4) == 2 * GIGA
    assert 0 < limit_for_each(0, 1) < 1 << 50
