"""Looking around in a flat panorama: a view of its developed pixels, each part from the level that resolves it.

What is shown is the delivered picture seen through the view, so nothing on the way there (repairs, pieces, light,
covers) knows that it is looked at from inside.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.pictures.chart import Chart
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.plane import PlaneMap
from fern_ticket.core.pictures.pyramid import level_box, level_size
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.pictures.sphere import Sphere, Turn, places_seen, to_ray, turned_by
from fern_ticket.core.threads import by_rows

#: Reads developed sRGB pixels of a box of a level, shape (rows, columns, 3).
Developed = Callable[[int, Box], Pixels]

#: Side of the parts of a view that are each shown from one level.
_BLOCK = 64
#: Pixels that one level may contribute; where more would be needed, the next coarser one is taken.
_MOST = 40_000_000
#: Pixels beyond what is looked at that the filter reaches.
_REACH = 6


@dataclass(frozen=True)
class Look:
    """Where one looks in a panorama.

    Attributes
    ----------
    heading, pitch, roll
        Degrees: to the right of the picture's middle, upward from its horizon, leaning to the right.
    field
        Degrees across the width.
    width, height
        Of the view, pixels.
    """

    heading: float
    pitch: float
    field: float
    width: int
    height: int
    roll: float = 0.0

    def chart(self, picture: tuple[int, int], sphere: Sphere, turn: Turn | None = None) -> Chart:
        """The view, into the picture as it is turned on its sphere."""
        ahead = turned_by(self.heading, self.pitch, self.roll)
        size = (self.width, self.height)
        return Chart((ahead if turn is None else turn @ ahead) @ to_ray(self.field, size), size, picture, sphere)


@dataclass(frozen=True)
class FlatTurned:
    """A flat result of a turned sphere: its pixels' places in the picture.

    Attributes
    ----------
    to_turned
        Result pixels to pixels of the turned panorama.
    turn
        Directions in the turned sphere to directions in the picture's own.
    size, picture
        Width and height of the result and of the picture.
    sphere
        What of a whole panorama both show.
    """

    to_turned: PlaneMap
    turn: Turn
    size: tuple[int, int]
    picture: tuple[int, int]
    sphere: Sphere


def looked(
    view: Chart | FlatTurned, developed: Developed, levels: int, surround: tuple[int, int, int], *, fine: bool
) -> Pixels:
    """A view of a panorama, in the depth of what is read, shape (height, width, 3).

    Parameters
    ----------
    view
        Which part of the sphere lies where.
    developed
        Gives the panorama's pixels.
    levels
        How many levels can be read.
    surround
        8-bit, where a panorama that is not a whole one shows nothing.
    fine
        False takes one level bilinearly, for frames that the next one replaces.
    """
    assert view.sphere is not None
    width, height = view.size
    across, below = np.empty((height, width), np.float32), np.empty((height, width), np.float32)
    by_rows(height, lambda rows: _places(view, rows, across[rows], below[rows]))
    if view.sphere.all_round(view.picture[0]):
        outside = None
    else:
        beyond = (across < 0) | (across > view.picture[0]) | (below < 0) | (below > view.picture[1])
        outside = beyond if beyond.any() else None
    parts = _parts(view, across, below, levels, fine=fine)
    out: Pixels | None = None
    for level, blocks in parts.items():
        mosaic = _mosaic(view, developed, level, blocks, across, below)
        if out is None:
            out = np.zeros((height, width, 3), mosaic.pixels.dtype)
        if not fine:  # in rows, for as many threads
            blocks = [Box(0, top, width, min(top + _BLOCK, height)) for top in range(0, height, _BLOCK)]
        _sampled(blocks, across, below, mosaic, out, cv2.INTER_CUBIC if fine else cv2.INTER_LINEAR)
    assert out is not None
    if outside is not None:
        out[outside] = np.array(surround) * (257 if out.dtype == np.uint16 else 1)
    return out


def _places(view: Chart | FlatTurned, rows: slice, across: NDArray[np.float32], below: NDArray[np.float32]) -> None:
    """Picture coordinates of the view's pixels, of some rows; x from 0 on, once round."""
    sphere = view.sphere
    assert sphere is not None
    if isinstance(view, Chart):
        places_seen(view.plane, sphere, (0.0, float(rows.start)), 1.0, across, below)
        return
    y, x = np.mgrid[rows.start : rows.start + across.shape[0], 0 : view.size[0]] + 0.5
    flat = view.to_turned @ np.stack([x.ravel(), y.ravel(), np.ones(x.size)])
    whole = Sphere(sphere.width, sphere.height, sphere.left, sphere.top)
    found = whole.of_direction(*(view.turn @ whole.direction(flat[0] / flat[2], flat[1] / flat[2])))
    across[:] = (found[0] % sphere.width).reshape(x.shape)
    below[:] = found[1].reshape(x.shape)


