"""Evening out a filling: blotches go, texture stays.

What is copied brings along the light of where it comes from, so that a smooth ground gets blotches. A filling is split
into bands (Burt, Adelson 1983, doi:10.1109/TCOM.1983.1095851), and each of them but the finest is led toward a smoother
filling's as far as it varies more than around the hole. What differs from one try to the next is led to their mean.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import partial

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.clean.membrane import fill_membrane, push_pull
from fern_ticket.core.clean.roughness import HEARD, LEAST_HEARD, mean_near, ring_around
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.pictures.values import deepest, depth_within
from fern_ticket.core.threads import beside

Grid = NDArray[np.float32]
Bits = NDArray[np.bool_]

#: How many bands there are, and the deviation of the Gaussian that parts the finest from the next, pixels; each further
#: one is twice as wide.
_BANDS, _FINEST = 4, 1.2
#: How far around a place the hole itself is heard, beside `HEARD` for its ring.
_OWN = 0.375
#: Values that are parted faster here than handed to threads.
_AT_ONCE = 1 << 17
#: Energy of a band that is as good as none.
_NOTHING = 1e-2
#: By how much a filling may differ from the membrane before it is no blotch but a thing, encoded values.
_THING = 10.0
#: How far the light around a hole may be from a plane's for a membrane to tell the hole's, encoded values; over how
#: wide a Gaussian that is looked at, pixels; and the least hole that is worth it.
_ONE_GROUND, _LIGHT, _WORTH = 10.0, 4.8, 60
#: What several tries agree on is light of this Gaussian, pixels; so much of it is the membrane's; so far from the rim,
#: in pixels, it counts wholly; and where they differ by more than this, encoded values, they show other things.
_AGREED, _MEMBRANE, _FROM_RIM, _TOO_UNLIKE = 8.0, 0.3, 4.0, 12.0


def evened_by_rim(values: Grid, hole: Bits, seen: Bits) -> Grid:
    """A filling whose light comes in from the rim, where one ground lies all around it.

    The more grounds meet there, the more it stays as it is: a membrane would spread one's light over the other.
    Parameters as of `evened`.
    """
    known = seen & ~hole
    if int(hole.sum()) < _WORTH or not known.any():
        return values
    around, smooth = ring_around(hole, known), fill_membrane(values, ~known, known)
    even = _evened(values, smooth, hole, seen, around, _THING)
    off = _off_plane(np.asarray(cv2.GaussianBlur(smooth, (0, 0), _LIGHT)), around)
    return np.asarray(values + (even - values) / np.float32(1 + (off / _ONE_GROUND) ** 4), np.float32)


def agreed(values: Grid, tries: Sequence[Grid], hole: Bits, seen: Bits) -> Grid:
    """A filling with the light that several tries at it and a membrane come to between them.

    Where they differ each is off, and their mean is less so (as means of estimates that err apart are; no source for
    fillings). It keeps its texture, and things that the others do not have.

    Parameters
    ----------
    values, hole, seen
        As of `evened`.
    tries
        Fillings of the same hole, this one among them.
    """
    known = seen & ~hole
    if not known.any():
        return values
    part = _near(hole)
    inside = hole[part]
    mean = np.mean([one[part] for one in tries], axis=0, dtype=np.float32)
    mean += np.float32(_MEMBRANE) * (fill_membrane(values, ~known, known)[part] - mean)
    differ = np.where(inside[..., None], mean - values[part], np.float32(0))
    differ = _tamed(np.asarray(cv2.GaussianBlur(differ, (0, 0), _AGREED), np.float32), _TOO_UNLIKE)
    out = values.copy()
    out[part] += np.minimum(np.float32(1), depth_within(inside) / np.float32(_FROM_RIM))[..., None] * differ
    return out


def evened(values: Grid, smoother: Grid, hole: Bits, seen: Bits, keeps: float = math.inf) -> Grid:
    """A filling without what varies more than its surroundings do.

    Parameters
    ----------
    values
        Encoded values 0-255, shape (rows, columns, 3), float32, the hole filled.
    smoother
        Another filling, without blotches, shape of `values`; read in the hole only.
    hole, seen
        What was filled, and what lies around, shape (rows, columns).
    keeps
        What is coarser than all bands becomes the smoother filling's, but where it differs by more than about this.

    Returns
    -------
    Values with the hole evened; as they are where nothing lies around.
    """
    around = ring_around(hole, seen & ~hole)
    return _evened(values, smoother, hole, seen, around, keeps) if around.any() else values


def _evened(values: Grid, smoother: Grid, hole: Bits, seen: Bits, around: Bits, keeps: float) -> Grid:
    """The same, with the ring `around` that is compared."""
    part = _near(hole | around)
    inside, ring, known = hole[part], around[part], (hole | seen)[part]
    # what is no part of the ground holds no colour of it
    own = values[part] if known.all() else np.where(known[..., None], values[part], push_pull(values[part], known))
    differ = np.where(inside[..., None], own - smoother[part], np.float32(0))
    deep, gone = deepest(inside), np.zeros_like(differ)
    # the finest band is grain's
    (_, own), (_, differ) = _both_parted(own, differ, 0)
    for number in range(1, _BANDS):
        (band, own), (differing, differ) = _both_parted(own, differ, number)
        energy = np.log(np.square(band).sum(axis=2) + np.float32(_NOTHING))
        around_it = mean_near(energy, ring, max(HEARD * deep, LEAST_HEARD))
        excess = np.maximum(mean_near(energy, inside, max(_OWN * deep, LEAST_HEARD)) - around_it, 0)
        gone += (1 - np.exp(-0.5 * excess))[..., None] * differing
    gone += _tamed(differ, keeps)
    out = values.copy()
    out[part][inside] -= gone[inside]
    return out


def _near(place: Bits) -> tuple[slice, slice]:
    """The part of a window that a place and the widest Gaussian about it reach."""
    left, top, width, height = cv2.boundingRect(place.astype(np.uint8))
    reach = math.ceil(3 * _FINEST * 2.0 ** (_BANDS - 1))
    near = Box(left, top, left + width, top + height).grown(reach).within(Box(0, 0, place.shape[1], place.shape[0]))
    return near.rows, near.columns


def _parted(values: Grid, number: int) -> tuple[Grid, Grid]:
    """A band of what the finer ones left, and what it leaves in turn."""
    # one Gaussian after another: their variances add up
    variance = 4.0**number - 4.0 ** (number - 1) if number else 1.0
    coarse = np.asarray(cv2.GaussianBlur(values, (0, 0), _FINEST * math.sqrt(variance)), np.float32)
    return values - coarse, coarse


def _both_parted(one: Grid, other: Grid, number: int) -> tuple[tuple[Grid, Grid], tuple[Grid, Grid]]:
    return beside(partial(_parted, one, number), partial(_parted, other, number), worth=one.size > _AT_ONCE)


def _tamed(differ: Grid, most: float) -> Grid:
    """Differences as they are, the less of them the more they are above `most`: those are things."""
    return np.asarray(differ / (1 + np.square(differ).mean(axis=2, keepdims=True) / np.float32(most**2)), np.float32)


def _off_plane(values: Grid, ring: Bits) -> float:
    """Root mean square of what a ring's values differ by from those that change evenly across the picture."""
    y, x = np.nonzero(ring)
    evenly = np.stack([np.ones(len(y)), y, x], axis=1)
    found = values[ring].astype(np.float64)
    fitted = evenly @ np.linalg.lstsq(evenly, found, rcond=None)[0]
    return float(np.sqrt(np.square(found - fitted).mean()))
