"""Guides: lines through a hole along which edges run on, each side grown from its own.

Structure first, then texture (Sun, Yuan, Jia, Shum 2005, "Image completion with structure propagation",
doi:10.1145/1073204.1073274): the lines say where one ground ends and the next begins, inside the hole and around it.
Places are then compared by what they look like and by the side they lie on, so that what lies across an edge is taken
from where it lies across the same edge: as blades of grass hang over a kerb.
"""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.cutting.dividing import likeness
from fern_ticket.core.pictures.plane import lengths_along
from fern_ticket.core.pictures.values import set_under

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
#: What is added to a channel on another side, of 255: more than grounds differ from themselves; what is compared fits
#: whole numbers of 32 bits with it (`search.py`).
_MARK = np.float32(100)
_MOST_POINTS = 100_000
#: In which channels, one bit each: sides that follow one another differ in several.
_CODES = np.array([0, 7, 1, 6, 2, 5, 3, 4])


def marks_of(values: Grid, own: Bits, seen: Bits, lines: Sequence[Line]) -> Grid | None:
    """What tells the sides of guides apart when places are compared; None where no guide runs through the hole.

    Parameters
    ----------
    values
        Encoded values 0-255, shape (rows, columns, 3), float32. Those in the hole are not read.
    own
        Pixels to fill, shape (rows, columns).
    seen
        Pixels that the filling has to fit to.
    lines
        Guides in the window's pixels. One goes on straight from either end to the window's side, or to another guide.

    Returns
    -------
    Shape of the values: 0 or `_MARK` in each channel, in another one or more of them on the other side of a guide.
    """
    drawn = [one for one in map(_in_steps, lines) if set_under(own, one).any()]
    if not drawn:
        return None
    fitted = [_fitted(one, values, seen, own, _drawn([o for o in drawn if o is not one], own.shape)) for one in drawn]
    sides = _divided(fitted, own.shape)
    inside = np.unique(sides[own])
    if len(inside) < 2:
        return None
    # those inside the hole first: should there be more sides than marks, these are told apart
    numbers = np.argsort(np.argsort(~np.isin(np.arange(int(sides.max()) + 1), inside), kind="stable"))
    marks = np.asarray(_MARK * (_CODES[numbers % len(_CODES)][:, None] >> np.arange(3) & 1), np.float32)
    return np.asarray(marks[sides])


# --------------------------------------------------------------------------------------------- where the lines run


def _in_steps(line: Line) -> Line:
    """The same line with a point for every pixel of its length; of one that is longer than any picture, for more."""
    lengths = lengths_along(line)
    places = np.linspace(0, lengths[-1], int(np.clip(lengths[-1] + 1, 2, _MOST_POINTS)))
    return np.stack([np.interp(places, lengths, line[:, axis]) for axis in (0, 1)], axis=1)


def _drawn(lines: Sequence[Line], shape: tuple[int, int]) -> NDArray[np.uint8]:
    """1 where a line runs, shape (rows, columns)."""
    drawn = np.zeros(shape, np.uint8)
    for line in lines:
        cv2.polylines(drawn, [np.floor(line).astype(np.int32).reshape(-1, 1, 2)], False, 1, 1, cv2.LINE_8)
    return drawn


def _fitted(line: Line, values: Grid, seen: Bits, own: Bits, others: NDArray[np.uint8]) -> Line:
    """A guide moved onto the edges that it meets the hole at.

    A hand misses an edge by some pixels; what is shown inside the hole must not. Between both ends the correction goes
    over from the one to the other. `others`: where other guides run.
    """
    inside = np.flatnonzero(set_under(own, line))
    first, last = int(inside[0]), int(inside[-1])
    begins, ends = (_beside(line, at, way, values, seen, others) for at, way in ((first, -1), (last, 1)))
    share = np.clip((np.arange(len(line)) - first) / max(1, last - first), 0, 1)[:, None]
    return np.asarray(line + (1 - share) * begins + share * ends)


def _beside(line: Line, at: int, way: int, values: Grid, seen: Bits, others: NDArray[np.uint8]) -> Line:
    """By how much the edge outside a guide's end lies beside it, (x, y); nothing where none is seen.

    `at` is the guide's last point in the hole, `way` the direction in which it goes on.
    """
    nothing = np.zeros(2)
    if not 0 <= at + way < len(line):
        return nothing
    ends = [line[np.clip(at + steps * way, 0, len(line) - 1)] for steps in (-_ALONG, _ALONG)]
    along = (ends[1] - ends[0]) / max(float(np.hypot(*(ends[1] - ends[0]))), 1e-6)
    across = np.array([-along[1], along[0]])
    places = line[at] + np.arange(2, _ALONG)[:, None, None] * along + _ACROSS[None, :, None] * across
    known = set_under(seen, places)
    counts = known.sum(axis=0)
    if counts.min() < 4:
        return nothing
    x, y = (places[..., axis].astype(np.float32) - np.float32(0.5) for axis in (0, 1))
    colours = np.asarray(cv2.remap(values, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE), np.float32)
    met = _ACROSS[set_under(others > 0, places).any(axis=0)]
    left, right = (int(np.min(side, initial=_GROUNDS)) for side in (-met[met < 0], met[met > 0]))
    meets = _meeting(colours, known, left, right)
    if meets is None:
        return nothing
    profile = (colours * known[..., None]).sum(axis=0) / counts[:, None]
    steps = _lengths(np.diff(profile, axis=0))
    steps = np.convolve(steps, np.ones(2), "same")[meets - _NEAR : meets + _NEAR + 1]
    best = meets - _NEAR + int(np.argmax(steps))
    return np.asarray((_ACROSS[best] + _between(steps, int(np.argmax(steps)))) * across)


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
