"""Rectangles in perspective: what four corners tell of the plane that they lie in.

The true ratio of the sides follows from the perspective, taking the middle of the picture for the camera's axis and
pixels for square (Zhang, He 2007, "Whiteboard scanning and image enhancement", doi:10.1016/j.dsp.2006.05.006).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.pictures.plane import PlaneMap

#: A perspective whose far sides are nearer to parallel than this says nothing about the camera.
_PARALLEL = 1e-7
#: The least turn at a corner, square pixels: with less there is no outline.
_LEAST_TURN = 64.0


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
