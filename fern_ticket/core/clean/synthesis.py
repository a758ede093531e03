"""Growing a hole shut with texture from its surroundings.

Patch-based synthesis over scales: every patch that touches the hole looks for its most similar patch outside, and the
hole's pixels become what their patches found say, in turns, from coarse to fine (Wexler, Shechtman, Irani 2007,
doi:10.1109/TPAMI.2007.60; from the rim inward on the coarsest scale as Newson et al. 2014, doi:10.1137/140954933). The
search is PatchMatch (Barnes et al. 2009, doi:10.1145/1531326.1531330), one thread, in a fixed order with numbers from a
seed, so that the same call gives the same pixels everywhere. What was used often costs more (Kaspar et al. 2015,
doi:10.1111/cgf.12565), so that one patch is not stamped all over the hole; what is smoother than the surroundings tell
costs more too (`roughness.py`).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.clean.membrane import fill_membrane
from fern_ticket.core.clean.roughness import Pressure, Roughness, alike_around, due
from fern_ticket.core.kernels import kernel
from fern_ticket.core.pictures.values import deepest

Grid = NDArray[np.float32]
Mask = NDArray[np.bool_]
#: Values in quarters of one of 255, shape (rows, 3 · columns).
Steps = NDArray[np.int16]
#: For each pixel the row and column of the patch that it was found most like, shape (rows, columns, 2).
Field = NDArray[np.int32]

#: Patches are squares of 2 · 3 + 1 pixels.
REACH = 3
SIDE = 2 * REACH + 1
#: The coarsest scale is that at which no pixel of the hole is further from its rim than this.
_DEEPEST = 4.0
#: Turns of searching and filling on the coarsest and on the finest scale.
_TURNS_COARSE, _TURNS_FINE = 24, 2
#: How much dearer a patch is that was used as often as all others together would be on average, as a share of the
#: middling difference of patches.
_WORN = 0.25
#: Scales from this one on show things rather than texture: there smoothness costs half where the ground is not alike.
_THINGS = 2
#: Matches worse than this share of the middling one hardly count in a mean: the mean of many is soft.
_SHARP = 0.4
#: What was there weighs so much more than what is grown when patches are compared, so that the rim fits.
_SEEN = np.int16(2)
#: How firmly levels are held where pieces are joined: matching fades over about 7 px.
_HOLD = 0.02


class Unfillable(ValueError):
    """Nothing outside the hole is whole enough to copy from."""


class _Extra(NamedTuple):
    """What patches cost beside their difference: for being used often, and for being too smooth or too rough."""

    #: What it costs to be used often, and how rough a patch is, shape (rows, columns, 2).
    patches: Grid
    #: What roughness costs at each place (`Roughness.dues`).
    dues: Grid


@dataclass
class _Scale:
    values: Grid
    hole: Mask
    usable: Mask
    seen: Mask


def synthesise(
    values: Grid,
    hole: Mask,
    usable: Mask,
    seen: Mask,
    seed: int,
    carry_on: Callable[[float], None] = lambda _: None,
    start: Grid | None = None,
) -> Grid:
    """Fill `hole` with texture from the rest.

    Parameters
    ----------
    values
        Encoded values 0-255, shape (rows, columns, 3), float32. Those in the hole are not read.
    hole
        Pixels to fill, shape (rows, columns).
    usable
        Pixels that may be copied from.
    seen
        Pixels outside the hole that the filling has to fit to. Pixels that are neither seen nor in the hole do not
        exist, such as what lies across a fence.
    seed
        Another one gives another take.
    carry_on
        Told the share done, 0-1; may raise to stop.
    start
        A first filling, shape of `values`, whose structure is right: only its texture is grown, from near by.

    Returns
    -------
    Copy of `values` with the hole filled.

    Raises
    ------
    Unfillable
        No whole patch is usable.
    """
    finest = _Scale(np.array(values, np.float32, order="C"), hole, usable & ~hole, seen & ~hole)
    allowed = _allowed(finest)
    if not allowed.any():
        raise Unfillable
    scales = _scales(finest) if start is None else _scales(finest)[:2]
    pressure = Pressure(alike_around(finest.values, finest.hole, allowed, SIDE))
    field: Field | None = None
    for index in range(len(scales) - 1, -1, -1):
        scale = scales[index]
        allowed = _allowed(scale)
        if not allowed.any():
            continue
        scale.values[scale.hole] = 0
        if start is not None and field is None:
            size = (scale.hole.shape[1], scale.hole.shape[0])
            scale.values[scale.hole] = cv2.resize(start, size, interpolation=cv2.INTER_AREA)[scale.hole]
        turns = _TURNS_FINE + round((_TURNS_COARSE - _TURNS_FINE) * index / max(1, len(scales) - 1))

        def turned(share: float, index: int = index) -> None:
            # a scale costs about a third of what the next finer one does
            carry_on((share * 0.67 + 0.33) * 0.33**index)

        field = _grow(scale, allowed, field, seed + index, turns, pressure, turned, index, begun=start is not None)
    out = values.copy()
    out[hole] = scales[0].values[hole]
    return out


def _scales(finest: _Scale) -> list[_Scale]:
    """From fine to coarse, each half the one before."""
    out = [finest]
    while True:
        last = out[-1]
        rows, columns = last.hole.shape
        if deepest(last.hole) <= _DEEPEST or min(rows, columns) < 6 * SIDE:
            return out
        known = (~last.hole & last.seen).astype(np.float32)
        size = ((columns + 1) // 2, (rows + 1) // 2)

        def halved(plane: Grid, size: tuple[int, int] = size, even: tuple[int, int] = (rows % 2, columns % 2)) -> Grid:
            pad = [(0, even[0]), (0, even[1])] + [(0, 0)] * (plane.ndim - 2)
            return np.asarray(cv2.resize(np.pad(plane, pad, mode="edge"), size, interpolation=cv2.INTER_AREA))

        cover = halved(known)
        colour = halved(last.values * known[..., None]) / np.maximum(cover, 1e-6)[..., None]
        hole = halved(last.hole.astype(np.float32)) > 0.26
        usable = halved(last.usable.astype(np.float32)) > 0.99
        seen = (cover > 0.4) & ~hole
        if hole.all() or not (usable & ~hole).any():
            return out
        out.append(_Scale(np.ascontiguousarray(colour, np.float32), hole, usable & ~hole, seen))


def _allowed(scale: _Scale) -> Mask:
    """Middles of patches that may be copied from."""
    usable = np.pad(scale.usable, REACH).astype(np.uint8)
    return np.asarray(cv2.erode(usable, np.ones((SIDE, SIDE), np.uint8))[REACH:-REACH, REACH:-REACH] > 0)


def _targets(hole: Mask) -> NDArray[np.int32]:
    """Middles of patches that touch the hole, row by row, shape (count, 2)."""
    touching = cv2.dilate(hole.astype(np.uint8), np.ones((SIDE, SIDE), np.uint8)) > 0
    inside = np.zeros_like(touching)
    inside[REACH:-REACH, REACH:-REACH] = touching[REACH:-REACH, REACH:-REACH]
    return np.argwhere(inside).astype(np.int32)


def _grow(
    scale: _Scale,
    allowed: Mask,
    coarse: Field | None,
    seed: int,
    turns: int,
    pressure: Pressure,
    carry_on: Callable[[float], None],
    index: int,
    *,
    begun: bool,
) -> Field:
    """Fill the hole of one scale, the finest being `index` 0, in place; returns what each patch was found most like.

    Begun from `coarse`, from values in the hole that are a first filling, or from nothing.
    """
    rows, columns = scale.hole.shape
    sources = np.argwhere(allowed).astype(np.int32)
    targets = _targets(scale.hole)
    inside = targets[scale.hole[targets[:, 0], targets[:, 1]]]
    random = np.random.default_rng(seed)
    field = np.zeros((rows, columns, 2), np.int32)
    picked = sources[random.integers(0, len(sources), len(targets))]
    field[targets[:, 0], targets[:, 1]] = picked
    cost = np.full((rows, columns), np.inf, np.float32)
    flat = scale.values.reshape(rows, 3 * columns)
    pressure.ease()
    roughness = Roughness.around(scale.values, scale.hole, allowed, SIDE, pressure.alike)
    extra = _Extra(np.stack([np.zeros_like(cost), roughness.rough], axis=-1), roughness.dues(0, 0))
    depth = np.asarray(cv2.distanceTransform(np.pad(scale.hole, 1).astype(np.uint8), cv2.DIST_L2, 5), np.float32)[
        1:-1, 1:-1
    ]
    weight = np.repeat(scale.hole.astype(np.int16) + _SEEN * scale.seen.astype(np.int16), 3, axis=1)
    if coarse is None and not begun:
        _peel(scale, flat, field, cost, allowed, extra, seed)
    elif coarse is not None:
        _widen(coarse, targets, allowed, field)
        trust = np.ones_like(cost)
        cost[targets[:, 0], targets[:, 1]] = 1
        _vote(flat, field, cost, trust, targets, scale.hole, np.float32(1e12))
    reach = max(rows, columns) if coarse is None else max(8, max(rows, columns) // 8)
    for turn in range(turns):
        steps = _in_steps(flat)
        _measure(steps, weight, field, cost, extra, targets)
        for sweep in range(4 if coarse is None else 2):
            carry_on((turn + sweep / 4) / turns)
            _search(
                steps, weight, field, cost, allowed, extra, targets, sweep % 2, reach, seed * 7919 + 31 * turn + sweep
            )
        middling = float(np.percentile(cost[targets[:, 0], targets[:, 1]], 75)) + 1e-3
        trust = np.asarray(1 / np.square(1 + np.float32(0.2) * depth), np.float32)
        if index == 0 and turn == turns - 1:
            origin = _copy(scale, field)
            _join(scale, origin)
        else:
            _vote(flat, field, cost, trust, targets, scale.hole, np.float32(_SHARP * middling))
        if turn < turns - 1:
            pressure.turn(roughness.found(inside, field[inside[:, 0], inside[:, 1]]))
            smooth = pressure.gain * ((1 + pressure.alike) / 2 if index >= _THINGS else 1)
            worn = _worn(field, targets, len(sources), (rows, columns), middling)
            dues = roughness.dues(smooth, middling)
            extra = _Extra(np.stack([worn, roughness.rough], axis=-1), dues)
    return field


def _worn(field: Field, targets: NDArray[np.int32], count: int, shape: tuple[int, int], middling: float) -> Grid:
    """What using a patch costs extra, by how often those around it are used already."""
    used = np.zeros(shape, np.float32)
    found = field[targets[:, 0], targets[:, 1]]
    np.add.at(used, (found[:, 0], found[:, 1]), np.float32(1))
    near = cv2.boxFilter(used, -1, (SIDE, SIDE), normalize=True, borderType=cv2.BORDER_CONSTANT)
    usual = len(targets) / max(1, count)
    excess = np.maximum(near / max(usual, 1e-6) - max(1.0, 1 / max(usual, 1e-6)), 0)
    return np.asarray(np.minimum(excess * _WORN, 4 * _WORN) * middling, np.float32)


def _peel(scale: _Scale, flat: Grid, field: Field, cost: Grid, allowed: Mask, extra: _Extra, seed: int) -> None:
    """A first filling of the coarsest scale, ring by ring from the rim inward; unknown pixels are not compared."""
    left = scale.hole.copy()
    cross = np.ones((3, 3), np.uint8)
    ring_number = 0
    while left.any():
        known = (~left & (scale.hole | scale.seen)).astype(np.uint8)
        ring = left & (cv2.dilate(known, cross) > 0)
        if not ring.any():
            ring = left
        weight = np.repeat(known.astype(np.int16), 3, axis=1)
        steps = _in_steps(flat)
        targets = np.argwhere(ring).astype(np.int32)
        rows, columns = ring.shape
        fits = (targets >= REACH).all(axis=1) & (targets[:, 0] < rows - REACH) & (targets[:, 1] < columns - REACH)
        targets = np.ascontiguousarray(targets[fits])
        if len(targets):
            _measure(steps, weight, field, cost, extra, targets)
            reach, own_seed = max(ring.shape), seed + 977 * ring_number
            for sweep in range(5):
                _search(steps, weight, field, cost, allowed, extra, targets, sweep % 2, reach, own_seed)
            _take_middle(flat, field, targets)
        missed = ring.copy()
        missed[targets[:, 0], targets[:, 1]] = False
        if missed.any():
            filled = cv2.inpaint(
                np.clip(scale.values, 0, 255).astype(np.uint8), missed.astype(np.uint8), 3, cv2.INPAINT_TELEA
            )
            scale.values[missed] = filled[missed]
        left &= ~ring
        ring_number += 1


def _copy(scale: _Scale, field: Field) -> Field:
    """Each hole pixel becomes the one that the patch around it found: nothing is averaged, grain stays.

    Returns where each pixel was copied from; outside the hole, itself.
    """
    rows, columns = scale.hole.shape
    origin: Field = np.empty((rows, columns, 2), np.int32)
    origin[..., 0], origin[..., 1] = np.indices((rows, columns))
    at = np.argwhere(scale.hole)
    # no patch stands around a pixel by the picture's edge: the nearest that does holds it too
    held = np.clip(at, REACH, (rows - 1 - REACH, columns - 1 - REACH))
    origin[at[:, 0], at[:, 1]] = field[held[:, 0], held[:, 1]] + at - held
    scale.values[:] = scale.values[origin[..., 0], origin[..., 1]]
    return origin


def _join(scale: _Scale, origin: Field) -> None:
    """Join what was copied to the rim and piece to piece: differences are kept, levels are matched (Poisson's equation,
    as for healing), but only near a seam, so that no colour spreads from one thing into another."""
    there = scale.hole | scale.seen
    whole = scale.usable | scale.seen
    bend = _bends(scale.values, origin, scale.hole, there, whole)
    scale.values[:] = fill_membrane(scale.values, scale.hole, scale.seen, bend, scale.values, _HOLD)


def _in_steps(flat: Grid) -> Steps:
    """Values in quarters, as whole numbers: sums of those are exact in whatever order a processor adds them up, so that
    every machine finds the same patches."""
    return np.asarray(np.round(flat * 4), np.int16)


@kernel
def _next(state: np.uint32) -> np.uint32:
    """xorshift, 32 bits."""
    state ^= np.uint32(state << np.uint32(13))
    state ^= np.uint32(state >> np.uint32(17))
    state ^= np.uint32(state << np.uint32(5))
    return np.uint32(state)


@kernel
def _difference(
    steps: Steps, weight: Steps, row: int, column: int, at_row: int, at_column: int, most: np.float32
) -> np.float32:
    """Weighted squared difference of two patches, of 255 squared; given up once beyond `most`."""
    total = np.int32(0)
    enough = np.int32(min(most * np.float32(16), np.float32(2e9)))
    left, at_left = 3 * (column - 3), 3 * (at_column - 3)
    for dy in range(-3, 4):
        one = steps[row + dy, left : left + 21]
        weighed = weight[row + dy, left : left + 21]
        other = steps[at_row + dy, at_left : at_left + 21]
        for k in range(21):
            d = np.int32(one[k]) - np.int32(other[k])
            total += np.int32(weighed[k]) * d * d
        if total > enough:
            break
    return np.float32(total) * np.float32(1 / 16)


@kernel
def _likeness(difference: np.float32) -> np.float32:
    """Near to exp(-difference), of sums and products only: the same on every machine."""
    half = difference * difference * np.float32(0.5)
    return np.float32(1) / (np.float32(1) + difference + half + difference * half * np.float32(1 / 3) + half * half / 6)


@kernel
def _costs(extra: _Extra, row: int, column: int, y: int, x: int) -> np.float32:
    """What the patch at (y, x) costs extra at (row, column)."""
    return np.float32(extra.patches[y, x, 0] + due(extra.dues[row, column], extra.patches[y, x, 1]))


@kernel
def _measure(steps: Steps, weight: Steps, field: Field, cost: Grid, extra: _Extra, targets: NDArray[np.int32]) -> None:
    for index in range(targets.shape[0]):
        row, column = targets[index, 0], targets[index, 1]
        y, x = field[row, column, 0], field[row, column, 1]
        difference = _difference(steps, weight, row, column, y, x, np.float32(1e30))
        cost[row, column] = difference + _costs(extra, row, column, y, x)


@kernel
def _search(
    steps: Steps,
    weight: Steps,
    field: Field,
    cost: Grid,
    allowed: Mask,
    extra: _Extra,
    targets: NDArray[np.int32],
    backward: int,
    reach: int,
    seed: int,
) -> None:
    """One sweep: what the neighbours found, shifted along; then places at random ever nearer to what was found."""
    rows, columns = allowed.shape
    state = np.uint32((seed * 2654435761 + 88172645) & 0xFFFFFFFF) | np.uint32(1)
    count = targets.shape[0]
    step = 1 if backward else -1
    for index in range(count):
        place = count - 1 - index if backward else index
        row, column = targets[place, 0], targets[place, 1]
        best_y, best_x, best = field[row, column, 0], field[row, column, 1], cost[row, column]
        for way in range(2):
            from_row, from_column = row + (step if way == 0 else 0), column + (step if way == 1 else 0)
            if 0 <= from_row < rows and 0 <= from_column < columns and cost[from_row, from_column] < np.float32(1e30):
                y = field[from_row, from_column, 0] + row - from_row
                x = field[from_row, from_column, 1] + column - from_column
                if 0 <= y < rows and 0 <= x < columns and allowed[y, x] and not (y == best_y and x == best_x):
                    now = _costs(extra, row, column, y, x)
                    # to go on where the neighbour went is worth something: fewer seams, and things stay whole
                    limit = best * np.float32(1.7)
                    if now < limit:
                        now += _difference(steps, weight, row, column, y, x, limit - now)
                    if now < limit:
                        best_y, best_x, best = y, x, now
        wide = reach
        while wide >= 1:
            state = _next(state)
            y = best_y + np.int64(state % np.uint32(2 * wide + 1)) - wide
            state = _next(state)
            x = best_x + np.int64(state % np.uint32(2 * wide + 1)) - wide
            if 0 <= y < rows and 0 <= x < columns and allowed[y, x]:
                now = _costs(extra, row, column, y, x)
                if now < best:
                    now += _difference(steps, weight, row, column, y, x, best - now)
                if now < best:
                    best_y, best_x, best = y, x, now
            wide //= 2
        field[row, column, 0], field[row, column, 1], cost[row, column] = best_y, best_x, best


@kernel
def _take_middle(flat: Grid, field: Field, targets: NDArray[np.int32]) -> None:
    for index in range(targets.shape[0]):
        row, column = targets[index, 0], targets[index, 1]
        for channel in range(3):
            flat[row, 3 * column + channel] = flat[field[row, column, 0], 3 * field[row, column, 1] + channel]


@kernel
def _vote(
    flat: Grid, field: Field, cost: Grid, trust: Grid, targets: NDArray[np.int32], hole: Mask, middling: np.float32
) -> None:
    """Each hole pixel becomes the mean of what the patches over it found, the better the match the weightier."""
    rows, columns = hole.shape
    total = np.zeros((rows, 3 * columns), np.float32)
    weights = np.zeros((rows, columns), np.float32)
    for index in range(targets.shape[0]):
        row, column = targets[index, 0], targets[index, 1]
        y, x = field[row, column, 0], field[row, column, 1]
        weight = trust[row, column] * _likeness(cost[row, column] / middling) + np.float32(1e-8)
        for dy in range(-3, 4):
            for dx in range(-3, 4):
                if hole[row + dy, column + dx]:
                    weights[row + dy, column + dx] += weight
                    at, source = 3 * (column + dx), 3 * (x + dx)
                    for channel in range(3):
                        total[row + dy, at + channel] += weight * flat[y + dy, source + channel]
    for row in range(rows):
        for column in range(columns):
            if hole[row, column] and weights[row, column] > 0:
                for channel in range(3):
                    flat[row, 3 * column + channel] = total[row, 3 * column + channel] / weights[row, column]


@kernel
def _bends(values: Grid, origin: Field, hole: Mask, there: Mask, whole: Mask) -> Grid:
    """For each hole pixel the sum of its differences from its neighbours, as the places it and they came from have it.

    Where a pixel and its neighbour came from different places, what the place says that says more: a mean of both would
    be softer than either.
    """
    rows, columns = hole.shape
    bend = np.zeros(values.shape, np.float32)
    for row in range(rows):
        for column in range(columns):
            if not hole[row, column]:
                continue
            y, x = origin[row, column]
            for way in range(4):
                dy, dx = (0, 0, -1, 1)[way], (-1, 1, 0, 0)[way]
                other_row, other_column = row + dy, column + dx
                if not (0 <= other_row < rows and 0 <= other_column < columns and there[other_row, other_column]):
                    continue
                other_y, other_x = origin[other_row, other_column]
                near_y, near_x, far_y, far_x = y + dy, x + dx, other_y - dy, other_x - dx
                near = 0 <= near_y < rows and 0 <= near_x < columns and whole[near_y, near_x]
                far = 0 <= far_y < rows and 0 <= far_x < columns and whole[far_y, far_x]
                one, two = np.float32(0), np.float32(0)
                for channel in range(3):
                    if near:
                        one += abs(values[y, x, channel] - values[near_y, near_x, channel])
                    if far:
                        two += abs(values[far_y, far_x, channel] - values[other_y, other_x, channel])
                for channel in range(3):
                    if near and (not far or one >= two):
                        bend[row, column, channel] += values[y, x, channel] - values[near_y, near_x, channel]
                    elif far:
                        bend[row, column, channel] += values[far_y, far_x, channel] - values[other_y, other_x, channel]
    return bend


@kernel
def _widen(coarse: Field, targets: NDArray[np.int32], allowed: Mask, field: Field) -> None:
    """What was found on the coarser scale, on this one, where that is allowed here."""
    rows, columns = allowed.shape
    for index in range(targets.shape[0]):
        row, column = targets[index, 0], targets[index, 1]
        above_row, above_column = min(row // 2, coarse.shape[0] - 1), min(column // 2, coarse.shape[1] - 1)
        y = 2 * coarse[above_row, above_column, 0] + row % 2
        x = 2 * coarse[above_row, above_column, 1] + column % 2
        if 0 <= y < rows and 0 <= x < columns and coarse[above_row, above_column, 0] > 0 and allowed[y, x]:
            field[row, column, 0], field[row, column, 1] = y, x
