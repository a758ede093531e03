"""Work that takes a while, done for as long as somebody waits for it."""

from __future__ import annotations

import asyncio
import threading
from collections.abc import Callable
from typing import TypeVar

from starlette.requests import Request

from fern_ticket.core.errors import FernError
from fern_ticket.core.threads import stoppable

T = TypeVar("T")

#: Seconds between looks whether somebody still waits.
_OFTEN = 0.5


class Left(FernError):
    """Whoever asked has gone before the answer."""


async def while_waited_for(request: Request, work: Callable[[], T]) -> T:
    """What work in a thread gives. It stops between its parts once whoever asked has gone.

    Raises
    ------
    Left
        It stopped.
    """
    left = threading.Event()

    def carry_on() -> None:
        if left.is_set():
            raise Left("Nobody waits for this any more.", "Ask again.")

    def stopped() -> T:
        with stoppable(carry_on):
            return work()

    working = asyncio.ensure_future(asyncio.to_thread(stopped))
    while not working.done():
        await asyncio.wait({working}, timeout=_OFTEN)
        if await request.is_disconnected():
            left.set()
    return working.result()
