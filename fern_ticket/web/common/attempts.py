"""Signing in is slowed where it keeps failing: for a name, and for an address that tries many names."""

from __future__ import annotations

import math
import time
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass

#: Failures that cost nothing, of a name and of an address: people mistype, and a studio sits behind one address.
_FREE_NAME, _FREE_ADDRESS = 5, 20
#: Seconds that the first failure after those costs, which double with each; the most; and after which all is forgotten.
_FIRST, _MOST, _FORGOTTEN = 2.0, 60.0, 900.0
#: Names and addresses that are remembered: what is forgotten first is what failed longest ago.
_REMEMBERED = 10_000


@dataclass
class _Failures:
    count: int = 0
    last: float = -math.inf


class Attempts:
    """Failures of late, kept in memory: what is slowed here is guessing, and it begins anew with the process."""

    def __init__(self, now: Callable[[], float] = time.monotonic) -> None:
        self._now = now
        self._failures: OrderedDict[tuple[str, str], _Failures] = OrderedDict()

    def wait(self, name: str, address: str) -> int:
        """Whole seconds that signing in under this name from there has to wait yet."""
        return math.ceil(max(0.0, *(self._due(key, free) - self._now() for key, free in _keys(name, address))))

    def failed(self, name: str, address: str) -> None:
        for key, _ in _keys(name, address):
            failures = self._failures.setdefault(key, _Failures())
            if self._now() - failures.last > _FORGOTTEN:
                failures.count = 0
            failures.count += 1
            failures.last = self._now()
            self._failures.move_to_end(key)
        while len(self._failures) > _REMEMBERED:
            self._failures.popitem(last=False)

    def succeeded(self, name: str) -> None:
        self._failures.pop(("name", name), None)

    def _due(self, key: tuple[str, str], free: int) -> float:
        failures = self._failures.get(key)
        if failures is None or failures.count < free or self._now() - failures.last > _FORGOTTEN:
            return -math.inf
        return failures.last + min(_MOST, _FIRST * 2.0 ** min(failures.count - free, 16))


def _keys(name: str, address: str) -> tuple[tuple[tuple[str, str], int], ...]:
    return ((("name", name), _FREE_NAME), (("address", address), _FREE_ADDRESS))
