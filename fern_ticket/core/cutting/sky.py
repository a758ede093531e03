"""A picture's sky: what hangs from its upper border, is smooth but for clouds, and ends at straight edges."""

from __future__ import annotations

import math
from functools import partial

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.cutting.climbing import climbed
from fern_ticket.core.cutting.clouds import paled
from fern_ticket.core.cutting.dividing import divided, more_like
from fern_ticket.core.cutting.straight_borders import straight_borders
from fern_ticket.core.cutting.subject import Small
from fern_ticket.core.pictures.values import blurred_within

Bits = NDArray[np.bool_]
Plane = NDArray[np.float32]

#: CIELAB units from one pixel to the next that a sky's gradient has, that may be climbed beyond that, all in all, and
#: within which a part that stands apart is near; what a straight edge is to climb, and how wide a gap in it, pixels.
_FREE, _CLIMB, _NEARLY, _STRAIGHT, _GAP = 0.8, 4.0, 2.5, 8.0, 19
#: CIELAB lightness that a sky seldom falls below unless it is bluer (b*) than this, yellow that it seldom exceeds, and
#: how busy it is at most.
_DARK, _BLUE, _YELLOW, _BUSY = 38.0, -8.0, 12.0, 2.5
#: A wire is no wider, pixels, so much darker than what is beside it, CIELAB, straight for so many pixels in one of so
#: many directions; and what is beside it is so smooth, CIELAB.
_WIRE, _DARKER, _LONG, _TURNS, _SMOOTH = 5, 2.0, 25, 24, 0.6
#: Height tells a sky from what is as light and as smooth below: so many times as much as a subject.
_HEIGHT = 4.0
#: Share of a picture's height below which no sky is, unless so much of it is one sky down to its foot.
FOOT, _ALL_ALONG = 0.92, 0.8
#: Log odds at most.
_MOST = 3.0
_ROUNDS = 3
#: Parts smaller than this share of the picture are no sky, and holes smaller than this are.
_PART, _HOLE = 0.0002, 0.0001
#: What is so near to the sky's colour, CIELAB, being paler aside, may be a cloud; what has such a share of that is one.
_CLOUDY, _CLOUDS = 12.0, 0.8


