"""The membrane: the smoothest surface through values known around a hole.

Solves Laplace's equation inside a mask with the values around it held, the correction that gradient-domain healing
adds to its source (Pérez, Gangnet, Blake 2003, doi:10.1145/882262.882269). Conjugate gradients, preconditioned by one
multigrid V-cycle, started from a push-pull fill (Gortler et al. 1996). Everything is deterministic and single-threaded.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.kernels import kernel
from fern_ticket.core.threads import in_threads

Grid = NDArray[np.float32]
Bits = NDArray[np.bool_]

_TOLERANCE = 3e-3
_MOST_ROUNDS = 40
#: Channels of more pixels than this are solved for in threads.
_AT_ONCE = 40_000


def fill_membrane(
    values: Grid,
    hole: Bits,
    known: Bits,
    guidance: Grid | None = None,
    start: Grid | None = None,
    screening: float | Grid = 0.0,
) -> Grid:
    """Fill `hole` with the membrane through the known values beside it.

    Parameters
    ----------
    values
        Shape (rows, columns, channels), float32; any scale. Read only where `known`.
    hole
        Shape (rows, columns). Pixels to solve for.
    known
        Pixels whose values hold. Pixels that are neither do not exist: nothing flows across them, nor across the
        array's edge.
    guidance
        What the sum of a pixel's differences from its neighbours should be, shape of `values`; left out, nothing: a
        membrane. With it, Poisson's equation.
    start
        A guess at the result, shape of `values`.
    screening
        How firmly the result is held to `start`: what comes in from the rim and from `guidance` fades over about
        1 / sqrt(screening) pixels (screened Poisson: Bhat et al. 2008, doi:10.1007/978-3-540-88688-4_9). 0 holds
        nothing. One number, or one for each pixel, shape of `hole`.

    Returns
    -------
    Copy of `values` with the hole filled. Where a part of the hole touches nothing known it is filled with the mean of
    all that is known. Largest error against the exact solution about 1e-3 of the range of the known values.
    """
    if not hole.any():
        return values.copy()
    solid = known & ~hole
    if not solid.any():
        return np.where(hole[..., None], np.float32(0), values)
    if start is None:
        start = push_pull(values, solid)
    held = np.broadcast_to(np.float32(screening), hole.shape)
    levels = _build_levels(hole, solid, held)
    out = values.copy()

    def fill(channel: int) -> None:
        plane = np.ascontiguousarray(np.where(solid, values[..., channel], 0), np.float32)
        guess = np.where(hole, start[..., channel], 0).astype(np.float32)
        force = None
        if guidance is not None:
            force = np.where(hole, guidance[..., channel] + held * guess, 0).astype(np.float32)
        out[..., channel] = np.where(hole, _solve(levels, plane, guess, force), values[..., channel])

    in_threads(fill, range(values.shape[2]), worth=hole.size > _AT_ONCE)
    return out


def push_pull(values: Grid, solid: Bits) -> Grid:
    """Means of what is known at every scale, laid over each other from coarse to fine."""
    weight = solid.astype(np.float32)
    planes: list[tuple[Grid, Grid]] = [(values * weight[..., None], weight)]
    while min(planes[-1][1].shape) > 1:
        colour, cover = planes[-1]
        rows, columns = cover.shape
        small = (max(1, (columns + 1) // 2), max(1, (rows + 1) // 2))
        less = cv2.resize(colour, small, interpolation=cv2.INTER_AREA).reshape(small[1], small[0], -1)
        covered = cv2.resize(cover, small, interpolation=cv2.INTER_AREA)
        planes.append((np.asarray(less, np.float32), np.asarray(covered, np.float32)))
    colour, cover = planes.pop()
    filled = colour / np.maximum(cover[..., None], 1e-12)
    for colour, cover in reversed(planes):
        size = (cover.shape[1], cover.shape[0])
        wide = cv2.resize(filled, size, interpolation=cv2.INTER_LINEAR).reshape(*cover.shape, -1)
        filled = wide + np.minimum(cover, 1)[..., None] * (colour / np.maximum(cover[..., None], 1e-12) - wide)
    return np.asarray(filled, np.float32)


@dataclass(frozen=True)
class _Level:
    """One grid with a border of one.

    Where to solve, the inverse diagonal there, the diagonal, and for each row its first column to solve and the one
    after its last: much of a round hole's box is no hole.
    """

    inside: NDArray[np.float32]
    inverse: NDArray[np.float32]
    diagonal: NDArray[np.float32]
    spans: NDArray[np.int64]


def _build_levels(hole: Bits, solid: Bits, screening: Grid) -> list[_Level]:
    inside, held = np.pad(hole, 1), np.pad(screening, 1)
    there = np.pad(hole | solid, 1).astype(np.float32)
    levels: list[_Level] = []
    while True:
        degree = np.zeros_like(there)
        degree[1:-1, 1:-1] = there[:-2, 1:-1] + there[2:, 1:-1] + there[1:-1, :-2] + there[1:-1, 2:]
        where = inside.astype(np.float32)
        diagonal = np.maximum(degree, 1) + held
        levels.append(_Level(where, np.asarray(where / diagonal, np.float32), diagonal * where, _spans(inside)))
        rows, columns = inside.shape
        if min(rows, columns) <= 6 or inside.sum() < 40:
            return levels
        core, exists = inside[1:-1, 1:-1], there[1:-1, 1:-1]
        even = ((-core.shape[0]) % 2, (-core.shape[1]) % 2)
        core = np.pad(core, ((0, even[0]), (0, even[1])))
        exists = np.pad(exists, ((0, even[0]), (0, even[1])))
        coarse = core[::2, ::2] & core[1::2, ::2] & core[::2, 1::2] & core[1::2, 1::2]
        some = np.maximum.reduce([exists[::2, ::2], exists[1::2, ::2], exists[::2, 1::2], exists[1::2, 1::2]])
        if not coarse.any():
            return levels
        # on a grid twice as wide it weighs four times as much: the sum of four, not their mean
        fine = np.pad(held[1:-1, 1:-1], ((0, even[0]), (0, even[1])), mode="edge")
        sums = fine[::2, ::2] + fine[1::2, ::2] + fine[::2, 1::2] + fine[1::2, 1::2]
        inside, there, held = np.pad(coarse, 1), np.pad(some, 1), np.pad(sums, 1)


def _spans(inside: Bits) -> NDArray[np.int64]:
    some = inside.any(axis=1)
    first = np.where(some, inside.argmax(axis=1), 1)
    after = np.where(some, inside.shape[1] - inside[:, ::-1].argmax(axis=1), 1)
    return np.column_stack([first, after]).astype(np.int64)


def _solve(levels: list[_Level], plane: Grid, guess: Grid, force: Grid | None) -> Grid:
    top = levels[0]
    known = np.pad(plane, 1)
    right = np.zeros_like(known)
    _gather(known, top.inside, right)
    if force is not None:
        right[1:-1, 1:-1] += force
    solution = np.pad(guess, 1)
    residual = np.zeros_like(known)
    _residual(solution, right, top.diagonal, top.inside, top.spans, residual)
    scale = float(np.abs(plane).max()) or 1.0
    scratch = [(np.zeros_like(g.inside), np.zeros_like(g.inside), np.zeros_like(g.inside)) for g in levels]
    direction = np.zeros_like(known)
    product = np.zeros_like(known)
    before = 0.0
    for round_number in range(_MOST_ROUNDS):
        if round_number == 0 and float(np.abs(residual).max()) < _TOLERANCE * scale * 0.05:
            break
        scratch[0][1][:] = residual
        _v_cycle(levels, scratch, 0)
        improved = scratch[0][0]
        now = _dot(residual, improved, top.spans)
        if now <= 0:
            break
        _turn(direction, improved, np.float32(now / before if round_number else 0), top.spans)
        before = now
        _apply(direction, top.diagonal, top.inside, top.spans, product)
        step = np.float32(now / max(_dot(direction, product, top.spans), 1e-30))
        moved, left = _advance(solution, residual, direction, product, step, top.spans)
        if moved < _TOLERANCE * scale or left < _TOLERANCE * scale * 0.05:
            break
    return solution[1:-1, 1:-1]


def _v_cycle(levels: list[_Level], scratch: list[tuple[Grid, Grid, Grid]], depth: int) -> None:
    """Leaves in scratch[depth][0] an approximate solution for the right-hand side scratch[depth][1]."""
    level = levels[depth]
    solution, right, residual = scratch[depth]
    solution[:] = 0
    if depth == len(levels) - 1:
        for _ in range(12):
            _smooth(solution, right, level.inverse, level.spans, 0)
            _smooth(solution, right, level.inverse, level.spans, 1)
        for _ in range(12):
            _smooth(solution, right, level.inverse, level.spans, 1)
            _smooth(solution, right, level.inverse, level.spans, 0)
        return
    for _ in range(2):
        _smooth(solution, right, level.inverse, level.spans, 0)
        _smooth(solution, right, level.inverse, level.spans, 1)
    _residual(solution, right, level.diagonal, level.inside, level.spans, residual)
    below = levels[depth + 1]
    _restrict(residual, below.inside, below.spans, scratch[depth + 1][1])
    _v_cycle(levels, scratch, depth + 1)
    _prolong(scratch[depth + 1][0], level.inside, level.spans, solution)
    for _ in range(2):
        _smooth(solution, right, level.inverse, level.spans, 1)
        _smooth(solution, right, level.inverse, level.spans, 0)


@kernel
def _dot(a: Grid, b: Grid, spans: NDArray[np.int64]) -> float:
    total = 0.0
    for row in range(a.shape[0]):
        start, end = spans[row]
        one, other = a[row, start:end], b[row, start:end]
        line = np.zeros(8, np.float32)
        whole = len(one) // 8
        for block in range(whole):
            for lane in range(8):
                line[lane] += one[8 * block + lane] * other[8 * block + lane]
        for column in range(8 * whole, len(one)):
            line[0] += one[column] * other[column]
        for lane in range(8):
            total += float(line[lane])
    return total


@kernel
def _turn(direction: Grid, improved: Grid, share: np.float32, spans: NDArray[np.int64]) -> None:
    """The next direction: what improves, and a share of the last one."""
    for row in range(direction.shape[0]):
        start, end = spans[row]
        here, other = direction[row, start:end], improved[row, start:end]
        for k in range(len(here)):
            here[k] = here[k] * share + other[k]


@kernel
def _advance(
    solution: Grid, residual: Grid, direction: Grid, product: Grid, step: np.float32, spans: NDArray[np.int64]
) -> tuple[np.float32, np.float32]:
    """Go a step along; returns by how much any value moved at most, and the largest residual left."""
    moved, left = np.float32(0), np.float32(0)
    for row in range(direction.shape[0]):
        start, end = spans[row]
        here, rest = solution[row, start:end], residual[row, start:end]
        way, pushed = direction[row, start:end], product[row, start:end]
        for k in range(len(here)):
            by = step * way[k]
            here[k] += by
            rest[k] -= step * pushed[k]
            moved = max(moved, abs(by))
            left = max(left, abs(rest[k]))
    return moved, left


@kernel
def _gather(known: Grid, inside: Grid, right: Grid) -> None:
    for row in range(1, known.shape[0] - 1):
        for column in range(1, known.shape[1] - 1):
            right[row, column] = inside[row, column] * (
                known[row - 1, column] + known[row + 1, column] + known[row, column - 1] + known[row, column + 1]
            )


@kernel
def _smooth(solution: Grid, right: Grid, inverse: Grid, spans: NDArray[np.int64], colour: int) -> None:
    for row in range(1, solution.shape[0] - 1):
        start, end = spans[row]
        start += (row + colour + start + 1) % 2
        count = (end - start + 1) // 2
        if count <= 0:
            continue
        # slices that begin where they are read let the loop run without looking for negative places
        here, above, below = solution[row, start:end], solution[row - 1, start:end], solution[row + 1, start:end]
        before, after = solution[row, start - 1 : end - 1], solution[row, start + 1 : end + 1]
        wanted, share = right[row, start:end], inverse[row, start:end]
        for k in range(count):
            j = 2 * k
            here[j] = share[j] * (wanted[j] + above[j] + below[j] + before[j] + after[j])


@kernel
def _apply(solution: Grid, diagonal: Grid, inside: Grid, spans: NDArray[np.int64], out: Grid) -> None:
    for row in range(1, solution.shape[0] - 1):
        start, end = spans[row]
        here, above, below = solution[row, start:end], solution[row - 1, start:end], solution[row + 1, start:end]
        before, after = solution[row, start - 1 : end - 1], solution[row, start + 1 : end + 1]
        own, there, result = diagonal[row, start:end], inside[row, start:end], out[row, start:end]
        for k in range(len(here)):
            result[k] = own[k] * here[k] - there[k] * (above[k] + below[k] + before[k] + after[k])


@kernel
def _residual(solution: Grid, right: Grid, diagonal: Grid, inside: Grid, spans: NDArray[np.int64], out: Grid) -> None:
    for row in range(1, solution.shape[0] - 1):
        start, end = spans[row]
        here, above, below = solution[row, start:end], solution[row - 1, start:end], solution[row + 1, start:end]
        before, after = solution[row, start - 1 : end - 1], solution[row, start + 1 : end + 1]
        own, there, result = diagonal[row, start:end], inside[row, start:end], out[row, start:end]
        wanted = right[row, start:end]
        for k in range(len(here)):
            result[k] = wanted[k] - own[k] * here[k] + there[k] * (above[k] + below[k] + before[k] + after[k])


@kernel
def _prolong(coarse: Grid, inside: Grid, spans: NDArray[np.int64], fine: Grid) -> None:
    """Add the coarse correction, bilinear between cell centres."""
    for row in range(1, fine.shape[0] - 1):
        near_row = (row - 1) // 2 + 1
        far_row = near_row + (1 if (row - 1) % 2 else -1)
        for column in range(spans[row, 0], spans[row, 1]):
            if inside[row, column] > 0:
                near, far = (column - 1) // 2 + 1, (column - 1) // 2 + 1 + (1 if (column - 1) % 2 else -1)
                fine[row, column] += (
                    np.float32(0.5625) * coarse[near_row, near]
                    + np.float32(0.1875) * (coarse[far_row, near] + coarse[near_row, far])
                    + np.float32(0.0625) * coarse[far_row, far]
                )


@kernel
def _restrict(fine: Grid, inside: Grid, spans: NDArray[np.int64], coarse: Grid) -> None:
    """The transpose of `_prolong`."""
    coarse[:] = 0
    rows, columns = fine.shape
    for row in range(1, coarse.shape[0] - 1):
        for column in range(spans[row, 0], spans[row, 1]):
            if inside[row, column] > 0:
                total = np.float32(0)
                for dy in range(-1, 3):
                    fine_row = 2 * (row - 1) + 1 + dy
                    if fine_row < 1 or fine_row >= rows - 1:
                        continue
                    down = np.float32(0.75) if 0 <= dy <= 1 else np.float32(0.25)
                    for dx in range(-1, 3):
                        fine_column = 2 * (column - 1) + 1 + dx
                        if 1 <= fine_column < columns - 1:
                            across = np.float32(0.75) if 0 <= dx <= 1 else np.float32(0.25)
                            total += down * across * fine[fine_row, fine_column]
                coarse[row, column] = total
