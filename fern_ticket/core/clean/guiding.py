"""Guides: lines through a hole along which edges run on, and what lies between them grown from its own side only.

Structure first, then texture (Sun, Yuan, Jia, Shum 2005, "Image completion with structure propagation",
doi:10.1145/1073204.1073274): the lines say where one ground ends and the next begins, so each is filled with nothing
but itself, and both are laid together as softly as the edge is where it meets the hole.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.clean.search import SIDE, usable_middles
from fern_ticket.core.cutting.dividing import likeness

Bits = NDArray[np.bool_]
Grid = NDArray[np.float32]
#: (x, y) in a window's pixels, shape (count, 2).
Line = NDArray[np.float64]

#: How far outside the hole an edge is looked at, and how far beside the line it may lie, pixels; and no more than that
#: share of the way to another guide.
_ALONG, _ASIDE, _TO_ANOTHER = 24, 12, 0.35
#: Pixels on either side by which grounds are known, and what one pixel says at most, as log odds.
_GROUNDS, _SAYS = 52, 4.0
_ACROSS = np.arange(-_GROUNDS, _GROUNDS + 1)
#: How far an edge is steepest from where grounds are seen to meet, pixels.
_NEAR = 1
#: The least that pixels of either ground say for it on average.
_APART = 0.4
#: Deviation of the blur with which two grounds are laid together, pixels: at least, and at most.
_CRISP, _SOFT = 0.6, 4.0
#: Middles of patches that a side must have to be grown from itself alone; a narrower one, such as a kerb, may copy
#: what lies across its edges too, of which only its own is shown.
_ENOUGH = 150


@dataclass(frozen=True)
class Hole:
    """What is to be filled, in a window.

    Attributes
    ----------
    values
        Encoded values 0-255, shape (rows, columns, 3), float32. Those in the hole are not read.
    own
        Pixels to fill, shape (rows, columns).
    usable
        Pixels that may be copied from.
    seen
        Pixels that the filling has to fit to.
    """

    values: Grid
    own: Bits
    usable: Bits
    seen: Bits


@dataclass(frozen=True)
class Part:
    """A hole's part between guides, grown a little beyond them, and how much of it is shown at each pixel, 0-1."""

    hole: Hole
    share: Grid


def parts_of(hole: Hole, lines: Sequence[Line]) -> list[Part]:
    """The parts that guides divide a hole into; none where no guide runs through it.

    Parameters
    ----------
    lines
        Guides in the window's pixels. One goes on straight from either end to the window's side, or to another guide.
    """
    drawn = [one for one in map(_in_steps, lines) if _at(hole.own, one).any()]
    if not drawn:
        return []
    fitted = [
        _fitted(line, hole, _drawn([other for other in drawn if other is not line], hole.own.shape)) for line in drawn
    ]
    labels = _divided([line for line, _ in fitted], hole.own.shape)
    numbers = np.unique(labels[hole.own])
    if len(numbers) < 2:
        return []
    soft = float(np.clip(np.median([found for _, found in fitted]), _CRISP, _SOFT))
    return [_part(hole, labels == number, soft) for number in numbers]


def laid_together(hole: Hole, parts: Sequence[tuple[Part, Grid]]) -> Grid:
    """The hole filled with parts, each with what it was grown to, shape of the hole's values."""
    total = np.zeros(hole.values.shape, np.float32)
    weight = np.zeros(hole.own.shape, np.float32)
    for part, filled in parts:
        share = np.where(part.hole.own, part.share, np.float32(0))
        total += share[..., None] * filled
        weight += share
    out = hole.values.copy()
    mixed = total / np.maximum(weight, np.float32(1e-6))[..., None]
    np.copyto(out, mixed, where=(hole.own & (weight > 0))[..., None])
    return out


# --------------------------------------------------------------------------------------------- where the lines run


def _in_steps(line: Line) -> Line:
    """The same line with a point for every pixel of its length."""
    lengths = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(line, axis=0).T))])
    places = np.linspace(0, lengths[-1], max(2, round(lengths[-1]) + 1))
    return np.stack([np.interp(places, lengths, line[:, axis]) for axis in (0, 1)], axis=1)


