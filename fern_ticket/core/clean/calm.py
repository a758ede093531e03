"""Calm: a fill without texture for skies, sweeps and blurred grounds, then grain as around it.

A smooth surface of second order through the ring, found by least squares that let edges and specks go (Huber 1964), and
the membrane of what the ring differs from it: so a gradient runs on, curved if it is.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.clean.graining import make_grain, measure_grain
from fern_ticket.core.clean.membrane import fill_membrane
from fern_ticket.core.clean.repair import CleanOperation, Ground, Painted, Patch
from fern_ticket.core.ledger.controls import Ruler
from fern_ticket.core.ledger.masks import Place
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.pictures.values import blurred_within, deepest, rounded

Values = NDArray[np.float32]
Bits = NDArray[np.bool_]


class Calm(Parameters):
    grain: float = Field(default=100.0, ge=0, le=300, description="Per cent of the surroundings' grain.")
    seed: int = Field(default=1, ge=0, le=2**31, description="Of the grain.")


def reads(_: Calm, mask: Place, size: tuple[int, int]) -> Box:
    return _around(mask.box(size), size)


def repair(params: Calm, mask: Place, ground: Ground) -> Patch:
    painted = Painted.of(mask, ground, "Calm")
    pixels = ground.read(painted.box).copy()
    for number, (place, cover) in enumerate(painted.places()):
        around = _around(place, ground.size)
        hole = np.zeros((around.height, around.width), np.bool_)
        inner = place.relative_to(around)
        hole[inner.rows, inner.columns] = cover > 0
        known = ~painted.over(around) & ~ground.across(around, place)
        values = ground.read(around).astype(np.float32)
        calm, ring = surface(values, hole, known)
        if params.grain and ring.any():
            grain = measure_grain(values - calm, ring).times(params.grain / 100)
            calm[hole] += make_grain(hole.shape, grain, params.seed + number)[hole]
        inside = place.relative_to(painted.box)
        target = pixels[inside.rows, inside.columns]
        filled = rounded(calm[inner.rows, inner.columns], pixels.dtype)
        target[cover > 0] = filled[cover > 0]
    return Patch(painted.box, pixels, painted.alpha)


def surface(values: Values, hole: Bits, known: Bits) -> tuple[Values, Bits]:
    """The calm ground under a hole and around it, and the ring that it was found from.

    Parameters
    ----------
    values
        Encoded, shape (rows, columns, 3).
    hole
        Pixels to fill.
    known
        Pixels that may be looked at.
    """
    depth = deepest(hole)
    width = int(np.clip(depth, 5, 48))
    near = cv2.dilate(hole.astype(np.uint8), cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * width + 1,) * 2)) > 0
    ring = near & known & ~hole
    if not ring.any():
        return fill_membrane(values, hole, known & ~hole), ring
    shape = _second_order(values, ring)
    off = values - shape
    # the ring's own grain must not run into the hole as streaks
    quiet = blurred_within(off, ring, max(1.5, min(6.0, depth / 4)))
    bent = np.where(near[..., None], fill_membrane(quiet, hole, ring), np.float32(0))
    return np.asarray(shape + bent, np.float32), ring


def _second_order(values: Values, ring: Bits) -> Values:
    rows, columns = ring.shape
    y, x = np.mgrid[0:rows, 0:columns].astype(np.float64)
    x, y = 2 * x / max(columns - 1, 1) - 1, 2 * y / max(rows - 1, 1) - 1
    terms = [np.ones_like(x), x, y, x * x, x * y, y * y]
    terms = terms[: 6 if ring.sum() > 60 else 3 if ring.sum() > 12 else 1]
    basis = np.stack(terms, axis=-1)
    at = basis[ring]
    out = np.empty_like(values)
    for channel in range(3):
        wanted = values[..., channel][ring].astype(np.float64)
        weight = np.ones(len(wanted))
        for _ in range(4):
            factors = np.linalg.lstsq(at * weight[:, None], wanted * weight, rcond=None)[0]
            off = np.abs(wanted - at @ factors)
            scale = 1.4826 * float(np.median(off)) + 1e-6
            weight = np.sqrt(np.minimum(1, 1.5 * scale / np.maximum(off, 1e-9)))
        out[..., channel] = basis @ factors
    return out


def _around(place: Box, size: tuple[int, int]) -> Box:
    return place if place.empty else place.grown(52).within(Box(0, 0, *size))


OPERATION = CleanOperation(
    name="calm",
    title="Calm",
    summary="Fills smooth ground without texture, with grain like that around it.",
    parameters=Calm,
    reads=reads,
    repair=repair,
    charted=True,
    gesture="stroke",
    controls=(Ruler("grain", "%", high=200),),
    rank=60,
    how="Paint on sky, sweep or blur: filled without texture, with grain as around it.",
    interchangeable=True,
    advised=True,
)
