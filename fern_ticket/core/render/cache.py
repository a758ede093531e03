"""One budget of memory for everything that can be computed again."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Any, TypeVar

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
        held: T | None = self.get(key)
        if held is not None:
            return held
        value = make()
        self.put(key, value, weigh(value))
        return value

    def get(self, key: Hashable) -> Any:
        """The value under `key`, or None."""
        with self._lock:
            if key not in self._values:
                return None
            self._values.move_to_end(key)
            return self._values[key][0]

    def put(self, key: Hashable, value: object, size: int) -> None:
        """Hold a value of `size` bytes under `key`, in place of what was there. What is larger than all is not held."""
        with self._lock:
            if key in self._values:
                self._held -= self._values.pop(key)[1]
            if size > self._budget:
                return
            self._values[key] = (value, size)
            self._held += size
            while self._held > self._budget:
                _, (_, freed) = self._values.popitem(last=False)
                self._held -= freed

    @property
    def held(self) -> int:
        return self._held
