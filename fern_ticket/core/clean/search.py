"""PatchMatch: for every patch that touches a hole, the patch outside that is most like it.

The nearest-neighbour field is improved in sweeps: what the neighbours found is tried, shifted along, then places at
random ever nearer to what was found (Barnes, Shechtman, Finkelstein, Goldman 2009, doi:10.1145/1531326.1531330).
Bands of rows are swept in threads, every other one first and those between them after that, so that none reads what
another writes; in a band the order is fixed, numbers come from a seed, and sums are of whole numbers: the same call
finds the same on every machine.
What was used often costs more (Kaspar et al. 2015, doi:10.1111/cgf.12565), so that one patch is not stamped all over
the hole; what is smoother than the surroundings tell costs more too (`roughness.py`).
"""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.clean.roughness import due
from fern_ticket.core.kernels import kernel
from fern_ticket.core.threads import in_threads

Grid = NDArray[np.float32]
Bits = NDArray[np.bool_]
#: Values in quarters of one of 255, shape (rows, `PLANES` · columns).
Steps = NDArray[np.int16]
#: The nearest-neighbour field: for each pixel the row and column of the patch that its own was found most like, shape
#: (rows, columns, 2).
Field = NDArray[np.int32]

#: Patches are squares of 2 · 3 + 1 pixels, as in Wexler et al. 2007 and Newson et al. 2014.
REACH = 3
SIDE = 2 * REACH + 1
#: What a pixel is compared by: red, green, blue, and how textured the ground is there (`texture.py`).
PLANES = 4
#: Rows that are swept as one band: more than a sweep's patches reach over, few enough that all cores have some.
_BAND = 48
#: Patches from which on threads are worth being woken for a sweep of milliseconds.
WORTH_THREADS = 8_000
#: Numbers between the seeds of two bands.
_SEED_OF_BAND = 104_729
#: How much dearer a patch is that was used as often as all others together would be on average, as a share of the
#: middling difference of patches, and how many times that at most (tuned on grass, gravel and brick of scikit-image).
_WORN, _MOST_WORN = 0.25, 4


class Penalties(NamedTuple):
    """What patches cost beside their difference: for being used often, and for being too smooth or too rough."""

    #: What it costs to be used often, and how rough a patch is, shape (rows, columns, 2).
    patches: Grid
    #: What roughness costs at each place (`Roughness.dues`).
    dues: Grid


def no_penalties(shape: tuple[int, int]) -> Penalties:
    """Patches cost what they differ by, and nothing beside."""
    return Penalties(np.zeros((*shape, 2), np.float32), np.zeros((*shape, 4), np.float32))


def usable_middles(usable: Bits) -> Bits:
    """Middles of patches that may be copied from: all of their pixels are usable."""
    wide = np.pad(usable, REACH).astype(np.uint8)
    return np.asarray(cv2.erode(wide, np.ones((SIDE, SIDE), np.uint8))[REACH:-REACH, REACH:-REACH] > 0)


def targets_of(hole: Bits) -> NDArray[np.int32]:
    """Middles of patches that touch the hole, row by row, shape (count, 2)."""
    touching = cv2.dilate(hole.astype(np.uint8), np.ones((SIDE, SIDE), np.uint8)) > 0
    inside = np.zeros_like(touching)
    inside[REACH:-REACH, REACH:-REACH] = touching[REACH:-REACH, REACH:-REACH]
    return places_of(inside)


def places_of(set_: Bits) -> NDArray[np.int32]:
    """Rows and columns of what is set, row by row, shape (count, 2), as kernels take them: one compiled for one layout
    need not be compiled for another."""
    return np.ascontiguousarray(np.argwhere(set_), np.int32)


def wear(field: Field, targets: NDArray[np.int32], count: int, shape: tuple[int, int], middling: float) -> Grid:
    """What using a patch costs extra, by how often those around it are used already."""
    used = np.zeros(shape, np.float32)
    found = field[targets[:, 0], targets[:, 1]]
    np.add.at(used, (found[:, 0], found[:, 1]), np.float32(1))
    near = cv2.boxFilter(used, -1, (SIDE, SIDE), normalize=True, borderType=cv2.BORDER_CONSTANT)
    usual = len(targets) / max(1, count)
    excess = np.maximum(near / max(usual, 1e-6) - max(1.0, 1 / max(usual, 1e-6)), 0)
    return np.asarray(np.minimum(excess * _WORN, _MOST_WORN * _WORN) * middling, np.float32)


