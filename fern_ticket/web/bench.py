"""The bench socket: the page says what it looks at, the server answers with frames and with the slip.

From the page, JSON: `{"type": "look", "serial", "revision", "view", "draft"?, "original"?, "beside"?, "lamp"?, "fine",
"surround"?}`. The
newest look wins: one that arrives while a frame is being made replaces any that waits. `draft` is a step that is being
dragged and not saved yet.

To the page: frames, binary, as a 4-byte big-endian length, a JSON head of that length and a JPEG; and JSON texts
`{"type": "slip", ...}`, `{"type": "busy", "steps": {id: share done}}` of repairs that are made in the background, and
`{"type": "problem", ...}`, with the `serial` of the look that it answers in place of a frame.
"""

from __future__ import annotations

import asyncio
import json
import logging
import math
import struct
import time
from collections.abc import Coroutine, Sequence
from dataclasses import asdict, dataclass, field, replace
from functools import partial
from typing import Any, Generic, Literal, TypeVar
from uuid import UUID

import simplejpeg
from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from pydantic import BaseModel, Field, ValidationError

from fern_ticket.core.errors import FernError
from fern_ticket.core.frame.prints import prints_of
from fern_ticket.core.inspect.lamps import Lamp, lit
from fern_ticket.core.inspect.measures import histogram, sampled
from fern_ticket.core.ledger.changes import put
from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.operations import before_of, station_of
from fern_ticket.core.render.picture import SMALL, SMALL_MOVING, LedgerPicture, View
from fern_ticket.core.render.repaired import Pending
from fern_ticket.core.slips.declaring import alterations, declared
from fern_ticket.core.slips.live import Known, measure
from fern_ticket.core.slips.slip import Slip
from fern_ticket.core.source.operation import Opener
from fern_ticket.store.records import Ticket, Words
from fern_ticket.web.changing import photo_row
from fern_ticket.web.ledgers import refuse_files
from fern_ticket.web.state import Shared, shared_of, user_of

router = APIRouter()
#: What the page sends when something was said of the photo that no pixel tells.
_MEASURE_AGAIN = '{"type":"measure"}'
log = logging.getLogger("fern.bench")

T = TypeVar("T")

_QUALITY_MOVING, _QUALITY_FINE = 82, 92
#: Seconds that the hand rests before the whole picture is looked at closely.
_REST = 0.8


class HandMoves(Exception):
    """A close look is put off: the hand moves again."""


class ViewAsked(BaseModel):
    left: float = Field(ge=-1e6, le=1e6)
    top: float = Field(ge=-1e6, le=1e6)
    scale: float = Field(gt=1e-4, le=32)
    width: int = Field(ge=1, le=4096)
    height: int = Field(ge=1, le=4096)
    whole: bool = False


class Look(BaseModel):
    type: Literal["look"]
    serial: int
    revision: int
    view: ViewAsked
    draft: Step | None = None
    original: bool = False
    beside: bool = Field(default=False, description="Send the original first, as a frame of its own.")
    lamp: Lamp | None = None
    fine: bool = True
    surround: int = Field(default=0x77, ge=0, le=255)


