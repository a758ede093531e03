"""Edges that run into a place from both sides: so that they run on through what is grown there.

Sure ones are guides by themselves (`regrow.py`), all are offered as such.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import combinations
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.clean.repair import Ground
from fern_ticket.core.ledger.masks import Place
from fern_ticket.core.pictures.lab import pixels_to_lab
from fern_ticket.core.pictures.segments import straight_segments
from fern_ticket.core.pictures.values import narrowed, set_under

Bits = NDArray[np.bool_]
Floats = NDArray[np.float64]
Points = list[tuple[float, float]]

#: Surroundings that are looked at, as a share of the place's longer side, and at least so many pixels.
_AROUND, _LEAST_AROUND = 0.6, 80
#: Long side of the copy that is looked at.
_SEEN = 900
#: Pixels of that copy: the shortest edge that counts, how far it may end from the place, and how far two may pass one
#: another by for each pixel between them.
_SHORTEST, _FROM_RIM, _PASS = 16, 22, 0.05
#: Degrees by which an edge may turn on its way through.
_TURN = 5.0
#: How many times smaller the copies are that edges are looked for on, and levels of 255 for one CIELAB unit.
_COARSER, _CONTRAST = (1, 2, 4), 2.5
#: CIELAB units: how much the grounds on either side differ at least, and how unlike one ground may be to itself.
_STEP, _SAME = 5.0, 16.0
#: What is longer, pixels, or differs more, CIELAB units, makes an edge no surer.
_LONGEST, _STRONGEST = 60.0, 30.0
#: Places along an edge at which it is seen at first whether it comes near.
_LOOKED = 160
#: Pixels beside an edge at which its grounds are looked at: so far that a joint between stones is none.
_BESIDE = np.arange(3.0, 15.0, 2.0)
#: Guides that are offered at most, and pixels between two that tell different things.
_MOST, _APART = 5, 7.0


@dataclass(frozen=True)
class _Stub:
    """A straight edge that would run into the place.

    Attributes
    ----------
    near, far
        Its ends, (x, y); the near one lies at the place.
    way
        Of length 1, from far to near.
    grounds
        Mean colours at the left and at the right of it, going into the place, CIELAB, shape (2, 3).
    """

    near: Floats
    far: Floats
    way: Floats
    grounds: Floats

    @property
    def length(self) -> float:
        return float(np.hypot(*(self.near - self.far)))

    @property
    def step(self) -> float:
        """How much its grounds differ, CIELAB units."""
        return float(np.hypot.reduce(self.grounds[0] - self.grounds[1]))


class Edge(NamedTuple):
    """An edge that runs through a place: points along the one part of it, through the place and along the other,
    (x, y), shape (4, 2); and how sure it is, by how long its parts are and how much its grounds differ."""

    line: Floats
    sureness: float


def guides_through(place: Place, ground: Ground) -> list[Points]:
    """Lines along edges that end at a place from both sides, the surest first; none where none does.

    Returns
    -------
    Of each line its points, source pixels: along the one edge, through the place, along the other.
    """
    box = place.box(ground.size)
    if box.empty:
        return []
    around = box.grown(max(_LEAST_AROUND, round(_AROUND * max(box.width, box.height)))).within(ground.whole)
    inside = np.zeros((around.height, around.width), np.bool_)
    inner = box.relative_to(around)
    inside[inner.rows, inner.columns] = place.alpha(box) > 0
    return [
        [(round(float(x + around.left), 1), round(float(y + around.top), 1)) for x, y in edge.line]
        for edge in edges_through(narrowed(ground.read(around)), inside)
    ]


def edges_through(pixels: NDArray[np.uint8], inside: Bits, least: float = 0.0) -> list[Edge]:
    """Edges that end at a place from both sides, the surest first.

    Segments by von Gioi and others (2010, LSD). Two belong together when they lie in one line and have the same grounds
    at the same sides.

    Parameters
    ----------
    pixels
        The place and what lies around it, shape (rows, columns, 3).
    inside
        The place, shape (rows, columns).
    least
        How sure they are at least.
    """
    rows, columns = inside.shape
    less = max(1.0, max(rows, columns) / _SEEN)
    size = (round(columns / less), round(rows / less))
    small = np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA), np.uint8)
    there = cv2.resize(inside.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0
    pairs = [
        (_sureness(one, other), one, other)
        for one, other in combinations(_stubs(small, there, least), 2)
        if _belong(one, other, there)
    ]
    found: list[Edge] = []
    for sureness, one, other in sorted(pairs, key=lambda pair: -pair[0]):
        line = np.array([one.far, one.near, other.near, other.far])
        if len(found) < _MOST and all(_apart(line, another.line) for another in found):
            found.append(Edge(line, sureness))
    scale = np.array([columns / size[0], rows / size[1]])
    return [Edge(line * scale, sureness) for line, sureness in found]


def _stubs(pixels: NDArray[np.uint8], inside: Bits, least: float) -> list[_Stub]:
    """Edges outside the place that would run into it, each from its far to its near end, that are as sure as `least`
    by themselves."""
    lab = pixels_to_lab(np.asarray(cv2.GaussianBlur(pixels, (0, 0), 1.0), np.uint8))
    stubs, shortest = [], max(_SHORTEST, least / _STRONGEST)
    for far, other in _towards(inside, _segments(pixels)):
        length = float(np.hypot(*(other - far)))
        way = (other - far) / max(length, 1e-6)
        # a part of it may lie in the place already
        met = np.flatnonzero(set_under(inside, far + np.arange(round(length) + _FROM_RIM)[:, None] * way))
        if not len(met) or length < _SHORTEST or met[0] < shortest:
            continue
        seen_to = far + min(float(met[0]), length) * way
        grounds = _grounds(lab, inside, seen_to, far, way)
        if grounds is None:
            continue
        stub = _Stub(far + met[0] * way, far, way, grounds)
        if stub.step >= _STEP and _sureness(stub, stub) >= least:
            stubs.append(stub)
    return stubs


def _towards(inside: Bits, segments: Floats) -> Floats:
    """Segments, from their far to their near end, that come about as near to a place as those that run into it do:
    most of a picture's do not, and need not be looked at one by one."""
    both = np.stack([segments, segments[:, ::-1]], axis=1).reshape(-1, 2, 2)
    far, whole = both[:, :1], both[:, 1:] - both[:, :1]
    length = np.hypot(whole[..., 0], whole[..., 1])[..., None]
    steps = np.linspace(0, 1, _LOOKED)[None, :, None] * (length + _FROM_RIM) / np.maximum(length, 1e-6)
    between = math.ceil((_SEEN * math.sqrt(2) + _FROM_RIM) / (_LOOKED - 1))
    wide = cv2.dilate(inside.astype(np.uint8), np.ones((2 * between + 1,) * 2, np.uint8)) > 0
    return np.asarray(both[set_under(wide, far + steps * whole).any(axis=1)])


