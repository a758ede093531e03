"""What Clean asks about a photo: specks that were found, which method fits a place, and how a take looks."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Annotated
from uuid import UUID

import numpy as np
import simplejpeg
from fastapi import APIRouter, Query, Response
from pydantic import BaseModel

from fern_ticket.core.balance.marks import Mark
from fern_ticket.core.clean.guide_finding import guides_through
from fern_ticket.core.clean.repair import Ground
from fern_ticket.core.errors import LedgerError
from fern_ticket.core.inspect.measures import area_mean
from fern_ticket.core.inspect.methods import fitting_method
from fern_ticket.core.inspect.specks import SpeckLimits, open_ones, specks_of
from fern_ticket.core.ledger.covers import Cover
from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.operations import operation_of, station_of
from fern_ticket.core.pictures.profiles import srgb_encode
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.render.picture import View
from fern_ticket.core.render.repaired import Pending
from fern_ticket.web.bench.background import Beside
from fern_ticket.web.common.files import a_file
from fern_ticket.web.common.looking import OpenedPhoto, index_of, opened_photo
from fern_ticket.web.common.outlines import told
from fern_ticket.web.common.state import SharedState
from fern_ticket.web.common.waiting import Asking

router = APIRouter(prefix="/api/photos/{photo}", tags=["cleaning"])

#: Long side of a take's small picture, pixels.
_TAKE_SIDE = 220


class SpeckView(BaseModel):
    """A speck that was found: middle and diameter in source pixels, contrast of 255, and whether it stands among
    many like it."""

    x: float
    y: float
    size: float
    contrast: float
    part_of_thing: bool


class ColourView(BaseModel):
    """8-bit sRGB."""

    colour: tuple[int, int, int]


class OutlinesView(BaseModel):
    """Closed outlines of (x, y) in source pixels, the one that goes round most first; one in another is a hole."""

    loops: list[list[tuple[float, float]]]


class LinesView(BaseModel):
    """Lines of (x, y) in source pixels, the surest first."""

    lines: list[list[tuple[float, float]]]


class HintView(BaseModel):
    """A method that fits a place, and why, empty where nothing can be said; whether the repair's own gives way."""

    method: str = ""
    why: str = ""
    by_default: bool = False


@router.get("/specks")
async def specks(
    photo: UUID,
    shared: SharedState,
    asking: Asking,
    limits: Annotated[SpeckLimits, Query()],
) -> list[SpeckView]:
    """Specks on smooth ground that nobody has decided on yet."""
    opened = await opened_photo(shared, photo)

    def work() -> list[SpeckView]:
        picture = opened.picture([step for step in opened.steps if station_of(step).before_light])
        name = f"specks {limits.contrast} {limits.least} {limits.largest}"
        repaired = picture.repaired
        found = picture.kept(name, lambda: specks_of(repaired, **limits.model_dump(), keep=repaired.kept_near))
        return [
            SpeckView(x=s.x, y=s.y, size=s.size, contrast=round(s.contrast, 1), part_of_thing=s.part_of_thing)
            for s in open_ones(found, picture.plan.refused)
        ]

    return await asking.told(work)


def _ground_before(opened: OpenedPhoto, at: int) -> Ground:
    """The photo as it is before the step of a number, and before light."""
    return opened.picture([one for one in opened.steps[:at] if station_of(one).before_light]).repaired.ground()


@router.get("/steps/{step}/method")
async def method(photo: UUID, step: str, shared: SharedState, background: Beside, asking: Asking) -> HintView:
    """The way of cleaning that fits where a repair lies. One that it gives way to is made before it is told, so that
    what was painted over does not show again meanwhile."""
    opened = await opened_photo(shared, photo)
    at = index_of(opened.steps, step)
    own = opened.steps[at]

    def work() -> HintView:
        found = None if own.mask is None else fitting_method(own.mask, _ground_before(opened, at))
        if found is None:
            return HintView()
        return HintView(method=found.method, why=found.why, by_default=found.sure and operation_of(own).yields)

    hint = await asking.told(work)
    if hint.by_default:
        ledger = [*opened.steps[:at], own.model_copy(update={"op": hint.method, "params": {}})]
        await background.made(asking.person, await asking.told(lambda: _unmade(opened, ledger)))
    return hint


