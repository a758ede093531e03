"""Where a piece lies: four corners, or its middle with scale, turn, mirror and skew. Source pixels, corners at whole
numbers."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.errors import LedgerError
from fern_ticket.core.kernels import fast_kernel
from fern_ticket.core.ledger.charts import CornersChart
from fern_ticket.core.ledger.covers import Corner
from fern_ticket.core.pictures.chart import flat_chart
from fern_ticket.core.pictures.plane import PlaneMap, box_around, mapped, scaling, translation

#: Corners of a piece in the photo: upper left, upper right, lower right, lower left, as they are in the piece.
Corners = tuple[Corner, Corner, Corner, Corner]
Mirror = Literal["none", "across", "down"]


def corners_about(
    at: Corner, size: tuple[int, int], scale: float, turn: float, mirror: Mirror, skew: float, pivot: float = 0.5
) -> Corners:
    """Corners of a piece of `size` about a place on its upright through the middle.

    Parameters
    ----------
    at
        Where that place lies.
    scale
        Photo pixels for one of the piece's.
    turn
        Degrees clockwise.
    skew
        Degrees by which its uprights lean to the right.
    pivot
        How far down the piece that place is: 0 at its upper side, 1 at its lower one.
    """
    half_width, half_height = 0.5 * scale * size[0], 0.5 * scale * size[1]
    lean, angle = math.tan(math.radians(skew)), math.radians(turn)
    flip_x, flip_y = (-1 if mirror == "across" else 1), (-1 if mirror == "down" else 1)

    def placed(x: float, y: float) -> Corner:
        across, down = flip_x * x * half_width, flip_y * (y + 1 - 2 * pivot) * half_height
        across -= lean * down
        cosine, sine = math.cos(angle), math.sin(angle)
        return (at[0] + cosine * across - sine * down, at[1] + sine * across + cosine * down)

    return placed(-1, -1), placed(1, -1), placed(1, 1), placed(-1, 1)


def plane_in(spec: CornersChart, picture: tuple[int, int]) -> PlaneMap:
    """A plane of the scene on a photo of that size: places in it to photo places.

    In the middle of its four corners lengths are the photo's; beyond, as its perspective makes them.
    """
    corners = np.array(spec.corners, np.float64)
    chart = flat_chart(corners, picture, box_around(corners[:, 0], corners[:, 1], 1), focal=spec.focal)
    x, y = chart.from_source(*np.mean(corners, axis=0))
    finer = math.sqrt(math.prod(chart.scales(float(x), float(y))))
    plane = chart.plane @ translation(float(x), float(y)) @ scaling(1 / finer, 1 / finer)
    return np.asarray(plane / plane[2, 2], np.float64)


def corners_in(plane: PlaneMap, at: Corner, corners: Corners) -> Corners:
    """Corners about a place of the photo, as they lie when they are tilted there into a plane of the scene.

    What would reach behind the eye is as large as fits before it; what lies beyond the plane's horizon stays as it is.
    """
    there = np.linalg.inv(plane) @ (*at, 1.0)
    if there[2] <= _HORIZON:
        return corners
    begin, ways = there[:2] / there[2], np.array(corners, np.float64) - at
    # how far before the eye the place lies, and by how much nearer each corner
    depth, nearer = 1 / there[2], -(ways @ plane[2, :2])
    fits = min([1.0, *((depth - _NEAREST) / nearer[nearer > 0])])
    x, y = begin[:, None] + max(fits, _SMALLEST) * ways.T
    a, b, c, d = ((float(u), float(v)) for u, v in mapped(plane, x, y).T)
    return a, b, c, d


#: Where a plane of the scene ends: so many times as far away as its middle, or so much nearer, shares of that. What
#: does not fit is made smaller, at most to that share.
_HORIZON, _NEAREST, _SMALLEST = 1 / 50, 1 / 20, 1e-3
#: Corners that close to a parallelogram, as a share of their longest side, are one.
_LEVEL = 1e-9


def to_piece(corners: Corners, size: tuple[int, int]) -> PlaneMap:
    """Photo coordinates to the piece's own, shape (3, 3).

    Raises
    ------
    LedgerError
        The corners cross, or lie on a line.
    """
    points = np.array(corners, np.float64)
    ways = np.roll(points, -1, axis=0) - points
    turns = ways[:, 0] * np.roll(ways, -1, axis=0)[:, 1] - ways[:, 1] * np.roll(ways, -1, axis=0)[:, 0]
    longest = float(np.square(ways).sum(axis=1).max())
    if not ((turns > 1e-6 * longest).all() or (turns < -1e-6 * longest).all()):
        raise LedgerError(
            "The corners of the piece cross, or lie on a line.", "Order them around it: no two sides may meet."
        )
    width, height = size
    own = np.array([[0, 0], [width, 0], [width, height], [0, height]], np.float64)
    # told about its middle and in its own size, so that the equations stay well conditioned far from the origin
    middle, spread = points.mean(axis=0), math.sqrt(longest)
    near = (points - middle) / spread
    shift = np.array([[1 / spread, 0, -middle[0] / spread], [0, 1 / spread, -middle[1] / spread], [0, 0, 1]])
    level = np.abs(near[0] - near[1] + near[2] - near[3]).max() < _LEVEL
    return np.asarray((_affine(near, size) if level else _homography(near, own)) @ shift, np.float64)


def _affine(corners: NDArray[np.float64], size: tuple[int, int]) -> PlaneMap:
    """The map that takes a parallelogram to a rectangle at the origin, without any perspective that rounding brings."""
    turn = np.diag(size) @ np.linalg.inv(np.stack([corners[1] - corners[0], corners[3] - corners[0]], axis=1))
    found = np.eye(3)
    found[:2, :2], found[:2, 2] = turn, -turn @ corners[0]
    return found


def _homography(source: NDArray[np.float64], target: NDArray[np.float64]) -> PlaneMap:
    """The map of the plane that takes four points to four others (direct linear transformation)."""
    rows, wanted = [], []
    for (x, y), (u, v) in zip(source, target, strict=True):
        rows += [[x, y, 1, 0, 0, 0, -u * x, -u * y], [0, 0, 0, x, y, 1, -v * x, -v * y]]
        wanted += [u, v]
    found = np.linalg.solve(np.array(rows), np.array(wanted))
    return np.append(found, 1).reshape(3, 3)


def rim_lines(corners: NDArray[np.float64]) -> NDArray[np.float32]:
    """For each side how far inside it a place lies: `a·x + b·y + c`, shape (4, 3), in the unit of the corners."""
    ways = np.roll(corners, -1, axis=0) - corners
    after = np.roll(corners, -1, axis=0)
    area = float(np.sum(corners[:, 0] * after[:, 1] - corners[:, 1] * after[:, 0]))
    long = np.hypot(ways[:, 0], ways[:, 1]) * math.copysign(1, area)
    a, b = -ways[:, 1] / long, ways[:, 0] / long
    return np.stack([a, b, -(a * corners[:, 0] + b * corners[:, 1])], axis=1).astype(np.float32)


@fast_kernel
def inside_of(lines: NDArray[np.float32], soft: np.float32, most: np.float32, share: NDArray[np.float32]) -> None:
    """How far each pixel of a window lies inside four lines, 0 to `most`, into `share`, shape (rows, columns).

    Its rim rises over `soft` pixels; 1 is the share of a pixel that is cut.
    """
    for row in range(share.shape[0]):
        y = np.float32(row) + np.float32(0.5)
        for column in range(share.shape[1]):
            x = np.float32(column) + np.float32(0.5)
            inside = lines[0, 0] * x + lines[0, 1] * y + lines[0, 2]
            for k in range(1, 4):
                inside = min(inside, lines[k, 0] * x + lines[k, 1] * y + lines[k, 2])
            rise = min(max(inside / soft + np.float32(0.5), np.float32(0)), np.float32(1))
            if soft > 1:
                rise = rise * rise * (np.float32(3) - np.float32(2) * rise)
            share[row, column] = most * rise


def order_around(points: NDArray[np.floating]) -> Corners:
    """Four points as upper left, upper right, lower right, lower left."""
    middle = points.mean(axis=0)
    angle = np.arctan2(points[:, 1] - middle[1], points[:, 0] - middle[0])
    around = points[np.argsort(angle)]
    first = int(np.argmin(around.sum(axis=1)))
    ordered = np.roll(around, -first, axis=0)
    return tuple((float(x), float(y)) for x, y in ordered)  # type: ignore[return-value]
