"""The bench socket: the page says what it looks at, the server answers with frames and with the slip.

The newest look wins. Frames never wait for measuring, and a close look at the whole picture waits for the hand's rest.
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
import time
from collections.abc import AsyncIterator, Sequence
from functools import partial
from typing import cast
from uuid import UUID

from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from pydantic import BaseModel, ValidationError

from fern_ticket.core.errors import FernError
from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.render.repaired import Pending
from fern_ticket.core.slips.live import Known
from fern_ticket.core.slips.slip import Slip
from fern_ticket.store.records import Ticket
from fern_ticket.web.bench.background import background_of
from fern_ticket.web.bench.messages import BusyMessage, Look, ProblemMessage, SlipMessage, asked
from fern_ticket.web.bench.newest import Newest
from fern_ticket.web.bench.table import REST, Bench, HandMoves, Overtaken
from fern_ticket.web.common.changing import photo_row
from fern_ticket.web.common.metrics import metrics_of
from fern_ticket.web.common.state import shared_of
from fern_ticket.web.common.turns import SharedThreads, Shares
from fern_ticket.web.common.who import session_holds, user_of

router = APIRouter()
log = logging.getLogger("fern.bench")
#: Seconds between two looks whether the session still holds.
_SESSION_ASKED = 2.0
#: Characters of a message that is read in its sender's turn: some milliseconds of the interpreter.
_LONG = 50_000


@router.websocket("/api/photos/{photo}/socket")
async def bench_socket(socket: WebSocket, photo: UUID) -> None:
    shared = shared_of(socket)
    user = await user_of(socket)
    if user is None:
        await socket.close(4401, "Sign in first.")
        return
    row = await photo_row(shared, photo)
    ticket = await shared.database.row(Ticket, "ticket_of_photo", photo=photo)
    if ticket is None or row.state != "ready":
        await socket.close(4409, "The photo is not ready.")
        return
    await socket.accept()
    await asyncio.to_thread(shared.opening.source, row.blob)
    other = await shared.opening.of_ticket(ticket.id)
    slip = Slip.model_validate(ticket.slip)
    bench = Bench(shared, background_of(socket), user.id, photo, row.blob, slip, other, row.sphere)
    newest: Newest[Look] = Newest()
    measuring: Newest[Sequence[Step]] = Newest()
    long: Newest[str] = Newest()
    tasks = [
        asyncio.create_task(_answer(socket, bench, newest, measuring)),
        asyncio.create_task(_measure(socket, bench, measuring)),
        asyncio.create_task(_read_long(socket, bench, long, newest)),
        asyncio.create_task(_tell_progress(socket, bench)),
        asyncio.create_task(_close_with_session(socket)),
    ]
    metrics_of(socket).opened()
    try:
        while True:
            text = await socket.receive_text()
            if len(text) > _LONG:
                long.put(text)
                continue
            async with _fitting(socket):
                said = asked.validate_json(text)
                if isinstance(said, Look):
                    long.clear()
                    _look(bench, said, newest)
                    continue
                bench.said_again += 1
                if bench.last is not None:
                    newest.put(bench.last)
    except WebSocketDisconnect:
        pass
    finally:
        bench.left = True
        metrics_of(socket).closed()
        bench.background.leave(bench)
        for task in tasks:
            task.cancel()


def _look(bench: Bench, look: Look, newest: Newest[Look]) -> None:
    bench.last = look
    if not look.fine:
        bench.moved = time.monotonic()
    newest.put(look)


@contextlib.asynccontextmanager
async def _fitting(socket: WebSocket) -> AsyncIterator[None]:
    """Answers in a sentence what the page said and does not fit."""
    try:
        yield
    except ValidationError as error:
        sentence = f"The bench sent something that does not fit: {error.errors()[0]['msg']}."
        await _say(socket, ProblemMessage(sentence=sentence, hint="Reload the page."))


async def _read_long(socket: WebSocket, bench: Bench, long: Newest[str], newest: Newest[Look]) -> None:
    """Read the newest of the looks whose steps say much, such as a stroke of thousands of points."""
    reading = cast(Shares, socket.app.state.reading)
    with contextlib.suppress(WebSocketDisconnect, RuntimeError):
        while True:
            text = await long.get()
            cleared = long.cleared
            async with _fitting(socket):
                said = await reading.run(bench.person, partial(asked.validate_json, text))
                if isinstance(said, Look) and cleared == long.cleared:
                    _look(bench, said, newest)


async def _frame(
    socket: WebSocket, bench: Bench, steps: Sequence[Step], look: Look, *, original: bool
) -> tuple[bytes, list[Pending]]:
    """In threads of frames' own: nothing that is measured, read or written stands before them."""
    frames, began = cast(SharedThreads, socket.app.state.frames), time.perf_counter()
    made = await frames.run(bench.person, partial(bench.frame, steps, look, original=original))
    metrics_of(socket).framed(time.perf_counter() - began, fine=look.fine)
    return made


