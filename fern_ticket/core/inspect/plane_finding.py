"""A plane of the scene by the lines on it: two families of parallels, each told by the point in which they meet.

Segments by von Gioi and others (2010, LSD); vanishing points are voted for by pairs of segments and refined by weighted
least squares (Rother 2002, "A new approach to vanishing point detection in architectural environments").
"""

from __future__ import annotations

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.pictures.perspective import is_outline
from fern_ticket.core.pictures.segments import straight_segments

Seen = NDArray[np.uint8]
Rows = NDArray[np.float64]

#: Segments shorter than this share of the picture's long side tell too little; and of so many pairs, the longest.
_SHORTEST, _STRONGEST = 0.018, 90
#: How far around the place lines are looked at, as a share of the long side.
_AROUND = 0.33
#: Degrees by which a segment may miss its family's vanishing point.
_AGREE = 1.6
#: Share of all length that each family has to hold, and degrees that the two have to differ by at the place.
_LEAST_SHARE, _LEAST_APART = 0.14, 25.0
#: Half of the side of what is offered, as a share of the long side.
_OFFERED = 0.14


def plane_at(pixels: Seen, at: tuple[float, float]) -> list[tuple[float, float]] | None:
    """Four corners of a rectangle in the plane that lines about a place tell of; None where they tell of none.

    Parameters
    ----------
    pixels
        sRGB, shape (rows, columns, 3).
    at
        Pixels.

    Returns
    -------
    Upper left, upper right, lower right, lower left, pixels.
    """
    grey = np.asarray(cv2.cvtColor(pixels, cv2.COLOR_RGB2GRAY), np.uint8)
    long = max(grey.shape)
    ends = _segments(grey, at, long)
    if len(ends) < 8:
        return None
    ends = (ends - np.array([*at, *at])) / long
    one = _family(ends)
    if one is None:
        return None
    point, held = one
    rest = ends[~held]
    other = _family(rest, apart_from=point) if len(rest) >= 4 else None
    if other is None:
        return None
    total = _lengths(ends).sum()
    if min(_lengths(ends[held]).sum(), _lengths(rest[other[1]]).sum()) < _LEAST_SHARE * total:
        return None
    corners = _quad(point, other[0])
    if corners is None:
        return None
    return [(float(x * long + at[0]), float(y * long + at[1])) for x, y in corners]


def _segments(grey: Seen, at: tuple[float, float], long: int) -> Rows:
    ends = straight_segments(grey).astype(np.float64)
    middle = (ends[:, :2] + ends[:, 2:]) / 2 - at
    near = np.hypot(*middle.T) < _AROUND * long
    return np.asarray(ends[near & (_lengths(ends) > _SHORTEST * long)])


def _lengths(ends: Rows) -> Rows:
    return np.asarray(np.hypot(ends[:, 2] - ends[:, 0], ends[:, 3] - ends[:, 1]))


def _family(ends: Rows, apart_from: Rows | None = None) -> tuple[Rows, NDArray[np.bool_]] | None:
    """The vanishing point of most length of segments, homogeneous, and which are of it."""
    lines = _lines(ends)
    order = np.argsort(-_lengths(ends))[:_STRONGEST]
    best, most = None, 0.0
    for k, first in enumerate(order):
        points = np.cross(lines[first], lines[order[k + 1 :]])
        points = points[np.linalg.norm(points, axis=1) > 1e-6]
        if apart_from is not None and len(points):
            points = points[_apart(points, apart_from) > _LEAST_APART]
        if not len(points):
            continue
        votes = (np.clip(1 - _off(points, ends) / _AGREE, 0, 1) * _lengths(ends)).sum(axis=1)
        winner = int(np.argmax(votes))
        if votes[winner] > most:
            best, most = points[winner], float(votes[winner])
    if best is None:
        return None
    for _ in range(3):
        held = _off(best[None], ends)[0] < _AGREE
        if held.sum() < 3:
            return None
        weighted = lines[held] * np.sqrt(_lengths(ends[held]))[:, None]
        best = np.linalg.svd(weighted, full_matrices=False)[2][-1]
    return best, _off(best[None], ends)[0] < _AGREE


def _lines(ends: Rows) -> Rows:
    one = np.column_stack([ends[:, :2], np.ones(len(ends))])
    other = np.column_stack([ends[:, 2:], np.ones(len(ends))])
    lines = np.cross(one, other)
    return np.asarray(lines / np.hypot(lines[:, 0], lines[:, 1])[:, None])


def _ways(points: Rows, x: Rows | float, y: Rows | float) -> tuple[Rows, Rows]:
    """Direction from a place to each point, which may lie at infinity."""
    return points[:, :1] - points[:, 2:] * x, points[:, 1:2] - points[:, 2:] * y


def _off(points: Rows, ends: Rows) -> Rows:
    """Degrees between each segment and the way from its middle to each point, shape (points, segments)."""
    middle = (ends[:, :2] + ends[:, 2:]) / 2
    across, down = _ways(points, middle[None, :, 0], middle[None, :, 1])
    along = ends[:, 2:] - ends[:, :2]
    cross = np.abs(across * along[:, 1] - down * along[:, 0])
    inner = np.abs(across * along[:, 0] + down * along[:, 1])
    return np.degrees(np.arctan2(cross, inner))


def _apart(points: Rows, other: Rows) -> Rows:
    """Degrees between the ways to points and to another one, from the place itself."""
    (across, down), (ox, oy) = _ways(points, 0.0, 0.0), _ways(other[None], 0.0, 0.0)
    cross, inner = np.abs(across * oy - down * ox), np.abs(across * ox + down * oy)
    return np.degrees(np.arctan2(cross, inner))[:, 0]


def _quad(one: Rows, other: Rows) -> Rows | None:
    """A rectangle of the plane about the origin, its sides along both families."""
    ways = []
    for point in (one, other):
        way = point[:2] / max(float(np.hypot(*point[:2])), 1e-12)
        ways.append(way * _OFFERED)
    through = [np.append(sign * way, 1.0) for way in ways for sign in (-1, 1)]
    sides_one = [np.cross(through[0], other), np.cross(through[1], other)]
    sides_other = [np.cross(through[2], one), np.cross(through[3], one)]
    found = []
    for a in sides_one:
        for b in sides_other:
            corner = np.cross(a, b)
            if abs(corner[2]) < 1e-9:
                return None
            found.append(corner[:2] / corner[2])
    corners = np.array(found)
    if np.abs(corners).max() > 1.2:
        return None
    middle = corners.mean(axis=0)
    corners = corners[np.argsort(np.arctan2(*(corners - middle).T[::-1]))]
    first = int(np.argmin(corners.sum(axis=1)))
    corners = np.roll(corners, -first, axis=0)
    return corners if is_outline(corners * 4000) and math.isfinite(float(corners.sum())) else None