@dataclass(eq=False)
class Bench:
    """One page's bench: the photo it has open and the ledger it shows."""

    shared: Shared
    photo: UUID
    blob: str
    slip: Slip
    other: Opener
    #: That of the newest look; 0 before the first.
    revision: int = 0
    last: Look | None = None
    #: When a look last came from a moving hand.
    moved: float = -math.inf
    #: Counts what was said anew of the photo, so that the slip is measured again.
    said_again: int = 0
    tasks: set[asyncio.Task[None]] = field(default_factory=set)

    def spawn(self, work: Coroutine[Any, Any, None]) -> None:
        task = asyncio.get_running_loop().create_task(work)
        self.tasks.add(task)
        task.add_done_callback(self.tasks.discard)

    async def steps_of(self, look: Look) -> Sequence[Step]:
        steps = await self.shared.ledgers.steps(self.photo, look.revision)
        if steps is None:
            raise FernError("The bench asked for a revision that does not exist.", "Reload the page.")
        self.revision = look.revision
        if look.draft is None:
            return steps
        refuse_files(look.draft)
        with_draft, _ = put(steps, look.draft, before_of(steps, look.draft))
        return with_draft

    def picture(self, steps: Sequence[Step], small: int = SMALL) -> LedgerPicture:
        """The photo as far as it is made: slow repairs come when they are done."""
        return self.shared.opening.picture(self.blob, steps, self.other, small, background=True)

    def frame(self, steps: Sequence[Step], look: Look, *, original: bool) -> tuple[bytes, list[Pending]]:
        """The frame as it is sent, and what it does not show yet."""
        started = time.perf_counter()
        if original:
            steps = [step for step in steps if station_of(step).of_original]
        picture = self.picture(steps, SMALL if look.fine else SMALL_MOVING)
        asked = look.view
        view = View(asked.left, asked.top, asked.scale, asked.width, asked.height, asked.whole)
        pixels = picture.view(view, (look.surround,) * 3, fine=look.fine)
        if look.lamp is not None and not original:
            pixels = lit(look.lamp, picture, view, pixels)
        rendered = time.perf_counter()
        jpeg = simplejpeg.encode_jpeg(
            pixels,
            _QUALITY_FINE if look.fine else _QUALITY_MOVING,
            "RGB",
            colorsubsampling="444" if look.fine else "420",
        )
        head = self._head(picture, look) | {"original": original}
        head["milliseconds"] = {
            "render": round(1000 * (rendered - started), 1),
            "encode": round(1000 * (time.perf_counter() - rendered), 1),
        }
        text = json.dumps(head).encode()
        return struct.pack(">I", len(text)) + text + bytes(jpeg), picture.repaired.pending

    def _head(self, picture: LedgerPicture, look: Look) -> dict[str, Any]:
        frame = picture.plan.frame
        state, box = frame.state, frame.rectangle
        room = replace(state, crop=None).rectangle
        return {
            "serial": look.serial,
            "revision": look.revision,
            "draft": look.draft is not None,
            "fine": look.fine,
            "beside": look.beside,
            "lamp": look.lamp,
            "view": look.view.model_dump(),
            "size": list(frame.size),
            "crop": [box.left, box.top, box.width, box.height],
            "room": [room.left, room.top, room.width, room.height],
            "turned": [state.width, state.height],
            "angle": state.angle,
            "to_source": frame.to_source.ravel().tolist(),
            "level_to_source": state.level_to_source.ravel().tolist(),
            "prints": [asdict(size) for size in prints_of(*frame.crop_size)],
        }

    async def known(self, steps: Sequence[Step]) -> Known:
        """What no pixel tells of the ledger: words said of the photo, ticks, what was done."""
        row = await photo_row(self.shared, self.photo)
        ticked = await self.shared.database.rows(Words, "ticks", photo=self.photo, revision=self.revision)
        original = self.picture([step for step in steps if station_of(step).of_original])
        size = original.plan.frame.size
        flat = size if self.slip.with_projection and size[0] == 2 * size[1] else None
        return Known(
            original,
            declared(row.said, steps, flat),
            alterations(steps),
            frozenset(one.words for one in ticked),
        )

    def carry_on(self) -> None:
        """Raises HandMoves while the hand does: frames come first."""
        if time.monotonic() - self.moved < _REST:
            raise HandMoves

    def slip_message(self, steps: Sequence[Step], known: Known, *, close: bool) -> str:
        picture = self.picture(steps)
        planes, step = sampled(picture)
        measures = measure(picture, self.slip, planes, step, known, close=close, carry_on=self.carry_on)
        marks = [
            {"x": mark.x, "y": mark.y, "size": mark.size, "cast": round(value, 2)}
            for mark, value in zip(picture.plan.neutrals, measures.casts or (), strict=False)
        ]
        verdicts = [verdict.model_dump() for verdict in self.slip.verdicts(measures)]
        tones = histogram(planes)
        return json.dumps({"type": "slip", "verdicts": verdicts, "neutrals": marks, "histogram": tones})


