"""Blobs of one band of a picture: what stands out of its noise, hangs together, and lies on plain ground.

Kernels of `specks.py`. Rows and columns are those of the band; lengths are its pixels.
"""

from __future__ import annotations

import math

import numpy as np

from fern_ticket.core.kernels import kernel

#: How far around a peak is looked, pixels: for the whole of it, for what else is there, and for others like it.
REACH, AROUND, _FAR = 26, 20, 120
#: Of what lies around a speck only so much may rival it; more than the second share need not be looked at closely.
_RIVALS, _CROWD = 0.02, 0.12
#: A disc is so much wider than half of its answer.
_GROWS = 1.1
#: A fibre may be so much longer than wide; what is less long is a spot. So many blurs wide a fibre may be.
_LONGEST, _SPOT, _WIDEST = 14.0, 2.2, 4.0
#: A spot fills so much of the ellipse that has its moments: rings and bows do not.
_FILLS = 0.75
#: A blur takes some of a speck's contrast. The middling and the furthest of a plain ring are within these shares of it.
_SOFTENED, _PLAIN, _FURTHEST = 1.18, 0.125, 0.38
#: However strong a peak is, these shares are of no more levels: lights, glints and ends of things are strong and lie on
#: uneven ground.
_ALLOWED = 40.0
#: Nor does that ground rise by more levels from the middle of a ring to its rim.
_SLOPES = 25.0
#: In none of so many directions is a ring on the average further off than this share.
_DIRECTIONS, _CROSSED = 12, 0.23
_ROUNDS = 3
#: A peak is like another of which it has the first share, and weaker with the second.
_LIKE, WEAKER = 0.7, 0.35
#: A peak keeps another company that lies no nearer and no further than so many pixels, is no less than weaker, and so
#: many times as strong as peaks there usually are, which noise seldom is. What is usual is told from more than so many
#: peaks; directions are told apart by so many sectors.
_BESIDE, _NEAR, _UNUSUAL, _TOLD, SECTORS = 6, 60, 2.6, 20, 16


@kernel
def judged(band, fine, rows, columns, blur, rival):  # type: ignore[no-untyped-def]
    """For each peak x, y, diameter, half its length and contrast; a diameter of 0 where it is no speck.

    `band` is what the blur `fine` has and a wider one has not. What is `rival` times as strong as a peak counts as
    noise beside it.
    """
    found = np.zeros((rows.size, 5), np.float32)
    own = np.zeros((2 * REACH + 1, 2 * REACH + 1), np.uint8)
    members = np.zeros((own.size, 2), np.int32)
    apart = np.zeros(own.shape, np.float32)
    for k in range(rows.size):
        row, column = rows[k], columns[k]
        strength = abs(band[row, column])
        if _strong(band, row, column, strength * rival) > _CROWD:
            continue
        own[:] = 0
        count = _grow(band, row, column, own, members)
        if count == 0:
            continue
        length = _length_of(members, count, blur)
        if length == 0:
            continue
        _distances(own, apart)
        if _rivals(band, row, column, strength * rival, apart, math.ceil(2 * blur)) > _RIVALS:
            continue
        contrast = _above_plain(fine, row, column, apart, blur, math.sqrt(count / math.pi))
        if contrast == 0:
            continue
        found[k, 0] = column - REACH + members[:count, 1].mean() + 0.5
        found[k, 1] = row - REACH + members[:count, 0].mean() + 0.5
        found[k, 2] = 2 * math.sqrt(count / math.pi) * _GROWS
        found[k, 3] = length / 2
        found[k, 4] = contrast
    return found


@kernel
def usual_near(rows, columns, strengths, spots):  # type: ignore[no-untyped-def]
    """How strong the middling peak near each (row, column, strength) of `spots` is; 0 where there are only a few.

    Peaks are sorted by their rows.
    """
    usual = np.zeros(len(spots), np.float32)
    for k in range(len(spots)):
        row, column = spots[k, 0], spots[k, 1]
        first, end = np.searchsorted(rows, row - _NEAR), np.searchsorted(rows, row + _NEAR + 1)
        near = np.empty(end - first, np.float32)
        count = 0
        for m in range(first, end):
            if abs(columns[m] - column) <= _NEAR and math.hypot(rows[m] - row, columns[m] - column) > _BESIDE:
                near[count] = strengths[m]
                count += 1
        if count > _TOLD:
            usual[k] = np.median(near[:count])
    return usual


