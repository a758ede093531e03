"""What a loose outline goes around.

As GrabCut does it with a rectangle (Rother, Kolmogorov, Blake 2004, doi:10.1145/1015706.1015720): at first all inside
is the thing, and models of both sides and the cheapest border between them take turns. With three differences: a hand
keeps off the thing that it goes around, ground beside the outline teaches more than that elsewhere, and three judges
are asked together (models of looks, counts of colours, and counts of those near each place).
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.cutting.beside import redrawn
from fern_ticket.core.cutting.dividing import SAID, cut
from fern_ticket.core.cutting.subject import Small, tidied
from fern_ticket.core.ledger.masks import Alpha
from fern_ticket.core.pictures.values import depth_within

Bits = NDArray[np.bool_]

#: Rounds of models and cuts, and what the judges say at most, log odds.
_ROUNDS, _MOST = 3, 8.0
#: Log odds against the thing along the outline, and how deep inside they have fallen to a third, pixels.
_AT_RIM, _OFF_RIM = 4.0, 10.0
#: How far outside ground counts as beside the outline, pixels; and the share of the ground that lies anywhere.
_BESIDE, _ANYWHERE = 30.0, 0.4
#: Fewer pixels of a side teach nothing; a smaller share of what is inside is no thing.
_TOO_FEW, _LITTLE = 30, 0.05


def inside_of(small: Small, outside: Bits) -> Bits:
    """The thing that a loose outline goes around.

    Parameters
    ----------
    small
        The picture, with ground around the outline.
    outside
        What lies outside of it, shape (rows, columns).

    Returns
    -------
    Shape (rows, columns); all inside where nothing there is unlike the ground: then the outline itself is meant.
    """
    inside = ~outside
    if not inside.any() or not outside.any():
        return inside
    ground = _ground(outside)
    lean = -_AT_RIM * np.exp(-depth_within(inside) / _OFF_RIM)
    share = inside.astype(np.float32)
    for _ in range(_ROUNDS):
        thing, rest = share * inside, np.where(outside, ground, 1 - share)
        if min(float(thing.sum()), float(rest.sum())) < _TOO_FEW:
            break
        said = np.clip(_judged(small, thing, rest, share > 0.5, inside), -_MOST, _MOST)
        share = cut(np.where(inside, lean + said, -SAID).astype(np.float32), small.borders, share)
    found = tidied(share > 0.5, leave=outside)
    found = tidied(redrawn(small.beside, small.borders, found, -outside.astype(np.float32)), leave=outside)
    return found if found.sum() > _LITTLE * inside.sum() else inside


def _ground(outside: Bits) -> Alpha:
    """What each pixel outside teaches of the ground, 1 in mean."""
    away = cv2.distanceTransform(outside.astype(np.uint8), cv2.DIST_L2, 5)
    beside = np.exp(-away / np.float32(_BESIDE))
    return np.asarray((1 - _ANYWHERE) * beside / beside[outside].mean() + _ANYWHERE, np.float32)


def _judged(small: Small, thing: Alpha, rest: Alpha, stands: Bits, asked: Bits) -> Alpha:
    """By how much pixels are likelier the thing's than the ground's, by all judges, log odds."""
    anywhere = (small.more_like_anywhere(thing, rest) + small.counts.more_often(thing, rest)) / 2
    return np.asarray(anywhere + small.beside.more_often(stands, ~stands, asked), np.float32)
