"""One page's bench: the frames it is sent, and what the slip measures of the photo on it."""

from __future__ import annotations

import asyncio
import math
import time
from collections.abc import Coroutine, Sequence
from dataclasses import asdict, dataclass, field, replace
from typing import Any
from uuid import UUID

import simplejpeg

from fern_ticket.core.areas.showing import shown
from fern_ticket.core.errors import FernError
from fern_ticket.core.frame.prints import prints_of
from fern_ticket.core.inspect.lamps import lit
from fern_ticket.core.inspect.measures import histogram, sampled
from fern_ticket.core.ledger.changes import put
from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.operations import before_of, decided_of, drawn_of, station_of
from fern_ticket.core.pictures.sphere import Sphere
from fern_ticket.core.planes import shapes_of
from fern_ticket.core.render.around import Look as Eye
from fern_ticket.core.render.picture import SMALL, SMALL_MOVING, LedgerPicture, View
from fern_ticket.core.render.repaired import Pending
from fern_ticket.core.render.shown import AroundShown, FlatShown, Shown
from fern_ticket.core.slips.declaring import alterations, declared, panorama_of
from fern_ticket.core.slips.delivering import framed
from fern_ticket.core.slips.live import Known, measure
from fern_ticket.core.slips.slip import Slip
from fern_ticket.core.source.operation import Opener
from fern_ticket.core.threads import stoppable
from fern_ticket.store.records import Words
from fern_ticket.web.bench.background import Background
from fern_ticket.web.bench.messages import (
    FrameHead,
    Look,
    Milliseconds,
    NeutralMark,
    PrintSize,
    SlipMessage,
    ViewAsked,
    frame_bytes,
)
from fern_ticket.web.common.changing import photo_row
from fern_ticket.web.common.state import Shared
from fern_ticket.web.common.views import refuse_files

_QUALITY_MOVING, _QUALITY_FINE = 82, 92
#: Seconds that the hand rests before the whole picture is looked at closely.
REST = 0.8
#: Seconds that a frame may take: far more than any does, but that of a ledger made to be slow.
FRAME_LIMIT = 60.0


class HandMoves(Exception):
    """A close look is put off: the hand moves again, or has left."""


class Overtaken(Exception):
    """A frame that nobody wants any more: its page is closed, or asked for another while this fine one was made."""


