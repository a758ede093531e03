"""One resampling, from a level of the pyramid straight to result pixels.

Three ways, chosen by the map: copying where it is a whole shift; a separable windowed sinc where it is upright; a
two-dimensional cubic where it is turned or squared up, or a windowed sinc where that is delivered smaller. Filters are
widened by the reduction, so nothing aliases.
Light is filtered, not its codes: a fine pattern stays as light as it was.
"""

from __future__ import annotations

import math
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.kernels import fast_kernel
from fern_ticket.core.pictures.averaging import ENTRIES, Table, Tone, decoded, tone_of
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
from fern_ticket.core.threads import by_rows

Window = NDArray[np.uint16]

#: Upright maps keep at least this much reduction for the sinc itself; halving does the rest.
_UPRIGHT_SPARE = 1.5
#: One of the steps that light is filtered in.
_STEP = np.float32(1 / 65535)
#: What is delivered is filtered from full size up to this reduction: halving lets a little of what is too fine through.
_DELIVERED_SPARE = 8.0


def resample(
    source: Source, to_source: PlaneMap, size: tuple[int, int], *, fine: bool, delivered: bool = False
) -> tuple[Window, NDArray[np.bool_] | None]:
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
    Window of shape (rows, columns, 3), uint16, encoded as in the source (8-bit values times 257); and, where the map
    leaves the picture, a mask of the pixels that lie outside, else None.
    """
    reduction = magnification(to_source, size[0] / 2, size[1] / 2)
    upright = _is_upright(to_source)
    spare = _DELIVERED_SPARE if delivered else _UPRIGHT_SPARE if upright else 1.0
    level = _level(reduction, source.levels, spare, fine)
    shrink = 2.0**-level
    to_level = scaling(shrink, shrink) @ to_source
    outside = beyond_picture(to_source, size, source.size)
    whole = level_box(source.size, level)
    reach = math.ceil(3 * max(1.0, reduction * shrink)) + 2
    box = _footprint(to_level, size).grown(reach).within(whole)
    if box.empty:
        return np.zeros((size[1], size[0], 3), np.uint16), np.ones((size[1], size[0]), np.bool_)
    pixels = source.read(level, box)
    to_box = translation(-box.left, -box.top) @ to_level
    copied = _copied(pixels, to_box, size) if upright and (level == 0 or reduction * shrink == 1) else None
    if copied is not None:
        return copied, outside
    if not fine:
        return _bilinear(pixels, to_box, size), outside
    tone = tone_of(source.space, pixels.dtype)
    if upright:
        return _upright(pixels, to_box, size, tone), outside
    spread = max(1.0, reduction * shrink)
    return _turned(pixels, to_box, size, spread, tone, _SINC if delivered and spread > 1 else _CUBIC), outside


def nearest(source: Source, to_source: PlaneMap, size: tuple[int, int]) -> tuple[Window, NDArray[np.bool_] | None]:
    """Single full-size pixels, not averages, for honest counts. Same arguments and result as `resample`."""
    box = _footprint(to_source, size).grown(1).within(level_box(source.size, 0))
    pixels = source.read(0, box)
    x, y = np.meshgrid(np.arange(size[0]) + 0.5, np.arange(size[1]) + 0.5)
    across, down = np.floor(mapped(to_source, x, y)).astype(np.intp)
    columns, rows = across - box.left, down - box.top
    picked = pixels[np.clip(rows, 0, box.height - 1), np.clip(columns, 0, box.width - 1)]
    return widened(picked), beyond_picture(to_source, size, source.size)


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
    low, high = np.floor(corners.min(axis=1) + 1e-7), np.ceil(corners.max(axis=1) - 1e-7)
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


def _copied(pixels: Pixels, to_box: PlaneMap, size: tuple[int, int]) -> Window | None:
    """The pixels themselves, when the map is a whole shift with quarter turns or mirroring."""
    turn = to_box[:2, :2]
    if not np.isin(turn, (-1.0, 0.0, 1.0)).all() or abs(np.linalg.det(turn)) != 1:
        return None
    x, y = to_box[:2, 2]
    if abs(x - round(x)) > 1e-6 or abs(y - round(y)) > 1e-6:
        return None
    swapped = turn[0, 0] == 0
    across, down = (size[1], size[0]) if swapped else size
    sx, sy = (turn[0, 1], turn[1, 0]) if swapped else (turn[0, 0], turn[1, 1])
    left = round(x) if sx > 0 else round(x) - across
    top = round(y) if sy > 0 else round(y) - down
    if left < 0 or top < 0 or left + across > pixels.shape[1] or top + down > pixels.shape[0]:
        return None
    part = pixels[top : top + down, left : left + across]
    part = part[:: int(sy), :: int(sx)]
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
def _encoded(light: np.float32, codes: Table) -> np.float32:
    """0-65535 of light, which is cut to 0-1."""
    place = np.sqrt(min(max(light, np.float32(0)), np.float32(1))) * np.float32(ENTRIES - 1)
    below = int(place)
    return np.float32(codes[below] + (place - np.float32(below)) * (codes[below + 1] - codes[below]))


# ------------------------------------------------------------------------------------------- upright: windowed sinc


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
    x = at / spread
    weight = np.where(np.abs(x) < 3, np.sinc(x) * np.sinc(x / 3), 0.0)
    weight /= weight.sum(axis=1, keepdims=True)
    return first, weight.astype(np.float32)


def _upright(pixels: Pixels, to_box: PlaneMap, size: tuple[int, int], tone: Tone) -> Window:
    if abs(to_box[0, 0]) < 1e-12:  # quarter turned: swap the source's axes instead
        pixels = np.ascontiguousarray(np.swapaxes(pixels, 0, 1))
        to_box = to_box[[1, 0, 2]]
    rows, columns = pixels.shape[:2]
    first_x, weight_x = sinc_weights(size[0], to_box[0, 0], to_box[0, 2], columns)
    first_y, weight_y = sinc_weights(size[1], to_box[1, 1], to_box[1, 2], rows)
    across = np.empty((rows, size[0], 3), np.float32)
    by_rows(rows, lambda part: _filter_rows(decoded(pixels[part], tone), first_x, weight_x, across[part]))
    out = np.empty((size[1], size[0], 3), np.uint16)
    by_rows(size[1], lambda part: _filter_columns(across, first_y[part], weight_y[part], tone.codes, out[part]))
    return out


@fast_kernel
def _filter_rows(light: Any, first: NDArray[np.int32], weight: NDArray[np.float32], out: NDArray[np.float32]) -> None:
    taps = weight.shape[1]
    for row in range(light.shape[0]):
        for column in range(first.shape[0]):
            start = first[column]
            r = g = b = np.float32(0)
            for tap in range(taps):
                w = weight[column, tap]
                r += w * light[row, start + tap, 0]
                g += w * light[row, start + tap, 1]
                b += w * light[row, start + tap, 2]
            out[row, column, 0], out[row, column, 1], out[row, column, 2] = r, g, b


@fast_kernel
def _filter_columns(
    across: NDArray[np.float32],
    first: NDArray[np.int32],
    weight: NDArray[np.float32],
    codes: Table,
    out: NDArray[np.uint16],
) -> None:
    rows, columns, _ = out.shape
    line = np.empty(columns * 3, np.float32)
    flat = across.reshape(across.shape[0], columns * 3)
    for row in range(rows):
        line[:] = 0
        for tap in range(weight.shape[1]):
            w = weight[row, tap]
            above = flat[first[row] + tap]
            for index in range(columns * 3):
                line[index] += w * above[index]
        target = out[row].reshape(columns * 3)
        for index in range(columns * 3):
            target[index] = np.uint16(_encoded(line[index] * _STEP, codes) + np.float32(0.5))


# ------------------------------------------------------------------------------------------------ turned: cubic


#: Samples of a filter for each pixel that it reaches.
_STEPS = 512


def _cubic_table() -> Table:
    """Catmull-Rom (Keys 1981, a = -1/2) on [0, 2], sampled."""
    x = np.linspace(0, 2, 2 * _STEPS + 2)
    near = 1.5 * x**3 - 2.5 * x**2 + 1
    far = -0.5 * x**3 + 2.5 * x**2 - 4 * x + 2
    return np.where(x < 1, near, np.where(x < 2, far, 0)).astype(np.float32)


def _sinc_table() -> Table:
    """Lanczos with three lobes on [0, 3], sampled."""
    x = np.linspace(0, 3, 3 * _STEPS + 2)
    return (np.sinc(x) * np.sinc(x / 3)).astype(np.float32)


_CUBIC, _SINC = _cubic_table(), _sinc_table()


def _turned(pixels: Pixels, to_box: PlaneMap, size: tuple[int, int], spread: float, tone: Tone, table: Table) -> Window:
    out = np.empty((size[1], size[0], 3), np.uint16)

    def work(part: slice) -> None:
        there = to_box @ translation(0, part.start)
        # the rows that this part reads, and those beside them
        seen = _footprint(there, (size[0], part.stop - part.start)).grown(math.ceil(3 * spread) + 2)
        top = min(max(seen.top, 0), len(pixels) - 1)
        light = decoded(pixels[top : max(seen.bottom, top + 1)], tone)
        own = np.ascontiguousarray(translation(0, -top) @ there)
        _filtered(light, own, spread, tone.codes, table, out[part])

    by_rows(size[1], work)
    return out


@fast_kernel
def _filtered(
    light: Any,
    to_box: NDArray[np.float64],
    spread: float,
    codes: Table,
    table: Table,
    out: NDArray[np.uint16],
) -> None:
    rows, columns, _ = light.shape
    reach = (table.shape[0] - 2) // _STEPS
    # where one more would fit, the first and the last lie where the filter ends
    taps = int(np.ceil(2 * reach * spread))
    wx, wy = np.empty(taps, np.float32), np.empty(taps, np.float32)
    source_columns = np.empty(taps, np.int64)
    for row in range(out.shape[0]):
        for column in range(out.shape[1]):
            depth = to_box[2, 0] * (column + 0.5) + to_box[2, 1] * (row + 0.5) + to_box[2, 2]
            x = (to_box[0, 0] * (column + 0.5) + to_box[0, 1] * (row + 0.5) + to_box[0, 2]) / depth - 0.5
            y = (to_box[1, 0] * (column + 0.5) + to_box[1, 1] * (row + 0.5) + to_box[1, 2]) / depth - 0.5
            left, top = int(np.ceil(x - reach * spread)), int(np.ceil(y - reach * spread))
            sum_x = sum_y = np.float32(0)
            for tap in range(taps):
                dx, dy = abs(left + tap - x) / spread, abs(top + tap - y) / spread
                wx[tap] = table[int(dx * _STEPS + 0.5)] if dx < reach else np.float32(0)
                wy[tap] = table[int(dy * _STEPS + 0.5)] if dy < reach else np.float32(0)
                sum_x += wx[tap]
                sum_y += wy[tap]
                source_columns[tap] = min(max(left + tap, 0), columns - 1)
            r = g = b = np.float32(0)
            for down in range(taps):
                source_row = min(max(top + down, 0), rows - 1)
                lr = lg = lb = np.float32(0)
                for across in range(taps):
                    source_column = source_columns[across]
                    w = wx[across]
                    lr += w * light[source_row, source_column, 0]
                    lg += w * light[source_row, source_column, 1]
                    lb += w * light[source_row, source_column, 2]
                r += wy[down] * lr
                g += wy[down] * lg
                b += wy[down] * lb
            factor = _STEP / (sum_x * sum_y)
            out[row, column, 0] = np.uint16(_encoded(r * factor, codes) + np.float32(0.5))
            out[row, column, 1] = np.uint16(_encoded(g * factor, codes) + np.float32(0.5))
            out[row, column, 2] = np.uint16(_encoded(b * factor, codes) + np.float32(0.5))
