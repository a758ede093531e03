"""Turns, so that one person's work never takes all of a server: others' frames, changes and signing in go on beside."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from typing import TypeVar
from uuid import UUID
from weakref import WeakValueDictionary

T = TypeVar("T")


class Turns:
    """So many at once for each person; who asks for more waits for one of their own."""

    def __init__(self, each: int) -> None:
        self._each = each
        self._of: WeakValueDictionary[UUID, asyncio.Semaphore] = WeakValueDictionary()

    def of(self, person: UUID) -> asyncio.Semaphore:
        """What is held during a turn of theirs."""
        found = self._of.get(person)
        if found is None:
            found = self._of[person] = asyncio.Semaphore(self._each)
        return found


class Shares:
    """A share of the time for each person's work of a kind that everybody waits for while it is done.

    Reading a long message holds the interpreter: whoever sent it is read again only after a pause that makes it so
    small a part of the time.
    """

    def __init__(self, share: float) -> None:
        self._pause = 1 / share - 1
        self._turns = Turns(1)

    async def run(self, person: UUID, work: Callable[[], T]) -> T:
        """What work gives, made in a thread."""
        turn = self._turns.of(person)
        await turn.acquire()
        loop = asyncio.get_running_loop()
        began = loop.time()
        try:
            return await asyncio.to_thread(work)
        finally:
            loop.call_later(self._pause * (loop.time() - began), turn.release)


class SharedThreads:
    """Threads of which one person's work takes only so many at once, or leaves at least one to others."""

    def __init__(self, many: int, name: str, each: int | None = None) -> None:
        self._threads = ThreadPoolExecutor(many, thread_name_prefix=name)
        self._turns = Turns(each or max(1, many - 1))

    async def run(self, person: UUID, work: Callable[[], T]) -> T:
        """What work gives. Whoever leaves before it began calls it off; a turn ends only when the thread is free."""
        turn = self._turns.of(person)
        await turn.acquire()
        loop = asyncio.get_running_loop()

        def ended(_: Future[T]) -> None:
            with contextlib.suppress(RuntimeError):  # the server has stopped meanwhile
                loop.call_soon_threadsafe(turn.release)

        running = self._threads.submit(work)
        running.add_done_callback(ended)
        return await asyncio.wrap_future(running)

    def close(self) -> None:
        self._threads.shutdown(wait=False, cancel_futures=True)
