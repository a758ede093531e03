"""Square up: make a rectangle of something flat that was photographed askew, by its four corners."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.errors import LedgerError
from fern_ticket.core.frame.geometry import FrameOperation, FrameState
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.perspective import ToldBy, from_rectangle, is_outline, ratio_told, side_lengths
from fern_ticket.core.pictures.plane import mapped

Point = tuple[Annotated[float, Field(ge=-1e6, le=1e6)], Annotated[float, Field(ge=-1e6, le=1e6)]]


class Corners(Parameters):
    corners: tuple[Point, Point, Point, Point] = Field(
        description="Source pixels: upper left, upper right, lower right, lower left, as the picture is turned."
    )
    ratio: float | None = Field(
        default=None,
        ge=0.05,
        le=20,
        description="Width over height. Left out, it is told by the lens or the perspective.",
    )
    told_by: ToldBy | None = Field(
        default=None, description="What told the ratio: the lens, the perspective, or a lens that was assumed."
    )
    off: float | None = Field(
        default=None, ge=0, description="The share by which the ratio that was told may be wrong."
    )


def apply(state: FrameState, params: Corners, strength: float) -> FrameState:  # noqa: ARG001
    corners = _turned(state, params)
    across, down = side_lengths(corners)
    ratio = params.ratio or across / down
    # no side is made shorter than it was, so that nothing is lost
    width = max(16, round(max(across, down * ratio)))
    height = max(16, round(max(down, across / ratio)))
    to_turned = from_rectangle(corners, width, height)
    return replace(state, width=width, height=height, turned_to_source=state.turned_to_source @ to_turned, crop=None)


def settle(state: FrameState, params: Corners) -> Corners:
    """Check the corners and write down the ratio that lens or perspective tell, and how sure it is."""
    corners = _turned(state, params)
    if not is_outline(corners):
        raise LedgerError("These corners cross, or make no four-sided outline.", "Put one on each corner of the thing.")
    if params.ratio is not None:
        return params
    told = ratio_told(corners, (state.width, state.height), state.focal)
    return params.model_copy(update={"ratio": round(told.value, 4), "told_by": told.told_by, "off": round(told.off, 4)})


def _turned(state: FrameState, params: Corners) -> NDArray[np.float64]:
    """The corners in the turned picture, shape (4, 2)."""
    return mapped(np.linalg.inv(state.turned_to_source), *np.array(params.corners, float).T).T


OPERATION = FrameOperation(
    name="corners",
    title="Square up",
    summary="Makes a rectangle of the outline of something flat, by its four corners, with its true ratio.",
    parameters=Corners,
    apply=apply,
    settle=settle,
    gesture="corners",
    example={"corners": [[10, 12], [280, 8], [290, 290], [5, 280]]},
)
