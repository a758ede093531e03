"""The base of a picture: its luminance without fine texture, yet with its edges.

A guided filter (He, Sun, Tang 2010, doi:10.1007/978-3-642-15549-9_1), guided by the luminance itself: near a point
the base is `a · L + b`. Both maps are small and smooth; a and b are read between their pixels and L at the result's
own size (He, Sun 2015, arXiv:1505.00996), so the base has sharp edges at every size, the same on the bench as in
delivery.

| quantity | domain |
| --- | --- |
| L | log2 of linear luminance; 0 is white, -12 and less is taken as black |
| a, b | maps of the whole picture, shape (rows, columns), float32 |
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.balance.light import Overview, Planes, Position, Stops, Surroundings
from fern_ticket.core.kernels import fast_kernel
from fern_ticket.core.pictures.plane import is_affine, scaling, translation

Map = NDArray[np.float32]


@dataclass(frozen=True)
class Coefficients:
    """Maps a and b, shape (rows, columns, 2), and their pixels for one source pixel."""

    both: Map
    scale: float


def base_of(around: Surroundings, radius: float, edge: float) -> Coefficients:
    """The base of log luminance.

    Parameters
    ----------
    around
        What is known of the whole picture.
    radius
        Of the window, as a share of the longer side.
    edge
        Differences in stops that are kept as edges; smaller ones are texture.
    """

    def measure(small: Overview) -> Coefficients:
        guide = log2_of(small.planes)
        reach = max(1, round(radius * max(guide.shape)))
        return Coefficients(np.dstack(guided(guide, guide, reach, edge * edge)), small.scale)

    return around.kept(f"base {radius} {edge}", measure)


def guided(guide: Map, values: Map, radius: int, epsilon: float) -> tuple[Map, Map]:
    """Mean coefficients of the guided filter: `a · guide + b` follows `values`. Windows are squares of 2 radius + 1."""
    size = (2 * radius + 1, 2 * radius + 1)

    def mean(plane: Map) -> Map:
        return np.asarray(cv2.boxFilter(plane, -1, size, borderType=cv2.BORDER_REFLECT), np.float32)

    mean_guide = mean(guide)
    variance = mean(guide * guide) - mean_guide * mean_guide
    if values is guide:
        mean_values, together = mean_guide, variance
    else:
        mean_values = mean(values)
        together = mean(guide * values) - mean_guide * mean_values
    a = together / (np.maximum(variance, 0) + np.float32(epsilon))
    b = mean_values - a * mean_guide
    return mean(a.astype(np.float32)), mean(b.astype(np.float32))


def log2_of(planes: Planes) -> Map:
    """log2 of linear luminance, from -12, shape (rows, columns)."""
    light = np.empty(planes.shape[1:], np.float32)
    _log2_luminance(planes, light, light.view(np.int32))
    return light


def raised(planes: Planes, place: Position, parts: Sequence[Stops]) -> None:
    """Planes raised by all parts, in place; each part sees luminance as those before leave it."""
    light = log2_of(planes)
    total: Map | None = None
    for part in parts:
        stops = part(light, place)
        light += stops
        total = stops if total is None else total + stops
    if total is not None:
        raise_by(planes, total, total.view(np.int32))


def base_under(light: Map, place: Position, maps: Coefficients) -> Map:
    """The maps' value for log2 luminance, `a · L + b`, shape (rows, columns)."""
    rows, columns = light.shape
    # pixel centres: those of the planes lie at +0.5, and so do the maps'
    to_map = translation(-0.5, -0.5) @ scaling(maps.scale, maps.scale) @ place.to_source @ translation(0.5, 0.5)
    level = np.empty_like(light)
    if is_affine(to_map) and abs(to_map[0, 1]) < 1e-9 and abs(to_map[1, 0]) < 1e-9:
        _upright(maps.both, to_map, light, level)
    else:
        flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        both = cv2.warpPerspective(maps.both, to_map, (columns, rows), flags=flags, borderMode=cv2.BORDER_REPLICATE)
        _line(np.asarray(both, np.float32), light, level)
    return level


