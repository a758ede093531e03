"""Clone: an exact copy from a source along a stroke, turned or mirrored if asked."""

from __future__ import annotations

import math
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.clean.heal import Offset, proposed_source
from fern_ticket.core.clean.repair import CleanOperation, Ground, Painted, Patch
from fern_ticket.core.clean.snapping import snapped
from fern_ticket.core.clean.sources import search_box
from fern_ticket.core.ledger.controls import Choice, Ruler, Switch
from fern_ticket.core.ledger.masks import Mask, Place, anchor
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.plane import PlaneMap, mapped_corners, translation
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.pictures.values import rounded


class Clone(Parameters):
    source: Offset | None = Field(
        default=None, description="From where the stroke begins to its source. Left out, one is proposed."
    )
    snap: bool = Field(
        default=True, description="Whether a source on a pattern is brought onto it, so that its joints run on."
    )
    turn: float = Field(default=0.0, ge=-180, le=180, description="Degrees clockwise that the source is turned by.")
    mirror: Literal["none", "across", "down"] = Field(
        default="none", description="Whether the source is mirrored left to right or top to bottom."
    )

    @property
    def plain(self) -> bool:
        """Whether pixels are copied as they are."""
        return self.turn == 0 and self.mirror == "none"


def reads(params: Clone, mask: Place, size: tuple[int, int]) -> Box:
    place = mask.box(size)
    if place.empty:
        return place
    if params.source is None:
        return search_box(place, size)
    return place.joined(_source_box(place, _to_source(params, params.source, mask, size)).within(Box(0, 0, *size)))


def repair(params: Clone, mask: Place, ground: Ground) -> Patch:
    painted = Painted.of(mask, ground, "Clone")
    box = painted.box
    pixels, alpha = ground.read(box).copy(), painted.alpha.copy()
    source = params.source or _proposed(painted, ground)
    if source is None:
        return Patch(box, pixels, np.zeros_like(alpha))
    to_source = _to_source(params, source, mask, ground.size)
    wanted = _source_box(box, to_source)
    inside = wanted.within(ground.whole)
    if inside.empty:
        return Patch(box, pixels, np.zeros_like(alpha))
    free = (~ground.across(inside, box)).astype(np.float32)
    warp = translation(-0.5 - inside.left, -0.5 - inside.top) @ to_source @ translation(box.left + 0.5, box.top + 0.5)
    flags = (cv2.INTER_NEAREST if params.plain else cv2.INTER_CUBIC) | cv2.WARP_INVERSE_MAP
    size = (box.width, box.height)
    copied = cv2.warpAffine(
        ground.read(inside).astype(np.float32), warp[:2], size, flags=flags, borderMode=cv2.BORDER_REPLICATE
    )
    there = cv2.warpAffine(free, warp[:2], size, flags=cv2.INTER_NEAREST | cv2.WARP_INVERSE_MAP, borderValue=0)
    alpha *= there
    pixels[:] = rounded(copied, pixels.dtype)
    return Patch(box, pixels, alpha)


def settle(params: Clone, mask: Mask, ground: Ground) -> tuple[Clone, Mask]:
    given = params.source
    if given is not None and not (params.snap and params.plain):
        return params, mask
    painted = Painted.of(mask, ground, "Clone")
    if given is None:
        found = _proposed(painted, ground)
    else:
        dx, dy = snapped(painted, given.whole(), ground)
        found = Offset(dx=dx, dy=dy) if (dx, dy) != given.whole() else None
    return params if found is None else params.model_copy(update={"source": found}), mask


def _proposed(painted: Painted, ground: Ground) -> Offset | None:
    cover: NDArray[np.float32] = painted.alpha
    found = proposed_source(painted.box, cover, painted, ground)
    return None if found is None else Offset(dx=found[0], dy=found[1])


def _to_source(params: Clone, source: Offset, mask: Place, size: tuple[int, int]) -> PlaneMap:
    """Source pixels of the place to those of what lands there, turned about where the stroke begins."""
    x, y = anchor(mask, size)
    dx, dy = source.whole() if params.plain else (source.dx, source.dy)
    angle = math.radians(-params.turn)
    turned = np.array([[math.cos(angle), -math.sin(angle), 0], [math.sin(angle), math.cos(angle), 0], [0, 0, 1.0]])
    mirrored = np.diag([-1.0 if params.mirror == "across" else 1.0, -1.0 if params.mirror == "down" else 1.0, 1.0])
    return np.asarray(translation(x + dx, y + dy) @ mirrored @ turned @ translation(-x, -y))


def _source_box(place: Box, to_source: PlaneMap) -> Box:
    x, y = mapped_corners(to_source @ translation(place.left, place.top), (place.width, place.height))
    return Box(math.floor(x.min()), math.floor(y.min()), math.ceil(x.max()), math.ceil(y.max())).grown(2)


OPERATION = CleanOperation(
    name="clone",
    title="Clone",
    summary="Copies a source exactly, for crisp edges and lines that must run on.",
    parameters=Clone,
    reads=reads,
    repair=repair,
    settle=settle,
    charted=True,
    gesture="stroke",
    controls=(Ruler("turn", "°", name="turn of the source"), Choice("mirror"), Switch("snap", "snap to a pattern")),
    example={"source": {"dx": 40, "dy": 9}},
    rank=30,
    how="Press S over the source, then paint a copy.",
    tip=("flow", "spacing", "roundness", "angle"),
    interchangeable=True,
    advised=True,
)