def _unmade(opened: OpenedPhoto, ledger: Sequence[Step]) -> list[Pending]:
    """Slow repairs of a ledger that are not at hand yet."""
    return opened.picture(ledger, background=True).repaired.pending


@router.get("/steps/{step}/guides")
async def guides(photo: UUID, step: str, shared: SharedState, asking: Asking) -> LinesView:
    """Edges that run into a repair's place from both sides, to be taken as guides. Changes nothing."""
    opened = await opened_photo(shared, photo)
    at = index_of(opened.steps, step)

    def work() -> LinesView:
        mask = opened.steps[at].mask
        return LinesView(lines=[] if mask is None else guides_through(mask, _ground_before(opened, at)))

    return await asking.told(work)


@router.get("/colour")
async def colour(
    photo: UUID,
    shared: SharedState,
    asking: Asking,
    x: Annotated[float, Query(ge=-1e5, le=1e5)],
    y: Annotated[float, Query(ge=-1e5, le=1e5)],
    size: Annotated[float, Query(ge=1, le=400)] = 9,
) -> ColourView:
    """The mean colour of a square of the repaired photo, before any step of light: what covers go by."""
    opened = await opened_photo(shared, photo)

    def work() -> ColourView:
        picture = opened.picture([one for one in opened.steps if station_of(one).before_light])
        width, height = picture.repaired.size
        mark = Mark(x=min(max(x, 0), width), y=min(max(y, 0), height), size=size)
        encoded = srgb_encode(np.clip(area_mean(picture, mark, picture.light), 0, 1))
        red, green, blue = (int(value) for value in np.round(255 * encoded))
        return ColourView(colour=(red, green, blue))

    return await asking.told(work)


@router.post("/cover/outlines")
async def outlines(photo: UUID, cover: Cover, shared: SharedState, asking: Asking) -> OutlinesView:
    """A cover as outlines, for a repair, a place to avoid or a fence. Changes nothing."""
    opened = await opened_photo(shared, photo)

    def work() -> OutlinesView:
        picture = opened.picture([one for one in opened.steps if station_of(one).before_light])
        return OutlinesView(loops=told(picture.outlines_of(cover)))

    return await asking.told(work)


@router.get("/steps/{step}/takes/{take}", response_class=Response, responses=a_file("image/jpeg"))
async def take(photo: UUID, step: str, take: int, shared: SharedState, background: Beside, asking: Asking) -> Response:
    """How a regrown place looks with one of its takes, as a small JPEG. Once seen, the take is at hand."""
    opened = await opened_photo(shared, photo)
    steps = opened.steps
    at = index_of(steps, step)
    takes = operation_of(steps[at]).takes
    if not 0 <= take < takes:
        raise LedgerError(
            f"{operation_of(steps[at]).title} has {takes or 'no'} takes.", "Ask for one that there is, from 0."
        )
    asked = steps[at].model_copy(update={"params": {**steps[at].params, "take": take}, "enabled": True})

    # made where the bench makes it, so that nothing is made twice
    ledger = [*steps[:at], asked]
    await background.made(asking.person, await asking.told(lambda: _unmade(opened, ledger)))

    def work() -> bytes:
        picture = opened.picture([*ledger, *steps[at + 1 :]])
        assert asked.mask is not None
        place = asked.mask.box(picture.repaired.size)
        margin = round(0.12 * max(place.width, place.height)) + 4
        box = picture.result_box(place.grown(margin).within(Box(0, 0, *picture.repaired.size)))
        if box.empty:
            raise LedgerError("The place lies outside the crop.", "Crop wider to see its takes.")
        scale = min(1.0, _TAKE_SIDE / max(box.width, box.height))
        view = View(box.left, box.top, scale, math.ceil(box.width * scale), math.ceil(box.height * scale))
        pixels = np.ascontiguousarray(picture.view(view, (119,) * 3, fine=True))
        return bytes(simplejpeg.encode_jpeg(pixels, 88, "RGB", colorsubsampling="444"))

    return Response(await asking.told(work), media_type="image/jpeg")
