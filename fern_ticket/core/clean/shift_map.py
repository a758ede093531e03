"""Filling a hole by whole pieces of its surroundings, each moved by one of a few offsets.

What repeats in a picture repeats by few offsets: those by which it is most like itself (He, Sun 2012, "Statistics of
patch offsets for image completion", doi:10.1007/978-3-642-33709-3_2, here by autocorrelation). Each pixel of the hole
takes one of them, so that few seams are seen (Pritch, Kav-Venaki, Peleg 2009, "Shift-map image editing",
doi:10.1109/ICCV.2009.5459159); the labelling is found by belief propagation (Tappen, Freeman 2003,
doi:10.1109/ICCV.2003.1238444) on a small copy, and led down to full size along its seams. So courses of brick, planks
and lines run on, as they are copied whole.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.clean.joins import join
from fern_ticket.core.clean.scales import Scale
from fern_ticket.core.clean.search import Bits, Field, Grid
from fern_ticket.core.kernels import kernel

Offsets = NDArray[np.int32]

#: The labelling begins on a copy whose hole has at most so many pixels; smaller holes than this are none for it.
_SMALL, _LEAST = 2_000, 900
#: A halved pixel of which more than this share lies in the hole is hole: nearly any, as whole pixels are labelled.
_HOLE_SHARE = 0.01
#: Offsets by likeness; the least of them, as a share of the hole's longer side; and the share that a take keeps.
_LIKE, _NEAREST, _KEPT = 32, 0.12, 0.85
#: Likeness of a pattern to itself moved by its strongest offset, and by another one, whose direction's sine is so much.
_REGULAR, _ANOTHER = (0.9, 0.7), 0.3
#: Rings of further offsets, so that every pixel has one: how far as a share of the hole's sides, and how many.
_RINGS = ((0.45, 6), (0.75, 6), (1.15, 8))
#: Pixels over which light is taken out before a picture is compared with itself.
_LIGHT = 6.0
#: Share of the picture, and of what is to be seen in it, that has to overlap with itself for an offset to count.
_OVERLAP = 0.1
#: Rounds of belief propagation at first, and on each finer copy; labels a pixel has there.
_ROUNDS, _ROUNDS_FINE, _CHOICES = 5, 3, 6
#: What a seam costs in itself, what one costs that leads nowhere, and the weight of the rim beside seams.
_SEAM, _NOWHERE, _RIM = 20.0, 4000.0, 2.0


def shifted(
    values: Grid,
    hole: Bits,
    usable: Bits,
    seen: Bits,
    seed: int,
    carry_on: Callable[[float], None] = lambda _: None,
    marks: Grid | None = None,
) -> Grid | None:
    """The hole filled by whole pieces; None for a small hole, and where no offset leads to what may be copied.

    Parameters
    ----------
    values
        Encoded values 0-255, shape (rows, columns, 3), float32. Those in the hole are not read.
    hole, usable, seen
        Pixels to fill, that may be copied, and that the filling has to fit to, shape (rows, columns).
    seed
        Another one takes other offsets.
    carry_on
        Told the share done, 0-1; may raise to stop.
    marks
        Pieces keep to pixels that are marked like their own, shape of `values`.

    Examples
    --------
    >>> ground = np.tile(np.float32([[90] * 6 + [160] * 6] * 6 + [[160] * 6 + [90] * 6] * 6), (10, 10))[..., None]
    >>> ground = ground.repeat(3, axis=2)
    >>> hole = np.zeros((120, 120), bool)
    >>> hole[40:80, 40:80] = True
    >>> grown = shifted(ground, hole, ~hole, ~hole, seed=1)
    >>> float(np.abs(grown - ground).max()) < 1
    True
    """
    if int(hole.sum()) < _LEAST or not usable.any():
        return None
    untold = np.zeros(hole.shape, np.float32)
    scales = _scales(Scale(np.asarray(values, np.float32), hole, usable & ~hole, seen & ~hole, untold, marks=marks))
    offsets = _offsets(scales[-1], seed)
    carry_on(0.05)
    labels = _labelled(scales[-1], offsets, None, _ROUNDS)
    for number, scale in enumerate(reversed(scales[:-1])):
        if labels is None:
            return None
        carry_on(0.2 + 0.6 * number / len(scales))
        used, labels = _used(labels)
        offsets = _doubled(scale, offsets[used])
        labels = _labelled(scale, offsets, _upsampled(labels, scale.hole), _ROUNDS_FINE)
    if labels is None:
        return None
    origin: Field = np.stack(list(np.indices(hole.shape)), axis=-1).astype(np.int32)
    origin[hole] += offsets[labels[hole]]
    carry_on(0.85)
    filled = values.copy()
    filled[hole] = values[origin[hole][:, 0], origin[hole][:, 1]]
    join(filled, hole, scales[0].seen, scales[0].usable, origin)
    return filled


def repeats(values: Grid, hole: Bits, usable: Bits) -> bool:
    """Whether what is around a hole is a pattern, as bricks, tiles and planks that are seen straight on.

    It is like itself moved in one direction, and in another. Parameters as of `shifted`.
    """
    return periods(values, hole, usable) is not None


def periods(values: Grid, hole: Bits, usable: Bits) -> Offsets | None:
    """Offsets by which a pattern around a hole is like itself, rows first, to a pixel or some of a large hole; None
    where there is none. Parameters as of `shifted`."""
    if int(hole.sum()) < _LEAST or not usable.any():
        return None
    known = usable & ~hole
    small = _scales(Scale(np.asarray(values, np.float32), hole, known, known, np.zeros(hole.shape, np.float32)))[-1]
    offsets, likeness = _alike(small.values, small.usable, _nearest(small))
    if not len(offsets) or likeness[0] < _REGULAR[0]:
        return None
    dy, dx = offsets.T
    turned = np.abs(dy * dx[0] - dx * dy[0]) / (np.hypot(dy, dx) * math.hypot(dy[0], dx[0]))
    if not (likeness[turned > _ANOTHER] >= _REGULAR[1]).any():
        return None
    return np.asarray(offsets[likeness >= _REGULAR[1]] * (hole.shape[0] // small.hole.shape[0]), np.int32)


def _scales(whole: Scale) -> list[Scale]:
    """A picture with its hole, and ever smaller copies, to one on which it is small."""
    scales = [whole]
    while int(scales[-1].hole.sum()) > _SMALL:
        scales.append(scales[-1].halved(_HOLE_SHARE))
    return scales


# ------------------------------------------------------------------------------------------------ which offsets


def _nearest(scale: Scale) -> float:
    """How far off the nearest place is that is worth a look."""
    ys, xs = np.nonzero(scale.hole)
    return max(3.0, _NEAREST * (max(int(np.ptp(ys)), int(np.ptp(xs))) + 1))


def _offsets(scale: Scale, seed: int) -> Offsets:
    """Offsets by which the surroundings are most like themselves, and some all round; shape (count, 2), rows first."""
    ys, xs = np.nonzero(scale.hole)
    tall, wide = int(np.ptp(ys)) + 1, int(np.ptp(xs)) + 1
    found, _ = _alike(scale.values, scale.usable, _nearest(scale))
    kept = found[np.random.default_rng(seed).random(len(found)) < _KEPT] if seed > 1 else found
    around = []
    for far, count in _RINGS:
        for turn in range(count):
            angle = 2 * math.pi * (turn + (0.5 if far > 1 else 0)) / count
            around.append((round(math.sin(angle) * (far * tall + 3)), round(math.cos(angle) * (far * wide + 3))))
    return np.unique(np.concatenate([kept, np.array(around, np.int32)]), axis=0)


def _alike(values: Grid, known: Bits, least: float) -> tuple[Offsets, Grid]:
    """The strongest peaks of a picture's correlation with itself, of what of it is known, at least so far apart.

    Offsets, shape (count, 2), rows first, and their correlation, 1 at most.

    Normalised by what overlaps, as Padfield 2012 (doi:10.1109/TIP.2011.2181402) does it.
    """
    rows, columns = known.shape
    there = known.astype(np.float32)
    near = np.maximum(cv2.GaussianBlur(there, (0, 0), _LIGHT), 1e-3)
    planes = [
        (values[..., c] - cv2.GaussianBlur(values[..., c] * there, (0, 0), _LIGHT) / near) * there for c in range(3)
    ]
    size = (cv2.getOptimalDFTSize(2 * rows), cv2.getOptimalDFTSize(2 * columns))

    def correlated(one: NDArray[Any], other: NDArray[Any]) -> NDArray[np.float64]:
        return np.fft.irfft2(np.fft.rfft2(one, size).conj() * np.fft.rfft2(other, size), size)

    energy = np.asarray(sum(plane * plane for plane in planes), np.float32)
    likeness = np.sum([correlated(plane, plane) for plane in planes], axis=0)
    both = correlated(energy, there) * correlated(there, energy)
    likeness /= np.sqrt(np.maximum(both, 1e-3))
    # plain ground on plain ground is like anything
    likeness[(correlated(there, there) < _OVERLAP * there.sum()) | (both < (_OVERLAP * energy.sum()) ** 2)] = -1
    middle = np.fft.fftshift(likeness)
    top, left = size[0] // 2 - rows + 1, size[1] // 2 - columns + 1
    window = np.ascontiguousarray(middle[max(0, top) :, max(0, left) :][: 2 * rows - 1, : 2 * columns - 1], np.float32)
    dy, dx = np.indices(window.shape)
    dy, dx = dy - (size[0] // 2 - max(0, top)), dx - (size[1] // 2 - max(0, left))
    peaks = (window == cv2.dilate(window, np.ones((5, 5), np.uint8))) & (np.hypot(dy, dx) >= least) & (window > 0)
    ys, xs = np.nonzero(peaks)
    order = np.argsort(-window[ys, xs], kind="stable")[:_LIKE]
    ys, xs = ys[order], xs[order]
    return np.stack([dy[ys, xs], dx[ys, xs]], axis=1).astype(np.int32), window[ys, xs]


def _doubled(scale: Scale, offsets: Offsets) -> Offsets:
    """Offsets of the coarser copy on this one: each the best within a pixel of twice itself."""
    out = []
    for dy, dx in (2 * offsets).tolist():
        tried = [(dy + ay, dx + ax) for ay in (-1, 0, 1) for ax in (-1, 0, 1)]
        out.append(min(tried, key=lambda offset: _difference(scale, *offset)))
    return np.array(out, np.int32)


def _difference(scale: Scale, dy: int, dx: int) -> float:
    """Mean difference of what is known from itself moved by an offset, of every other pixel."""
    rows, columns = scale.hole.shape
    here = np.s_[max(0, -dy) : min(rows, rows - dy) : 2, max(0, -dx) : min(columns, columns - dx) : 2]
    there = np.s_[max(0, dy) : min(rows, rows + dy) : 2, max(0, dx) : min(columns, columns + dx) : 2]
    both = scale.usable[here] & scale.usable[there]
    if both.sum() < 50:
        return math.inf
    return float(np.abs(scale.values[here] - scale.values[there]).sum(axis=2)[both].mean())


# ------------------------------------------------------------------------------------------- which one where


def _labelled(
    scale: Scale, offsets: Offsets, choices: NDArray[np.int32] | None, rounds: int
) -> NDArray[np.int32] | None:
    """The offset of each pixel of the hole by its number, -1 elsewhere; None where a pixel has none that it may take.

    `choices` are those that each hole pixel chooses among, -1 for none; all where left out.
    """
    ys, xs = np.nonzero(scale.hole)
    if choices is None:
        choices = np.broadcast_to(np.arange(len(offsets), dtype=np.int32), (len(ys), len(offsets))).copy()
    numbers = np.full(scale.hole.shape, -1, np.int32)
    numbers[ys, xs] = np.arange(len(ys))
    padded = np.pad(numbers, 1, constant_values=-1)
    beside = np.stack([padded[ys, xs + 1], padded[ys + 2, xs + 1], padded[ys + 1, xs], padded[ys + 1, xs + 2]], axis=1)
    places = np.stack([ys, xs], axis=1).astype(np.int32)
    data = _at_rim(scale.values, scale.usable, scale.seen, scale.hole, places, offsets, choices)
    if scale.marks is not None:
        _astray(scale.marks, places, offsets, choices, data)
    if (data.min(axis=1) >= np.float32(1e8)).any():
        return None
    taken = _propagated(
        scale.values, scale.usable, places, offsets, choices, np.ascontiguousarray(beside), data, rounds
    )
    out = np.full(scale.hole.shape, -1, np.int32)
    out[ys, xs] = taken
    return out


def _used(labels: NDArray[np.int32]) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
    """Which labels are used, and the labelling by the numbers of those."""
    used = np.unique(labels[labels >= 0])
    anew = np.full(int(used.max()) + 1, -1, np.int32)
    anew[used] = np.arange(len(used))
    return used.astype(np.int32), np.where(labels >= 0, anew[np.maximum(labels, 0)], np.int32(-1))


def _upsampled(labels: NDArray[np.int32], hole: Bits) -> NDArray[np.int32]:
    """What each hole pixel of the finer copy chooses among: labels that the coarser one has near by."""
    rows, columns = hole.shape
    large = np.repeat(np.repeat(labels, 2, axis=0), 2, axis=1)[:rows, :columns]
    ys, xs = np.nonzero(hole)
    out = np.full((len(ys), _CHOICES), -1, np.int32)
    _chosen(np.ascontiguousarray(large), ys.astype(np.int32), xs.astype(np.int32), out)
    return out


@kernel
def _chosen(large: NDArray[np.int32], ys: NDArray[np.int32], xs: NDArray[np.int32], out: NDArray[np.int32]) -> None:
    rows, columns = large.shape
    for index in range(ys.shape[0]):
        count = 0
        for reach in range(4):  # the nearest first: only so many have room
            for dy in range(-reach, reach + 1):
                for dx in range(-reach, reach + 1):
                    if max(abs(dy), abs(dx)) != reach or count == out.shape[1]:
                        continue
                    y, x = ys[index] + dy, xs[index] + dx
                    if y < 0 or x < 0 or y >= rows or x >= columns or large[y, x] < 0:
                        continue
                    known = False
                    for k in range(count):
                        known = known or out[index, k] == large[y, x]
                    if not known:
                        out[index, count] = large[y, x]
                        count += 1


@kernel
def _at_rim(
    values: Grid,
    usable: Bits,
    seen: Bits,
    hole: Bits,
    places: NDArray[np.int32],
    offsets: Offsets,
    choices: NDArray[np.int32],
) -> Grid:
    """What each choice of each hole pixel costs by itself: nothing inside, misfit at the rim, all too much where it
    leads out of what may be copied."""
    rows, columns = usable.shape
    count, most = choices.shape
    out = np.empty((count, most), np.float32)
    for index in range(count):
        for k in range(most):
            label = choices[index, k]
            if label < 0:
                out[index, k] = 1e9
                continue
            y, x = places[index, 0] + offsets[label, 0], places[index, 1] + offsets[label, 1]
            if y < 0 or x < 0 or y >= rows or x >= columns or not usable[y, x]:
                out[index, k] = 1e9
                continue
            cost = np.float32(0)
            for way in range(4):
                dy, dx = (-1, 1, 0, 0)[way], (0, 0, -1, 1)[way]
                ny, nx = places[index, 0] + dy, places[index, 1] + dx
                if ny < 0 or nx < 0 or ny >= rows or nx >= columns or hole[ny, nx] or not seen[ny, nx]:
                    continue
                sy, sx = ny + offsets[label, 0], nx + offsets[label, 1]
                if sy < 0 or sx < 0 or sy >= rows or sx >= columns or not usable[sy, sx]:
                    cost += np.float32(_NOWHERE)
                    continue
                for channel in range(3):
                    off = values[ny, nx, channel] - values[sy, sx, channel]
                    cost += np.float32(_RIM) * off * off
            out[index, k] = cost
    return out


@kernel
def _astray(marks: Grid, places: NDArray[np.int32], offsets: Offsets, choices: NDArray[np.int32], data: Grid) -> None:
    """What each choice costs more that leads to another side of a guide."""
    for index in range(places.shape[0]):
        for k in range(choices.shape[1]):
            label = choices[index, k]
            if label < 0 or data[index, k] >= 1e8:
                continue
            y, x = places[index, 0] + offsets[label, 0], places[index, 1] + offsets[label, 1]
            for channel in range(3):
                off = marks[places[index, 0], places[index, 1], channel] - marks[y, x, channel]
                data[index, k] += off * off


@kernel
def _seam(values: Grid, usable: Bits, y: int, x: int, one: NDArray[np.int32], other: NDArray[np.int32]) -> np.float32:
    """How much two offsets differ in what they say of a pixel."""
    rows, columns = usable.shape
    ay, ax, by, bx = y + one[0], x + one[1], y + other[0], x + other[1]
    if ay < 0 or ax < 0 or ay >= rows or ax >= columns or by < 0 or bx < 0 or by >= rows or bx >= columns:
        return np.float32(_NOWHERE)
    if not usable[ay, ax] or not usable[by, bx]:
        return np.float32(_NOWHERE)
    total = np.float32(0)
    for channel in range(3):
        off = values[ay, ax, channel] - values[by, bx, channel]
        total += off * off
    return total


@kernel
def _propagated(
    values: Grid,
    usable: Bits,
    places: NDArray[np.int32],
    offsets: Offsets,
    choices: NDArray[np.int32],
    beside: NDArray[np.int32],
    data: Grid,
    rounds: int,
) -> NDArray[np.int32]:
    """The choice of each pixel by max-product belief propagation, in sweeps down and up."""
    count, most = choices.shape
    messages = np.zeros((count, 4, most), np.float32)
    total = np.empty(most, np.float32)
    told = np.empty(most, np.float32)
    for sweep in range(2 * rounds):
        for step in range(count):
            index = step if sweep % 2 == 0 else count - 1 - step
            for k in range(most):
                total[k] = data[index, k]
                for way in range(4):
                    total[k] += messages[index, way, k]
            for way in range(4):
                onward = way == 1 or way == 3
                other = beside[index, way]
                if other < 0 or onward != (sweep % 2 == 0):
                    continue
                least = np.float32(1e12)
                for b in range(most):
                    told[b] = np.float32(1e9)
                    if choices[other, b] < 0 or data[other, b] >= 1e8:
                        continue
                    for a in range(most):
                        if choices[index, a] < 0 or data[index, a] >= 1e8:
                            continue
                        cost = total[a] - messages[index, way, a]
                        if cost >= told[b]:
                            continue
                        if choices[index, a] != choices[other, b]:
                            one, two = offsets[choices[index, a]], offsets[choices[other, b]]
                            cost += np.float32(_SEAM)
                            cost += _seam(values, usable, places[index, 0], places[index, 1], one, two)
                            if cost < told[b]:
                                cost += _seam(values, usable, places[other, 0], places[other, 1], one, two)
                        told[b] = min(told[b], cost)
                    least = min(least, told[b])
                for b in range(most):
                    messages[other, (1, 0, 3, 2)[way], b] = min(told[b] - least, np.float32(1e8))
    taken = np.empty(count, np.int32)
    for index in range(count):
        best, least = 0, np.float32(1e12)
        for k in range(most):
            if choices[index, k] < 0 or data[index, k] >= 1e8:
                continue
            cost = data[index, k]
            for way in range(4):
                cost += messages[index, way, k]
            if cost < least:
                best, least = k, cost
        taken[index] = choices[index, best]
    return taken
