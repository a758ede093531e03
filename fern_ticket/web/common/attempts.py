"""Signing in is slowed where it keeps failing: for a name, and for an address that tries many names."""

from __future__ import annotations

import math
from typing import Literal

from fern_ticket.store.database import Queries
from fern_ticket.store.records import Failures

#: Failures that cost nothing, of a name and of an address: people mistype, and a studio sits behind one address.
_FREE: dict[Literal["name", "address"], int] = {"name": 5, "address": 20}
#: Seconds that the first failure after those costs, which double with each; the most; and after which all is forgotten.
_FIRST, _MOST, _FORGOTTEN = 2.0, 60.0, 900.0
#: Longest that is kept of a name that nobody has.
_LONGEST = 120


async def wait_for(queries: Queries, name: str, address: str) -> int:
    """Whole seconds that signing in under this name from there has to wait yet."""
    asked = {"name": _known(name), "address": address, "forgotten": _FORGOTTEN}
    found = await queries.rows(Failures, "attempts_of", **asked)
    return max((seconds_left(one.count, one.ago, _FREE[one.kind]) for one in found), default=0)


async def failed(queries: Queries, name: str, address: str) -> None:
    """Remember one more, and forget what is old."""
    await queries.run("forget_attempts", forgotten=_FORGOTTEN)
    await queries.run("attempt_failed", name=_known(name), address=address, forgotten=_FORGOTTEN)


async def succeeded(queries: Queries, name: str) -> None:
    await queries.run("attempt_succeeded", name=_known(name))


def seconds_left(count: int, ago: float, free: int) -> int:
    """What is left of the wait after so many failures, the last so many seconds ago.

    >>> [seconds_left(count, 0, 5) for count in (4, 5, 6, 7, 30)]
    [0, 2, 4, 8, 60]
    >>> seconds_left(6, 3.5, 5)
    1
    """
    if count < free:
        return 0
    return math.ceil(max(0.0, min(_MOST, _FIRST * 2.0 ** min(count - free, 16)) - ago))


def _known(name: str) -> str:
    # however it is written; and PostgreSQL's text holds no NUL
    return name.casefold().replace("\0", "\ufffd")[:_LONGEST]
