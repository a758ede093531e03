"""A sky that was found on a small copy, on a larger one: up to its edges, between leaves, behind wires, clouds too."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.cutting.clouds import BESIDE, SKY, unlike_sky
from fern_ticket.core.cutting.saliency import shrunk
from fern_ticket.core.cutting.sky import FOOT
from fern_ticket.core.cutting.subject import grown
from fern_ticket.core.ledger.masks import Alpha
from fern_ticket.core.pictures.lab import pixels_to_lab
from fern_ticket.core.pictures.values import blurred_within

Bits = NDArray[np.bool_]
Plane = NDArray[np.float32]

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
#: Deviation that a blur has on the copy that it is done on, pixels, where it is that wide.
_BLUR = 4.0
#: A clear sky is about as light as the darkest of it, of which it is this share; what is so much lighter, CIELAB, tells
#: half as much; and how far around its colour is taken, pixels of the small copy.
_CLEAR, _CLOUDED, _CLEAR_REACH = 0.25, 10.0, 40.0


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
    colours, closer = pixels_to_lab(pixels), shrunk(pixels, _SEEN * max(few), 1)
    clear = _clear(closer, deep)
    own, zone = _through_leaves(closer, bits, deep, clear)
    around = np.asarray(cv2.resize(zone, size, interpolation=cv2.INTER_NEAREST), np.uint8)
    step = max(size) / max(few)
    return _like(colours, _enlarged(own, size), _enlarged(clear, size), _near(bits, size, step), around, step)[0]


def _near(bits: NDArray[np.uint8], size: tuple[int, int], step: float) -> NDArray[np.uint8]:
    """What of a larger picture is `SKY` on the small copy, and what lies `BESIDE` that."""
    inside = cv2.resize(bits, size, interpolation=cv2.INTER_NEAREST)
    reach = 2 * round(_BROAD * step) + 1
    beside = cv2.dilate(inside, np.ones((reach, reach), np.uint8))
    return np.where(inside > 0, SKY, BESIDE * beside).astype(np.uint8)


def _clear(pixels: NDArray[np.uint8], deep: Alpha) -> Plane:
    """The sky's colour all over the small copy where no cloud is before it."""
    colours = pixels_to_lab(np.asarray(cv2.resize(pixels, deep.shape[::-1], interpolation=cv2.INTER_AREA), np.uint8))
    lightness = colours[..., 0]
    light = float(np.quantile(lightness[deep > 0], _CLEAR))
    clear = deep / (1 + np.square(np.clip(lightness - light, 0, None) / _CLOUDED))
    return blurred_within(colours, clear, _CLEAR_REACH, least=1e-6)


def _through_leaves(
    pixels: NDArray[np.uint8], bits: NDArray[np.uint8], deep: Alpha, clear: Plane
) -> tuple[Plane, NDArray[np.uint8]]:
    """The sky's colour all over the small copy, and where some of it may be: from gap to gap, as far as they go.

    A sky pales toward its foot, so that what is found in one gap says what the next one looks like.

    Parameters
    ----------
    pixels
        Some times the small copy's size, so that gaps show.
    bits, deep, clear
        The sky of the small copy, what lies deep in it, and its colour but for clouds.
    """
    few, size = (bits.shape[1], bits.shape[0]), (pixels.shape[1], pixels.shape[0])
    colours, sure = pixels_to_lab(pixels), deep
    found = cv2.resize(deep, size, interpolation=cv2.INTER_NEAREST)
    own, zone, step = deep, bits, max(size) / max(few)
    near, clear_there = _near(bits, size, step), _enlarged(clear, size)
    wide = np.ones((2 * round(_GAP * step / 2) + 1,) * 2, np.uint8)
    for _ in range(_GAPS):
        weight = _around(sure) + np.float32(1e-6)
        seen = np.asarray(cv2.resize(colours * found[..., None], few, interpolation=cv2.INTER_AREA), np.float32)
        own = np.asarray(_around(seen) / weight[..., None], np.float32)
        before, seeds = zone, (sure > _SOME).astype(np.uint8) | bits
        zone = np.asarray(cv2.dilate(seeds, np.ones((17, 17), np.uint8)), np.uint8)
        foot = round(FOOT * len(zone))
        zone[foot:] = bits[foot:]
        if np.array_equal(before, zone):
            break
        around = np.asarray(cv2.resize(zone, size, interpolation=cv2.INTER_NEAREST), np.uint8)
        like, leafy = _like(colours, _enlarged(own, size), clear_there, near, around, step)
        gaps = ((like > _SURE) & (leafy > _LEAFY)).astype(np.uint8)
        found = np.maximum(found, gaps - cv2.morphologyEx(gaps, cv2.MORPH_OPEN, wide))
        sure = np.asarray(cv2.resize(found, few, interpolation=cv2.INTER_AREA), np.float32)
    return own, zone


