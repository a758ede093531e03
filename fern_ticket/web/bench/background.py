"""Slow repairs, made in the background: frames never wait for one, and one that nobody wants any more is stopped."""

from __future__ import annotations

import asyncio
import logging
import threading
from collections.abc import Callable, Sequence
from concurrent.futures import Future
from dataclasses import dataclass, field
from functools import partial
from typing import Annotated, cast
from uuid import UUID

from fastapi import Depends, Request, WebSocket

from fern_ticket.core.errors import FernError
from fern_ticket.core.render.repaired import Pending
from fern_ticket.core.threads import goes_on
from fern_ticket.web.common.memory_limit import MemoryLimit
from fern_ticket.web.common.turns import FairThreads

log = logging.getLogger("fern.background")

#: Slow repairs that are made at once.
_AT_ONCE = 2


class Stopped(Exception):
    """Nobody wants the result any more."""


@dataclass
class Running:
    """One slow repair: who asks for it and what they want to be told by, how far it is, and whether it should stop."""

    step: str
    owners: dict[object, Callable[[str | None], None]] = field(default_factory=dict)
    share: float = 0.0
    stop: threading.Event = field(default_factory=threading.Event)
    future: Future[None] | None = None


class Background:
    """Shared by all benches of the process. Called from the event loop only."""

    def __init__(self, memory: MemoryLimit) -> None:
        self._threads: FairThreads[None] = FairThreads(_AT_ONCE, "background", memory)
        self._running: dict[str, Running] = {}

    def want(self, owner: object, person: UUID, pending: Sequence[Pending], done: Callable[[str | None], None]) -> None:
        """Have what is pending made for a person; what this owner wanted before and does not any more is let go.

        `done` is called in the event loop as each is finished, with a sentence if it failed; and without one as often
        as there is more of it to look at.
        """
        keys = {one.key for one in pending}
        for key, running in list(self._running.items()):
            if key not in keys and owner in running.owners:
                self._leave(key, owner)
        for one in pending:
            running = self._started(one, person)
            if owner not in running.owners:
                running.owners[owner] = done
                self._when_done(running, partial(_tell, owner, running, done))

    def _started(self, pending: Pending, person: UUID) -> Running:
        present = self._running.get(pending.key)
        if present is not None and not present.stop.is_set():
            return present
        running = self._running[pending.key] = Running(pending.step)
        loop = asyncio.get_running_loop()

        def begun() -> None:
            loop.call_soon_threadsafe(_show, running)

        running.future = self._threads.submit(person, partial(_make, pending, running, begun))
        self._when_done(running, partial(self._finished, pending.key, running))
        return running

    @staticmethod
    def _when_done(running: Running, act: Callable[[Future[None]], None]) -> None:
        """Have `act` called in the event loop when it is done."""
        assert running.future is not None
        loop = asyncio.get_running_loop()
        running.future.add_done_callback(lambda future: loop.call_soon_threadsafe(act, future))

    async def made(self, person: UUID, pending: Sequence[Pending]) -> None:
        """Wait until all of it is made for a person; what fails or is stopped is left to whoever asks for it next."""
        owner = object()
        self.want(owner, person, pending, lambda _: None)
        futures = [running.future for running in self._running.values() if owner in running.owners]
        try:
            await asyncio.gather(
                *(asyncio.shield(asyncio.wrap_future(one)) for one in futures if one), return_exceptions=True
            )
        finally:
            self.leave(owner)

    def shares(self, owner: object) -> dict[str, float]:
        """Step to the share done, of what this owner waits for."""
        return {one.step: round(one.share, 2) for one in self._running.values() if owner in one.owners}

    def leave(self, owner: object) -> None:
        """Let everything go that this owner wanted."""
        for key, running in list(self._running.items()):
            if owner in running.owners:
                self._leave(key, owner)

    def close(self) -> None:
        for running in self._running.values():
            running.stop.set()
        self._threads.close()

    def _leave(self, key: str, owner: object) -> None:
        running = self._running[key]
        del running.owners[owner]
        if not running.owners:
            running.stop.set()

    def _finished(self, key: str, running: Running, future: Future[None]) -> None:
        if self._running.get(key) is running:
            del self._running[key]
        error = None if future.cancelled() else future.exception()
        if error is not None and not isinstance(error, Stopped | FernError):
            log.error("a slow repair failed", exc_info=error)


def _tell(owner: object, running: Running, done: Callable[[str | None], None], future: Future[None]) -> None:
    if owner not in running.owners or future.cancelled():
        return
    error = future.exception()
    if isinstance(error, Stopped):
        return
    done(None if error is None else str(error) if isinstance(error, FernError) else "A repair could not be made.")


def _show(running: Running) -> None:
    """There is more to look at of what is not made yet."""
    for done in list(running.owners.values()):
        done(None)


def _make(pending: Pending, running: Running, begun: Callable[[], None]) -> None:
    def carry_on(share: float) -> None:
        running.share = share
        if running.stop.is_set():
            raise Stopped
        goes_on()

    carry_on(0.0)
    pending.make(carry_on, begun)


def background_of(connection: Request | WebSocket) -> Background:
    return cast(Background, connection.app.state.background)


async def _background(request: Request) -> Background:
    return background_of(request)


Beside = Annotated[Background, Depends(_background)]
