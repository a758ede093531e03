"""One budget of memory for everything that can be computed again."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import TypeVar

T = TypeVar("T")


class ByteCache:
    """Least recently used values go first when the bytes they hold exceed the budget. Safe between threads."""

    def __init__(self, budget: int) -> None:
        self._budget = budget
        self._held = 0
        self._values: OrderedDict[Hashable, tuple[object, int]] = OrderedDict()
        self._lock = threading.Lock()

    def get_or_make(self, key: Hashable, make: Callable[[], T], weigh: Callable[[T], int]) -> T:
        """The value under `key`, made now if it is not held. Two threads may both make it; one result stays."""
        with self._lock:
            if key in self._values:
                self._values.move_to_end(key)
                return self._values[key][0]  # type: ignore[return-value]
        value = make()
        size = weigh(value)
        with self._lock:
            if key not in self._values and size <= self._budget:
                self._values[key] = (value, size)
                self._held += size
                while self._held > self._budget:
                    _, (_, freed) = self._values.popitem(last=False)
                    self._held -= freed
        return value

    @property
    def held(self) -> int:
        return self._held
