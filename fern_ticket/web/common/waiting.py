"""What is asked about a picture, worked out for as long as somebody waits for it, beside everybody else's."""

from __future__ import annotations

import asyncio
import threading
from collections.abc import Callable
from typing import Annotated, TypeVar, cast
from uuid import UUID

from fastapi import Depends
from starlette.requests import Request

from fern_ticket.core.errors import FernError
from fern_ticket.core.threads import stoppable
from fern_ticket.web.common.turns import SharedThreads
from fern_ticket.web.common.who import SignedIn

T = TypeVar("T")

#: Seconds between looks whether somebody still waits.
_OFTEN = 0.5


class Left(FernError):
    """Whoever asked has gone before the answer."""

    def __init__(self) -> None:
        super().__init__("Nobody waits for this any more.", "Ask again.")


class Asker:
    """Whoever waits for the answer to a request."""

    def __init__(self, request: Request, person: UUID) -> None:
        self._request = request
        self.person = person

    async def told(self, work: Callable[[], T]) -> T:
        """What work gives, in one of the few threads that this person may have; it stops between its parts once they
        have gone.

        Raises
        ------
        Left
            They have gone.
        """
        left = threading.Event()

        def carry_on() -> None:
            if left.is_set():
                raise Left

        def stopped() -> T:
            with stoppable(carry_on):
                return work()

        looking = cast(SharedThreads, self._request.app.state.looking)
        working = asyncio.ensure_future(looking.run(self.person, stopped))
        try:
            while not working.done():
                await asyncio.wait({working}, timeout=_OFTEN)
                if not working.done() and await self._request.is_disconnected():
                    raise Left
            return working.result()
        finally:
            left.set()
            working.cancel()


async def _asker(request: Request, user: SignedIn) -> Asker:
    return Asker(request, user.id)


Asking = Annotated[Asker, Depends(_asker)]
