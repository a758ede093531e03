"""How a brush's tip leaves its mark on a plane of coverage.

Nobody waits long for a stroke, however many points it has and however large its tip: what is covered wholly is not
visited again, and a soft stroke that would take long is drawn on a coarser grid, which is as soft as it is.
"""

from __future__ import annotations

import math
from collections.abc import Iterator

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.kernels import kernel
from fern_ticket.core.pictures.plane import lengths_along
from fern_ticket.core.threads import goes_on

Cover = NDArray[np.float32]
#: (x, y, pressure 0-1) in the plane's own pixels.
Path = NDArray[np.float64]

#: Points of a path that are laid at once.
_PART = 400
#: Pixels that a path may visit before it is drawn coarsely; steps of a grid to a tip's soft rim, and how many times
#: less than that rim a path may be off.
_LONG, _FINE, _FINER = 100_000_000, 24, 400


def touches_of(points: Path, apart: float) -> Path:
    """Where a tip comes down along a path: at its start, then every `apart` pixels."""
    along = lengths_along(points[:, :2])
    places = np.arange(0, along[-1] + 1e-9, max(apart, 0.5))
    return np.column_stack([np.interp(places, along, points[:, column]) for column in range(3)])


def parts_of(points: Path, shared: int = 0) -> Iterator[Path]:
    """A path bit by bit, each with `shared` points of the next; between them it may be stopped."""
    for start in range(0, max(len(points) - shared, 1), _PART):
        goes_on()
        yield points[start : start + _PART + shared]


