"""The model of many editors, against what queueing theory says of cores that all who work share.

Kleinrock 1976, Queueing Systems, volume II, section 4.4 (from memory): where work comes by chance to one core that is
shared evenly, a piece of work of s seconds takes s / (1 - ρ) in the mean, ρ being the share of time in which it is
busy.
"""

from __future__ import annotations

import random
from statistics import mean

import pytest
import simpy

from benchmarks.figures import percentile
from benchmarks.scale_model import AT_WORK, WITHOUT_REST, Cores, Costs, most_people, waits_of

COSTS = Costs(moving=0.03, fine=0.05, change=0.005, measured=0.1, client=0, database=0.003, commit=0.002)


def test_cores_are_shared_evenly_by_whoever_works():
    world, ended = simpy.Environment(), []
    cores = Cores(world, 2)

    def works(after, seconds):
        yield world.timeout(after)
        yield cores.work(seconds)
        ended.append((after, round(world.now, 9)))

    for after, seconds in ((0, 1), (0, 1), (0, 1), (0.5, 0.2)):
        world.process(works(after, seconds))
    world.run()
    # three at two thirds of a core until 0.5, four at half a one until the last that came is done, then three again
    assert ended == [(0.5, 0.9), (0, 1.6), (0, 1.6), (0, 1.6)]


@pytest.mark.parametrize("busy", [0.3, 0.6, 0.75])
def test_a_shared_core_is_as_slow_as_kleinrock_says(busy):
    world, by_chance, taken = simpy.Environment(), random.Random(5), []
    cores = Cores(world, 1)

    def works():
        began = world.now
        yield cores.work(by_chance.expovariate(1))
        taken.append(world.now - began)

    def comes():
        while True:
            yield world.timeout(by_chance.expovariate(busy))
            world.process(works())

    world.process(comes())
    world.run(until=60_000)
    assert mean(taken) == pytest.approx(1 / (1 - busy), rel=0.08)


def test_alone_nobody_waits():
    waits = waits_of(1, 2, COSTS, WITHOUT_REST, 200, database_here=True)
    assert percentile(waits.moving, 99) == pytest.approx(1000 * COSTS.moving)
    assert percentile(waits.changes, 99) == pytest.approx(1000 * (COSTS.change + COSTS.database + COSTS.commit))


def test_frames_are_never_more_than_the_cores_can_make():
    waits = waits_of(60, 2, COSTS, WITHOUT_REST, 60, database_here=False)
    spent = len(waits.moving) * COSTS.moving + len(waits.fine) * (COSTS.fine + COSTS.measured)
    assert 0.9 * 2 * 60 < spent + len(waits.changes) * COSTS.change < 1.01 * 2 * 60


def test_a_machine_carries_as_many_as_it_does_not_slow_and_no_more():
    many = most_people(2, COSTS, AT_WORK, 100)
    within, beyond = (waits_of(people, 2, COSTS, AT_WORK, 120, database_here=False) for people in (many, many + 1))
    assert percentile(within.moving, 95) <= 100 < percentile(beyond.moving, 95)