async def _measured(
    socket: WebSocket, bench: Bench, steps: Sequence[Step], known: Known, *, close: bool
) -> SlipMessage:
    """In threads of measuring's own: however many benches want it, no change waits behind it."""
    measuring = cast(SharedThreads, socket.app.state.measuring)
    return await measuring.run(bench.person, partial(bench.slip_message, steps, known, close=close))


async def _say(socket: WebSocket, message: BaseModel) -> None:
    await socket.send_text(message.model_dump_json())


async def _answer(socket: WebSocket, bench: Bench, newest: Newest[Look], measuring: Newest[Sequence[Step]]) -> None:
    """Answer the newest look with a frame, and have what it shows measured beside."""
    while True:
        look = await newest.get()
        try:
            steps = await bench.steps_of(look)
            if look.beside:
                frame, _ = await _frame(socket, bench, steps, look, original=True)
                await socket.send_bytes(frame)
            frame, pending = await _frame(socket, bench, steps, look, original=look.original)
            await socket.send_bytes(frame)
            # what is being dragged changes with every look: it is made when the hand rests
            if not look.original and look.draft is None:
                bench.background.want(bench, bench.person, pending, partial(_made, socket, bench, newest))
            # while the hand moves, the next frame is all that counts
            if look.fine and not look.original:
                measuring.put(steps)
        except Overtaken:
            continue
        except FernError as error:
            await _say(socket, ProblemMessage(sentence=error.sentence, hint=error.hint, serial=look.serial))
        except (WebSocketDisconnect, RuntimeError):
            return
        except Exception:
            log.exception("a frame failed")
            sentence, hint = "This frame could not be made.", "Undo the last step, or reload."
            await _say(socket, ProblemMessage(sentence=sentence, hint=hint, serial=look.serial))


def _made(socket: WebSocket, bench: Bench, newest: Newest[Look], problem: str | None) -> None:
    """A slow repair is done: show it."""
    if problem is not None:
        bench.spawn(_say(socket, ProblemMessage(sentence=problem, hint="Change the repair or take it out.")))
    elif bench.last is not None:
        newest.put(bench.last)


async def _tell_progress(socket: WebSocket, bench: Bench) -> None:
    """Say how far slow repairs are, while there are any."""
    told: dict[str, float] = {}
    while True:
        await asyncio.sleep(0.15)
        now = bench.background.shares(bench)
        if now == told:
            continue
        try:
            await _say(socket, BusyMessage(steps=now))
        except (WebSocketDisconnect, RuntimeError):
            return
        told = now


async def _close_with_session(socket: WebSocket) -> None:
    """Whoever signs out, here or elsewhere, is shown nothing more."""
    while await session_holds(socket):
        await asyncio.sleep(_SESSION_ASKED)
    with contextlib.suppress(WebSocketDisconnect, RuntimeError):
        await socket.close(4401, "Sign in first.")


async def _measure(socket: WebSocket, bench: Bench, newest: Newest[Sequence[Step]]) -> None:
    """Measure the newest ledger for the slip. Frames never wait for it, and a close look waits for a rest."""
    measured: tuple[Sequence[Step], dict[str, float], tuple[int, int]] | None = None
    while True:
        steps = await newest.get()
        # ticks belong to a revision: the same steps under a new one are measured anew
        now = (steps, bench.background.shares(bench), (bench.revision, bench.said_again))
        if now == measured:
            continue
        try:
            known = await bench.known(steps)
            await _say(socket, await _measured(socket, bench, steps, known, close=False))
            if bench.slip.close or bench.slip.whole:
                await asyncio.sleep(REST)
                if not newest.empty:
                    continue
                await _say(socket, await _measured(socket, bench, steps, known, close=True))
            measured = now
        except HandMoves:
            await asyncio.sleep(REST)
            if newest.empty:
                newest.put(steps)
        except FernError as error:
            await _say(socket, ProblemMessage(sentence=error.sentence, hint=error.hint))
        except (WebSocketDisconnect, RuntimeError):
            return
        except Exception:
            log.exception("measuring failed")
