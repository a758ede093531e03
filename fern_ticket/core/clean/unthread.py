"""Unthread: a thin line (wire, cord, hair, light trail) taken out, with what it crosses running on."""

from __future__ import annotations

import math
from collections.abc import Iterator

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.clean.graining import Grain, make_grain, measure_grain
from fern_ticket.core.clean.line_widths import measured_along
from fern_ticket.core.clean.repair import CleanOperation, Ground, Painted, Patch
from fern_ticket.core.clean.strips import even, fill_strip
from fern_ticket.core.clean.synthesis import Unfillable, synthesise
from fern_ticket.core.clean.tracing import thin_lines, trace
from fern_ticket.core.errors import LedgerError
from fern_ticket.core.ledger.controls import Ruler
from fern_ticket.core.ledger.masks import Mask, Stroke, StrokesMask
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.pictures.values import blurred_within, rounded

#: Ground of which three quarters vary by more than this, of 255, is texture, which has to be grown.
_TEXTURE = 1.3
#: Its quiet quarter varies by at least this share of what is usual in it.
_EVEN = 0.28
#: Strips up to this width keep the structure of their joined banks; under wider ones texture is grown from nothing.
_JOINED = 64.0
#: What a step aside costs the trace: wires run side by side, and it stays on the one that it is on.
_STAYS = 0.8
#: What is looked at beside the strip, pixels.
_BESIDE = 48


class Unthread(Parameters):
    width: float | None = Field(
        default=None,
        ge=0.5,
        le=400,
        description="Of the line, source pixels. Left out, the stroke is drawn to the line under it and measured.",
    )
    wide: float = Field(
        default=4.0, ge=1.5, le=12, description="The mask is so many times as wide as the line when it is measured."
    )
    grain: float = Field(default=100.0, ge=0, le=300, description="Per cent of the surroundings' grain.")
    seed: int = Field(default=1, ge=0, le=2**31)


def reads(_: Unthread, mask: Mask, size: tuple[int, int]) -> Box:
    box = mask.box(size)
    return box if box.empty else box.grown(_BESIDE).within(Box(0, 0, *size))


def settle(params: Unthread, mask: Mask, ground: Ground) -> tuple[Unthread, Mask]:
    """Draw each stroke to the line under it, measure the line, and make the stroke several times as wide."""
    strokes = _strokes(mask)
    if params.width is not None:
        return params, mask
    drawn, widest = [], 0.0
    for stroke in strokes:
        points = [(x, y) for x, y, _ in stroke.points]
        if len(points) < 2:
            raise LedgerError("Unthread needs a line.", "Click at both ends of it, or paint along it.")
        line = trace(points, max(6.0, stroke.size), ground, thin_lines, max(3.0, stroke.size / 2), _STAYS)
        measured = measured_along(line, stroke.size, params.wide, ground)
        size = float(measured.mask.max())
        drawn.append(
            stroke.model_copy(
                update={
                    "points": [
                        (round(float(x), 1), round(float(y), 1), round(float(w / size), 3))
                        for (x, y), w in zip(measured.middle, measured.mask, strict=True)
                    ],
                    "size": round(size, 1),
                    "hardness": 1.0,
                }
            )
        )
        widest = max(widest, float(np.median(measured.width)))
    return params.model_copy(update={"width": round(widest, 1)}), StrokesMask(strokes=drawn)


def repair(params: Unthread, mask: Mask, ground: Ground) -> Patch:
    strokes = _strokes(mask)
    painted = Painted.of(mask, ground, "Unthread")
    around = painted.box.grown(_BESIDE).within(ground.whole)
    pixels = ground.read(around)
    # of 255, whatever the depth
    unit = np.float32(1 if pixels.dtype == np.uint8 else 257)
    values = pixels.astype(np.float32) / unit
    hole = painted.over(around)
    free = (~hole & ~ground.across(around, painted.box)).astype(np.float32)
    out, left = values.copy(), hole.copy()
    paths = [even(_path(stroke) - (around.left, around.top)) for stroke in strokes]
    for stroke, path in zip(strokes, paths, strict=True):
        half = stroke.size / 2 * max(point[2] for point in stroke.points) + 0.5
        wanted = left & _near(path, half + 1, hole.shape)
        if wanted.any():
            out[wanted] = fill_strip(values, path, half, wanted, free)
            left &= ~wanted
    near = (free > 0) & (cv2.dilate(hole.astype(np.uint8), np.ones((25, 25), np.uint8)) > 0)
    if params.grain:
        grain = _grain(values, near).times(params.grain / 100)
        out[hole] += make_grain(hole.shape, grain, params.seed)[hole]
    unmade = hole.copy()
    for stroke, path in zip(strokes, paths, strict=True):
        for part in _textured_parts(values, path, stroke.size, free > 0):
            _grow(out, hole & part, hole, None if stroke.size <= _JOINED else unmade, around, params, ground)
            unmade &= ~part
    own = painted.box.relative_to(around)
    return Patch(painted.box, rounded(out[own.rows, own.columns] * unit, pixels.dtype), painted.alpha)