def in_steps(flat: Grid) -> Steps:
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
    enough = np.int32(min(most * np.float32(16), np.float32(1.4e9)))
    left, at_left = PLANES * (column - REACH), PLANES * (at_column - REACH)
    for dy in range(-REACH, REACH + 1):
        one = steps[row + dy, left : left + PLANES * SIDE]
        weighed = weight[row + dy, left : left + PLANES * SIDE]
        other = steps[at_row + dy, at_left : at_left + PLANES * SIDE]
        for k in range(PLANES * SIDE):
            d = np.int32(one[k]) - np.int32(other[k])
            total += np.int32(weighed[k]) * d * d
        if total > enough:
            break
    return np.float32(total) * np.float32(1 / 16)


@kernel
def least_differences(
    steps: Steps, weight: Steps, targets: NDArray[np.int32], sources: NDArray[np.int32]
) -> NDArray[np.float32]:
    """Weighted squared difference of each target's patch from the source that is most like it, shape (targets,)."""
    out = np.full(targets.shape[0], np.float32(1e30), np.float32)
    for index in range(targets.shape[0]):
        row, column = targets[index, 0], targets[index, 1]
        for k in range(sources.shape[0]):
            found = _difference(steps, weight, row, column, sources[k, 0], sources[k, 1], out[index])
            out[index] = min(out[index], found)
    return out


@kernel
def _costs(penalties: Penalties, row: int, column: int, y: int, x: int) -> np.float32:
    """What the patch at (y, x) costs extra at (row, column)."""
    return np.float32(penalties.patches[y, x, 0] + due(penalties.dues[row, column], penalties.patches[y, x, 1]))


def bands_of(targets: NDArray[np.int32]) -> list[NDArray[np.int32]]:
    """Targets, which are sorted by rows, in bands of as many rows."""
    if not len(targets):
        return []
    first, last = int(targets[0, 0]), int(targets[-1, 0])
    edges = np.searchsorted(targets[:, 0], np.arange(first + _BAND, last + 1, _BAND))
    return np.split(targets, edges)


def measure(
    steps: Steps, weight: Steps, field: Field, cost: Grid, penalties: Penalties, targets: NDArray[np.int32]
) -> None:
    """What each target's patch differs by from the one that it was found most like, into `cost`."""
    worth = len(targets) > WORTH_THREADS
    in_threads(lambda band: _measure(steps, weight, field, cost, penalties, band), bands_of(targets), worth=worth)


@kernel
def _measure(
    steps: Steps, weight: Steps, field: Field, cost: Grid, penalties: Penalties, targets: NDArray[np.int32]
) -> None:
    for index in range(targets.shape[0]):
        row, column = targets[index, 0], targets[index, 1]
        y, x = field[row, column, 0], field[row, column, 1]
        difference = _difference(steps, weight, row, column, y, x, np.float32(1e30))
        cost[row, column] = difference + _costs(penalties, row, column, y, x)


def search(
    steps: Steps,
    weight: Steps,
    field: Field,
    cost: Grid,
    allowed: Bits,
    penalties: Penalties,
    targets: NDArray[np.int32],
    backward: int,
    reach: int,
    seed: int,
) -> None:
    """One sweep: what the neighbours found, shifted along; then places at random ever nearer to what was found."""
    bands = bands_of(targets)

    def swept(number: int) -> None:
        its_seed = seed + _SEED_OF_BAND * number
        _search(steps, weight, field, cost, allowed, penalties, bands[number], backward, reach, its_seed)

    for first in (0, 1):
        in_threads(swept, range(first, len(bands), 2), worth=len(targets) > WORTH_THREADS)


@kernel
def _search(
    steps: Steps,
    weight: Steps,
    field: Field,
    cost: Grid,
    allowed: Bits,
    penalties: Penalties,
    targets: NDArray[np.int32],
    backward: int,
    reach: int,
    seed: int,
) -> None:
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
                    now = _costs(penalties, row, column, y, x)
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
                now = _costs(penalties, row, column, y, x)
                if now < best:
                    now += _difference(steps, weight, row, column, y, x, best - now)
                if now < best:
                    best_y, best_x, best = y, x, now
            wide //= 2
        field[row, column, 0], field[row, column, 1], cost[row, column] = best_y, best_x, best


@kernel
def upsample(coarse: Field, targets: NDArray[np.int32], allowed: Bits, field: Field) -> Bits:
    """The field of the coarser scale on this one, where it has one that is allowed here; returns for which targets."""
    rows, columns = allowed.shape
    led = np.zeros(targets.shape[0], np.bool_)
    for index in range(targets.shape[0]):
        row, column = targets[index, 0], targets[index, 1]
        above_row, above_column = min(row // 2, coarse.shape[0] - 1), min(column // 2, coarse.shape[1] - 1)
        y = 2 * coarse[above_row, above_column, 0] + row % 2
        x = 2 * coarse[above_row, above_column, 1] + column % 2
        if 0 <= y < rows and 0 <= x < columns and coarse[above_row, above_column, 0] > 0 and allowed[y, x]:
            field[row, column, 0], field[row, column, 1] = y, x
            led[index] = True
    return led
