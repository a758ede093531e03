"""Grain: painted or smoothed places get back what grain they lack beside their surroundings."""

from __future__ import annotations

import cv2
import numpy as np
from pydantic import Field

from fern_ticket.core.clean.graining import make_grain, measure_grain
from fern_ticket.core.clean.repair import CleanOperation, Ground, Painted, Patch
from fern_ticket.core.ledger.controls import Ruler
from fern_ticket.core.ledger.masks import Place
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.pictures.values import rounded

#: Width of the ring that grain is matched to, pixels.
_RING = 40


class MatchGrain(Parameters):
    amount: float = Field(default=100.0, ge=0, le=300, description="Per cent of the surroundings' grain.")
    seed: int = Field(default=1, ge=0, le=2**31)


def reads(_: MatchGrain, mask: Place, size: tuple[int, int]) -> Box:
    box = mask.box(size)
    return box if box.empty else box.grown(_RING).within(Box(0, 0, *size))


def repair(params: MatchGrain, mask: Place, ground: Ground) -> Patch:
    painted = Painted.of(mask, ground, "Grain")
    around = painted.box.grown(_RING).within(ground.whole)
    values = ground.read(around).astype(np.float32)
    inside = painted.over(around)
    fine = values - cv2.GaussianBlur(values, (0, 0), 4)
    wanted = measure_grain(fine, ~inside & ~ground.across(around, painted.box))
    lacking = wanted.times(params.amount / 100).missing(measure_grain(fine, inside))
    grained = values + make_grain(inside.shape, lacking, params.seed)
    own = painted.box.relative_to(around)
    pixels = ground.read(painted.box)
    return Patch(painted.box, rounded(grained[own.rows, own.columns], pixels.dtype), painted.alpha)


OPERATION = CleanOperation(
    name="grain",
    title="Grain",
    summary="Gives a painted or smoothed place grain like its surroundings.",
    parameters=MatchGrain,
    reads=reads,
    repair=repair,
    charted=True,
    gesture="stroke",
    controls=(Ruler("amount", "%", high=200, name="grain"),),
    rank=110,
    how="Paint over a place that looks airbrushed: it gets the grain it lacks.",
    interchangeable=True,
)
