"""Editors at their benches, as a discrete-event simulation: who waits how long for what, on how many cores.

A server makes each frame on one core, as many at once as it has threads for, measures slips in threads of its own, and
answers changes beside both. Cores are shared evenly by whoever works, as the kernel's scheduler does it. What each of
that costs is measured (`scale`); what a hand does is a habit.
"""

from __future__ import annotations

import heapq
import random
from collections.abc import Generator
from dataclasses import dataclass, field
from itertools import count
from typing import Any

import simpy

from benchmarks.figures import percentile

Steps = Generator[simpy.Event, Any, None]


@dataclass(frozen=True)
class Costs:
    """Seconds of one core: a frame under the hand, a fine one, a change, what the slip measures after one.

    `client` is what whoever asks spends of the same cores on a frame, 0 where pages run elsewhere; `database` what the
    database spends on a change, and `commit` how long it then waits for its disk.
    """

    moving: float
    fine: float
    change: float
    measured: float
    client: float
    database: float
    commit: float


@dataclass(frozen=True)
class Habit:
    """Seconds that an editor drags, between two moves of the hand, and rests at least and at most."""

    drag: float
    move: float
    rest: tuple[float, float]


#: As `load` has them; and an editor who thinks between two drags (an assumption, no source).
WITHOUT_REST = Habit(2, 0.05, (0, 4))
AT_WORK = Habit(2, 0.05, (3, 20))


@dataclass
class Waits:
    """Seconds from asking to having."""

    moving: list[float] = field(default_factory=list)
    fine: list[float] = field(default_factory=list)
    changes: list[float] = field(default_factory=list)


class Cores:
    """Cores that whoever works shares evenly.

    All who work are served at one pace, so that whose share is full first is whose work ends at the least of `served`,
    which counts what each has had since the beginning.
    """

    def __init__(self, world: simpy.Environment, many: int) -> None:
        self._world, self._many = world, many
        self._served, self._since = 0.0, 0.0
        self._ends: list[tuple[float, int, simpy.Event]] = []
        self._number, self._alarm = count(), 0

    def work(self, seconds: float) -> simpy.Event:
        """Done when so many seconds of one core were spent on it."""
        self._catch_up()
        done = self._world.event()
        heapq.heappush(self._ends, (self._served + seconds, next(self._number), done))
        self._set_alarm()
        return done

    def _pace(self) -> float:
        return min(1.0, self._many / len(self._ends))

    def _catch_up(self) -> None:
        if self._ends:
            self._served += (self._world.now - self._since) * self._pace()
        self._since = self._world.now

    def _set_alarm(self) -> None:
        self._alarm += 1
        left = (self._ends[0][0] - self._served) / self._pace()
        self._world.process(self._rings(self._alarm, max(0.0, left)))

    def _rings(self, alarm: int, seconds: float) -> Steps:
        yield self._world.timeout(seconds)
        if alarm != self._alarm:
            return  # somebody came meanwhile
        self._catch_up()
        _, _, done = heapq.heappop(self._ends)
        done.succeed()
        if self._ends:
            self._set_alarm()


class Server:
    """Machine and threads that benches share."""

    def __init__(self, world: simpy.Environment, cores: int, costs: Costs, *, database_here: bool) -> None:
        self._world, self._costs = world, costs
        self._cores = Cores(world, cores)
        self._frames, self._measuring = simpy.Resource(world, max(2, cores)), simpy.Resource(world, max(2, cores))
        self._database_here = database_here

    def frame(self, seconds: float) -> Steps:
        yield from self._in(self._frames, seconds)
        if self._costs.client:
            yield self._cores.work(self._costs.client)

    def change(self) -> Steps:
        yield self._cores.work(self._costs.change)
        if self._database_here:
            yield self._cores.work(self._costs.database)
            yield self._world.timeout(self._costs.commit)
        else:
            yield self._world.timeout(self._costs.database + self._costs.commit)

    def measured(self) -> Steps:
        yield from self._in(self._measuring, self._costs.measured)

    def _in(self, threads: simpy.Resource, seconds: float) -> Steps:
        with threads.request() as turn:
            yield turn
            yield self._cores.work(seconds)


def waits_of(people: int, cores: int, costs: Costs, habit: Habit, seconds: float, *, database_here: bool) -> Waits:
    """What so many editors wait at one machine within a time that is simulated."""
    world: simpy.Environment = simpy.Environment()
    server, waits = Server(world, cores, costs, database_here=database_here), Waits()
    for seed in range(people):
        world.process(_editor(world, server, costs, habit, waits, random.Random(seed)))
    world.run(until=seconds)
    return waits


def _editor(
    world: simpy.Environment, server: Server, costs: Costs, habit: Habit, waits: Waits, by_chance: random.Random
) -> Steps:
    # nobody begins with all the others
    yield world.timeout(by_chance.uniform(0, habit.drag + habit.rest[1]))
    while True:
        ends = world.now + habit.drag
        while world.now < ends:
            yield from _timed(world, server.frame(costs.moving), waits.moving)
            yield world.timeout(habit.move)
        yield from _timed(world, server.change(), waits.changes)
        yield from _timed(world, server.frame(costs.fine), waits.fine)
        world.process(server.measured())
        yield world.timeout(by_chance.uniform(*habit.rest))


def _timed(world: simpy.Environment, work: Steps, into: list[float]) -> Steps:
    began = world.now
    yield from work
    into.append(world.now - began)


def most_people(cores: int, costs: Costs, habit: Habit, slowest: float) -> int:
    """How many editors one machine carries so that 95 of 100 frames under the hand come within milliseconds."""
    few, many = 1, 2
    while _carries(many, cores, costs, habit, slowest):
        few, many = many, 2 * many
    while many - few > 1:
        middle = (few + many) // 2
        few, many = (middle, many) if _carries(middle, cores, costs, habit, slowest) else (few, middle)
    return few


def _carries(people: int, cores: int, costs: Costs, habit: Habit, slowest: float) -> bool:
    waits = waits_of(people, cores, costs, habit, 120, database_here=False)
    return percentile(waits.moving, 95) <= slowest
