"""A place for one thing, of which only the newest counts."""

from __future__ import annotations

import asyncio
from typing import Generic, TypeVar

T = TypeVar("T")


class Newest(Generic[T]):
    """A place for one thing: a newer one replaces what nobody has taken yet."""

    def __init__(self) -> None:
        self._queue: asyncio.Queue[T] = asyncio.Queue(maxsize=1)
        self._cleared = 0

    def put(self, value: T) -> None:
        self._empty()
        self._queue.put_nowait(value)

    def clear(self) -> None:
        """Nothing that was put so far counts any more, taken or not."""
        self._empty()
        self._cleared += 1

    @property
    def cleared(self) -> int:
        """How often it was cleared: what was taken under another number counts no more."""
        return self._cleared

    def _empty(self) -> None:
        if self._queue.full():
            self._queue.get_nowait()

    @property
    def empty(self) -> bool:
        return self._queue.empty()

    async def get(self) -> T:
        return await self._queue.get()