def _at(grid: Bits, points: Line) -> Bits:
    """Whether the grid is set under each point; nothing is outside of it."""
    x, y = np.floor(points).astype(int).T
    inside = (x >= 0) & (y >= 0) & (x < grid.shape[1]) & (y < grid.shape[0])
    found = np.zeros(len(points), np.bool_)
    found[inside] = grid[y[inside], x[inside]]
    return found


def _under(grid: Bits, places: NDArray[np.float64]) -> Bits:
    """As `_at`, for places of shape (rows, columns, 2)."""
    return _at(grid, places.reshape(-1, 2)).reshape(places.shape[:2])


def _drawn(lines: Sequence[Line], shape: tuple[int, int]) -> NDArray[np.uint8]:
    """1 where a line runs, shape (rows, columns)."""
    drawn = np.zeros(shape, np.uint8)
    for line in lines:
        cv2.polylines(drawn, [np.floor(line).astype(np.int32).reshape(-1, 1, 2)], False, 1, 1, cv2.LINE_8)
    return drawn


def _fitted(line: Line, hole: Hole, others: NDArray[np.uint8]) -> tuple[Line, float]:
    """A guide moved onto the edges that it meets the hole at, and how soft these are.

    A hand misses an edge by some pixels; what is shown inside the hole must not. Between both ends the correction goes
    over from the one to the other. `others`: where other guides run.
    """
    inside = np.flatnonzero(_at(hole.own, line))
    first, last = int(inside[0]), int(inside[-1])
    ends = [_edge_at(line, first, -1, hole, others), _edge_at(line, last, 1, hole, others)]
    (begins, ends_at), softness = [one[0] for one in ends], [one[1] for one in ends if one[1] is not None]
    share = np.clip((np.arange(len(line)) - first) / max(1, last - first), 0, 1)[:, None]
    moved = line + (1 - share) * begins + share * ends_at
    return moved, float(np.mean(softness)) if softness else _CRISP


def _edge_at(line: Line, at: int, way: int, hole: Hole, others: NDArray[np.uint8]) -> tuple[Line, float | None]:
    """By how much the edge outside a guide's end lies beside it, (x, y), and its softness; none where none is seen.

    `at` is the guide's last point in the hole, `way` the direction in which it goes on.
    """
    nothing = np.zeros(2), None
    if not 0 <= at + way < len(line):
        return nothing
    ends = [line[np.clip(at + steps * way, 0, len(line) - 1)] for steps in (-_ALONG, _ALONG)]
    along = (ends[1] - ends[0]) / max(float(np.hypot(*(ends[1] - ends[0]))), 1e-6)
    across = np.array([-along[1], along[0]])
    places = line[at] + np.arange(2, _ALONG)[:, None, None] * along + _ACROSS[None, :, None] * across
    known = _under(hole.seen, places)
    counts = known.sum(axis=0)
    if counts.min() < 4:
        return nothing
    x, y = (places[..., axis].astype(np.float32) - np.float32(0.5) for axis in (0, 1))
    colours = np.asarray(cv2.remap(hole.values, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE), np.float32)
    met = _ACROSS[_under(others > 0, places).any(axis=0)]
    left, right = (int(np.min(side, initial=_GROUNDS)) for side in (-met[met < 0], met[met > 0]))
    meets = _meeting(colours, known, left, right)
    if meets is None:
        return nothing
    profile = (colours * known[..., None]).sum(axis=0) / counts[:, None]
    steps = _lengths(np.diff(profile, axis=0))
    steps = np.convolve(steps, np.ones(2), "same")[meets - _NEAR : meets + _NEAR + 1]
    best = meets - _NEAR + int(np.argmax(steps))
    return (_ACROSS[best] + _between(steps, int(np.argmax(steps)))) * across, _softness(profile, best)


def _softness(profile: NDArray[np.floating], middle: int) -> float:
    """Deviation of the blur that an edge across a profile was drawn with, pixels: its whole step over its steepest."""
    before, after = (
        profile[part].mean(axis=0) for part in (np.s_[middle - 9 : middle - 3], np.s_[middle + 4 : middle + 10])
    )
    steepest = _lengths(np.diff(profile[middle - 4 : middle + 5], axis=0)).max()
    return float(np.linalg.norm(after - before) / (math.sqrt(2 * math.pi) * max(steepest, 1e-3)))


def _lengths(colours: NDArray[np.floating]) -> NDArray[np.float64]:
    return np.asarray(np.sqrt(np.square(colours).sum(axis=-1)))