def _strokes(mask: Mask) -> list[Stroke]:
    if not isinstance(mask, StrokesMask) or mask.view is not None:
        hint = "Give it a mask of strokes along the line, and the chart of the view that they are in."
        raise LedgerError("Unthread follows strokes.", hint)
    return mask.strokes


def _path(stroke: Stroke) -> NDArray[np.float64]:
    points = stroke.path[:, :2]
    return points if len(points) > 1 else np.vstack([points[0] - (1, 0), points[0] + (1, 0)])


def _near(path: NDArray[np.float64], half: float, shape: tuple[int, ...]) -> NDArray[np.bool_]:
    drawn = np.zeros(shape, np.uint8)
    corners = np.round((path - 0.5) * 16).astype(np.int32)
    cv2.polylines(drawn, [corners], False, 1, max(1, math.ceil(2 * half)), cv2.LINE_8, 4)
    return drawn > 0


def _grain(values: NDArray[np.float32], where: NDArray[np.bool_]) -> Grain:
    return measure_grain(values - blurred_within(values, where, 3), where)


def _textured_parts(
    values: NDArray[np.float32], path: NDArray[np.float64], size: float, free: NDArray[np.bool_]
) -> Iterator[NDArray[np.bool_]]:
    """Stretches of a stroke, in order, that have textured ground on both sides or are too wide to join."""
    length = max(48, round(4 * size))
    for start in range(0, len(path), length):
        part = path[max(0, start - 4) : start + length + 4]
        if size > _JOINED or textured(values, free & _near(part, size / 2 + 14, free.shape)):
            yield _near(part, size / 2 + 2, free.shape)


def textured(values: NDArray[np.float32], where: NDArray[np.bool_]) -> bool:
    """Whether nearly all of a ground, of 255, varies by more than its grain, and evenly.

    By shapes of a few pixels, not single ones. Plain parts beside strong edges are structure, not texture.
    """
    rows, columns = np.nonzero(where)
    if len(rows) < 50:
        return False
    inside = (slice(rows.min(), rows.max() + 1), slice(columns.min(), columns.max() + 1))
    values, where = values[inside], where[inside]
    shapes = blurred_within(values, where, 1.2) - blurred_within(values, where, 6)
    inner = cv2.erode(where.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    found = np.abs(shapes[inner if inner.any() else where]).max(axis=-1)
    quiet, usual = np.percentile(found, 25), np.percentile(found, 60)
    return bool(quiet > _TEXTURE and quiet > _EVEN * usual)


def _grow(
    out: NDArray[np.float32],
    rough: NDArray[np.bool_],
    hole: NDArray[np.bool_],
    unmade: NDArray[np.bool_] | None,
    around: Box,
    params: Unthread,
    ground: Ground,
) -> None:
    """Give one stretch, in place, texture like that beside it, begun from the joined banks.

    In a wide strip these are no ground to begin from or to fit to: `unmade` is what still holds nothing else.
    """
    left, top, width, height = cv2.boundingRect(rough.astype(np.uint8))
    if not width:
        return
    place = Box(left, top, left + width, top + height)
    window = place.grown(max(56, min(width, height))).within(Box(0, 0, around.width, around.height))
    own, holes = rough[window.rows, window.columns], hole[window.rows, window.columns]
    there, middle = window.moved(around.left, around.top), place.moved(around.left, around.top)
    usable = ~holes & ~ground.barred(there, middle)
    seen = ~own & ~ground.across(there, middle)
    if unmade is not None:
        seen &= ~unmade[window.rows, window.columns]
    values = np.clip(out[window.rows, window.columns], 0, 255)
    try:
        grown = synthesise(
            values, own, usable, seen, params.seed, ground.carry_on, start=values if unmade is None else None
        )
    except Unfillable:
        return
    out[window.rows, window.columns][own] = grown[own]


OPERATION = CleanOperation(
    name="unthread",
    title="Unthread",
    summary="Takes a thin line out and lets what it crosses run on.",
    parameters=Unthread,
    reads=reads,
    repair=repair,
    settle=settle,
    charted=True,
    gesture="line",
    controls=(Ruler("grain", "%", high=200),),
    example={"width": 3},
    rank=70,
    how="Click along a wire or hair; Enter or a double-click ends. What it crosses runs on.",
)
