"""The four corners of a screen, a frame or a sign, found where one clicks inside it."""

from __future__ import annotations

from collections.abc import Iterator

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.pieces.four_lines import four_around, meeting
from fern_ticket.core.pieces.placing import Corners, order_around

Bits = NDArray[np.uint8]

#: Least and most of the picture that it covers, and how much of its outline's area and hull the four sides must have.
_LEAST, _MOST, _FOURSQUARE = 0.0008, 0.9, 0.94
#: How much of its sides must have an edge, for a region to be a thing.
_SURE = 0.6
#: How far beside a side its edge is looked for, pixels.
_BESIDE = 6


def corners_at(pixels: NDArray[np.uint8], at: tuple[float, float]) -> Corners | None:
    """The four-sided thing that a place lies in.

    Parameters
    ----------
    pixels
        sRGB encoded, shape (rows, columns, 3), long side about 1000.
    at
        (x, y) in it.

    Returns
    -------
    Its corners, clockwise from the upper left, in pixels with corners at whole numbers; None where nothing of four
    sides goes around the place.
    """
    best, found = _SURE, None
    for region in _regions(pixels, at):
        four = _four_sides(region, pixels.shape[:2], at)
        if four is None:
            continue
        refined = _refined(pixels, four)
        score = _support(pixels, refined)
        if score > best:
            best, found = score, refined
    if found is None:
        # what shows something, or lies before what is like it, is told by its sides alone
        four = four_around(pixels, at)
        found = None if four is None else _refined(pixels, four)
    return None if found is None else order_around(found)


def softness_of(grey: NDArray[np.float32], corners: NDArray[np.float64]) -> float:
    """How wide the edges along four sides rise, pixels: the step over its steepest slope, in the middle of all places.

    Parameters
    ----------
    grey
        Shape (rows, columns), any scale.
    corners
        In its pixels, shape (4, 2).
    """
    widths = []
    for a, b in zip(corners, np.roll(corners, -1, axis=0), strict=True):
        seen = _across(grey, a, b, 12.0)
        slope = np.abs(np.diff(seen, axis=1)) / 0.5
        steepest, step = slope.max(axis=1), np.abs(seen[:, -1] - seen[:, 0])
        clear = (step > 8) & (steepest > 0)
        widths += list(step[clear] / steepest[clear])
    return float(np.median(widths)) if len(widths) > 10 else 1.0


def _across(
    grey: NDArray[np.float32], a: NDArray[np.float64], b: NDArray[np.float64], beside: float
) -> NDArray[np.float32]:
    """Values along 60 lines across a side, each half a pixel apart, shape (60, count)."""
    way = (b - a) / max(float(np.hypot(*(b - a))), 1e-6)
    normal = np.array([-way[1], way[0]])
    along = np.linspace(0.08, 0.92, 60)[:, None]
    places = (a + along * (b - a))[:, None] + np.arange(-beside, beside + 0.25, 0.5)[None, :, None] * normal
    x, y = (np.asarray(places[..., axis] - 0.5, np.float32) for axis in (0, 1))
    return np.asarray(cv2.remap(grey, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE), np.float32)


def _regions(pixels: NDArray[np.uint8], at: tuple[float, float]) -> Iterator[Bits]:
    """Connected places around a point: of like colour, and between edges."""
    rows, columns = pixels.shape[:2]
    x, y = min(max(int(at[0]), 0), columns - 1), min(max(int(at[1]), 0), rows - 1)
    calm = cv2.bilateralFilter(pixels, 7, 30, 3)
    for tolerance in (3, 6, 12, 24):
        mask = np.zeros((rows + 2, columns + 2), np.uint8)
        flags = 4 | cv2.FLOODFILL_MASK_ONLY | (255 << 8)
        cv2.floodFill(calm.copy(), mask, (x, y), (0, 0, 0), (tolerance,) * 3, (tolerance,) * 3, flags)
        yield cv2.morphologyEx(mask[1:-1, 1:-1], cv2.MORPH_CLOSE, np.ones((9, 9), np.uint8))  # type: ignore[misc]
    grey = cv2.cvtColor(np.asarray(calm, np.uint8), cv2.COLOR_RGB2GRAY)
    for high in (40, 90, 160):
        edges = cv2.dilate(cv2.Canny(grey, high / 2, high), np.ones((3, 3), np.uint8))
        _, labels = cv2.connectedComponents((edges == 0).astype(np.uint8), connectivity=4)
        if labels[y, x]:
            yield (labels == labels[y, x]).astype(np.uint8)


