"""Turns, so that one person's work never takes all of a server: others' frames, changes and signing in go on beside."""

from __future__ import annotations

import asyncio
import contextlib
import threading
from collections import Counter
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from typing import Generic, TypeVar
from uuid import UUID
from weakref import WeakValueDictionary

from fern_ticket.web.common.memory_limit import MemoryLimit

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

    def __init__(self, many: int, name: str, memory: MemoryLimit, each: int | None = None) -> None:
        self._threads = ThreadPoolExecutor(many, thread_name_prefix=name)
        self._memory = memory
        self._turns = Turns(each or max(1, many - 1))

    async def run(self, person: UUID, work: Callable[[], T]) -> T:
        """What work gives. Whoever leaves before it began calls it off; a turn ends only when the thread is free."""
        turn = self._turns.of(person)
        await turn.acquire()
        loop = asyncio.get_running_loop()

        def ended(_: Future[T]) -> None:
            with contextlib.suppress(RuntimeError):  # the server has stopped meanwhile
                loop.call_soon_threadsafe(turn.release)

        running = self._threads.submit(self._memory.within, person, work)
        running.add_done_callback(ended)
        return await asyncio.wrap_future(running)

    def close(self) -> None:
        self._threads.shutdown(wait=False, cancel_futures=True)


class FairThreads(Generic[T]):
    """Threads that work through what everybody has asked for, most of it for whoever has least of it under way.

    Somebody alone has all of them; who asks for one thing does not wait until all is done that others asked for before.
    """

    def __init__(self, many: int, name: str, memory: MemoryLimit) -> None:
        self._threads = ThreadPoolExecutor(many, thread_name_prefix=name)
        self._memory = memory
        self._many = many
        self._waiting: list[tuple[UUID, Callable[[], T], Future[T]]] = []
        self._under_way: Counter[UUID] = Counter()
        self._lock = threading.Lock()

    def submit(self, person: UUID, work: Callable[[], T]) -> Future[T]:
        """What work will give. It can be cancelled as long as it has not begun."""
        coming: Future[T] = Future()
        with self._lock:
            self._waiting.append((person, work, coming))
        self._begin_more()
        return coming

    def close(self) -> None:
        with self._lock:
            for _, _, coming in self._waiting:
                coming.cancel()
            self._waiting.clear()
        self._threads.shutdown(wait=False)

    def _begin_more(self) -> None:
        with self._lock:
            while self._waiting and self._under_way.total() < self._many:
                # of several of whom as little is done, whoever has waited longest
                one = min(self._waiting, key=lambda one: self._under_way[one[0]])
                self._waiting.remove(one)
                person, work, coming = one
                if coming.set_running_or_notify_cancel():
                    self._under_way[person] += 1
                    self._threads.submit(self._run, person, work, coming)

    def _run(self, person: UUID, work: Callable[[], T], coming: Future[T]) -> None:
        try:
            made = self._memory.within(person, work)
        except BaseException as error:
            self._ended(person)
            coming.set_exception(error)
        else:
            self._ended(person)
            coming.set_result(made)

    def _ended(self, person: UUID) -> None:
        with self._lock:
            self._under_way -= Counter([person])
        self._begin_more()
