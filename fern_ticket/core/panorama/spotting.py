"""Things that are looked for in a photo, or all round in a panorama, by what finds them in plain pictures.

A photo is looked at whole, then in tiles; a panorama in views that cover the sphere. What lies in the overlap of two is
one thing.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from importlib.util import find_spec
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.panorama.covering import covering
from fern_ticket.core.pictures.chart import Chart
from fern_ticket.core.pictures.pyramid import Levelled, level_box, level_within
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.pictures.sphere import Sphere
from fern_ticket.core.render.around import Look
from fern_ticket.core.threads import goes_on

Seen = NDArray[np.uint8]
#: x and y in a photo, or a direction in a panorama.
Place = NDArray[np.float64]

#: A view's degrees across, and its pixels a side at most: it is as fine as the panorama.
_FIELD, _MOST_SIDE = 60.0, 2048
#: Views do not look further up or down: nothing stands there upright.
_MOST_PITCH = 75.0
#: Long side of what a flat photo is looked at closely in, of its tiles and of a look at the whole; what tiles share.
_FINEST, _TILE, _OVERLAP = 4400, 1536, 384
#: One that is nearer to a surer one than this share of its own length is the same.
_SAME = 0.6


@dataclass(frozen=True)
class Spot:
    """Where something lies.

    Attributes
    ----------
    x, y
        Its middle, source pixels.
    size
        Its height, source pixels; in a panorama, of one in which a degree is as long as on the horizon.
    sure
        0-1.
    wide, turn
        How many times as wide as high it is, and degrees that it is turned by clockwise.
    """

    x: float
    y: float
    size: float
    sure: float
    wide: float = 1.0
    turn: float = 0.0


#: Spots of a plain picture, sRGB, shape (rows, columns, 3).
Find = Callable[[Seen], list[Spot]]


def spotted_around(
    find: Find,
    looked: Callable[[Chart], Seen],
    picture: tuple[int, int],
    sphere: Sphere,
) -> list[Spot]:
    """What is found all round in a panorama, the surest first. Between views it asks whether it goes on.

    Parameters
    ----------
    find
        Finds it in a view.
    looked
        Gives the panorama's pixels through a view.
    picture
        Width and height.
    """
    side = min(_MOST_SIDE, max(320, round(_FIELD / 360 * sphere.width)))
    found: list[tuple[Place, Spot]] = []
    for view in covering(_FIELD, 1.0, _MOST_PITCH):
        goes_on()
        chart = Look(view.heading, view.pitch, _FIELD, side, side).chart(picture, sphere)
        found.extend(_placed(find(looked(chart)), chart, sphere))
    return _once(found, lambda one, other: math.acos(min(1.0, float(one @ other))) * sphere.width / (2 * math.pi))


def spotted_in(find: Find, read: Callable[[int, Box], Seen], levelled: Levelled) -> list[Spot]:
    """What is found in a flat photo, the surest first. Between tiles it asks whether it goes on.

    Parameters
    ----------
    read
        Gives pixels of a box of a level, sRGB.
    levelled
        What has these levels.
    """
    small, fine = level_within(levelled, _TILE), level_within(levelled, _FINEST)
    looks = [(small, level_box(levelled.size, small))]
    if fine < small:
        looks += [(fine, tile) for tile in _tiles(level_box(levelled.size, fine))]
    found: list[tuple[Place, Spot]] = []
    for level, box in looks:
        goes_on()
        spots = [_moved(spot, box, 2.0**level) for spot in find(read(level, box))]
        found.extend((np.array([spot.x, spot.y]), spot) for spot in spots)
    return _once(found, lambda one, other: float(np.hypot(*(one - other))))


def _once(found: list[tuple[Place, Spot]], apart: Callable[[Place, Place], float]) -> list[Spot]:
    """Each thing once, the surest first; `apart` tells how many pixels lie between two places."""
    kept: list[tuple[Place, Spot]] = []
    for place, spot in sorted(found, key=lambda pair: -pair[1].sure):
        if all(apart(place, other) > _SAME * spot.size * spot.wide for other, _ in kept):
            kept.append((place, spot))
    return [spot for _, spot in kept]


def _tiles(whole: Box) -> list[Box]:
    step = _TILE - _OVERLAP
    tops, lefts = (range(0, max(1, side - _OVERLAP), step) for side in (whole.height, whole.width))
    return [Box(left, top, left + _TILE, top + _TILE).within(whole) for top in tops for left in lefts]


def _moved(spot: Spot, box: Box, larger: float) -> Spot:
    at = ((spot.x + box.left) * larger, (spot.y + box.top) * larger)
    return replace(spot, x=at[0], y=at[1], size=spot.size * larger)


def _placed(spots: list[Spot], chart: Chart, sphere: Sphere) -> Iterator[tuple[Place, Spot]]:
    for spot in spots:
        if not (0 <= spot.x < chart.size[0] and 0 <= spot.y < chart.size[1]):
            continue
        x, y = chart.to_source(np.array(spot.x), np.array(spot.y))
        ray = chart.plane @ (spot.x, spot.y, 1.0)
        # degrees by the arc across it, as a view stretches toward its sides
        ends = chart.plane @ np.array([(spot.x, spot.y - spot.size / 2, 1.0), (spot.x, spot.y + spot.size / 2, 1.0)]).T
        ends /= np.linalg.norm(ends, axis=0)
        arc = math.acos(min(1.0, float(ends[:, 0] @ ends[:, 1])))
        size = arc * sphere.width / (2 * math.pi)
        yield ray / np.linalg.norm(ray), replace(spot, x=float(x) % sphere.width, y=float(y), size=size)


def model_in(package: str, *path: str) -> Any:
    """A network that a package of the registry ships."""
    spec = find_spec(package)
    assert spec is not None
    assert spec.origin is not None
    return cv2.dnn.readNetFromONNX(str(Path(spec.origin).parent.joinpath(*path)))