def _like(
    colours: Plane, own: Plane, clear: Plane, near: NDArray[np.uint8], around: NDArray[np.uint8], step: float
) -> tuple[Alpha, Plane]:
    """How near each pixel is to the sky's own colour, and how much near it is nothing like that, both 0-1.

    Beside what was found only what is all but of that colour counts. `step`: pixels for one of the small copy.
    """
    unlike, inside = unlike_sky(colours, own, clear, near), near == SKY
    like = np.where(inside, np.float32(_LIKE), np.float32(_LIKE_BESIDE))
    unlike_from = np.where(inside, np.float32(_UNLIKE), np.float32(_UNLIKE_BESIDE))
    share = np.asarray(np.clip((unlike_from - unlike) / (unlike_from - like), 0, 1) * around, np.float32)
    reach = 2 * round(_LEAFY_NEAR * step) + 1
    leafy = cv2.blur((unlike > _UNLIKE).astype(np.float32), (reach, reach))
    return _of_a_piece(share, leafy * (unlike < _SAME), inside, step), leafy


def _enlarged(values: Plane, size: tuple[int, int]) -> Plane:
    return np.asarray(cv2.resize(values, size, interpolation=cv2.INTER_LINEAR), np.float32)


def _of_a_piece(share: Alpha, leafy: Plane, found: Bits, step: float) -> Alpha:
    """Without broad places that hardly meet what was found, or are but half like it: no wall and no sea beside is sky.

    Those between leaves, where much around is nothing like the sky, stay.
    """
    broad = np.ones((2 * round(_BROAD * step / 2) + 1,) * 2, np.uint8)
    there = cv2.morphologyEx((share > 0.3).astype(np.uint8), cv2.MORPH_OPEN, broad)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(there)
    at, area = there > 0, np.maximum(stats[:, cv2.CC_STAT_AREA], 1)
    met, between = (np.bincount(labels[at], one[at], count) / area for one in (found, leafy))
    strange = (met < _MEETS) & (between < _LEAFY)
    strange[0] = False
    calm = cv2.medianBlur((255 * share).astype(np.uint8), 5)
    half = ((calm > 0) & (calm < 128) & ~found & (leafy < _LEAFY)).astype(np.uint8)
    gone = strange[labels].astype(np.uint8) | cv2.morphologyEx(half, cv2.MORPH_OPEN, broad)
    return np.where((cv2.dilate(gone, broad) > 0) & ~found, np.float32(0), share)


def _around(values: NDArray[np.float32]) -> NDArray[np.float32]:
    out, size = np.zeros_like(values), (values.shape[1], values.shape[0])
    for reach, share in _REACHES:
        # a wide blur has nothing that a smaller copy does not show
        less = max(1, int(reach / _BLUR))
        few = (-(-size[0] // less), -(-size[1] // less))
        seen = cv2.resize(values, few, interpolation=cv2.INTER_AREA)
        out += np.float32(share) * cv2.resize(cv2.GaussianBlur(seen, (0, 0), reach / less), size)
    return out
