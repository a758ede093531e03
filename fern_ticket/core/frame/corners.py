"""Square up: make a rectangle of something flat that was photographed askew, by its four corners.

The true ratio of its sides follows from the perspective, taking the middle of the picture for the camera's axis and
pixels for square (Zhang, He 2007, "Whiteboard scanning and image enhancement", doi:10.1016/j.dsp.2006.05.006).
"""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Annotated

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.errors import LedgerError
from fern_ticket.core.frame.geometry import FrameOperation, FrameState
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.plane import PlaneMap, mapped

Point = tuple[Annotated[float, Field(ge=-1e6, le=1e6)], Annotated[float, Field(ge=-1e6, le=1e6)]]
#: A perspective whose far sides are nearer to parallel than this says nothing about the camera.
_PARALLEL = 1e-7


class Corners(Parameters):
    corners: tuple[Point, Point, Point, Point] = Field(
        description="Source pixels: upper left, upper right, lower right, lower left, as the picture is turned."
    )
    ratio: float | None = Field(
        default=None, ge=0.05, le=20, description="Width over height. Left out, it is estimated from the perspective."
    )


def apply(state: FrameState, params: Corners, strength: float) -> FrameState:  # noqa: ARG001
    corners = _turned(state, params)
    across = max(math.dist(corners[0], corners[1]), math.dist(corners[3], corners[2]))
    down = max(math.dist(corners[0], corners[3]), math.dist(corners[1], corners[2]))
    ratio = params.ratio or across / down
    # no side is made shorter than it was, so that nothing is lost
    width = max(16, round(max(across, down * ratio)))
    height = max(16, round(max(down, across / ratio)))
    square = np.array([[0, 0], [width, 0], [width, height], [0, height]], np.float32)
    to_turned: PlaneMap = np.asarray(cv2.getPerspectiveTransform(square, corners.astype(np.float32)), np.float64)
    return replace(state, width=width, height=height, turned_to_source=state.turned_to_source @ to_turned, crop=None)


def settle(state: FrameState, params: Corners) -> Corners:
    """Check the corners and write down the ratio that the perspective gives."""
    corners = _turned(state, params)
    if not _is_outline(corners):
        raise LedgerError("These corners cross, or make no four-sided outline.", "Put one on each corner of the thing.")
    if params.ratio is not None:
        return params
    return params.model_copy(update={"ratio": round(ratio_of(corners, (state.width / 2, state.height / 2)), 4)})


def ratio_of(corners: NDArray[np.float64], axis: tuple[float, float]) -> float:
    """Width over height of the rectangle whose picture has these corners.

    Parameters
    ----------
    corners
        Upper left, upper right, lower right, lower left, pixels, shape (4, 2).
    axis
        Where the camera's axis meets the picture, pixels.

    Returns
    -------
    The ratio; of the mean side lengths where the perspective is too weak to tell.
    """
    one, two, four, three = (np.append(corner - np.array(axis), 1.0) for corner in corners)
    k2 = np.dot(np.cross(one, four), three) / np.dot(np.cross(two, four), three)
    k3 = np.dot(np.cross(one, four), two) / np.dot(np.cross(three, four), two)
    across, down = k2 * two - one, k3 * three - one
    lengths = math.dist(corners[0], corners[1]) + math.dist(corners[3], corners[2])
    plain = lengths / (math.dist(corners[0], corners[3]) + math.dist(corners[1], corners[2]))
    scale = float(np.abs(corners).max())
    if abs(across[2]) * scale < 1e-3 and abs(down[2]) * scale < 1e-3:
        return float(np.linalg.norm(across[:2]) / np.linalg.norm(down[:2]))
    if abs(across[2] * down[2]) < _PARALLEL**2:
        return plain
    focal_squared = -(across[0] * down[0] + across[1] * down[1]) / (across[2] * down[2])
    if focal_squared <= 0:
        return plain
    weights = np.array([1 / focal_squared, 1 / focal_squared, 1.0])
    found = math.sqrt(float((across**2 * weights).sum() / (down**2 * weights).sum()))
    # far from what the sides say, the corners were not a rectangle's: the estimate is noise
    return found if plain / 4 < found < plain * 4 else plain


def _turned(state: FrameState, params: Corners) -> NDArray[np.float64]:
    """The corners in the turned picture, shape (4, 2)."""
    return mapped(np.linalg.inv(state.turned_to_source), *np.array(params.corners, float).T).T


def _is_outline(corners: NDArray[np.float64]) -> bool:
    """Whether the corners go round clockwise (y down) without a reflex angle, and enclose something."""
    sides = np.roll(corners, -1, axis=0) - corners
    after = np.roll(sides, -1, axis=0)
    turns = sides[:, 0] * after[:, 1] - sides[:, 1] * after[:, 0]
    return bool((turns > 64).all())


OPERATION = FrameOperation(
    name="corners",
    title="Square up",
    summary="Makes a rectangle of the outline of something flat, by its four corners, with its true ratio.",
    parameters=Corners,
    apply=apply,
    settle=settle,
)
