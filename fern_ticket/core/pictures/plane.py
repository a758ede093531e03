"""Maps of the plane: coordinates with pixel corners at whole numbers, x right and y down."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.pictures.regions import Box

#: A map of the plane, shape (3, 3): affine, but for pictures that were squared up, where it is projective.
PlaneMap = NDArray[np.float64]
Coordinates = NDArray[np.floating[Any]]


def lengths_along(points: Coordinates) -> NDArray[np.float64]:
    """How far each point of a path lies from its start, along it; `points` has shape (count, 2)."""
    return np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(points, axis=0).T))])


def followed(points: Coordinates, step: float) -> NDArray[np.float64]:
    """x and y of a path at its own points and at least every `step` between them, shape (2, count)."""
    lengths = lengths_along(points)
    places = np.union1d(lengths, np.arange(0, lengths[-1], step))
    return np.stack([np.interp(places, lengths, points[:, axis]) for axis in range(2)])


def translation(x: float, y: float) -> PlaneMap:
    return np.array([[1, 0, x], [0, 1, y], [0, 0, 1]], np.float64)


def scaling(x: float, y: float) -> PlaneMap:
    return np.diag([x, y, 1.0])


def from_level(level: int, left: float, top: float) -> PlaneMap:
    """From a part of a pyramid's level that begins at left, top, to the finest level."""
    return scaling(2.0**level, 2.0**level) @ translation(left, top)


def rotation(degrees: float) -> PlaneMap:
    """Clockwise on the screen for positive degrees (y runs down). Whole quarter turns are exact."""
    quarter = round(degrees / 90)
    if degrees == quarter * 90:
        cos, sin = ((1, 0), (0, 1), (-1, 0), (0, -1))[quarter % 4]
    else:
        cos, sin = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))  # type: ignore[assignment]
    return np.array([[cos, -sin, 0], [sin, cos, 0], [0, 0, 1]], np.float64)


def is_affine(plane_map: Coordinates) -> bool:
    return bool(plane_map[2, 0] == 0 and plane_map[2, 1] == 0)


def mapped(plane_map: Coordinates, x: Coordinates, y: Coordinates) -> NDArray[np.float64]:
    """Points under a map: x and y of one shape to an array of shape (2, ...)."""
    across = plane_map[0, 0] * x + plane_map[0, 1] * y + plane_map[0, 2]
    down = plane_map[1, 0] * x + plane_map[1, 1] * y + plane_map[1, 2]
    if is_affine(plane_map):
        return np.asarray(np.stack([across, down]) / plane_map[2, 2], np.float64)
    depth = plane_map[2, 0] * x + plane_map[2, 1] * y + plane_map[2, 2]
    return np.asarray(np.stack([across, down]) / depth, np.float64)


def mapped_corners(plane_map: PlaneMap, size: tuple[int, int]) -> NDArray[np.float64]:
    """Where the four corners of a rectangle of `size` at the origin go, shape (2, 4)."""
    return mapped(plane_map, np.array([0.0, size[0], 0, size[0]]), np.array([0.0, 0, size[1], size[1]]))


def box_around(x: Coordinates, y: Coordinates, beyond: float = 0.0) -> Box:
    """The whole pixels that points, and what lies so far beyond them, touch; what lies very far away is cut.

    >>> box_around(np.array([0.5, 3.0]), np.array([1.0, 2.2]))
    Box(left=0, top=1, right=3, bottom=3)
    """
    far = 2.0**30
    left, top = (min(max(float(values.min()) - beyond, -far), far) for values in (x, y))
    right, bottom = (min(max(float(values.max()) + beyond, -far), far) for values in (x, y))
    return Box(math.floor(left), math.floor(top), math.ceil(right), math.ceil(bottom))


def magnification(plane_map: PlaneMap, x: float, y: float) -> float:
    """How much longer lengths get about a point: the root of the Jacobian's determinant."""
    depth = plane_map[2, 0] * x + plane_map[2, 1] * y + plane_map[2, 2]
    return math.sqrt(abs(np.linalg.det(plane_map) / depth**3))
