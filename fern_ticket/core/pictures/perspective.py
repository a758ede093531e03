"""Rectangles in perspective: what four corners tell of the plane that they lie in.

The true ratio of the sides follows from the perspective, taking the middle of the picture for the camera's axis and
pixels for square (Zhang, He 2007, "Whiteboard scanning and image enhancement", doi:10.1016/j.dsp.2006.05.006). Where a
pair of sides is parallel the perspective does not tell; then the lens does, if it is known, or one is assumed.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.pictures.exif import FULL_FRAME
from fern_ticket.core.pictures.plane import PlaneMap, scaling, translation

ToldBy = Literal["lens", "perspective", "assumed lens"]

#: A perspective whose far sides are nearer to parallel than this says nothing about the camera.
_PARALLEL = 1e-7
#: The least turn at a corner, square pixels: with less there is no outline.
_LEAST_TURN = 64.0
#: Focal lengths on full frame, millimetres, that are assumed where none is known: those that rooms, fronts and sheets
#: are taken with (common practice, no source).
_LENSES, _USUAL_LENS = (24.0, 60.0), 35.0
#: How far off a corner is placed by hand, pixels.
_PLACED = 1.0


@dataclass(frozen=True)
class Ratio:
    """Width over height of a rectangle.

    Attributes
    ----------
    value, off
        The ratio, and the share by which it may be wrong.
    told_by
        "lens": of a known focal length. "perspective". "assumed lens": of one between `_LENSES`.
    """

    value: float
    off: float
    told_by: ToldBy


def ratio_told(corners: NDArray[np.float64], size: tuple[float, float], focal: float | None) -> Ratio:
    """The ratio of the rectangle whose picture has these corners, from what tells it best.

    Parameters
    ----------
    corners
        Upper left, upper right, lower right, lower left, pixels, shape (4, 2).
    size
        Width and height of the picture, pixels; the camera's axis meets its middle.
    focal
        Focal length, pixels, where it is known.
    """
    axis = (size[0] / 2, size[1] / 2)

    def through(length: float) -> Callable[[NDArray[np.float64]], float]:
        to_ray = scaling(1 / length, 1 / length) @ translation(-axis[0], -axis[1])
        return lambda seen: ratio_seen(seen, to_ray)

    if focal is not None:
        return Ratio(through(focal)(corners), _unsteadiness(through(focal), corners), "lens")
    diagonal = math.hypot(*size)
    middle, *ends = (through(length / FULL_FRAME * diagonal) for length in (_USUAL_LENS, *_LENSES))
    value = middle(corners)
    off = max(abs(value / end(corners) - 1) for end in ends) + _unsteadiness(middle, corners)
    assumed = Ratio(value, off, "assumed lens")
    told = _by_perspective(corners, axis)
    if told is None:
        return assumed
    unsteady = _unsteadiness(lambda seen: _by_perspective(seen, axis) or math.inf, corners)
    return Ratio(told, unsteady, "perspective") if unsteady < assumed.off else assumed


def _unsteadiness(ratio: Callable[[NDArray[np.float64]], float], corners: NDArray[np.float64]) -> float:
    """The share by which a ratio changes where each corner is placed a pixel off, as deviations add up."""
    value, total = ratio(corners), 0.0
    for corner in range(4):
        for way in range(2):
            moved = corners.copy()
            moved[corner, way] += _PLACED
            total += (ratio(moved) / value - 1) ** 2
    return math.sqrt(total)


def _of_sides(corners: NDArray[np.float64]) -> float:
    across = math.dist(corners[0], corners[1]) + math.dist(corners[3], corners[2])
    return across / (math.dist(corners[0], corners[3]) + math.dist(corners[1], corners[2]))


def _by_perspective(corners: NDArray[np.float64], axis: tuple[float, float]) -> float | None:
    """The ratio, where the perspective tells it."""
    one, two, four, three = (np.append(corner - np.array(axis), 1.0) for corner in corners)
    k2 = np.dot(np.cross(one, four), three) / np.dot(np.cross(two, four), three)
    k3 = np.dot(np.cross(one, four), two) / np.dot(np.cross(three, four), two)
    across, down = k2 * two - one, k3 * three - one
    scale = float(np.abs(corners).max())
    if abs(across[2]) * scale < 1e-3 and abs(down[2]) * scale < 1e-3:
        return float(np.linalg.norm(across[:2]) / np.linalg.norm(down[:2]))
    if abs(across[2] * down[2]) < _PARALLEL**2:
        return None
    focal_squared = -(across[0] * down[0] + across[1] * down[1]) / (across[2] * down[2])
    if focal_squared <= 0:
        return None
    weights = np.array([1 / focal_squared, 1 / focal_squared, 1.0])
    found = math.sqrt(float((across**2 * weights).sum() / (down**2 * weights).sum()))
    # far from what the sides say, the corners were not a rectangle's: the estimate is noise
    plain = _of_sides(corners)
    return found if plain / 4 < found < plain * 4 else None


def ratio_seen(corners: NDArray[np.float64], to_ray: PlaneMap) -> float:
    """Width over height of the rectangle that is seen at these corners by a camera that is known.

    Parameters
    ----------
    corners
        Upper left, upper right, lower right, lower left, pixels, shape (4, 2).
    to_ray
        Pixels to directions, shape (3, 3).
    """
    square = from_rectangle(corners, 1, 1)
    across, down, _ = (to_ray @ square).T
    return float(np.linalg.norm(across) / np.linalg.norm(down))


def is_outline(corners: NDArray[np.float64] | Sequence[Any]) -> bool:
    """Whether the corners go round clockwise (y down) without a reflex angle, and enclose something."""
    corners = np.asarray(corners, np.float64)
    sides = np.roll(corners, -1, axis=0) - corners
    after = np.roll(sides, -1, axis=0)
    turns = sides[:, 0] * after[:, 1] - sides[:, 1] * after[:, 0]
    return bool((turns > _LEAST_TURN).all())


def from_rectangle(corners: NDArray[np.float64], width: float, height: float) -> PlaneMap:
    """The map that takes a rectangle of `width` × `height` at the origin to four corners, shape (3, 3)."""
    square = np.array([[0, 0], [width, 0], [width, height], [0, height]], np.float32)
    return np.asarray(cv2.getPerspectiveTransform(square, corners.astype(np.float32)), np.float64)


def side_lengths(corners: NDArray[np.float64]) -> tuple[float, float]:
    """The longer of the two sides across, and of the two down, pixels."""
    across = max(math.dist(corners[0], corners[1]), math.dist(corners[3], corners[2]))
    down = max(math.dist(corners[0], corners[3]), math.dist(corners[1], corners[2]))
    return across, down