def _meeting(colours: Grid, known: Bits, left: int, right: int) -> int | None:
    """The column at which what looks like the ground at the left gives way to what looks like that at the right.

    The change of a sequence by maximum likelihood (Hinkley 1970, doi:10.1093/biomet/57.1.1), near the middle; None
    where both grounds look alike.

    Parameters
    ----------
    colours
        Shape (along the edge, across it, 3).
    known
        Which of them count.
    left, right
        Pixels from the middle to where either ground ends.
    """
    away = _ACROSS
    most = [min(_ASIDE, _TO_ANOTHER * room) for room in (left, right)]
    one = known & (away < -most[0]) & (away > -left + most[0])
    other = known & (away > most[1]) & (away < right - most[1])
    if not one.any() or not other.any():
        return None
    said = likeness(colours, one.astype(np.float32)) - likeness(colours, other.astype(np.float32))
    said = np.where(known, np.clip(said, -_SAYS, _SAYS), 0)
    if min(float(said[one].mean()), -float(said[other].mean())) < _APART:
        return None
    total = said.sum(axis=0)
    # what is left of a place speaks for the one ground, what is right of it for the other
    likely = 2 * np.cumsum(total) - total.sum()
    near = np.flatnonzero((away >= -most[0]) & (away <= most[1]))
    return int(near[np.argmax(likely[near])])


def _between(values: NDArray[np.float64], best: int) -> float:
    """How far from `best` a parabola through it and its neighbours has its top, -0.5 to 0.5."""
    if not 0 < best < len(values) - 1:
        return 0.0
    before, top, after = values[best - 1 : best + 2]
    bend = before - 2 * top + after
    return 0.0 if bend >= 0 else float(np.clip(0.5 * (before - after) / bend, -0.5, 0.5))


# ------------------------------------------------------------------------------------------------ what they divide


def _divided(lines: Sequence[Line], shape: tuple[int, int]) -> NDArray[np.int32]:
    """A number for each side of the lines, shape (rows, columns)."""
    drawn = _drawn(lines, shape)
    for line in lines:
        for end, before in ((line[-1], line[max(-21, -len(line))]), (line[0], line[min(20, len(line) - 1)])):
            _drawn_on(drawn, end, end - before)
    labels = cv2.connectedComponents(1 - drawn, connectivity=4)[1]
    # the lines' own pixels belong to what lies beside them
    _, nearest = cv2.distanceTransformWithLabels(drawn, cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    free = drawn == 0
    numbers = np.zeros(int(nearest.max()) + 1, np.int32)
    numbers[nearest[free]] = labels[free]
    return np.asarray(numbers[nearest], np.int32)


def _drawn_on(drawn: NDArray[np.uint8], end: Line, way: Line) -> None:
    """A line drawn on from its end, to the window's side or to another line."""
    length = float(np.hypot(*way))
    if not length:
        return
    rows, columns = drawn.shape
    at, step = end.copy(), way / length
    left = False
    path = []
    while 0 <= at[0] < columns and 0 <= at[1] < rows:
        met = bool(drawn[int(at[1]), int(at[0])])
        # its own last pixels are no other line
        if met and left:
            break
        left |= not met
        path.append(np.floor(at))
        at = at + step
    if len(path) > 1:
        cv2.polylines(drawn, [np.array(path, np.int32).reshape(-1, 1, 2)], False, 1, 1, cv2.LINE_8)


def _part(hole: Hole, region: Bits, soft: float) -> Part:
    """What of a hole lies in a region, to be grown from it."""
    bits = region.astype(np.uint8)
    mixed = math.ceil(2 * soft) + 1
    pure = cv2.erode(bits, _disc(mixed), borderValue=1) > 0
    if np.count_nonzero(usable_middles(hole.usable & pure)) < _ENOUGH:
        pure = cv2.dilate(bits, _disc(2 * SIDE)) > 0
    wide = cv2.dilate(bits, _disc(math.ceil(3 * soft) + 1)) > 0
    share = np.asarray(cv2.GaussianBlur(region.astype(np.float32), (0, 0), soft), np.float32)
    own = replace(hole, own=hole.own & wide, usable=hole.usable & pure, seen=hole.seen & pure)
    return Part(own, share)


def _disc(reach: int) -> NDArray[np.uint8]:
    return np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * reach + 1, 2 * reach + 1)), np.uint8)