@fast_kernel
def _log2_luminance(planes: Planes, light: Map, bits: NDArray[np.int32]) -> None:
    """log2 of luminance within 3e-5. `bits` is the same memory as `light`, read as whole numbers."""
    red, green, blue = np.float32(0.2126), np.float32(0.7152), np.float32(0.0722)
    for row in range(light.shape[0]):
        r, g, b, line, whole = planes[0, row], planes[1, row], planes[2, row], light[row], bits[row]
        for column in range(line.shape[0]):
            line[column] = max(red * r[column] + green * g[column] + blue * b[column], np.float32(2.0**-12))
        exponent = np.empty(line.shape[0], np.float32)
        for column in range(line.shape[0]):
            raw = whole[column]
            exponent[column] = np.float32((raw >> np.int32(23)) - np.int32(127))
            whole[column] = (raw & np.int32(0x007FFFFF)) | np.int32(0x3F800000)
        for column in range(line.shape[0]):
            # least squares over 1-2, exact at both ends
            t = line[column] - np.float32(1)
            log = np.float32(-0.190319) + t * np.float32(0.0440045)
            log = np.float32(1.4417403) + t * (np.float32(-0.7077701) + t * (np.float32(0.4123443) + t * log))
            line[column] = exponent[column] + t * log


@fast_kernel
def _upright(both: Map, to_map: NDArray[np.float64], light: Map, level: Map) -> None:
    """`a · L + b` with the maps read between their pixels, for planes that lie upright on them.

    The maps' lines are widened to the planes' columns once each, so that what is done for every row is vector loops.
    """
    rows, columns = both.shape[0], both.shape[1]
    width = level.shape[1]
    left = np.empty(width, np.uint32)
    part = np.empty(width, np.float32)
    for column in range(width):
        x = min(max(to_map[0, 0] * column + to_map[0, 2], 0.0), columns - 1.0)
        left[column] = np.uint32(min(int(x), max(columns - 2, 0)))
        part[column] = np.float32(x - left[column])
    # two lines of the maps, each as a and b; the line of map row k stands in slot k % 2
    wide = np.empty((2, 2, width), np.float32)
    held = np.full(2, -1, np.int64)
    for row in range(level.shape[0]):
        y = min(max(to_map[1, 1] * row + to_map[1, 2], 0.0), rows - 1.0)
        top = min(int(y), max(rows - 2, 0))
        low = np.float32(y - top)
        for line in range(top, min(top + 1, rows - 1) + 1):
            if held[line % 2] != line:
                held[line % 2] = line
                _widen(both[line], left, part, wide[line % 2])
        upper, lower = wide[top % 2], wide[min(top + 1, rows - 1) % 2]
        slope, next_slope, offset, next_offset = upper[0], lower[0], upper[1], lower[1]
        value, out = light[row], level[row]
        for column in range(width):
            a = slope[column] + low * (next_slope[column] - slope[column])
            b = offset[column] + low * (next_offset[column] - offset[column])
            out[column] = a * value[column] + b


@fast_kernel
def _widen(line: Map, left: NDArray[np.uint32], part: Map, out: Map) -> None:
    last = np.uint32(line.shape[0] - 1)
    for column in range(left.shape[0]):
        at, way = left[column], part[column]
        after = min(at + np.uint32(1), last)
        out[0, column] = line[at, 0] + way * (line[after, 0] - line[at, 0])
        out[1, column] = line[at, 1] + way * (line[after, 1] - line[at, 1])


@fast_kernel
def _line(both: Map, light: Map, level: Map) -> None:
    for row in range(light.shape[0]):
        line, value, out = both[row], light[row], level[row]
        for column in range(value.shape[0]):
            out[column] = line[column, 0] * value[column] + line[column, 1]


@fast_kernel
def raise_by(planes: Planes, stops: Map, bits: NDArray[np.int32]) -> None:
    """Multiply linear light by 2 to the power of `stops`, which are used up. `bits` is the same memory."""
    for row in range(stops.shape[0]):
        r, g, b, line, whole = planes[0, row], planes[1, row], planes[2, row], stops[row], bits[row]
        part = np.empty(line.shape[0], np.float32)
        for column in range(line.shape[0]):
            value = min(max(line[column], np.float32(-24)), np.float32(24)) + np.float32(64)
            nearest = np.int32(value + np.float32(0.5))
            part[column] = value - np.float32(nearest)
            whole[column] = (nearest + np.int32(127 - 64)) << np.int32(23)
        for column in range(line.shape[0]):
            # Chebyshev's points over -0.5 to 0.5, within 3e-7
            t = part[column]
            power = np.float32(0.05550357) + t * (np.float32(0.00967603) + t * np.float32(0.00133909))
            power = np.float32(1.0000001) + t * (np.float32(0.69314718) + t * (np.float32(0.24022107) + t * power))
            gain = power * line[column]
            r[column] *= gain
            g[column] *= gain
            b[column] *= gain