@dataclass(eq=False)
class Bench:
    """One page's bench: the photo it has open and the ledger it shows."""

    shared: Shared
    background: Background
    #: Whose it is.
    person: UUID
    photo: UUID
    blob: str
    slip: Slip
    other: Opener
    #: What of a whole panorama the photo shows; None for other photos.
    sphere: Sphere | None
    #: That of the newest look; 0 before the first.
    revision: int = 0
    last: Look | None = None
    #: When a look last came from a moving hand.
    moved: float = -math.inf
    #: Counts what was said anew of the photo, so that the slip is measured again.
    said_again: int = 0
    #: The page is closed: what is being measured for it can stop.
    left: bool = False
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
        """The frame as it is sent, and what it does not show yet.

        Raises
        ------
        Overtaken
            Nobody wants it any more.
        FernError
            It took too long.
        """
        began = time.monotonic()

        def carry_on() -> None:
            # one under the hand is always shown: it takes little, and something is to be seen
            if self.left or (look.fine and self.last is not None and not self.last.fine):
                raise Overtaken
            if time.monotonic() - began > FRAME_LIMIT:
                raise FernError("This frame took too long.", "Take out or shorten the step that you made last.")

        carry_on()
        with stoppable(carry_on):
            return self._framed(steps, look, original=original)

    def _framed(self, steps: Sequence[Step], look: Look, *, original: bool) -> tuple[bytes, list[Pending]]:
        started = time.perf_counter()
        if original:
            steps = [step for step in steps if station_of(step).of_original]
        picture = self.picture(steps, SMALL if look.fine else SMALL_MOVING)
        shown_of = self._shown(picture, look.view)
        pixels = shown_of.frame((look.surround,) * 3, fine=look.fine)
        if look.lamp is not None and not original:
            pixels = lit(look.lamp, shown_of, pixels)
        if look.cover is not None and not original:
            covered = shown_of.cover_of(look.cover.step)
            if covered is not None:
                pixels = shown(pixels, *covered, look.cover.way, look.cover.density)
        rendered = time.perf_counter()
        jpeg = simplejpeg.encode_jpeg(
            pixels,
            _QUALITY_FINE if look.fine else _QUALITY_MOVING,
            "RGB",
            colorsubsampling="444" if look.fine else "420",
        )
        spent = Milliseconds(
            render=round(1000 * (rendered - started), 1), encode=round(1000 * (time.perf_counter() - rendered), 1)
        )
        head = self._head(picture, steps, look, original=original, spent=spent)
        return frame_bytes(head, bytes(jpeg)), picture.pending

    def _shown(self, picture: LedgerPicture, asked: ViewAsked) -> Shown:
        around = asked.around
        if around is None:
            return FlatShown(picture, View(asked.left, asked.top, asked.scale, asked.width, asked.height, asked.whole))
        if self.sphere is None:
            raise FernError("This photo is no panorama to look around in.", "Look at it flat.")
        look = Eye(around.heading, around.pitch, around.field, asked.width, asked.height)
        return AroundShown(picture, look, self.sphere)

    def _head(
        self, picture: LedgerPicture, steps: Sequence[Step], look: Look, *, original: bool, spent: Milliseconds
    ) -> FrameHead:
        frame = picture.plan.frame
        state, box = frame.state, frame.rectangle
        room = replace(state, crop=None).rectangle
        return FrameHead(
            serial=look.serial,
            revision=look.revision,
            draft=look.draft is not None,
            fine=look.fine,
            original=original,
            beside=look.beside,
            lamp=look.lamp,
            cover=look.cover.step if look.cover else None,
            view=look.view,
            size=frame.size,
            crop=(box.left, box.top, box.width, box.height),
            room=(room.left, room.top, room.width, room.height),
            turned=(state.width, state.height),
            angle=state.angle,
            to_source=frame.to_source.ravel().tolist(),
            level_to_source=state.level_to_source.ravel().tolist(),
            turn=None if state.turn is None else state.turn.ravel().tolist(),
            prints=[PrintSize(**asdict(size)) for size in prints_of(*frame.crop_size)],
            drawn=drawn_of(steps),
            planes={name: plane.ravel().tolist() for name, plane in shapes_of(steps, picture.repaired.size).items()},
            milliseconds=spent,
        )

    async def known(self, steps: Sequence[Step]) -> Known:
        """What no pixel tells of the ledger: words said of the photo, ticks, what was done."""
        row = await photo_row(self.shared, self.photo)
        ticked = await self.shared.database.rows(Words, "ticks", photo=self.photo, revision=self.revision)
        original = self.picture([step for step in steps if station_of(step).of_original])
        frame = self.picture(steps).plan.frame
        return Known(
            original,
            declared(row.said, steps, panorama_of(frame, framed(steps), self.slip, row.sphere)),
            alterations(steps),
            frozenset(one.words for one in ticked),
            decided_of(steps),
        )

    def carry_on(self) -> None:
        """Raises HandMoves while the hand does, as frames come first, and when it has left."""
        if self.left or time.monotonic() - self.moved < REST:
            raise HandMoves

    def _still_here(self) -> None:
        if self.left:
            raise HandMoves

    def slip_message(self, steps: Sequence[Step], known: Known, *, close: bool) -> SlipMessage:
        picture = self.picture(steps)
        with stoppable(self._still_here):
            planes, step = sampled(picture)
            measures = measure(picture, self.slip, planes, step, known, close=close, carry_on=self.carry_on)
        marks = [
            NeutralMark(x=mark.x, y=mark.y, size=mark.size, cast=round(value, 2))
            for mark, value in zip(picture.plan.neutrals, measures.casts or (), strict=False)
        ]
        return SlipMessage(verdicts=self.slip.verdicts(measures), neutrals=marks, histogram=histogram(planes))
