"""One budget of memory for everything that can be computed again, and a shelf for what is worth keeping longer."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import dataclass
from typing import Any, Protocol, TypeVar

from fern_ticket.core.threads import goes_on

T = TypeVar("T")


class Shelf(Protocol):
    """Keeps bytes between one opening of a photo and the next. What it has lost is computed again."""

    def get(self, key: str) -> bytes | None: ...

    def put(self, key: str, value: bytes) -> None: ...


@dataclass(frozen=True, slots=True)
class Key:
    """What a value in the cache is, and what tells it from others of its kind."""

    kind: str
    own: Hashable


class _Making:
    """A value that a thread is making, for others that want it meanwhile."""

    def __init__(self) -> None:
        self.thread = threading.get_ident()
        self.done = threading.Event()
        self.made = False
        self.value: object = None


class ByteCache:
    """Least recently used values go first when the bytes they hold exceed the budget. Safe between threads."""

    def __init__(self, budget: int) -> None:
        self._budget = budget
        self._held = 0
        self._values: OrderedDict[Key, tuple[object, int]] = OrderedDict()
        self._making: dict[Key, _Making] = {}
        self._lock = threading.Lock()

    def get_or_make(self, key: Key, make: Callable[[], T], weigh: Callable[[T], int]) -> T:
        """The value under `key`, made now if it is not held. Who asks while it is being made waits for that one."""
        while True:
            with self._lock:
                held = self._taken(key)
                if held is not None:
                    return held  # type: ignore[no-any-return]
                other = self._making.get(key)
                if other is None:
                    own = self._making[key] = _Making()
                    break
            if other.thread == threading.get_ident():
                raise RuntimeError(f"making {key.kind} asks for itself")
            other.done.wait()
            if other.made:
                return other.value  # type: ignore[return-value]
        try:
            goes_on()
            value = make()
            own.value, own.made = value, True
            self.put(key, value, weigh(value))
            return value
        finally:
            with self._lock:
                del self._making[key]
            own.done.set()

    def get(self, key: Key) -> Any:
        """The value under `key`, or None."""
        with self._lock:
            return self._taken(key)

    def _taken(self, key: Key) -> Any:
        if key not in self._values:
            return None
        self._values.move_to_end(key)
        return self._values[key][0]

    def put(self, key: Key, value: object, size: int) -> None:
        """Hold a value of `size` bytes under `key`, in place of what was there. What is larger than all is not held."""
        with self._lock:
            if key in self._values:
                self._held -= self._values.pop(key)[1]
            if size > self._budget:
                return
            self._values[key] = (value, size)
            self._held += size
            self._drop_what_is_over()

    def keep_to(self, budget: int) -> None:
        """Hold `budget` bytes at most from now on."""
        with self._lock:
            self._budget = budget
            self._drop_what_is_over()

    def clear(self) -> None:
        """Let all go that is held."""
        with self._lock:
            self._values.clear()
            self._held = 0

    def _drop_what_is_over(self) -> None:
        while self._held > self._budget:
            _, (_, freed) = self._values.popitem(last=False)
            self._held -= freed

    @property
    def budget(self) -> int:
        return self._budget

    @property
    def held(self) -> int:
        return self._held