def lay(cover: Cover, path: Path, radius: float, hardness: float, opacity: float, origin: tuple[int, int]) -> None:
    """Lay a ribbon on `cover` by maximum, so that a stroke never builds up on itself.

    Parameters
    ----------
    cover
        Shape (rows, columns), 0-1.
    path
        In pixels of the picture.
    radius, hardness, opacity
        Of the tip at pressure 1; 1 is a crisp edge; the most that it covers.
    origin
        Where the cover's upper left corner lies in the picture: a grid lies alike whichever part is asked.
    """
    step = 1
    if _visits(path, radius) > _LONG:
        soft = max(radius * (1 - hardness), 1.0) * float(path[:, 2].min())
        path = _thinned(path, soft / _FINER)
        step = max(1, math.floor(soft / _FINE)) if _visits(path, radius) > _LONG else 1
    if step == 1:
        _laid(cover, path - (*origin, 0), radius, hardness, opacity)
        return
    first = [origin[axis] // step for axis in (0, 1)]
    size = [(origin[axis] + cover.shape[1 - axis] - 1) // step - first[axis] + 2 for axis in (0, 1)]
    coarse = np.zeros((size[1], size[0]), np.float32)
    # a coarse pixel's middle lies on that of every step-th pixel
    at = (path - (0.5, 0.5, 0)) / (step, step, 1) + (0.5 - first[0], 0.5 - first[1], 0)
    _laid(coarse, at, radius / step, hardness, opacity)
    rows, columns = (_between(origin[axis], cover.shape[1 - axis], step, first[axis]) for axis in (1, 0))
    across = _mixed(coarse, *columns)
    np.maximum(cover, _mixed(across.T, *rows).T, out=cover)


def _laid(cover: Cover, points: Path, radius: float, hardness: float, opacity: float) -> None:
    """A ribbon, part by part, so that one that nobody waits for any more can be stopped."""
    full = np.zeros((cover.shape[0], 2), np.int64)
    for part in parts_of(points, shared=1):
        _lay(cover, part, full, radius, hardness, opacity)


def _visits(path: Path, radius: float) -> float:
    """How many pixels are visited about, when each ribbon from point to point is."""
    length = float(np.hypot(*np.diff(path[:, :2], axis=0).T).sum()) if len(path) > 1 else 0.0
    return 2 * radius * (length + 2 * radius * len(path))


def _thinned(path: Path, off: float) -> Path:
    """Without points that change the path by no more than so many pixels; its pressure stays as it is."""
    if np.ptp(path[:, 2]) > 0:
        return path
    kept = cv2.approxPolyDP(path[:, :2].astype(np.float32), off, closed=False)[:, 0]
    return np.column_stack([kept, np.full(len(kept), path[0, 2])]).astype(np.float64)


def _between(start: int, many: int, step: int, first: int) -> tuple[NDArray[np.intp], Cover]:
    """Which of the grid each pixel comes after, and how far it is on the way to the next."""
    at = np.arange(start, start + many)
    return at // step - first, ((at % step) / step).astype(np.float32)


def _mixed(plane: Cover, before: NDArray[np.intp], share: Cover) -> Cover:
    """Columns of a plane between those of a grid."""
    left, right = plane[:, before], plane[:, before + 1]
    return np.asarray(left + share * (right - left), np.float32)


@kernel
def press(
    cover: Cover,
    touches: Path,
    radius: float,
    hardness: float,
    roundness: float,
    angle: float,
    opacity: float,
    flow: float,
) -> None:
    """Press a tip on `cover` at each touch; every one adds its flow of what is missing to the opacity.

    Touches lie in the cover's own pixels; `angle` is the tip's, radians.
    """
    rows, columns = cover.shape
    cosine, sine = np.cos(angle), np.sin(angle)
    for index in range(touches.shape[0]):
        x, y, pressure = touches[index]
        outer = max(radius * pressure, 0.5)
        soft = max(outer * (1 - hardness), 1.0)
        for row in range(max(0, int(y - outer - 1)), min(rows, int(y + outer + 2))):
            for column in range(max(0, int(x - outer - 1)), min(columns, int(x + outer + 2))):
                dx, dy = column + 0.5 - x, row + 0.5 - y
                long, short = cosine * dx + sine * dy, (cosine * dy - sine * dx) / roundness
                share = min(1.0, max(0.0, (outer - np.sqrt(long * long + short * short)) / soft))
                added = flow * share * share * (3 - 2 * share) * (opacity - cover[row, column])
                if added > 0:
                    cover[row, column] += added


@kernel
def _lay(cover: Cover, points: Path, full: NDArray[np.int64], radius: float, hardness: float, opacity: float) -> None:
    """`full`: columns of each row, from one to before another, that are covered wholly; kept from part to part."""
    rows, columns = cover.shape
    count = points.shape[0]
    for index in range(max(count - 1, 1)):
        ax, ay, ap = points[index]
        bx, by, bp = points[min(index + 1, count - 1)]
        reach = radius * max(ap, bp) + 1
        top, bottom = max(0, int(np.floor(min(ay, by) - reach))), min(rows, int(np.ceil(max(ay, by) + reach)))
        dx, dy = bx - ax, by - ay
        length = dx * dx + dy * dy
        beside = reach * np.sqrt(length)
        for row in range(top, bottom):
            py = row + 0.5 - ay
            left, right = min(ax, bx) - reach, max(ax, bx) + reach
            if dy != 0:
                # no farther from the line through both ends than the tip reaches
                one, other = ax + (py * dx - beside) / dy, ax + (py * dx + beside) / dy
                left, right = max(left, min(one, other) - 1), min(right, max(one, other) + 1)
            column, last = max(0, int(np.floor(left))), min(columns, int(np.ceil(right)))
            began = -1
            while column < last:
                if full[row, 0] <= column < full[row, 1]:
                    if began < 0:
                        began = column
                    column = full[row, 1]
                    continue
                px = column + 0.5 - ax
                t = 0.0
                if length > 0:
                    t = min(1.0, max(0.0, (px * dx + py * dy) / length))
                distance = np.sqrt((px - t * dx) ** 2 + (py - t * dy) ** 2)
                outer = radius * (ap + t * (bp - ap))
                inner = outer * hardness
                soft = max(outer - inner, 1.0)
                share = min(1.0, max(0.0, (outer + 0.5 * (soft == 1.0) - distance) / soft))
                value = opacity * share * share * (3 - 2 * share)
                if value > cover[row, column]:
                    cover[row, column] = value
                if share == 1.0:
                    if began < 0:
                        began = column
                elif began >= 0:
                    _note(full, row, began, column)
                    began = -1
                column += 1
            if began >= 0:
                _note(full, row, began, column)


@kernel
def _note(full: NDArray[np.int64], row: int, start: int, end: int) -> None:
    """Columns of a row that are full: joined with those known where they meet, else the more of the two."""
    first, last = full[row]
    if first <= end and start <= last:
        full[row, 0], full[row, 1] = min(first, start), max(last, end)
    elif end - start > last - first:
        full[row, 0], full[row, 1] = start, end
