"""A picture's sky: what hangs from its upper border, is smooth, and looks like nothing below."""

from __future__ import annotations

from functools import partial

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.cutting.climbing import climbed
from fern_ticket.core.cutting.dividing import divided, more_like
from fern_ticket.core.cutting.subject import Small, grown, shrunk
from fern_ticket.core.ledger.masks import Alpha
from fern_ticket.core.pictures.lab import pixels_to_lab

Bits = NDArray[np.bool_]
Plane = NDArray[np.float32]

#: CIELAB units from one pixel to the next that a sky's gradient has, and that may be climbed beyond that.
_FREE, _CLIMB = 1.2, 5.0
#: CIELAB lightness that a sky by day seldom falls below, and yellow (b*) that it seldom exceeds.
_DARK, _YELLOW = 38.0, 12.0
#: Difference in CIELAB from the sky near by within which all of a pixel is sky, and from which on nothing is.
_LIKE, _UNLIKE = 10.0, 24.0
_LIKE_BESIDE, _UNLIKE_BESIDE = 8.0, 18.0
#: A place so broad, pixels of the small copy, that meets what was found by less than that share of it is no sky.
_BROAD, _MEETS = 2.0, 0.3
#: Share of what is nothing like the sky near a place between leaves, how near that is, pixels of the small copy, and
#: difference in CIELAB within which such a place is sky, however broad.
_LEAFY, _LEAFY_NEAR, _SAME = 0.3, 6.0, 4.0
#: Times the small copy's size that gaps are looked for at, and how often, each next to those found; what is surely sky
#: there; the share of a pixel of the small copy from which on it leads farther; and width that is no gap, its pixels.
_SEEN, _GAPS, _SURE, _SOME, _GAP = 2, 20, 0.9, 0.2, 8
#: Around which the sky's colour is taken, pixels of the small copy, and how much each counts.
_REACHES = ((8.0, 1.0), (32.0, 0.02))
#: Height tells a sky from what is as light and as smooth below: so many times as much as a subject.
_HEIGHT = 4.0
#: Share of a picture's height below which no sky is.
_FOOT = 0.92
#: Log odds at most.
_MOST = 3.0
_ROUNDS = 3
#: Parts smaller than this share of the picture are no sky, and holes smaller than this are.
_PART, _HOLE = 0.0002, 0.0001


def sky_of(small: Small) -> Bits:
    """Where the sky is; nowhere in a picture that has none.

    Its seeds are places along the upper border that are light, not yellow and smooth.
    """
    lightness, yellow = small.colours[..., 0], small.colours[..., 2]
    busy = _busyness(lightness)
    could = (lightness > _DARK) & (yellow < _YELLOW) & (busy < 2.5)
    seeds = np.zeros(could.shape, np.bool_)
    if could[0].mean() < 0.02:
        return seeds
    seeds[0] = could[0]
    reached = climbed(_without_wires(small.colours), seeds, np.float32(_FREE))
    lean = np.clip(1 - reached / _CLIMB, -1, 1) * _MOST
    lean[~could] = np.minimum(lean[~could], -0.5)
    # a sky is seldom below the middle of a picture, and never at its foot
    down = np.linspace(0, 1, lean.shape[0])[:, None]
    lean -= 12 * np.clip(down - 0.45, 0, None) ** 2
    fixed = np.where(down + 0 * lean > _FOOT, -1, 0).astype(np.float32)
    looks = small.looks * np.array([1, 1, 1, 1, 1, _HEIGHT], np.float32)
    found = divided(partial(more_like, looks), small.borders, lean.astype(np.float32), fixed, _ROUNDS)
    return _hanging(found, could)


def grown_sky(pixels: NDArray[np.uint8], small: Bits) -> Alpha:
    """A small answer on a larger picture: what is near to the sky's own colour there, between leaves and wires too.

    Parameters
    ----------
    pixels
        sRGB encoded, shape (rows, columns, 3).
    small
        The sky of a smaller copy of the same picture.
    """
    bits = small.astype(np.uint8)
    deep = cv2.erode(bits, np.ones((7, 7), np.uint8), borderValue=1).astype(np.float32)
    if not deep.any():
        return grown(pixels, small)
    size, few = (pixels.shape[1], pixels.shape[0]), (small.shape[1], small.shape[0])
    colours = pixels_to_lab(pixels)
    own, zone = _through_leaves(shrunk(pixels, _SEEN * max(few), 1), bits, deep)
    inside, around = (
        np.asarray(cv2.resize(one, size, interpolation=cv2.INTER_NEAREST), np.uint8) for one in (bits, zone)
    )
    return _like(colours, _enlarged(own, size), inside, around, max(size) / max(few))[0]