def _segments(pixels: NDArray[np.uint8]) -> Floats:
    """Ends of straight edges in lightness and in colour, shape (count, 2, 2); of grounds that are rough too, whose edge
    shows on a copy that is coarser than what they are made of."""
    rows, columns = pixels.shape[:2]
    found = []
    for less in _COARSER:
        size = (max(8, columns // less), max(8, rows // less))
        lab = pixels_to_lab(np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA), np.uint8))
        for plane, middle in zip(cv2.split(lab), (50, 0, 0), strict=True):
            grey = np.clip(128 + _CONTRAST * (plane - middle), 0, 255).astype(np.uint8)
            found.append(straight_segments(grey) * np.tile([columns / size[0], rows / size[1]], 2))
    return np.concatenate(found).reshape(-1, 2, 2)


def _grounds(lab: NDArray[np.float32], inside: Bits, near: Floats, far: Floats, way: Floats) -> Floats | None:
    """Mean colours beside an edge, left and right; None where either lies outside the picture or in the place."""
    across = np.array([way[1], -way[0]])
    along = far + np.linspace(0.1, 0.9, 24)[:, None] * (near - far)
    sides = []
    for side in (1, -1):
        places = along[:, None] + side * _BESIDE[None, :, None] * across
        fits = set_under(~inside, places)
        if fits.mean() < 0.5:
            return None
        x, y = np.floor(places[fits]).astype(int).T
        sides.append(lab[y, x].mean(axis=0))
    return np.array(sides, np.float64)


def _belong(one: _Stub, other: _Stub, inside: Bits) -> bool:
    """Whether two edges are one that runs through the place."""
    between = other.near - one.near
    gap = float(np.hypot(*between))
    if gap < 3:
        return False
    turns = [_angle(one.way, between), _angle(-other.way, between)]
    if max(turns) > _TURN + np.degrees(np.arctan2(2.0, gap)):
        return False
    passes = max(abs(_cross(way, between)) for way in (one.way, other.way))
    if passes > 2 + _PASS * gap:
        return False
    # what is left of the one, going in, is right of the other
    unlike = np.sqrt(np.square(one.grounds - other.grounds[::-1]).sum(axis=1))
    if unlike.max() > _SAME:
        return False
    return float(set_under(inside, one.near + np.linspace(0, 1, 60)[:, None] * between).mean()) > 0.7


def _sureness(one: _Stub, other: _Stub) -> float:
    return min(one.length, other.length, _LONGEST) * min(one.step, other.step, _STRONGEST)


def _apart(line: Floats, other: Floats) -> bool:
    """Whether two lines tell different things: they neither cross inside the place nor run as one."""
    sides = []
    for point in line[1:3]:
        way = other[2] - other[1]
        sides.append(_cross(way / max(float(np.hypot(*way)), 1e-6), point - other[1]))
    return sides[0] * sides[1] > 0 and min(map(abs, sides)) > _APART


def _cross(one: Floats, other: Floats) -> float:
    return float(one[0] * other[1] - one[1] * other[0])


def _angle(one: Floats, other: Floats) -> float:
    """Degrees between two directions."""
    return float(np.degrees(np.arctan2(abs(_cross(one, other)), float(one @ other))))
