"""One resampling, from a level of the pyramid straight to result pixels.

Three ways, chosen by the map: copying where it is a whole shift; a separable windowed sinc where it is upright; a cubic
where it is turned or squared up, or a windowed sinc where that makes it smaller. What is turned a little is
filtered along the source's rows to the columns of the result, and then along those; the rest in two dimensions. Filters
are widened by the reduction, so nothing aliases.
Light is filtered, not its codes: a fine pattern stays as light as it was.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.kernels import fast_kernel
from fern_ticket.core.lanes import weighted_pixels
from fern_ticket.core.pictures.averaging import ENTRIES, SKIPPED, Table, Tone, decoded, tone_of
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.plane import (
    PlaneMap,
    is_affine,
    magnification,
    mapped,
    mapped_corners,
    scaling,
    translation,
)
from fern_ticket.core.pictures.pyramid import Source, level_box
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.threads import by_rows, in_threads

Window = NDArray[np.uint16]

#: Where rows and columns are filtered one after the other, at least this much reduction is kept for the sinc itself;
#: halving does the rest.
_SPARE = 1.5
#: One of the steps that light is filtered in.
_STEP = np.float32(1 / 65535)
#: Places so near to a whole one are on it, pixels.
_NOTHING = 1e-6
#: What is delivered is filtered from full size up to this reduction: halving lets a little of what is too fine through.
_DELIVERED_SPARE = 8.0


def resample(
    source: Source, to_source: PlaneMap, size: tuple[int, int], *, fine: bool, delivered: bool = False
) -> Window:
    """Pixels of a result of `size` under the map `to_source`.

    Parameters
    ----------
    source
        What to read.
    to_source
        Result coordinates to source coordinates (both with pixel corners at whole numbers), shape (3, 3).
    size
        Width and height of the result.
    fine
        False takes the nearest level bilinearly, for frames that the next one replaces.
    delivered
        The best filter there is, for what stays.

    Returns
    -------
    Shape (rows, columns, 3), uint16, encoded as in the source (8-bit values times 257). Pixels that lie outside of the
    picture (`beyond_picture`) mean nothing.
    """
    reduction = magnification(to_source, size[0] / 2, size[1] / 2)
    upright = _is_upright(to_source)
    spare = _DELIVERED_SPARE if delivered else _SPARE if _leans_little(to_source) else 1.0
    level = _level(reduction, source.levels, spare, fine)
    shrink = 2.0**-level
    to_level = scaling(shrink, shrink) @ to_source
    whole = level_box(source.size, level)
    box = _footprint(to_level, size)
    if _moves_only(to_level) and box.within(whole) == box and not box.empty:
        return _copied(source.read(level, box), to_level)
    reach = math.ceil(3 * max(1.0, reduction * shrink)) + 2
    box = box.grown(reach).within(whole)
    if box.empty:
        return np.zeros((size[1], size[0], 3), np.uint16)
    pixels = source.read(level, box)
    to_box = translation(-box.left, -box.top) @ to_level
    if not fine:
        return _bilinear(pixels, to_box, size)
    tone = tone_of(source.space, pixels.dtype)
    if upright:
        return _upright(pixels, to_box, size, tone)
    spread = max(1.0, reduction * shrink)
    return _turned(pixels, to_box, size, spread, tone, _SINC if spread > 1 else _CUBIC)


def nearest(source: Source, to_source: PlaneMap, size: tuple[int, int]) -> Window:
    """Single full-size pixels, not averages, for honest counts. Same arguments and result as `resample`."""
    box = _footprint(to_source, size).grown(1).within(level_box(source.size, 0))
    pixels = source.read(0, box)
    x, y = np.meshgrid(np.arange(size[0]) + 0.5, np.arange(size[1]) + 0.5)
    across, down = np.floor(mapped(to_source, x, y)).astype(np.intp)
    columns, rows = across - box.left, down - box.top
    picked = pixels[np.clip(rows, 0, box.height - 1), np.clip(columns, 0, box.width - 1)]
    return widened(picked)


def _is_upright(to_source: PlaneMap) -> bool:
    """Whether rows stay rows, or become columns."""
    small = np.abs(to_source) < 1e-12
    return is_affine(to_source) and bool((small[0, 1] and small[1, 0]) or (small[0, 0] and small[1, 1]))


def _level(reduction: float, levels: int, spare: float, fine: bool) -> int:
    """The level to read, so that a reduction by `spare` is left to the filter."""
    if reduction <= 1:
        return 0
    level = math.floor(math.log2(reduction / spare) + 1e-9) if fine else round(math.log2(reduction))
    return min(max(level, 0), levels - 1)


def _footprint(to_level: PlaneMap, size: tuple[int, int]) -> Box:
    corners = mapped_corners(to_level, size)
    low, high = np.floor(corners.min(axis=1) + _NOTHING), np.ceil(corners.max(axis=1) - _NOTHING)
    limit = 2**31
    low, high = np.clip(low, -limit, limit), np.clip(high, -limit, limit)
    return Box(int(low[0]), int(low[1]), int(high[0]), int(high[1]))


def beyond_picture(
    to_source: PlaneMap, size: tuple[int, int], source_size: tuple[int, int]
) -> NDArray[np.bool_] | None:
    """Which pixels of a result lie off the source, shape (rows, columns); None where none does."""
    corners = mapped_corners(to_source, size)
    slack = 0.51
    inside = (corners[0] > -slack) & (corners[0] < source_size[0] + slack)
    inside &= (corners[1] > -slack) & (corners[1] < source_size[1] + slack)
    if inside.all():
        return None
    x = (np.arange(size[0]) + 0.5)[None]
    y = (np.arange(size[1]) + 0.5)[:, None]
    sx, sy = mapped(to_source, x, y)
    return np.asarray((sx < 0) | (sx > source_size[0]) | (sy < 0) | (sy > source_size[1]))


def widened(pixels: Pixels) -> Window:
    """8-bit values times 257, so that both depths share one scale; 16-bit values as they are."""
    return pixels.astype(np.uint16) * np.uint16(257) if pixels.dtype == np.uint8 else np.asarray(pixels, np.uint16)


def _moves_only(to_level: PlaneMap) -> bool:
    """Whether pixels stay as they are: the map is a whole shift with quarter turns or mirroring."""
    turn, shift = to_level[:2, :2], to_level[:2, 2]
    whole = bool(np.isin(turn, (-1.0, 0.0, 1.0)).all()) and abs(np.linalg.det(turn)) == 1
    return whole and is_affine(to_level) and bool((np.abs(shift - np.round(shift)) <= _NOTHING).all())


def _copied(pixels: Pixels, to_level: PlaneMap) -> Window:
    """All of these pixels, moved as `_moves_only` says."""
    turn = to_level[:2, :2]
    swapped = turn[0, 0] == 0
    sx, sy = (turn[0, 1], turn[1, 0]) if swapped else (turn[0, 0], turn[1, 1])
    part = pixels[:: int(sy), :: int(sx)]
    return np.ascontiguousarray(widened(np.swapaxes(part, 0, 1) if swapped else part))


def _bilinear(pixels: Pixels, to_box: PlaneMap, size: tuple[int, int]) -> Window:
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
    centred = np.linalg.inv(half) @ to_box @ half
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    if is_affine(centred):
        out = cv2.warpAffine(pixels, centred[:2], size, flags=flags, borderMode=cv2.BORDER_REPLICATE)
    else:
        out = cv2.warpPerspective(pixels, centred, size, flags=flags, borderMode=cv2.BORDER_REPLICATE)
    return widened(np.asarray(out, pixels.dtype))


@fast_kernel
def _encode(light: Table, codes: Table, out: NDArray[np.uint16]) -> None:
    """A row of codes, 0-65535, shape (columns, 3), of its light, 0-65535, which is cut to that and not needed any more.

    `codes` are a tone's fewer ones. By way of a line of its own, so that loops are done many values at a time.
    """
    coded = np.empty(light.shape[0], np.uint16)
    for index in range(light.shape[0]):
        share = min(max(light[index] * _STEP, np.float32(0)), np.float32(1))
        light[index] = np.sqrt(share) * np.float32((ENTRIES - 1) / SKIPPED)
    for index in range(light.shape[0]):
        place = light[index]
        below = np.int32(place)
        step = codes[below + 1] - codes[below]
        coded[index] = np.uint16(codes[below] + (place - np.float32(below)) * step + np.float32(0.5))
    for column in range(out.shape[0]):
        for channel in range(3):
            out[column, channel] = coded[3 * column + channel]


# ------------------------------------------------------------------------------------------- upright: windowed sinc


@lru_cache(maxsize=64)
def sinc_weights(count: int, scale: float, shift: float, length: int) -> tuple[NDArray[np.int32], NDArray[np.float32]]:
    """First source index and weights of each result pixel, Lanczos with three lobes (Duchon 1979).

    Result pixel i is centred at `scale * (i + 0.5) + shift` of the source; `scale` may be negative (mirrored). Weights
    add up to one; where the filter leaves the source, the rest is scaled up, as Pillow does. A result pixel beyond the
    source takes its edge.
    """
    spread = max(1.0, abs(scale))
    centre = np.clip(scale * (np.arange(count) + 0.5) + shift, 0, length)
    taps = min(math.ceil(6 * spread) + 1, length)
    first = np.clip(np.ceil(centre - 3 * spread - 0.5), 0, length - taps).astype(np.int32)
    at = first[:, None] + np.arange(taps)[None] + 0.5 - centre[:, None]
    weight = _sinc(np.abs(at) / spread)
    weight /= weight.sum(axis=1, keepdims=True)
    return first, weight.astype(np.float32)


def _with_rows_across(pixels: Pixels, to_box: PlaneMap) -> tuple[Pixels, PlaneMap]:
    """The source with its axes swapped, and the map to that, where it is nearer to a quarter turn than to none."""
    if abs(to_box[1, 1]) >= abs(to_box[1, 0]):
        return pixels, to_box
    return np.ascontiguousarray(np.swapaxes(pixels, 0, 1)), to_box[[1, 0, 2]]


def _upright(pixels: Pixels, to_box: PlaneMap, size: tuple[int, int], tone: Tone) -> Window:
    pixels, to_box = _with_rows_across(pixels, to_box)
    rows, columns = pixels.shape[:2]
    first_x, weight_x = sinc_weights(size[0], to_box[0, 0], to_box[0, 2], columns)
    first_y, weight_y = sinc_weights(size[1], to_box[1, 1], to_box[1, 2], rows)
    out = np.empty((size[1], size[0], 3), np.uint16)

    def work(part: slice) -> None:
        begins, ends = first_y[part].min(), first_y[part].max() + weight_y.shape[1]
        light = decoded(pixels[begins:ends], tone)
        _filter(light, first_x, weight_x, first_y[part] - begins, weight_y[part], tone.fewer_codes, out[part])

    by_rows(size[1], work)
    return out


@fast_kernel
def _filter(
    light: Any,
    first_x: NDArray[np.int32],
    weight_x: NDArray[np.float32],
    first_y: NDArray[np.int32],
    weight_y: NDArray[np.float32],
    codes: Table,
    out: NDArray[np.uint16],
) -> None:
    """Rows are added up first, as whole lines of the source, which compilers do many values at a time."""
    width = 3 * light.shape[1]
    flat = light.reshape(light.shape[0], width)
    weights, taps = weight_x.reshape(weight_x.size), weight_x.shape[1]
    line, made = np.empty(width + 1, np.float32), np.empty(3 * out.shape[1], np.float32)
    for row in range(out.shape[0]):
        line[:] = 0
        for tap in range(weight_y.shape[1]):
            w = weight_y[row, tap]
            above = flat[first_y[row] + tap]
            for index in range(width):
                line[index] += w * np.float32(above[index])
        for column in range(first_x.shape[0]):
            r, g, b = weighted_pixels(line, 3 * first_x[column], weights, column * taps, taps)
            made[3 * column], made[3 * column + 1], made[3 * column + 2] = r, g, b
        _encode(made, codes, out[row])


# ------------------------------------------------------------------------------------------------ turned: cubic


#: Side of what is filtered at once, result pixels: in two dimensions, where all that is read is held; rows first.
_BLOCK, _BLOCK_OF_ROWS = 128, 256
#: The tangent of the turn up to which the source's rows are filtered first, to the result's columns, and then those.
_MOST_LEANING = 0.5
#: Places between two pixels for which weights are worked out, and those that are told apart on the way, as powers of 2.
_PHASE_BITS, _PLACE_BITS = 12, 32
_PHASES = 1 << _PHASE_BITS


@dataclass(frozen=True)
class _Filter:
    """A filter of one dimension, for any reduction: its weight by the distance from its middle, and how far it reaches.

    Distances are in pixels where nothing is reduced.
    """

    weight: Callable[[NDArray[np.float64]], NDArray[np.float64]]
    reach: int


def _cubic(x: NDArray[np.float64]) -> NDArray[np.float64]:
    """Catmull-Rom (Keys 1981, a = -1/2)."""
    near = 1.5 * x**3 - 2.5 * x**2 + 1
    far = -0.5 * x**3 + 2.5 * x**2 - 4 * x + 2
    return np.where(x < 1, near, np.where(x < 2, far, 0))


def _sinc(x: NDArray[np.float64]) -> NDArray[np.float64]:
    """Lanczos with three lobes (Duchon 1979)."""
    return np.where(x < 3, np.sinc(x) * np.sinc(x / 3), 0)


_CUBIC, _SINC = _Filter(_cubic, 2), _Filter(_sinc, 3)


@lru_cache(maxsize=32)
def _phases(kind: _Filter, spread: float) -> Table:
    """Weights that add up to one, by how far before its first tap a widened filter begins; shape (phases + 1, taps)."""
    half = kind.reach * spread
    begins = np.arange(_PHASES + 1)[:, None] / _PHASES
    weight = kind.weight(np.abs(begins - half + np.arange(math.ceil(2 * half))) / spread)
    return np.asarray(weight / weight.sum(axis=1, keepdims=True), np.float32)


def _turned(
    pixels: Pixels, to_box: PlaneMap, size: tuple[int, int], spread: float, tone: Tone, kind: _Filter
) -> Window:
    if is_affine(to_box):
        pixels, to_box = _with_rows_across(pixels, to_box)
    pixels = np.ascontiguousarray(pixels)
    out = np.empty((size[1], size[0], 3), np.uint16)
    within = Box(0, 0, pixels.shape[1], pixels.shape[0])
    down, half = _phases(kind, spread), kind.reach * spread
    longer = _longer_across(to_box)

    def work(block: Box) -> None:
        there = translation(-0.5, -0.5) @ to_box @ translation(block.left, block.top)
        # whole rows, of which a block is a part, lie in memory the same way for every block: one kernel does
        part = out[block.rows], block.left, block.width
        if longer is not None:
            across = _phases(kind, spread * longer)
            _filtered_twice(pixels, tone.light, there, across, half * longer, down, half, tone.fewer_codes, *part)
            return
        # what this block reads, at least the pixel next to it
        seen = _footprint(there, (block.width, block.height)).grown(math.ceil(half) + 2)
        left, top = min(max(seen.left, 0), within.right - 1), min(max(seen.top, 0), within.bottom - 1)
        seen = Box(left, top, max(seen.right, left + 1), max(seen.bottom, top + 1)).within(within)
        to_first = np.ascontiguousarray(translation(-half - seen.left, -half - seen.top) @ there)
        light = _lit(pixels[seen.rows, seen.columns], tone)
        _filtered(light, seen.width, to_first, down, tone.fewer_codes, *part)

    # nearly as wide as high: what a turned one reads is little larger than it; none is much smaller than the rest
    side = _BLOCK if longer is None else _BLOCK_OF_ROWS
    wide, high = (math.ceil(length / max(1, round(length / side))) for length in size)
    in_threads(work, Box(0, 0, *size).blocks(wide, high))
    return out


def _lit(pixels: Pixels, tone: Tone) -> Table:
    """Light of stored values, 0-65535, one after the other and one more."""
    light = np.zeros(pixels.size + 1, np.float32)
    light[:-1] = decoded(pixels, tone).ravel()
    return light


def _longer_across(to_box: PlaneMap) -> float | None:
    """How many times as long as a map's steps those along the source's rows are, where rows are filtered first.

    None for a map that leans too much for that, or is not the same everywhere.
    """
    if not _leans_little(to_box):
        return None
    return math.hypot(1.0, float(to_box[1, 0] / to_box[1, 1]))


def _leans_little(to_box: PlaneMap) -> bool:
    """Whether a map's columns run nearly along the source's, or along its rows, everywhere alike."""
    along = np.abs(to_box[1, :2])
    return is_affine(to_box) and bool(along.min() <= _MOST_LEANING * along.max())


@fast_kernel
def _filtered(
    light: Table,
    columns: int,
    to_first: NDArray[np.float64],
    weight: Table,
    codes: Table,
    out: NDArray[np.uint16],
    first_column: int,
    width: int,
) -> None:
    """Of light as `_lit` gives it, in rows of so many `columns`; some columns of `out`.

    `to_first` maps a result place to where its filter begins, as pixels are counted.
    """
    rows = light.size // (3 * columns)
    phases, taps = weight.shape[0] - 1, weight.shape[1]
    weights = weight.reshape(weight.size)
    made = np.empty(3 * width, np.float32)
    for row in range(out.shape[0]):
        for column in range(width):
            depth = to_first[2, 0] * (column + 0.5) + to_first[2, 1] * (row + 0.5) + to_first[2, 2]
            x = (to_first[0, 0] * (column + 0.5) + to_first[0, 1] * (row + 0.5) + to_first[0, 2]) / depth
            y = (to_first[1, 0] * (column + 0.5) + to_first[1, 1] * (row + 0.5) + to_first[1, 2]) / depth
            left, top = int(np.ceil(x)), int(np.ceil(y))
            across, down = int((left - x) * phases + 0.5), int((top - y) * phases + 0.5)
            r = g = b = np.float32(0)
            if left >= 0 and top >= 0 and left + taps <= columns and top + taps <= rows:
                for k in range(taps):
                    start = 3 * ((top + k) * columns + left)
                    line_r, line_g, line_b = weighted_pixels(light, start, weights, across * taps, taps)
                    w = weight[down, k]
                    r += w * line_r
                    g += w * line_g
                    b += w * line_b
            else:
                for k in range(taps):
                    source_row = min(max(top + k, 0), rows - 1)
                    for j in range(taps):
                        start = 3 * (source_row * columns + min(max(left + j, 0), columns - 1))
                        w = weight[down, k] * weight[across, j]
                        r += w * light[start]
                        g += w * light[start + 1]
                        b += w * light[start + 2]
            made[3 * column], made[3 * column + 1], made[3 * column + 2] = r, g, b
        _encode(made, codes, out[row, first_column : first_column + width])


@fast_kernel
def _fixed(place: float) -> np.int64:
    """A place in whole numbers, in which steps from pixel to pixel are added up fast."""
    return np.int64(place * (1 << _PLACE_BITS))


@fast_kernel
def _begin(place: np.int64) -> tuple[np.int64, np.int64]:
    """The first pixel from a `_fixed` place on, and how far that is, in `_PHASES` to a pixel."""
    begin = (place + (1 << _PLACE_BITS) - 1) >> _PLACE_BITS
    finer = _PLACE_BITS - _PHASE_BITS
    return begin, ((begin << _PLACE_BITS) - place + (1 << (finer - 1))) >> finer


@fast_kernel
def _filtered_twice(
    pixels: Any,
    light: Any,
    to_pixels: NDArray[np.float64],
    across: Table,
    half_across: float,
    down: Table,
    half_down: float,
    codes: Table,
    out: NDArray[np.uint16],
    first_column: int,
    width: int,
) -> None:
    """The source's rows to the result's columns, then along those (Catmull, Smith 1980, doi:10.1145/965105.807505).

    `light` is that of each stored value; `to_pixels` maps a result place to pixels as they are counted, the same way
    everywhere, for some columns of `out`. Beyond the picture's edges their pixels stand.
    """
    rows, columns, _ = pixels.shape
    height = out.shape[0]
    taps, falls = across.shape[1], down.shape[1]
    weights_across, weights_down = across.reshape(across.size), down.reshape(down.size)
    fall, drop, top = to_pixels[1, 0], to_pixels[1, 1], to_pixels[1, 2]
    lean = to_pixels[0, 1] / drop
    step, left = to_pixels[0, 0] - lean * fall, to_pixels[0, 2] - lean * top - half_across
    # rows that the results of a column need, from where it begins
    one, other = drop * 0.5, drop * (height - 0.5)
    near, far = min(one, other) - half_down, max(one, other) + half_down
    one, other = fall * 0.5 + top, fall * (width - 0.5) + top
    first, last = int(np.floor(min(one, other) + near)), int(np.ceil(max(one, other) + far)) + 1
    tall = last + 1 - first
    # columns of the result one after the other, and one value more
    between = np.empty(3 * width * tall + 1, np.float32)
    one, other = step * 0.5, step * (width - 0.5)
    reach = int(np.ceil(abs(other - one))) + taps + 2
    line = np.zeros(3 * reach + 1, np.float32)
    step_across, step_down = _fixed(step), _fixed(fall)
    for row in range(tall):
        y = first + row
        start = int(np.floor(min(one, other) + lean * y + left))
        source = pixels[min(max(y, 0), rows - 1)]
        if start >= 0 and start + reach <= columns:
            stretch = source[start : start + reach].reshape(3 * reach)
            for index in range(3 * reach):
                line[index] = np.float32(light[stretch[index]])
        else:
            for place in range(reach):
                at = min(max(start + place, 0), columns - 1)
                for channel in range(3):
                    line[3 * place + channel] = np.float32(light[source[at, channel]])
        from_column, to_column = 0, width
        if fall != 0:
            one_end, other_end = (y - top - far - 1) / fall, (y - top - near + 1) / fall
            from_column = max(0, int(np.floor(min(one_end, other_end) - 0.5)))
            to_column = min(width, int(np.ceil(max(one_end, other_end) + 0.5)))
        place_across = _fixed(step * (from_column + 0.5) + lean * y + left - start)
        for column in range(from_column, to_column):
            begin, phase = _begin(place_across)
            r, g, b = weighted_pixels(line, 3 * begin, weights_across, phase * taps, taps)
            at = 3 * (column * tall + row)
            between[at], between[at + 1], between[at + 2] = r, g, b
            place_across += step_across
    made = np.empty(3 * width, np.float32)
    for row in range(height):
        place_down = _fixed(fall * 0.5 + drop * (row + 0.5) + top - half_down - first)
        for column in range(width):
            begin, phase = _begin(place_down)
            r, g, b = weighted_pixels(between, 3 * (column * tall + begin), weights_down, phase * falls, falls)
            made[3 * column], made[3 * column + 1], made[3 * column + 2] = r, g, b
            place_down += step_down
        _encode(made, codes, out[row, first_column : first_column + width])