def _through_leaves(pixels: NDArray[np.uint8], bits: NDArray[np.uint8], deep: Alpha) -> tuple[Plane, NDArray[np.uint8]]:
    """The sky's colour all over the small copy, and where some of it may be: from gap to gap, as far as they go.

    A sky pales toward its foot, so that what is found in one gap says what the next one looks like.

    Parameters
    ----------
    pixels
        Some times the small copy's size, so that gaps show.
    bits, deep
        The sky of the small copy, and what lies deep in it.
    """
    few, size = (bits.shape[1], bits.shape[0]), (pixels.shape[1], pixels.shape[0])
    colours, sure = pixels_to_lab(pixels), deep
    inside = np.asarray(cv2.resize(bits, size, interpolation=cv2.INTER_NEAREST), np.uint8)
    found = cv2.resize(deep, size, interpolation=cv2.INTER_NEAREST)
    own, zone, step = deep, bits, max(size) / max(few)
    wide = np.ones((2 * round(_GAP * step / 2) + 1,) * 2, np.uint8)
    for _ in range(_GAPS):
        weight = _around(sure) + np.float32(1e-6)
        seen = np.asarray(cv2.resize(colours * found[..., None], few, interpolation=cv2.INTER_AREA), np.float32)
        own = np.asarray(_around(seen) / weight[..., None], np.float32)
        before, seeds = zone, (sure > _SOME).astype(np.uint8) | bits
        zone = np.asarray(cv2.dilate(seeds, np.ones((17, 17), np.uint8)), np.uint8)
        zone[round(_FOOT * len(zone)) :] = 0
        if np.array_equal(before, zone):
            break
        around = np.asarray(cv2.resize(zone, size, interpolation=cv2.INTER_NEAREST), np.uint8)
        like, leafy = _like(colours, _enlarged(own, size), inside, around, step)
        gaps = ((like > _SURE) & (leafy > _LEAFY)).astype(np.uint8)
        found = np.maximum(found, gaps - cv2.morphologyEx(gaps, cv2.MORPH_OPEN, wide))
        sure = np.asarray(cv2.resize(found, few, interpolation=cv2.INTER_AREA), np.float32)
    return own, zone


def _like(
    colours: Plane, own: Plane, inside: NDArray[np.uint8], around: NDArray[np.uint8], step: float
) -> tuple[Alpha, Plane]:
    """How near each pixel is to the sky's own colour, and how much near it is nothing like that, both 0-1.

    Beside what was found only what is all but of that colour counts. `step`: pixels for one of the small copy.
    """
    away = colours - own
    unlike = np.sqrt(np.einsum("ijk,ijk->ij", away, away))
    like = np.where(inside > 0, np.float32(_LIKE), np.float32(_LIKE_BESIDE))
    unlike_from = np.where(inside > 0, np.float32(_UNLIKE), np.float32(_UNLIKE_BESIDE))
    share = np.asarray(np.clip((unlike_from - unlike) / (unlike_from - like), 0, 1) * around, np.float32)
    reach = 2 * round(_LEAFY_NEAR * step) + 1
    leafy = cv2.blur((unlike > _UNLIKE).astype(np.float32), (reach, reach))
    return _of_a_piece(share, leafy * (unlike < _SAME), inside, step), leafy


def _enlarged(values: Plane, size: tuple[int, int]) -> Plane:
    return np.asarray(cv2.resize(values, size, interpolation=cv2.INTER_LINEAR), np.float32)


def _of_a_piece(share: Alpha, leafy: Plane, found: NDArray[np.uint8], step: float) -> Alpha:
    """Without broad places that hardly meet what was found: a white wall beside the sky is none.

    Those between leaves, where much around is nothing like the sky, stay.
    """
    broad = np.ones((2 * round(_BROAD * step / 2) + 1,) * 2, np.uint8)
    there = cv2.morphologyEx((share > 0.3).astype(np.uint8), cv2.MORPH_OPEN, broad)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(there)
    at, area = there > 0, np.maximum(stats[:, cv2.CC_STAT_AREA], 1)
    met, between = (np.bincount(labels[at], one[at], count) / area for one in (found, leafy))
    strange = (met < _MEETS) & (between < _LEAFY)
    strange[0] = False
    if not strange.any():
        return share
    gone = np.asarray(cv2.dilate(strange[labels].astype(np.uint8), broad), np.uint8) & (1 - found)
    return np.where(gone > 0, np.float32(0), share)


def _around(values: NDArray[np.float32]) -> NDArray[np.float32]:
    out = np.zeros_like(values)
    for reach, share in _REACHES:
        out += np.float32(share) * cv2.GaussianBlur(values, (0, 0), reach)
    return out


def _without_wires(colours: NDArray[np.float32]) -> NDArray[np.float32]:
    """Thin dark lines closed, which would part the sky."""
    kernel = np.ones((5, 5), np.uint8)
    darkest = cv2.morphologyEx(colours[..., 0], cv2.MORPH_CLOSE, kernel) - colours[..., 0] > 2
    calm = cv2.medianBlur(colours, 5)
    dilated = cv2.dilate(darkest.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    return np.asarray(np.where(dilated[..., None], cv2.dilate(calm, kernel), colours), np.float32)


def _busyness(lightness: NDArray[np.float32]) -> NDArray[np.float32]:
    fine = np.abs(lightness - cv2.GaussianBlur(lightness, (0, 0), 2))
    return np.asarray(cv2.GaussianBlur(fine, (0, 0), 2), np.float32)


def _hanging(found: Bits, could: Bits) -> Bits:
    """Parts that reach the upper border, and smaller ones like them above where those end, as between leaves."""
    count, labels, stats, _ = cv2.connectedComponentsWithStats(found.astype(np.uint8), connectivity=8)
    hangs = np.zeros(count, np.bool_)
    hangs[np.unique(labels[0])] = True
    hangs[0] = False
    if not hangs.any():
        return np.zeros(found.shape, np.bool_)
    lowest = (stats[hangs, cv2.CC_STAT_TOP] + stats[hangs, cv2.CC_STAT_HEIGHT]).max()
    for one in range(1, count):
        below = stats[one, cv2.CC_STAT_TOP] + stats[one, cv2.CC_STAT_HEIGHT]
        big = stats[one, cv2.CC_STAT_AREA] >= _PART * found.size
        small = stats[one, cv2.CC_STAT_AREA] < 0.01 * found.size
        hangs[one] |= big and small and below <= lowest and could[labels == one].mean() > 0.5
    sky = hangs[labels]
    count, labels, stats, _ = cv2.connectedComponentsWithStats((~sky).astype(np.uint8), connectivity=4)
    tiny = stats[:, cv2.CC_STAT_AREA] < _HOLE * found.size
    return np.asarray(sky | tiny[labels])
