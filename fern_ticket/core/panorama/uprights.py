"""Which way is up in a panorama: where the lines of what stands upright meet.

An edge that is straight in the scene is part of a great circle, whose pole is at right angles to both of its ends.
Poles of upright edges all lie at right angles to straight up: straight up is what most length of edges agrees on (a
Hough vote refined by weighted least squares; segments by von Gioi and others 2010, LSD).
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.frame.horizon import lean_of
from fern_ticket.core.panorama.covering import covering
from fern_ticket.core.pictures.chart import Chart
from fern_ticket.core.pictures.segments import straight_segments
from fern_ticket.core.pictures.sphere import Sphere
from fern_ticket.core.render.around import Look

Seen = NDArray[np.uint8]
Rays = NDArray[np.float64]

_FIELD, _SIDE, _MOST_PITCH = 80.0, 900, 50.0
#: Segments shorter than this share of a view say too little.
_SHORTEST = 0.045
#: A camera leans by at most so much, degrees.
_MOST_LEAN = 35.0
#: Edges that are off by more, degrees, do not agree; while voting, and at the end.
_AGREE, _CLOSE = 1.0, 0.35
#: Degrees of arc, summed, and share of the edges that could be upright, which have to agree.
_LEAST_ARC, _LEAST_SHARE = 60.0, 0.22
#: Of so many directions, how many have to show an upright edge, and how many degrees of it: what leans together in one
#: corner, such as a cord on a floor or the joints of paving, agrees on an up of its own.
_DIRECTIONS, _LEAST_DIRECTIONS, _SHOWN = 12, 6, 2.0


@dataclass(frozen=True)
class Uprights:
    """Which way is up, and from how much that is known.

    Attributes
    ----------
    pitch, roll
        Of the camera, degrees.
    arc
        Degrees of upright edges that agree.
    error
        Degrees by which they are off, median.
    """

    pitch: float
    roll: float
    arc: float
    error: float


def uprights(looked: Callable[[Chart], Seen], picture: tuple[int, int], sphere: Sphere) -> Uprights | None:
    """Which way is up by upright edges; None where too few agree.

    `looked` gives the panorama's pixels through a view.
    """
    poles, arcs = _edges(looked, picture, sphere)
    if len(arcs) < 6:
        return None
    up = _voted(poles, arcs)
    for tolerance in (_AGREE, 0.6, _CLOSE, _CLOSE):
        agree = np.abs(poles @ up) < math.sin(math.radians(tolerance))
        if agree.sum() < 4:
            return None
        weights = arcs[agree] / (math.radians(0.15) + np.abs(poles[agree] @ up))
        _, _, found = np.linalg.svd(poles[agree] * np.sqrt(weights)[:, None], full_matrices=False)
        up = found[-1] * (1 if found[-1][1] < 0 else -1)
    off = np.degrees(np.arcsin(np.clip(np.abs(poles @ up), 0, 1)))
    agree = off < _CLOSE
    arc = float(np.degrees(arcs[agree].sum()))
    near = float(np.degrees(arcs[off < 8].sum()))
    if arc < _LEAST_ARC or arc < _LEAST_SHARE * near or up[1] > -math.cos(math.radians(_MOST_LEAN)):
        return None
    if _directions(poles[agree], arcs[agree]) < _LEAST_DIRECTIONS:
        return None
    pitch, roll = lean_of(up)
    return Uprights(pitch, roll, arc, float(np.median(off[agree])))


def _directions(poles: Rays, arcs: NDArray[np.float64]) -> int:
    """How many directions all round, taken together with those behind, show an edge."""
    across = np.arctan2(poles[:, 0], poles[:, 2]) % math.pi / math.pi
    direction = np.minimum((across * _DIRECTIONS).astype(int), _DIRECTIONS - 1)
    return int((np.bincount(direction, np.degrees(arcs)) > _SHOWN).sum())


def _edges(
    looked: Callable[[Chart], Seen], picture: tuple[int, int], sphere: Sphere
) -> tuple[Rays, NDArray[np.float64]]:
    """Poles of the great circles of straight edges that may be upright, shape (n, 3), and their arcs, radians."""
    poles, arcs = [], []
    for view in covering(_FIELD, 1.0, _MOST_PITCH):
        chart = Look(view.heading, view.pitch, _FIELD, _SIDE, _SIDE).chart(picture, sphere)
        grey = np.asarray(cv2.cvtColor(looked(chart), cv2.COLOR_RGB2GRAY), np.uint8)
        for x0, y0, x1, y1 in straight_segments(grey):
            if math.hypot(x1 - x0, y1 - y0) < _SHORTEST * _SIDE:
                continue
            one, other = (chart.plane @ (x + 0.5, y + 0.5, 1.0) for x, y in ((x0, y0), (x1, y1)))
            one, other = one / np.linalg.norm(one), other / np.linalg.norm(other)
            pole = np.cross(one, other)
            arc = math.asin(min(1.0, float(np.linalg.norm(pole))))
            pole /= np.linalg.norm(pole)
            # an upright edge's pole lies on the horizon, as far as the camera stands level
            if abs(pole[1]) < math.sin(math.radians(_MOST_LEAN)):
                poles.append(pole)
                arcs.append(arc)
    return np.array(poles).reshape(-1, 3), np.array(arcs)


def _voted(poles: Rays, arcs: NDArray[np.float64]) -> Rays:
    """The direction within the lean that a camera may have to which most arc is at right angles."""
    best, most = np.array([0.0, -1.0, 0.0]), -1.0
    order = np.argsort(-arcs)[:120]
    strong = poles[order]
    for first in range(len(strong)):
        ups = np.cross(strong[first], strong[first + 1 :])
        lengths = np.linalg.norm(ups, axis=1)
        ups = ups[lengths > 0.1] / lengths[lengths > 0.1][:, None]
        ups *= np.where(ups[:, 1:2] > 0, -1, 1)
        ups = ups[ups[:, 1] < -math.cos(math.radians(_MOST_LEAN))]
        if not len(ups):
            continue
        off = np.abs(ups @ poles.T) / math.sin(math.radians(_AGREE))
        votes = (np.clip(1 - off, 0, 1) * arcs).sum(axis=1)
        winner = int(np.argmax(votes))
        if votes[winner] > most:
            best, most = ups[winner], float(votes[winner])
    return best
