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

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.balance.light import LUMINANCE, Place, Planes, Small
from fern_ticket.core.kernels import fast_kernel

Map = NDArray[np.float32]
#: Luminance below this has no texture that could be lifted out of it.
DARKEST = 2.0**-12
#: log2 luminance that tables over the base begin and end with.
LOWEST, HIGHEST = -13.0, 5.0
TABLE_STEPS = 1024


@dataclass(frozen=True)
class Coefficients:
    """Maps a and b, and their pixels for one source pixel."""

    a: Map
    b: Map
    scale: float


def luminance(planes: Planes) -> Map:
    return np.asarray(np.tensordot(np.array(LUMINANCE, np.float32), planes, axes=1), np.float32)


def log_luminance(planes: Planes) -> Map:
    """log2 of linear luminance, from -12."""
    return np.log2(np.maximum(luminance(planes), np.float32(DARKEST)))


def base_of(small: Small, radius: float, edge: float) -> Coefficients:
    """The base of log luminance.

    Parameters
    ----------
    small
        The whole picture.
    radius
        Of the window, as a share of the longer side.
    edge
        Differences in stops that are kept as edges; smaller ones are texture.
    """
    guide = log_luminance(small.planes)
    reach = max(1, round(radius * max(guide.shape)))
    a, b = guided(guide, guide, reach, edge * edge)
    return Coefficients(a, b, small.scale)


def guided(guide: Map, values: Map, radius: int, epsilon: float) -> tuple[Map, Map]:
    """Mean coefficients of the guided filter: `a · guide + b` follows `values`. Windows are squares of 2 radius + 1."""
    size = (2 * radius + 1, 2 * radius + 1)

    def mean(plane: Map) -> Map:
        return np.asarray(cv2.boxFilter(plane, -1, size, borderType=cv2.BORDER_REFLECT), np.float32)

    mean_guide, mean_values = mean(guide), mean(values)
    variance = mean(guide * guide) - mean_guide * mean_guide
    together = mean(guide * values) - mean_guide * mean_values
    a = together / (np.maximum(variance, 0) + np.float32(epsilon))
    b = mean_values - a * mean_guide
    return mean(a.astype(np.float32)), mean(b.astype(np.float32))


def to_map(coefficients: Coefficients, place: Place) -> NDArray[np.float32]:
    """Plane coordinates to the maps' pixel centres, shape (2, 3)."""
    out = place.to_source[:2] * coefficients.scale
    # centres: a plane's pixel (column, row) lies at +0.5, and so do the maps'
    out = out.copy()
    out[:, 2] += 0.5 * (out[:, 0] + out[:, 1]) - 0.5
    return np.asarray(out, np.float32)


def gain_by_base(planes: Planes, place: Place, maps: Coefficients, table: Map) -> None:
    """Multiply linear light by a gain that depends on the base. `table` runs evenly from LOWEST to HIGHEST."""
    rows, columns = planes.shape[1:]
    light = np.empty((rows, columns), np.float32)
    _log2_luminance(planes, light, light.view(np.int32))
    _gain_by_base(planes, light, to_map(maps, place), maps.a, maps.b, table)


def gain_by_detail(planes: Planes, place: Place, maps: Coefficients, table: Map) -> None:
    """Multiply linear light by a gain that depends on luminance less its base.

    `table` runs evenly from -3 to 3 stops.
    """
    rows, columns = planes.shape[1:]
    light = np.empty((rows, columns), np.float32)
    _log2_luminance(planes, light, light.view(np.int32))
    _gain_by_detail(planes, light, to_map(maps, place), maps.a, maps.b, table)


def unveil(planes: Planes, place: Place, maps: Coefficients, air: Map, amount: float) -> None:
    """Take a veil off: `maps` give the share of light that came through, `air` is the veil's own linear colour."""
    rows, columns = planes.shape[1:]
    light = np.empty((rows, columns), np.float32)
    _log2_luminance(planes, light, light.view(np.int32))
    _unveil(planes, light, to_map(maps, place), maps.a, maps.b, air, np.float32(amount))


