"""Nudge: pixels pushed along a stroke, as with a fingertip, to straighten what a fill bent."""

from __future__ import annotations

import itertools
import math

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.clean.repair import CleanOperation, Ground, Patch
from fern_ticket.core.errors import LedgerError
from fern_ticket.core.ledger.brush import touches_of
from fern_ticket.core.ledger.masks import Mask, Stroke, StrokesMask
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.pictures.values import rounded

#: Steps of a push, as a share of the tip's radius; larger ones would fold the picture.
_STEP = 0.2
#: In a view it is laid on this much firmer than its stroke: what is half pushed is not to be seen beside what is whole.
_FIRM = 6.0


class Nudge(Parameters):
    pass


def repair(_: Nudge, mask: Mask, ground: Ground) -> Patch:
    if not isinstance(mask, StrokesMask) or mask.view is not None:
        raise LedgerError("Nudge follows strokes.", "Give it a mask of strokes, and the chart of the view they are in.")
    box = mask.box(ground.size)
    shift = np.zeros((box.height, box.width, 2), np.float32)
    for stroke in mask.strokes:
        shift = _pushed(shift, stroke, box)
    y, x = np.mgrid[0 : box.height, 0 : box.width].astype(np.float32)
    pixels = ground.read(box)
    values = cv2.remap(
        pixels.astype(np.float32),
        x + shift[..., 0],
        y + shift[..., 1],
        cv2.INTER_CUBIC,
        borderMode=cv2.BORDER_REPLICATE,
    )
    out = rounded(values, pixels.dtype)
    still = np.hypot(shift[..., 0], shift[..., 1]) < 1e-3
    out[still] = pixels[still]
    return Patch(box, out, np.ones((box.height, box.width), np.float32))


def _pushed(shift: NDArray[np.float32], stroke: Stroke, box: Box) -> NDArray[np.float32]:
    """Where each pixel comes from after a further stroke; the whole push is one resampling in the end."""
    points, radius = stroke.path, stroke.size / 2
    touches = touches_of(points, max(0.5, _STEP * radius))
    if len(touches) and np.hypot(*(points[-1, :2] - touches[-1, :2])) > 1e-6:
        touches = np.vstack([touches, points[-1]])
    for before, after in itertools.pairwise(touches):
        move = (after[:2] - before[:2]) * stroke.opacity
        outer = radius * max(before[2], 0.05)
        near = Box(
            math.floor(before[0] - outer), math.floor(before[1] - outer),
            math.ceil(before[0] + outer) + 1, math.ceil(before[1] + outer) + 1,
        ).within(box)  # fmt: skip
        if near.empty:
            continue
        y, x = np.mgrid[near.top : near.bottom, near.left : near.right] + 0.5
        away = np.hypot(x - before[0], y - before[1]) / outer
        held = min(stroke.hardness, 0.9)
        share = np.clip((1 - away) / (1 - held), 0, 1)
        weight = (share * share * (3 - 2 * share)).astype(np.float32)
        inside = near.relative_to(box)
        own_x = (np.arange(inside.left, inside.right, dtype=np.float32)[None] - weight * np.float32(move[0])).astype(
            np.float32
        )
        own_y = (np.arange(inside.top, inside.bottom, dtype=np.float32)[:, None] - weight * np.float32(move[1])).astype(
            np.float32
        )
        fetched = cv2.remap(shift, own_x, own_y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        shift[inside.rows, inside.columns] = fetched - weight[..., None] * move.astype(np.float32)
    return shift


OPERATION = CleanOperation(
    name="nudge",
    title="Nudge",
    summary="Pushes pixels along a stroke to straighten what was bent.",
    parameters=Nudge,
    repair=repair,
    charted=True,
    firmness=_FIRM,
    gesture="stroke",
    leaves_traces=False,
    rank=90,
    how="Push pixels along a short stroke, to straighten what was bent.",
)