def _parts(
    view: Chart | FlatTurned, across: NDArray[np.float32], below: NDArray[np.float32], levels: int, *, fine: bool
) -> dict[int, list[Box]]:
    """Which parts of a view are shown from which level: the one whose pixels are nearest to the view's in size."""
    assert view.sphere is not None
    width, height = view.size
    boxes = list(_blocks(width, height)) if fine else [Box(0, 0, width, height)]
    reductions = _reductions(view.sphere.width, across, below, boxes)
    chosen = np.clip(np.round(np.log2(np.maximum(reductions, 1.0))), 0, levels - 1).astype(int)
    found: dict[int, list[Box]] = {}
    for level, box in zip(chosen.tolist(), boxes, strict=True):
        before = found.setdefault(level, [])
        # neighbours in a row are one part: fewer and longer ones are quicker
        if before and (before[-1].right, before[-1].top) == (box.left, box.top):
            before[-1] = before[-1].joined(box)
        else:
            before.append(box)
    for level in range(levels - 1):
        blocks = found.get(level)
        if blocks and _extent(view, level, blocks, across, below).area > _MOST:
            found[level + 1] = found.pop(level) + found.get(level + 1, [])
    return found


def _blocks(width: int, height: int) -> Iterator[Box]:
    for top in range(0, height, _BLOCK):
        for left in range(0, width, _BLOCK):
            yield Box(left, top, min(left + _BLOCK, width), min(top + _BLOCK, height))