@router.websocket("/api/photos/{photo}/socket")
async def bench_socket(socket: WebSocket, photo: UUID) -> None:
    shared = shared_of(socket)
    if await user_of(socket) is None:
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
    bench = Bench(shared, photo, row.blob, Slip.model_validate(ticket.slip), other)
    newest: Newest[Look] = Newest()
    measuring: Newest[Sequence[Step]] = Newest()
    tasks = [
        asyncio.create_task(_answer(socket, bench, newest, measuring)),
        asyncio.create_task(_measure(socket, bench, measuring)),
        asyncio.create_task(_tell_progress(socket, bench)),
    ]
    try:
        while True:
            text = await socket.receive_text()
            if text == _MEASURE_AGAIN:
                bench.said_again += 1
                if bench.last is not None:
                    newest.put(bench.last)
                continue
            look = _read(text)
            if isinstance(look, str):
                await socket.send_text(look)
                continue
            bench.last = look
            if not look.fine:
                bench.moved = time.monotonic()
            newest.put(look)
    except WebSocketDisconnect:
        pass
    finally:
        shared.background.leave(bench)
        for task in tasks:
            task.cancel()


def _read(text: str) -> Look | str:
    try:
        return Look.model_validate_json(text)
    except ValidationError as error:
        return _problem(f"The bench sent something that does not fit: {error.errors()[0]['msg']}.", "Reload the page.")


def _problem(sentence: str, hint: str, serial: int | None = None) -> str:
    """What is said of something that went wrong; with the number of the look that gets no frame for it."""
    return json.dumps({"type": "problem", "sentence": sentence, "hint": hint, "serial": serial})


async def _answer(socket: WebSocket, bench: Bench, newest: Newest[Look], measuring: Newest[Sequence[Step]]) -> None:
    """Answer the newest look with a frame, and have what it shows measured beside."""
    while True:
        look = await newest.get()
        try:
            steps = await bench.steps_of(look)
            if look.beside:
                frame, _ = await asyncio.to_thread(bench.frame, steps, look, original=True)
                await socket.send_bytes(frame)
            frame, pending = await asyncio.to_thread(bench.frame, steps, look, original=look.original)
            await socket.send_bytes(frame)
            # what is being dragged changes with every look: it is made when the hand rests
            if not look.original and look.draft is None:
                bench.shared.background.want(bench, pending, partial(_made, socket, bench, newest))
            # while the hand moves, the next frame is all that counts
            if look.fine and not look.original:
                measuring.put(steps)
        except FernError as error:
            await socket.send_text(_problem(error.sentence, error.hint, look.serial))
        except (WebSocketDisconnect, RuntimeError):
            return
        except Exception:
            log.exception("a frame failed")
            said = _problem("This frame could not be made.", "Undo the last step, or reload.", look.serial)
            await socket.send_text(said)


def _made(socket: WebSocket, bench: Bench, newest: Newest[Look], problem: str | None) -> None:
    """A slow repair is done: show it."""
    if problem is not None:
        bench.spawn(socket.send_text(_problem(problem, "Change the repair or take it out.")))
    elif bench.last is not None:
        newest.put(bench.last)


async def _tell_progress(socket: WebSocket, bench: Bench) -> None:
    """Say how far slow repairs are, while there are any."""
    told: dict[str, float] = {}
    while True:
        await asyncio.sleep(0.15)
        now = bench.shared.background.shares(bench)
        if now == told:
            continue
        try:
            await socket.send_text(json.dumps({"type": "busy", "steps": now}))
        except (WebSocketDisconnect, RuntimeError):
            return
        told = now


async def _measure(socket: WebSocket, bench: Bench, newest: Newest[Sequence[Step]]) -> None:
    """Measure the newest ledger for the slip. Frames never wait for it, and a close look waits for a rest."""
    measured: tuple[Sequence[Step], dict[str, float], tuple[int, int]] | None = None
    while True:
        steps = await newest.get()
        # ticks belong to a revision: the same steps under a new one are measured anew
        now = (steps, bench.shared.background.shares(bench), (bench.revision, bench.said_again))
        if now == measured:
            continue
        try:
            known = await bench.known(steps)
            await socket.send_text(await asyncio.to_thread(bench.slip_message, steps, known, close=False))
            if bench.slip.close or bench.slip.whole:
                await asyncio.sleep(_REST)
                if not newest.empty:
                    continue
                await socket.send_text(await asyncio.to_thread(bench.slip_message, steps, known, close=True))
            measured = now
        except HandMoves:
            await asyncio.sleep(_REST)
            if newest.empty:
                newest.put(steps)
        except FernError as error:
            await socket.send_text(_problem(error.sentence, error.hint))
        except (WebSocketDisconnect, RuntimeError):
            return
        except Exception:
            log.exception("measuring failed")


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