@kernel
def company(rows, columns, strengths, spots):  # type: ignore[no-untyped-def]
    """For each (row, column, strength, usual) of `spots`: how many peaks near it are like it, how many weaker or like
    it, how many keep it company, and the widest angle in which none does, in sectors.

    Peaks are sorted by their rows; what is usual is told by `usual_near`.
    """
    counts = np.zeros((len(spots), 4), np.int64)
    for k in range(len(spots)):
        row, column, strength, usual = spots[k]
        first, end = np.searchsorted(rows, row - _FAR), np.searchsorted(rows, row + _FAR + 1)
        directions = 0
        for m in range(first, end):
            down, across = rows[m] - row, columns[m] - column
            if abs(across) > _FAR or strengths[m] < WEAKER * strength:
                continue
            counts[k, 1] += 1
            counts[k, 0] += strengths[m] > _LIKE * strength
            beside = max(abs(down), abs(across)) <= _NEAR and math.hypot(down, across) > _BESIDE
            if beside and strengths[m] >= _UNUSUAL * usual:
                counts[k, 2] += 1
                turn = math.atan2(down, across) / (2 * math.pi) + 0.5
                directions |= 1 << (int(turn * SECTORS) % SECTORS)
        empty = 0
        for sector in range(2 * SECTORS):
            empty = 0 if directions >> (sector % SECTORS) & 1 else empty + 1
            counts[k, 3] = max(counts[k, 3], min(empty, SECTORS))
    return counts


@kernel
def _grow(band, row, column, own, members):  # type: ignore[no-untyped-def]
    """Marks all that hangs together at half a peak's strength; how many, or 0 where that goes on and on."""
    height, width = band.shape
    side = own.shape[0]
    half = np.float32(0.5) * band[row, column]
    sign = np.float32(1.0) if half > 0 else np.float32(-1.0)
    members[0] = (REACH, REACH)
    own[REACH, REACH] = 1
    count, taken = 1, 0
    while taken < count:
        y, x = members[taken]
        taken += 1
        for v in range(y - 1, y + 2):
            for u in range(x - 1, x + 2):
                if v < 0 or u < 0 or v >= side or u >= side:
                    return 0
                r, c = row + v - REACH, column + u - REACH
                if r < 0 or c < 0 or r >= height or c >= width or own[v, u]:
                    continue
                if band[r, c] * sign > half * sign:
                    own[v, u] = 1
                    members[count] = (v, u)
                    count += 1
    return count


@kernel
def _length_of(members, count, blur):  # type: ignore[no-untyped-def]
    """How long a spot without a hole is, or a fibre not too long for its width; 0 for anything else."""
    my, mx = members[:count, 0].mean(), members[:count, 1].mean()
    yy, xx, xy = 1 / 12, 1 / 12, 0.0
    for m in range(count):
        dy, dx = members[m, 0] - my, members[m, 1] - mx
        yy, xx, xy = yy + dy * dy / count, xx + dx * dx / count, xy + dx * dy / count
    spread = math.sqrt(max(0.0, (yy - xx) ** 2 / 4 + xy * xy))
    long, short = (yy + xx) / 2 + spread, max((yy + xx) / 2 - spread, 1 / 12)
    if math.sqrt(long / short) < _SPOT:
        # an ellipse of these moments has this area
        return 4 * math.sqrt(long) if count > _FILLS * 4 * math.pi * math.sqrt(long * short) else 0.0
    length = math.sqrt(12 * long)
    fibre = length < _LONGEST * count / length and count / length < _WIDEST * blur + 1
    return length if fibre else 0.0


