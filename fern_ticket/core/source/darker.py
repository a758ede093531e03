"""Darker rendition: paint a darker frame into whites that have lost their texture."""

from __future__ import annotations

import numpy as np
from pydantic import Field

from fern_ticket.core.errors import LedgerError
from fern_ticket.core.ledger.controls import Editor, Ruler
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.plane import PlaneMap
from fern_ticket.core.pictures.pyramid import Source, level_box
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.pictures.values import over_channels
from fern_ticket.core.source.alignment import SeriesFrame, found, read_under
from fern_ticket.core.source.operation import Altered, Keep, Opener, SourceOperation, rolled, shares, stored


class Darker(Parameters):
    frame: SeriesFrame
    begins: float = Field(default=82, ge=0, le=99, description="Tone, per cent encoded, from which it comes in.")
    full: float = Field(default=97, ge=1, le=100, description="Tone, per cent encoded, from which it is all.")
    lift: float | None = Field(
        default=None, ge=-3, le=6, description="EV by which it is lightened. Left out: so that it joins the whites."
    )


class Painted(Altered):
    """A source whose whites come from a darker frame that lies over it."""

    def __init__(self, base: Source, darker: Source, plane_map: PlaneMap, params: Darker) -> None:
        super().__init__(base)
        self._darker = darker
        self._map = plane_map
        self._begins = params.begins / 100
        self._full = max(params.full, params.begins + 1) / 100
        # the frames share one tone response, nearly a power of 2.2: light doubles where values grow by that root of 2
        self._factor = np.float32(2 ** ((params.lift or 0) / 2.2))

    @property
    def dtype(self) -> np.dtype[np.uint8] | np.dtype[np.uint16]:
        return np.dtype(np.uint16)

    def read(self, level: int, box: Box) -> Pixels:
        own = shares(self.base.read(level, box))
        t = np.clip((over_channels(np.maximum, own) - self._begins) / (self._full - self._begins), 0, 1)
        if not t.any():
            return stored(own, self.dtype)
        share = (t * t * (3 - 2 * t))[..., None].astype(np.float32)
        under = rolled(read_under(self._darker, self._map, level, box) * self._factor)
        return stored(own + share * (under - own), self.dtype)


def settle(params: Darker, base: Source, other: Opener) -> Darker:
    darker = other(params.frame.picture)
    frame = found(params.frame, base, darker)
    lift = params.lift
    if lift is None:
        lift = round(0.75 * stops_between(base, darker, frame.plane_map), 2)
    return params.model_copy(update={"frame": frame, "lift": float(np.clip(lift, -3, 6))})


def stops_between(base: Source, darker: Source, plane_map: PlaneMap) -> float:
    """By how many EV a frame is darker, from the places that both expose well.

    Raises
    ------
    LedgerError
        No place is well exposed in both, or it is not darker.
    """
    level = base.levels - 1
    box = level_box(base.size, level)
    one, two = shares(base.read(level, box)).mean(axis=2), read_under(darker, plane_map, level, box).mean(axis=2)
    fair = (one > 0.25) & (one < 0.9) & (two > 0.03)
    if fair.sum() < 50:
        raise LedgerError("These two frames have no tones in common.", "Take frames fewer stops apart.")
    stops = float(np.median(2.2 * np.log2(one[fair] / two[fair])))
    if stops < 0.2:
        raise LedgerError("That frame is not darker than this one.", "Choose a frame of shorter exposure.")
    return stops


def alter(params: Darker, base: Source, other: Opener, _: Keep) -> Source:
    darker = other(params.frame.picture)
    if not darker.space.means_the_same(base.space):
        raise LedgerError("The darker frame has another colour profile.", "Take both from one camera, one way.")
    return Painted(base, darker, params.frame.plane_map, params)


OPERATION = SourceOperation(
    name="darker",
    title="Darker rendition",
    summary="Paints a darker frame into whites that have lost their texture, by a range of tones.",
    parameters=Darker,
    alter=alter,
    settle=settle,
    frames=lambda params: (params.frame.picture,),
    elsewhere=lambda _: None,  # its frames are this photo's own
    controls=(
        Editor("frame", "frame", name="darker frame"),
        Ruler("begins", "%", name="begins at tone"),
        Ruler("full", "%", name="full at tone"),
        Ruler("lift", "EV", 0.05, low=-3, high=6, name="lightened by"),
    ),
    group="Source",
    how="Painted into whites that lost their texture.",
    rank=20,
)