def _reductions(
    turn: float, across: NDArray[np.float32], below: NDArray[np.float32], boxes: list[Box]
) -> NDArray[np.float64]:
    """Picture pixels for one of the view about the middle of each box, in the direction where they are fewest."""
    last_row, last_column = below.shape[0] - 1, below.shape[1] - 1
    rows = np.array([(box.top + box.bottom) // 2 for box in boxes]).clip(0, max(last_row - 1, 0))
    columns = np.array([(box.left + box.right) // 2 for box in boxes]).clip(0, max(last_column - 1, 0))

    def way(other_rows: NDArray[np.intp], other_columns: NDArray[np.intp]) -> NDArray[np.float64]:
        x = across[other_rows, other_columns].astype(np.float64) - across[rows, columns]
        return np.stack([x - turn * np.round(x / turn), below[other_rows, other_columns] - below[rows, columns]])

    (a, c), (b, d) = way(rows, np.minimum(columns + 1, last_column)), way(np.minimum(rows + 1, last_row), columns)
    total, area = a * a + b * b + c * c + d * d, np.abs(a * d - b * c)
    most = np.sqrt((total + np.sqrt(np.maximum(total * total - 4 * area * area, 0))) / 2)
    return np.asarray(area / np.maximum(most, 1e-9), np.float64)


class _Extent:
    """Pixels of a level that parts of a view lie on; columns run on over the seam."""

    def __init__(self, left: int, top: int, right: int, bottom: int) -> None:
        self.left, self.top, self.right, self.bottom = left, top, right, bottom

    @property
    def area(self) -> int:
        return max(0, self.right - self.left) * max(0, self.bottom - self.top)


def _extent(
    view: Chart | FlatTurned,
    level: int,
    blocks: list[Box],
    across: NDArray[np.float32],
    below: NDArray[np.float32],
) -> _Extent:
    assert view.sphere is not None
    shrink = 2.0**-level
    width, height = level_size(view.picture, level)
    tops, bottoms, columns = [], [], []
    for box in blocks:
        part = (box.rows, box.columns)
        tops.append(float(below[part].min()))
        bottoms.append(float(below[part].max()))
        down, along = max(1, min(8, box.height // 8)), max(1, min(8, box.width // 8))
        columns += [across[part][::down, ::along].ravel(), across[part][-1, ::along], across[part][::down, -1]]
    top = max(0, math.floor(min(tops) * shrink) - _REACH)
    bottom = min(height, math.ceil(max(bottoms) * shrink) + _REACH)
    if not view.sphere.all_round(view.picture[0]):
        found = np.concatenate(columns)
        low, high = float(found.min()), float(found.max())
        margin = _REACH + math.ceil(16 * shrink)
        first = min(max(0, math.floor(low * shrink) - margin), width - 1)
        last = max(min(width, math.ceil(high * shrink) + margin), first + 1)
        return _Extent(first, top, last, max(bottom, top + 1))
    left, right = _shortest_round(np.concatenate(columns), view.sphere.width)
    margin = _REACH + math.ceil(_BLOCK / 4 * shrink)
    first, last = math.floor(left * shrink) - margin, math.ceil(right * shrink) + margin
    if last - first > width:
        first, last = -_REACH, width + _REACH
    return _Extent(first, min(top, height - 1), last, max(bottom, top + 1))


def _shortest_round(columns: NDArray[np.float32], turn: float) -> tuple[float, float]:
    """The shortest stretch of a circle that holds all of the columns; its end may lie beyond a turn."""
    held = np.unique(columns % turn)
    gaps = np.diff(np.append(held, held[0] + turn))
    widest = int(np.argmax(gaps))
    # a gap between two samples of one part is none
    if gaps[widest] < turn / 16:
        return 0.0, turn
    start = float(held[(widest + 1) % len(held)])
    end = float(held[widest])
    return start, end if end >= start else end + turn


@dataclass(frozen=True)
class Mosaic:
    """What parts of a view read of a level, in one piece.

    Attributes
    ----------
    shrink
        Pixels of the level for one of the picture.
    left, top
        Where in the level the upper left corner lies; columns run on over the seam.
    turn
        Columns of the level once round; 0 for a picture that does not close.
    """

    pixels: Pixels
    shrink: float
    left: int
    top: int
    turn: float


def _mosaic(
    view: Chart | FlatTurned,
    developed: Developed,
    level: int,
    blocks: list[Box],
    across: NDArray[np.float32],
    below: NDArray[np.float32],
) -> Mosaic:
    extent = _extent(view, level, blocks, across, below)
    box = level_box(view.picture, level)
    top, bottom = min(extent.top, box.height - 1), max(min(extent.bottom, box.height), 1)
    parts, at = [], extent.left
    while at < extent.right:
        left = at % box.width
        right = min(box.width, left + extent.right - at)
        parts.append(developed(level, Box(left, top, right, bottom)))
        at += right - left
    pixels = np.ascontiguousarray(parts[0] if len(parts) == 1 else np.concatenate(parts, axis=1))
    assert view.sphere is not None
    turn = view.sphere.width * 2.0**-level if view.sphere.all_round(view.picture[0]) else 0.0
    return Mosaic(pixels, 2.0**-level, extent.left, top, turn)


def _sampled(
    blocks: list[Box],
    across: NDArray[np.float32],
    below: NDArray[np.float32],
    mosaic: Mosaic,
    out: Pixels,
    how: int,
) -> None:
    """Parts of a view read from one level."""
    shrink = np.float32(mosaic.shrink)
    columns = mosaic.pixels.shape[1]

    def work(some: slice) -> None:
        for box in blocks[some]:
            part = (box.rows, box.columns)
            x = across[part] * shrink - np.float32(mosaic.left)
            if mosaic.turn:
                x = np.where(x < 0, x + np.float32(mosaic.turn), x)
                x = np.where(x >= columns, x - np.float32(mosaic.turn), x)
            y = below[part] * shrink - np.float32(mosaic.top + 0.5)
            out[part] = cv2.remap(mosaic.pixels, x - np.float32(0.5), y, how, borderMode=cv2.BORDER_REPLICATE)

    by_rows(len(blocks), work, at_once=max(1, min(16, len(blocks) // 4)))
