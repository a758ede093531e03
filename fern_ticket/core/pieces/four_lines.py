"""Four straight edges around a place, as those of a door, a board or a screen that shows something.

Edges come from straight segments, those on one line joined. Of each four that go around the place it is looked how much
of every side, from corner to corner, has a change of colour under it.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.pictures.segments import MIDDLE, straight_segments

Values = NDArray[np.float64]

#: The shortest segment, pixels; how far off a line another may lie and still be of it, pixels and the share by which
#: that grows along it; and the sine of its angle to it.
_SHORTEST, _STRAY, _STRAYS, _BENT = 12.0, 2.0, 0.01, 0.06
#: Levels for one of green and yellow, which change less than lightness.
_LEVELS = 2.0
#: Nearer to the place no side is, pixels; so much of a side lies near its foot, times its distance and pixels more; and
#: how much a near one is preferred, pixels.
_NEAREST, _ABOUT, _MORE, _PREFERRED = 4.0, 2.5, 60.0, 25.0
#: Sides that are tried in each direction.
_TRIED = 12
#: A change of colour, 8-bit CIELAB, between so far on both sides of a line, pixels, at most so far from it.
_CHANGE, _APART, _OFF = 8.0, 2.5, (-1, 0, 1)
#: How much of a side's share is what straight segments cover, beside what changes; and how far they go on, pixels.
_STRAIGHT, _ENDS = 0.5, 2.0
#: How much the picture's own border is of a side: what it cuts off has no edge there.
_BORDER = 0.55
#: The least share of a side that has an edge, and of all four; how much worse than the best a smaller one may be.
_LEAST, _MEAN, _NEARLY = 0.4, 0.65, 0.96
#: The shortest side, pixels; the sine of a corner at least; how far beyond the picture a corner may lie, and how much
#: of the picture it covers, as shares.
_SIDE, _CORNER, _BEYOND, _SMALLEST, _LARGEST = 14.0, 0.3, 0.02, 0.0008, 0.9
#: Of all that score, so many are looked at.
_LOOKED_AT = 400


@dataclass(frozen=True)
class _Line:
    """A point of it, its direction, and where segments lie on it from that, shape (count, 2)."""

    point: Values
    way: Values
    spans: Values

    @property
    def normal(self) -> Values:
        return np.array([-self.way[1], self.way[0]])


@dataclass(frozen=True)
class _Side:
    """A line beside the place, and how much of it has an edge up to each pixel along it, from `-reach`."""

    line: _Line
    held: Values

    def share(self, begin: Values, end: Values, reach: int) -> Values:
        """Of what lies between two places along it, 0-1; 0 where that is too short."""
        low, high = np.minimum(begin, end), np.maximum(begin, end)
        fits = np.isfinite(low) & (high - low > _SIDE) & (low > -reach) & (high < reach)
        first = np.where(fits, low, 0).astype(np.intp) + reach
        last = np.where(fits, high, 1).astype(np.intp) + reach
        return np.where(fits, (self.held[last] - self.held[first]) / np.maximum(last - first, 1), 0)


def four_around(pixels: NDArray[np.uint8], at: tuple[float, float]) -> Values | None:
    """The smallest of the best four straight edges around a place.

    Parameters
    ----------
    pixels
        sRGB encoded, shape (rows, columns, 3), long side about 1000.
    at
        (x, y) in it.

    Returns
    -------
    Its corners in order, shape (4, 2), in pixels with corners at whole numbers; None where no four go around.
    """
    rows, columns = pixels.shape[:2]
    lab = np.asarray(cv2.cvtColor(cv2.GaussianBlur(pixels, (0, 0), 0.8), cv2.COLOR_RGB2LAB), np.uint8)
    reach = 2 * (rows + columns)
    sides = _sides(_lines(lab), lab.astype(np.float32), np.array(at), reach)
    corners = [_meetings(sides[k], sides[(k + 1) % 4]) for k in range(4)]
    right, below, left, above = (_shares(sides[k], corners[k - 1], corners[k], reach) for k in range(4))
    # by right, below, left and above
    each = np.broadcast_arrays(
        right.transpose(0, 2, 1)[:, :, None, :],
        below.transpose(1, 0, 2)[:, :, :, None],
        left.transpose(1, 0, 2)[None],
        above.transpose(2, 1, 0)[:, None],
    )
    least, mean = np.min(each, axis=0), np.mean(each, axis=0)
    score = np.where((least > _LEAST) & (mean > _MEAN), least + mean, 0)
    best: list[tuple[float, float, Values]] = []
    for place in np.argsort(-score, axis=None, kind="stable")[:_LOOKED_AT]:
        one, two, three, four = taken = np.unravel_index(place, score.shape)
        own = float(score[taken])
        if own < (_NEARLY * best[0][0] if best else 1e-6):
            break
        around = np.array(
            [corners[2][three, four], corners[3][four, one], corners[0][one, two], corners[1][two, three]]
        )
        if _goes_around(around, at, (rows, columns)):
            best.append((own, float(cv2.contourArea(around.astype(np.float32))), around))
    return min(best, key=lambda one: one[1])[2] if best else None


def _goes_around(four: Values, at: tuple[float, float], shape: tuple[int, int]) -> bool:
    rows, columns = shape
    slack = _BEYOND * max(shape)
    held = np.isfinite(four).all() and (four > -slack).all() and (four < np.array([columns, rows]) + slack).all()
    outline = four.astype(np.float32)
    if not held or not cv2.isContourConvex(outline) or cv2.pointPolygonTest(outline, at, False) <= 0:
        return False
    return _SMALLEST * rows * columns < cv2.contourArea(outline) < _LARGEST * rows * columns


def _lines(lab: NDArray[np.uint8]) -> list[_Line]:
    """Straight segments of lightness and of both colours, those on one line joined; the longest first."""
    colours = (np.clip(128 + _LEVELS * (lab[..., k].astype(np.float32) - 128), 0, 255) for k in (1, 2))
    grounds = [lab[..., 0], *(one.astype(np.uint8) for one in colours)]
    ends = np.concatenate([straight_segments(np.ascontiguousarray(one)) for one in grounds]).astype(np.float64) + MIDDLE
    ends = ends.reshape(-1, 2, 2)
    long = np.hypot(*(ends[:, 1] - ends[:, 0]).T)
    order = [k for k in np.argsort(-long, kind="stable") if long[k] >= _SHORTEST]
    ends, long = ends[order], long[order]
    free, found = np.ones(len(ends), np.bool_), []
    for k in range(len(ends)):
        if not free[k]:
            continue
        way = (ends[k, 1] - ends[k, 0]) / long[k]
        normal = np.array([-way[1], way[0]])
        along = np.abs((ends - ends[k].mean(axis=0)) @ way).max(axis=1)
        stray = np.abs((ends - ends[k, 0]) @ normal).max(axis=1)
        bent = np.abs((ends[:, 1] - ends[:, 0]) @ normal) / long
        own = free & (stray < _STRAY + _STRAYS * along) & (bent < _BENT)
        free &= ~own
        found.append(_line_through(ends[own], long[own]))
    return found


def _line_through(ends: Values, long: Values) -> _Line:
    points, weights = ends.reshape(-1, 2), np.repeat(long, 2)
    middle = np.average(points, axis=0, weights=weights)
    off = points - middle
    way = np.linalg.eigh((weights[:, None] * off).T @ off)[1][:, 1]
    return _Line(middle, way, np.sort((ends - middle) @ way, axis=1))


def _sides(lines: list[_Line], lab: NDArray[np.float32], at: Values, reach: int) -> list[list[_Side]]:
    """The lines to the right of the place, below it, left of it and above it; the picture's border is one in each."""
    rows, columns = lab.shape[:2]
    beside: list[list[tuple[float, _Line]]] = [[], [], [], []]
    for line in lines:
        away = float((line.point - at) @ line.normal)
        outward = line.normal if away > 0 else -line.normal
        foot, around = float((at - line.point) @ line.way), _ABOUT * abs(away) + _MORE
        spans = np.clip(line.spans, foot - around, foot + around)
        near = float((spans[:, 1] - spans[:, 0]).sum())
        if abs(away) < _NEAREST or near < _SHORTEST:
            continue
        turn = np.degrees(np.arctan2(outward[1], outward[0])) + 45
        beside[int(turn % 360 // 90)].append((near / (abs(away) + _PREFERRED), line))
    out = []
    for found, border in zip(beside, _borders(rows, columns, reach), strict=True):
        ranked = sorted(found, key=lambda one: -one[0])[:_TRIED]
        out.append([*(_Side(line, _held(lab, line, reach)) for _, line in ranked), border])
    return out


def _borders(rows: int, columns: int, reach: int) -> list[_Side]:
    """The picture's own border: right, lower, left and upper."""
    across, down = np.array([1.0, 0.0]), np.array([0.0, 1.0])
    points = [(columns, rows / 2, down), (columns / 2, rows, across), (0, rows / 2, down), (columns / 2, 0, across)]
    held = _BORDER * np.arange(2 * reach + 3, dtype=np.float64)
    return [_Side(_Line(np.array([x, y], np.float64), way, np.zeros((0, 2))), held) for x, y, way in points]


def _held(lab: NDArray[np.float32], line: _Line, reach: int) -> Values:
    """How many pixels along a line have an edge under them, up to each; shape (2 · reach + 3,)."""
    rows, columns = lab.shape[:2]
    along = np.arange(-reach, reach + 2)
    places = line.point + along[:, None] * line.way
    inside = ((places > 0) & (places < (columns, rows))).all(axis=1)
    edge = np.zeros(len(places))
    if inside.any():
        edge[inside] = (1 - _STRAIGHT) * (_changes(lab, places[inside], line.normal) > _CHANGE)
    straight = np.zeros(len(places), np.bool_)
    for first, last in line.spans:
        straight |= (along >= first - _ENDS) & (along <= last + _ENDS)
    return np.concatenate([[0], np.cumsum(edge + _STRAIGHT * straight)])


def _changes(lab: NDArray[np.float32], places: Values, normal: Values) -> NDArray[np.float32]:
    """The largest change of colour across a line at each place, as near to it as an edge may lie."""
    found = []
    for off in _OFF:
        one, other = (
            cv2.remap(lab, *_columns(places + way * normal), cv2.INTER_LINEAR)[:, 0]
            for way in (off - _APART, off + _APART)
        )
        found.append(np.linalg.norm(one - other, axis=1))
    return np.asarray(np.max(found, axis=0), np.float32)


def _columns(places: Values) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """As OpenCV looks places up: by the middles of pixels."""
    return tuple((places[:, axis, None] - 0.5).astype(np.float32) for axis in (0, 1))  # type: ignore[return-value]


def _meetings(sides: list[_Side], others: list[_Side]) -> Values:
    """Where each side meets each other one, shape (sides, others, 2); not a number where they hardly do."""
    out = np.full((len(sides), len(others), 2), np.nan)
    for i, one in enumerate(sides):
        for j, other in enumerate(others):
            place = meeting((one.line.point, one.line.way), (other.line.point, other.line.way), _CORNER)
            if place is not None:
                out[i, j] = place
    return out


def meeting(one: tuple[Values, Values], other: tuple[Values, Values], least: float) -> Values | None:
    """Where two lines meet, each a point and a direction of length 1; None where the sine of their angle is less."""
    (point, way), (there, its) = one, other
    ways = np.stack([way, -its], axis=1)
    if abs(np.linalg.det(ways)) < least:
        return None
    return np.asarray(point + np.linalg.solve(ways, there - point)[0] * way)


def _shares(sides: list[_Side], before: Values, after: Values, reach: int) -> Values:
    """How much of each side has an edge, from each corner with one before to each with one after."""
    out = np.zeros((len(sides), before.shape[0], after.shape[1]))
    for k, side in enumerate(sides):
        begin, end = ((corners - side.line.point) @ side.line.way for corners in (before[:, k], after[k]))
        out[k] = side.share(begin[:, None], end[None], reach)
    return out
