"""Work in threads, which can be stopped between its parts: kernels run without the interpreter's lock."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from contextvars import ContextVar
from functools import lru_cache
from threading import local
from typing import TypeVar, cast

import cv2

A = TypeVar("A")
B = TypeVar("B")

#: Rows that one thread makes at once.
ROWS_AT_ONCE = 64
#: Asked between the parts of what this thread works on; raises to stop.
_CARRY_ON: ContextVar[Callable[[], None] | None] = ContextVar("carry_on", default=None)


@contextmanager
def stoppable(carry_on: Callable[[], None]) -> Iterator[None]:
    """What is worked on in here asks, between its parts, whether it goes on: `carry_on` raises to stop it.

    Whoever may stop what this is a part of still may.
    """
    around = _CARRY_ON.get()

    def all_carry_on() -> None:
        if around is not None:
            around()
        carry_on()

    before = _CARRY_ON.set(all_carry_on)
    try:
        yield
    finally:
        _CARRY_ON.reset(before)


def goes_on() -> None:
    """Raises what stops the work that this thread is on."""
    carry_on = _CARRY_ON.get()
    if carry_on is not None:
        carry_on()


def by_rows(count: int, work: Callable[[slice], None], at_once: int = ROWS_AT_ONCE, *, worth: bool = True) -> None:
    """Work on some rows at a time, in threads where that is `worth` it."""
    in_threads(work, [slice(top, min(top + at_once, count)) for top in range(0, count, at_once)], worth=worth)


def in_threads(work: Callable[[A], B], parts: Iterable[A], *, worth: bool = True) -> list[B]:
    """What becomes of each part, in order. One of these threads that calls this again does its parts itself.

    Handing over takes longer than a little work does, most of all where the machine is busy: one part alone, and parts
    that are not `worth` it, are done here.
    """
    parts, carry_on = list(parts), _CARRY_ON.get()
    if carry_on is not None:
        carry_on()
    if len(parts) < 2 or not worth or getattr(_own, "of_these", False):
        return [work(part) for part in parts]
    if carry_on is None:
        return list(_threads().map(work, parts))

    def unless_stopped(part: A) -> B:
        carry_on()
        return work(part)

    return list(_threads().map(unless_stopped, parts))


def beside(one: Callable[[], A], other: Callable[[], B], *, worth: bool = True) -> tuple[A, B]:
    """What two works give that are done beside one another, where that is `worth` it."""
    works: list[Callable[[], A | B]] = [one, other]
    return cast(tuple[A, B], tuple(in_threads(lambda work: work(), works, worth=worth)))


def one_ahead(work: Callable[[A], B], parts: Sequence[A]) -> Iterator[B]:
    """What becomes of each part, in order; the next is made while one is used, where there are cores for it."""
    if cores() < 2 or len(parts) < 2:
        yield from map(work, parts)
        return
    with ThreadPoolExecutor(1, "ahead") as beside:
        coming = beside.submit(work, parts[0])
        for after in parts[1:]:
            made, coming = coming.result(), beside.submit(work, after)
            yield made
        yield coming.result()


def cores() -> int:
    """How many of the machine's cores computation may keep busy: all that this process may run on, unless told."""
    return _told or len(os.sched_getaffinity(0))


def keep_to(count: int) -> None:
    """Keep to so many cores from now on, OpenCV's own threads too; before anything is computed. 0 is all of them."""
    global _told
    _told = count
    if count:
        cv2.setNumThreads(count)


_told = 0
#: What a thread knows of itself: whether it is one of these, which would wait for each other for ever.
_own = local()


@lru_cache(maxsize=1)
def _threads() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(cores(), "rows", lambda: setattr(_own, "of_these", True))
