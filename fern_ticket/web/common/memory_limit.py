"""A limit to the memory of a process: over it, the work of whoever made it grow most is stopped, and nobody else's.

What single work takes cannot be told apart in one process; how far memory grew while it was under way can. What can be
computed again goes first.
"""

from __future__ import annotations

import asyncio
import logging
import os
import threading
from collections import defaultdict
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TypeVar
from uuid import UUID

from fern_ticket import memory
from fern_ticket.core.errors import FernError
from fern_ticket.core.threads import stoppable

log = logging.getLogger("fern.memory")

T = TypeVar("T")

#: Seconds between two looks, and how many looks pass until what was stopped must have given its memory back.
_OFTEN, _GIVEN_BACK = 0.2, 10
#: Of the machine's memory, what all server processes take together if nothing else is said.
_SHARE = 0.7
#: Work during which memory grew by less is not to blame, bytes.
_BLAMED = 192 << 20


class TooMuch(FernError):
    """Work was stopped, as it took too much memory."""

    def __init__(self) -> None:
        super().__init__(
            "This takes more memory than there is for one person's work.",
            "Take out the step that you made last, or make its place smaller.",
        )


@dataclass(eq=False)
class _Work:
    """What is under way for a person, and the process's memory when it began."""

    person: UUID
    before: int
    stopped: bool = False

    def carry_on(self) -> None:
        if self.stopped:
            raise TooMuch


class MemoryLimit:
    """Work that is under way in a process, and what is stopped of it.

    Parameters
    ----------
    limit
        Bytes of its own that the process may have; 0 for none.
    relieve
        Gives back what can be computed again.
    taken
        Gives what it has.
    """

    def __init__(
        self, limit: int, relieve: Callable[[], None] = lambda: None, taken: Callable[[], int] = memory.own
    ) -> None:
        self._limit = limit
        self._relieve = relieve
        self._taken = taken
        self._under_way: set[_Work] = set()
        self._lock = threading.Lock()
        self._patience = 0
        self._relieved = False

    def within(self, person: UUID, work: Callable[[], T]) -> T:
        """What work gives. It may be stopped between its parts.

        Raises
        ------
        TooMuch
            It was.
        """
        own = _Work(person, self._taken())
        with self._lock:
            self._under_way.add(own)
        try:
            with stoppable(own.carry_on):
                return work()
        finally:
            with self._lock:
                self._under_way.discard(own)

    def look(self) -> UUID | None:
        """Stop somebody's work if the process has too much; tells whose."""
        if not self._limit or self._taken() <= self._limit:
            self._patience, self._relieved = 0, False
            return None
        self._patience -= 1
        if self._patience > 0:
            return None
        # once: where what nobody can be blamed for is too much, what is computed again would be lost again and again
        if not self._relieved:
            self._relieve()
            self._relieved = True
        taken = self._taken()
        if taken <= self._limit:
            return None
        with self._lock:
            grew: defaultdict[UUID, int] = defaultdict(int)
            for one in self._under_way:
                if not one.stopped:
                    grew[one.person] += max(0, taken - one.before)
            most = max(grew, key=grew.__getitem__, default=None)
            if most is None or grew[most] < _BLAMED:
                return None
            for one in self._under_way:
                one.stopped |= one.person == most
        self._patience = _GIVEN_BACK
        log.warning("work of %s was stopped: the process has %d MB of %d", most, taken >> 20, self._limit >> 20)
        return most

    async def look_often(self) -> None:
        """Look, again and again."""
        while True:
            await asyncio.sleep(_OFTEN)
            await asyncio.to_thread(self.look)


def limit_for_each(asked: int, processes: int) -> int:
    """Bytes that each process may take, of what all are told to, or of what the machine has where nothing is said."""
    return int(asked or _SHARE * _machine_has()) // processes


def _machine_has() -> int:
    """Bytes of memory, as far as this process may have them."""
    has = os.sysconf("SC_PHYS_PAGES") * os.sysconf("SC_PAGE_SIZE")
    told = Path("/sys/fs/cgroup/memory.max")
    most = told.read_text().strip() if told.is_file() else "max"
    return has if most == "max" else min(has, int(most))