@kernel
def _distances(own, apart):  # type: ignore[no-untyped-def]
    """How far each place is from its own ones, by steps straight and across (chamfer distances)."""
    side = own.shape[0]
    across = np.float32(math.sqrt(2))
    for v in range(side):
        for u in range(side):
            apart[v, u] = 0 if own[v, u] else 1e3
    for turn in range(2):
        for a in range(side):
            for b in range(side):
                v, u = (a, b) if turn == 0 else (side - 1 - a, side - 1 - b)
                step = -1 if turn == 0 else 1
                best = apart[v, u]
                if 0 <= u + step < side:
                    best = min(best, apart[v, u + step] + 1)
                if 0 <= v + step < side:
                    best = min(best, apart[v + step, u] + 1)
                    if u > 0:
                        best = min(best, apart[v + step, u - 1] + across)
                    if u < side - 1:
                        best = min(best, apart[v + step, u + 1] + across)
                apart[v, u] = best


@kernel
def _strong(band, row, column, least):  # type: ignore[no-untyped-def]
    """The share of what lies around that is as strong as `least`, from every third place."""
    there, strong = 0, 0
    for r in range(max(0, row - AROUND), min(band.shape[0], row + AROUND + 1), 3):
        for c in range(max(0, column - AROUND), min(band.shape[1], column + AROUND + 1)):
            there += 1
            strong += abs(band[r, c]) >= least
    return strong / there


@kernel
def _rivals(band, row, column, least, apart, beyond):  # type: ignore[no-untyped-def]
    """The share of what lies around that is as strong as `least` and lies `beyond` what is a peak's own."""
    height, width = band.shape
    there, strong = 0, 0
    for r in range(max(0, row - AROUND), min(height, row + AROUND + 1)):
        for c in range(max(0, column - AROUND), min(width, column + AROUND + 1)):
            there += 1
            if abs(band[r, c]) >= least and apart[r - row + REACH, c - column + REACH] > beyond:
                strong += 1
    return strong / there


@kernel
def _above_plain(fine, row, column, apart, blur, radius):  # type: ignore[no-untyped-def]
    """The contrast of a peak to the ring around its own, or 0 where the ring is not plain."""
    height, width = fine.shape
    side = apart.shape[0]
    inner, outer = 1.5 * blur + 1 + 0.3 * radius, 1.5 * blur + 5 + 1.5 * radius
    values, terms = np.zeros(side * side, np.float64), np.zeros((side * side, 5), np.float64)
    count = 0
    for v in range(side):
        for u in range(side):
            r, c = row + v - REACH, column + u - REACH
            if 0 <= r < height and 0 <= c < width and inner <= apart[v, u] <= outer:
                y, x = (v - REACH) / outer, (u - REACH) / outer
                values[count] = fine[r, c]
                terms[count] = (1.0, y, x, x * y, x * x - y * y)
                count += 1
    if count < 24:
        return 0.0
    # a ground may slope and bend as long as it has no hill of its own: harmonic terms tell nothing of the middle
    values, terms = values[:count], np.ascontiguousarray(terms[:count])
    off, contrast, weights = values - np.median(values), 0.0, np.ones((count, 1))
    surface = np.zeros(5)
    for _ in range(_ROUNDS):
        normal = terms.T @ (weights * terms) + 1e-6 * np.eye(5)
        surface = np.linalg.solve(normal, terms.T @ (weights[:, 0] * values))
        off = values - terms @ surface
        contrast = abs(fine[row, column] - surface[0]) * _SOFTENED
        # near to the least sum of distances, so that what crosses the ring does not bend the ground
        weights = 1 / np.maximum(np.abs(off), 0.03 * contrast + 1e-3).reshape(count, 1)
    if contrast > _ALLOWED and abs(surface[1]) + abs(surface[2]) > _SLOPES:
        return 0.0
    # where a thing ends, what it goes on as crosses the ring in one direction
    sums, counts = np.zeros(_DIRECTIONS), np.zeros(_DIRECTIONS)
    for m in range(count):
        turn = math.atan2(terms[m, 1], terms[m, 2]) / (2 * math.pi)
        direction = int(turn * _DIRECTIONS + _DIRECTIONS) % _DIRECTIONS
        sums[direction] += off[m]
        counts[direction] += 1
    allowed = min(contrast, _ALLOWED)
    if np.max(np.abs(sums) / np.maximum(counts, 1)) > _CROSSED * allowed:
        return 0.0
    off = np.sort(np.abs(off))
    if off[count // 2] > _PLAIN * allowed or off[(count * 95) // 100] > _FURTHEST * allowed:
        return 0.0
    return contrast