def sky_of(small: Small) -> Bits:
    """Where the sky is; nowhere in a picture that has none.

    Its seeds are places along the upper border that are light, not yellow and smooth.
    """
    lightness, yellow = small.colours[..., 0], small.colours[..., 2]
    could = ((lightness > _DARK) | (yellow < _BLUE)) & (yellow < _YELLOW)
    seeds = np.zeros(could.shape, np.bool_)
    seeds[0] = could[0] & (_busyness(lightness)[0] < _BUSY)
    if seeds[0].mean() < 0.02:
        return seeds
    own = np.full_like(small.colours, np.median(small.colours[seeds], axis=0))
    clear = _without_wires(small.colours)
    off = paled(clear, own)
    could &= _busyness(off[..., 0]) < _BUSY
    reached = _reached(off, straight_borders(small.colours, clear), seeds)
    lean = np.clip(1 - reached / _CLIMB, -1, 1) * _MOST
    lean[~could] = np.minimum(lean[~could], -0.5)
    # a sky is seldom below the middle of a picture, and never at its foot
    down = np.linspace(0, 1, lean.shape[0])[:, None]
    lean -= 12 * np.clip(down - 0.45, 0, None) ** 2
    fixed = np.where(down + 0 * lean > FOOT, -1, 0).astype(np.float32)
    looks = small.looks * np.array([1, 1, 1, 1, 1, _HEIGHT], np.float32)
    found = divided(partial(more_like, looks), small.borders, lean.astype(np.float32), fixed, _ROUNDS)
    # but where all is one sky: a bird, a kite, and no ground
    foot, calm = math.floor(FOOT * len(found)), (reached < _FREE) & could
    if found[: 3 * foot // 4].mean() > _ALL_ALONG and calm[foot:].mean() > _ALL_ALONG:
        found |= calm
    return _clouded(_hanging(found, could, reached < _NEARLY), np.linalg.norm(off, axis=2) < _CLOUDY)


def _reached(off: Plane, ends: Bits, seeds: Bits) -> Plane:
    """What must be climbed from the upper border: little in a sky and into its clouds, much across straight edges.

    An edge has gaps where clouds are like what it ends: what is only reached through such a gap is not near.
    """
    wide = cv2.dilate(ends.astype(np.uint8), np.ones((_GAP, _GAP), np.uint8)) > 0
    through, around = (
        climbed(np.dstack([off, _STRAIGHT * one]).astype(np.float32), seeds & ~one, np.float32(_FREE))
        for one in (ends, wide)
    )
    return np.asarray(np.where(wide, through, around))


def _without_wires(colours: NDArray[np.float32]) -> NDArray[np.float32]:
    """Long thin dark lines on what is smooth, which would part the sky, in the colours beside them."""
    wires = _wires(colours[..., 0])
    beside = cv2.dilate(wires.astype(np.uint8), np.ones((3, 3), np.uint8)) == 0
    around = blurred_within(colours, beside, _WIRE / 2, least=1e-6)
    return np.where(beside[..., None], colours, around)


def _wires(lightness: Plane) -> Bits:
    thin = cv2.morphologyEx(lightness, cv2.MORPH_CLOSE, np.ones((_WIRE, _WIRE), np.uint8)) - lightness > _DARKER
    bits = thin.astype(np.uint8)
    opened = (cv2.morphologyEx(bits, cv2.MORPH_OPEN, _line(turn)) for turn in np.arange(_TURNS) * math.pi / _TURNS)
    straight = np.any([one > 0 for one in opened], axis=0)
    beside = 1 - cv2.dilate(bits, np.ones((3, 3), np.uint8)).astype(np.float32)
    rough = np.abs(lightness - cv2.medianBlur(lightness, _WIRE)) * beside
    near = (2 * _WIRE + 1,) * 2
    return np.asarray(straight & (cv2.blur(rough, near) < _SMOOTH * cv2.blur(beside, near)))


def _line(turn: float) -> NDArray[np.uint8]:
    """A line of `_LONG` pixels through the middle of a square."""
    drawn, middle = np.zeros((_LONG, _LONG), np.uint8), _LONG // 2
    x, y = round(middle * math.cos(turn)), round(middle * math.sin(turn))
    cv2.line(drawn, (middle - x, middle - y), (middle + x, middle + y), 1)
    return drawn


def _busyness(lightness: NDArray[np.float32]) -> NDArray[np.float32]:
    fine = np.abs(lightness - cv2.GaussianBlur(lightness, (0, 0), 2))
    return np.asarray(cv2.GaussianBlur(fine, (0, 0), 2), np.float32)


def _hanging(found: Bits, could: Bits, near: Bits) -> Bits:
    """Parts that reach the upper border, or are near to it but for wires, and smaller ones like them above where those
    end, as between leaves."""
    count, labels, stats, _ = cv2.connectedComponentsWithStats(found.astype(np.uint8), connectivity=8)
    hangs = np.zeros(count, np.bool_)
    hangs[np.unique(labels[0])] = True
    hangs[0] = False
    if not hangs.any():
        return np.zeros(found.shape, np.bool_)
    area, foot = stats[:, cv2.CC_STAT_AREA], stats[:, cv2.CC_STAT_TOP] + stats[:, cv2.CC_STAT_HEIGHT]
    mostly_near, mostly_could = (np.bincount(labels[one], minlength=count) > 0.5 * area for one in (near, could))
    part = area >= _PART * found.size
    part[0] = False
    hangs |= part & mostly_near
    hangs |= part & (area < 0.01 * found.size) & (foot <= foot[hangs].max()) & mostly_could
    return np.asarray(hangs[labels])


def _clouded(sky: Bits, cloudy: Bits) -> Bits:
    """With what is all but surrounded by it: the tiny, and clouds."""
    count, labels, stats, _ = cv2.connectedComponentsWithStats((~sky).astype(np.uint8), connectivity=4)
    area = stats[:, cv2.CC_STAT_AREA]
    foot = stats[:, cv2.CC_STAT_TOP] + stats[:, cv2.CC_STAT_HEIGHT] > FOOT * len(sky)
    clouds = np.bincount(labels[cloudy], minlength=count) > _CLOUDS * area
    return np.asarray(sky | ((area < _HOLE * sky.size) | (clouds & ~foot))[labels])
