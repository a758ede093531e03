"""Filling a long thin strip so that what it crossed runs on.

The strip is laid straight: along it rows of pixels, across it from one bank to the other. Each place of one bank is
joined to the place of the other bank that looks most alike, not far from straight across, in an order that never
crosses (dynamic programming as for two rows of a stereo pair: Ohta, Kanade 1985, doi:10.1109/TPAMI.1985.4767639). A
pixel between takes its colours from the two ends of the line that it lies on; so edges and other lines run on, slanted
or bent.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.kernels import kernel
from fern_ticket.core.pictures.plane import lengths_along

Values = NDArray[np.float32]
Path = NDArray[np.float64]

#: A line to the other bank leans so far at most: pixels along for one across.
_LEAN = 1.6
#: Lines are looked for at every so many pixels along; and what a change of lean costs.
_STRIDE, _STEADY = 2, 6.0
#: Pixels of each bank that are looked at.
_BANK = 3


def even(points: Path, apart: float = 1.0) -> Path:
    """A path of (x, y) through the points with one every `apart` pixels."""
    along = lengths_along(points)
    keep = np.concatenate([[True], np.diff(along) > 1e-9])
    points, along = points[keep], along[keep]
    count = max(2, round(along[-1] / apart) + 1)
    places = np.linspace(0, along[-1], count)
    line = np.column_stack([np.interp(places, along, points[:, axis]) for axis in (0, 1)])
    return np.asarray(line)


def lengthened(path: Path, by: float) -> Path:
    """The path with straight ends added."""
    reach = min(len(path) - 1, 8)
    first, last = path[0] - path[reach], path[-1] - path[-1 - reach]
    steps = np.arange(1, int(np.ceil(by)) + 1)[:, None]
    before = path[0] + steps[::-1] * first / max(float(np.hypot(*first)), 1e-9)
    after = path[-1] + steps * last / max(float(np.hypot(*last)), 1e-9)
    return np.vstack([before, path, after])


def normals(path: Path) -> Path:
    """Unit vectors across the path, to the right of its way on a picture whose y runs down."""
    smooth = path.copy()
    for axis in (0, 1):
        smooth[:, axis] = cv2.GaussianBlur(path[:, axis].reshape(-1, 1), (0, 0), 2.5, borderType=cv2.BORDER_REPLICATE)[
            :, 0
        ]
    way = np.gradient(smooth, axis=0)
    way /= np.maximum(np.hypot(way[:, 0], way[:, 1]), 1e-9)[:, None]
    return np.column_stack([-way[:, 1], way[:, 0]])


def fill_strip(values: Values, path: Path, half: float, wanted: NDArray[np.bool_], free: Values) -> Values:
    """The pixels of a strip, from both its banks.

    Parameters
    ----------
    values
        Encoded, shape (rows, columns, 3).
    path
        The strip's middle, (x, y) in the array's coordinates with pixel corners at whole numbers, a point a pixel.
    half
        Half the strip's width, pixels.
    wanted
        Which pixels are asked for, shape (rows, columns).
    free
        1 where a pixel may be looked at, 0 where not, shape (rows, columns), float32.

    Returns
    -------
    Shape (number of wanted pixels, 3), in the order of `values[wanted]`.
    """
    line = lengthened(path, half + 2)
    across = normals(line)
    left = _bank(values, free, line, across, -half)
    right = _bank(values, free, line, across, half)
    lean = max(1, round(_LEAN * half))
    shift = join_banks(left, right, lean, np.float32(_STEADY)).astype(np.float32) - lean
    shift = np.interp(np.arange(len(line)), _STRIDE * np.arange(len(shift)), shift)
    shift = cv2.GaussianBlur(shift.reshape(1, -1), (0, 0), 2, borderType=cv2.BORDER_REPLICATE)[0]

    rows, columns = np.nonzero(wanted)
    at = np.column_stack([columns + 0.5, rows + 0.5])
    from scipy.spatial import cKDTree  # takes half a second to load

    _, nearest = cKDTree(line).query(at)
    off = at - line[nearest]
    onward = np.column_stack([across[nearest][:, 1], -across[nearest][:, 0]])
    along = nearest + (off * onward).sum(axis=1)
    side = np.clip((off * across[nearest]).sum(axis=1) / half, -1, 1)
    # the line through (along, side) leaves the middle where its own lean brings it here
    middle = along.copy()
    for _ in range(4):
        middle = along + side * np.interp(middle, np.arange(len(shift)), shift)
    leaning = np.interp(middle, np.arange(len(shift)), shift)
    share = ((side + 1) / 2)[:, None]
    return np.asarray(
        (1 - share) * _along(left, middle + leaning) + share * _along(right, middle - leaning), np.float32
    )


def _bank(values: Values, free: Values, line: Path, across: Path, side: float) -> Values:
    """Colours just outside one side of a strip, shape (places, 3), quieted a little across and along."""
    way = 1 if side > 0 else -1
    total = np.zeros((len(line), 3), np.float32)
    weight = np.zeros((len(line), 1), np.float32)
    for step in range(_BANK):
        place = line + across * (side + way * (1.0 + step)) - 0.5
        x, y = place[:, 0].astype(np.float32).reshape(1, -1), place[:, 1].astype(np.float32).reshape(1, -1)
        there = cv2.remap(free, x, y, cv2.INTER_NEAREST, borderMode=cv2.BORDER_CONSTANT, borderValue=0)[0][:, None]
        there = there * np.float32(1.0 if step == 0 else 0.6) + np.float32(1e-4)
        total += there * cv2.remap(values, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)[0]
        weight += there
    return total / weight


def _along(bank: Values, places: NDArray[np.float64]) -> NDArray[np.float64]:
    steps = np.arange(len(bank))
    return np.column_stack([np.interp(places, steps, bank[:, channel]) for channel in range(3)])


@kernel
def join_banks(left: Values, right: Values, lean: int, steady: np.float32) -> NDArray[np.int64]:
    """How the line through every other place along a strip leans.

    It joins `left[place + off]` and `right[place - off]`.
    As lines lean by at most half a pixel more for each pixel along, they never cross.

    Parameters
    ----------
    left, right
        The banks' colours, shape (places, 3).
    lean
        Most that a line leans to either side.
    steady
        What a change of lean by one costs, in units of encoded difference. To lean at all costs a little, so that plain
        ground is joined straight across.

    Returns
    -------
    `off + lean` for each of the places, 0 to 2 · lean.
    """
    steps = (left.shape[0] + 1) // 2
    most = left.shape[0] - 1
    places = 2 * lean + 1
    best = np.zeros((steps, places), np.float32)
    came = np.zeros((steps, places), np.int8)
    for step in range(steps):
        place = 2 * step
        for choice in range(places):
            off = choice - lean
            one, other = min(max(place + off, 0), most), min(max(place - off, 0), most)
            differs = np.float32(0)
            for near in range(-2, 3):
                a, b = min(max(one + near, 0), most), min(max(other + near, 0), most)
                for channel in range(3):
                    differs += abs(left[a, channel] - right[b, channel])
            differs = differs / np.float32(5) + np.float32(5) * np.float32(abs(off)) / np.float32(lean)
            if step == 0:
                best[step, choice] = differs
                continue
            top, way = best[step - 1, choice], 0
            if choice > 0 and best[step - 1, choice - 1] + steady < top:
                top, way = best[step - 1, choice - 1] + steady, -1
            if choice < places - 1 and best[step - 1, choice + 1] + steady < top:
                top, way = best[step - 1, choice + 1] + steady, 1
            best[step, choice] = differs + top
            came[step, choice] = way
    path = np.empty(steps, np.int64)
    path[-1] = np.argmin(best[-1])
    for step in range(steps - 1, 0, -1):
        path[step - 1] = path[step] + came[step, path[step]]
    return path
