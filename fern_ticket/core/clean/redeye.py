"""Red eye: the flash's red taken out of pupils, their highlights kept."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.clean.repair import CleanOperation, Ground, Painted, Patch
from fern_ticket.core.ledger.controls import Ruler
from fern_ticket.core.ledger.masks import Place
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.values import rounded

#: Per cent of what lies beside a place that is less red than its face is taken for, and how much redder a pupil is at
#: least.
_FACE, _MORE = 75, 0.06


class RedEye(Parameters):
    darken: float = Field(default=30.0, ge=0, le=100, description="Per cent that a pupil is darkened by.")
    reach: float = Field(default=50.0, ge=1, le=100, description="Per cent; higher takes weaker reds as well.")


def repair(params: RedEye, mask: Place, ground: Ground) -> Patch:
    painted = Painted.of(mask, ground, "Red eye")
    box = painted.box
    wide = box.grown(4 + max(box.width, box.height) // 4).within(ground.whole)
    pixels = ground.read(wide)
    top = np.float32(np.iinfo(pixels.dtype).max)
    around = pixels.astype(np.float32) / top
    over = _redness(around)
    inside = box.relative_to(wide)
    beside = np.ones(over.shape, bool)
    beside[inside.rows, inside.columns] = painted.alpha <= 0
    values, over, skin = around[inside.rows, inside.columns], over[inside.rows, inside.columns], over[beside]

    least = 0.62 - 0.55 * params.reach / 100
    # a face in warm light is red itself: a pupil is more so, unless one reaches for less by hand
    held = min(1.0, 2 - params.reach / 50)
    least = max(least, held * (float(np.percentile(skin, _FACE)) + _MORE))
    share = np.clip((over - least) / 0.15, 0, 1)
    # the pupil's soft edge goes with it; what is not red, such as a highlight, stays
    share = np.clip(cv2.GaussianBlur(cv2.dilate(share, np.ones((3, 3), np.uint8)), (0, 0), 1.0), 0, 1)
    share = share * np.clip(over / 0.2, 0, 1)
    grey = (values[..., 1] + values[..., 2]) / 2 * np.float32(1 - params.darken / 100)
    out = values + share[..., None] * (grey[..., None] - values)
    return Patch(box, rounded(out * top, pixels.dtype), painted.alpha)


def _redness(values: NDArray[np.float32]) -> NDArray[np.float32]:
    """How far red is above both others, a share of it; 0-1 and below."""
    red, others = values[..., 0], np.maximum(values[..., 1], values[..., 2])
    return np.asarray((red - others) / np.maximum(red, 0.08), np.float32)


OPERATION = CleanOperation(
    name="redeye",
    title="Red eye",
    summary="Takes the flash's red out of pupils and keeps their highlights.",
    parameters=RedEye,
    repair=repair,
    charted=True,
    gesture="click",
    leaves_traces=False,
    controls=(Ruler("darken", "%"), Ruler("reach", "%", name="reach of red")),
    rank=120,
    how="Click an eye. Red goes from its pupil, the highlight stays.",
)
