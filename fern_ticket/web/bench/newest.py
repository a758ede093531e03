"""A place for one thing, of which only the newest counts."""

from __future__ import annotations

import asyncio
from typing import Generic, TypeVar

T = TypeVar("T")


class Newest(Generic[T]):
    """A place for one thing: a newer one replaces what nobody has taken yet."""

    def __init__(self) -> None:
        self._queue: asyncio.Queue[T] = asyncio.Queue(maxsize=1)

    def put(self, value: T) -> None:
        if self._queue.full():
            self._queue.get_nowait()
        self._queue.put_nowait(value)

    @property
    def empty(self) -> bool:
        return self._queue.empty()

    async def get(self) -> T:
        return await self._queue.get()