@fast_kernel
def _log2_luminance(planes: Planes, light: Map, bits: NDArray[np.int32]) -> None:
    """log2 of luminance within 3e-5. `bits` is the same memory as `light`, read as whole numbers."""
    red, green, blue = np.float32(0.2126), np.float32(0.7152), np.float32(0.0722)
    rows, columns = light.shape
    for row in range(rows):
        for column in range(columns):
            value = red * planes[0, row, column] + green * planes[1, row, column] + blue * planes[2, row, column]
            light[row, column] = max(value, np.float32(2.0**-12))
    for row in range(rows):
        for column in range(columns):
            raw = bits[row, column]
            exponent = np.float32((raw >> 23) - 127)
            bits[row, column] = (raw & 0x007FFFFF) | 0x3F800000
            m = light[row, column]
            # least squares over 1-2, exact at both ends
            t = m - np.float32(1)
            log = np.float32(-0.190319) + t * np.float32(0.0440045)
            log = np.float32(1.4417403) + t * (np.float32(-0.7077701) + t * (np.float32(0.4123443) + t * log))
            log *= t
            light[row, column] = exponent + log


@fast_kernel
def _between(plane: Map, x: np.float32, y: np.float32) -> np.float32:
    rows, columns = plane.shape
    x = min(max(x, np.float32(0)), np.float32(columns - 1))
    y = min(max(y, np.float32(0)), np.float32(rows - 1))
    left, top = int(x), int(y)
    right, low = min(left + 1, columns - 1), min(top + 1, rows - 1)
    dx, dy = x - np.float32(left), y - np.float32(top)
    upper = plane[top, left] + dx * (plane[top, right] - plane[top, left])
    lower = plane[low, left] + dx * (plane[low, right] - plane[low, left])
    return np.float32(upper + dy * (lower - upper))


@fast_kernel
def _gain_by_base(planes: Planes, light: Map, to_map: Map, a: Map, b: Map, table: Map) -> None:
    steps = table.shape[0] - 1
    unit = np.float32(steps / 18.0)
    for row in range(light.shape[0]):
        for column in range(light.shape[1]):
            x = to_map[0, 0] * np.float32(column) + to_map[0, 1] * np.float32(row) + to_map[0, 2]
            y = to_map[1, 0] * np.float32(column) + to_map[1, 1] * np.float32(row) + to_map[1, 2]
            base = _between(a, x, y) * light[row, column] + _between(b, x, y)
            place = min(max((base + np.float32(13)) * unit, np.float32(0)), np.float32(steps - 1))
            index = int(place)
            gain = table[index] + (table[index + 1] - table[index]) * (place - np.float32(index))
            for channel in range(3):
                planes[channel, row, column] *= gain


@fast_kernel
def _gain_by_detail(planes: Planes, light: Map, to_map: Map, a: Map, b: Map, table: Map) -> None:
    steps = table.shape[0] - 1
    unit = np.float32(steps / 6.0)
    for row in range(light.shape[0]):
        for column in range(light.shape[1]):
            x = to_map[0, 0] * np.float32(column) + to_map[0, 1] * np.float32(row) + to_map[0, 2]
            y = to_map[1, 0] * np.float32(column) + to_map[1, 1] * np.float32(row) + to_map[1, 2]
            detail = light[row, column] - (_between(a, x, y) * light[row, column] + _between(b, x, y))
            place = min(max((detail + np.float32(3)) * unit, np.float32(0)), np.float32(steps - 1))
            index = int(place)
            gain = table[index] + (table[index + 1] - table[index]) * (place - np.float32(index))
            for channel in range(3):
                planes[channel, row, column] *= gain


@fast_kernel
def _unveil(planes: Planes, light: Map, to_map: Map, a: Map, b: Map, air: Map, amount: np.float32) -> None:
    one = np.float32(1)
    for row in range(light.shape[0]):
        for column in range(light.shape[1]):
            x = to_map[0, 0] * np.float32(column) + to_map[0, 1] * np.float32(row) + to_map[0, 2]
            y = to_map[1, 0] * np.float32(column) + to_map[1, 1] * np.float32(row) + to_map[1, 2]
            through = min(max(_between(a, x, y) * light[row, column] + _between(b, x, y), np.float32(0.1)), one)
            kept = max(one - amount * (one - through), np.float32(0.1))
            for channel in range(3):
                value = planes[channel, row, column]
                planes[channel, row, column] = max(
                    (value - air[channel]) / kept + air[channel], min(value, np.float32(0))
                )