def _four_sides(region: Bits, shape: tuple[int, int], at: tuple[float, float]) -> NDArray[np.float64] | None:
    lines, _ = cv2.findContours(region, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    if not lines:
        return None
    outline = cv2.convexHull(max(lines, key=cv2.contourArea))
    area = cv2.contourArea(outline)
    if not _LEAST * shape[0] * shape[1] < area < _MOST * shape[0] * shape[1]:
        return None
    around = cv2.arcLength(outline, True)
    for share in (0.01, 0.02, 0.03, 0.05, 0.08):
        four = cv2.approxPolyDP(outline, share * around, True)
        if len(four) == 4:
            break
    else:
        return None
    inside = cv2.pointPolygonTest(four.astype(np.float32), (float(at[0]), float(at[1])), False) > 0
    if not inside or cv2.contourArea(four) < _FOURSQUARE * area or area * _FOURSQUARE > 1.02 * cv2.contourArea(four):
        return None
    return np.asarray(four.reshape(4, 2), np.float64) + 0.5


def _refined(pixels: NDArray[np.uint8], four: NDArray[np.float64]) -> NDArray[np.float64]:
    """Each side as the line through the strongest change across it, but for the picture's border; the corners where
    those meet."""
    grey = cv2.GaussianBlur(cv2.cvtColor(pixels, cv2.COLOR_RGB2GRAY), (0, 0), 1).astype(np.float32)
    lines = []
    for a, b in zip(four, np.roll(four, -1, axis=0), strict=True):
        way = (b - a) / max(float(np.hypot(*(b - a))), 1e-6)
        normal = np.array([-way[1], way[0]])
        along = np.linspace(0.08, 0.92, 60)[:, None]
        across = np.arange(-_BESIDE, _BESIDE + 0.25, 0.5)
        seen = _across(grey, a, b, _BESIDE)
        change = np.abs(np.diff(seen, axis=1))
        at = across[:-1][change.argmax(axis=1)] + 0.25
        weight = change.max(axis=1)
        points = a + along * (b - a) + at[:, None] * normal
        sure = (weight > 0.4 * np.median(weight)) & (np.abs(at - np.median(at)) < 2.5)
        ends = np.array([a, b])
        at_border = [(np.abs(ends) < 1).all(axis=0), (np.abs(ends - grey.shape[::-1]) < 1).all(axis=0)]
        if sure.sum() < 12 or np.any(at_border):
            lines.append((a, way))
            continue
        vx, vy, x, y = cv2.fitLine(points[sure].astype(np.float32), cv2.DIST_HUBER, 0, 0.01, 0.01).ravel()
        lines.append((np.array([x, y], np.float64), np.array([vx, vy], np.float64)))
    corners = []
    for (p, u), (q, v) in zip(np.roll(np.array(lines), 1, axis=0), lines, strict=True):
        corner = meeting((p, u), (q, v), 0.05)
        if corner is None:
            return four
        corners.append(corner)
    found = np.array(corners)
    return found if np.abs(found - four).max() < 4 * _BESIDE else four


def _support(pixels: NDArray[np.uint8], four: NDArray[np.float64]) -> float:
    """How much of the four sides has an edge under it, 0-1."""
    grey = cv2.cvtColor(pixels, cv2.COLOR_RGB2GRAY).astype(np.float32)
    held = []
    for a, b in zip(four, np.roll(four, -1, axis=0), strict=True):
        way = (b - a) / max(float(np.hypot(*(b - a))), 1e-6)
        normal = np.array([-way[1], way[0]])
        along = a + np.linspace(0.05, 0.95, 60)[:, None] * (b - a)
        sides = [(along + off * normal - 0.5).astype(np.float32) for off in (-2.5, 2.5)]
        one, other = (cv2.remap(grey, side[:, :1], side[:, 1:], 1).ravel() for side in sides)
        held.append(float((np.abs(one - other) > 8).mean()))
    return float(min(held) * np.mean(held))
