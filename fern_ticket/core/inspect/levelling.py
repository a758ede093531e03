"""Find the turn that makes a picture level, from what tells it: uprights, a line right across, level lines, or a sheet.

Straight segments (von Gioi et al. 2010, LSD, doi:10.1109/TPAMI.2008.300) tell most. Uprights may run together, as they
do when a camera is pitched: then their lean grows evenly across the picture, and what it is in the middle counts. A
single line right across from side to side is a horizon. Print has few segments: its rows and columns line up
together at one angle (projection profiles). Where none of these is clear, nothing tells.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.pictures.segments import straight_segments

Floats = NDArray[np.float64]

#: Trial angles of print, degrees, and the steps by which the best is refined.
_WIDEST, _COARSE, _FINE = 12.0, 0.25, 0.02
#: How far an edge's own direction may be from level or upright, degrees.
_LEANING = 16.0
#: How much the best angle's peakedness must stand out from what the other angles have.
_CLEAR = 1.30
#: Bins for one pixel.
_BINS = 2
#: Rows and columns of print lean alike within so many degrees.
_SQUARE = 0.25
#: The shortest segment that counts: pixels, and as a share of the picture's long side.
_SHORTEST, _SHORT = 12.0, 0.02
#: How far segments that agree may be off, degrees; how much uprights' lean may grow across the picture; how many of
#: the longest are tried.
_OFF, _GROWS, _TRIED = 0.7, 14.0, 60
#: What makes agreeing segments tell: their length, in heights or widths of the picture; their share of all that lean
#: about so; that many times what would agree by chance; in so many of the cells across; and how many there are.
_UPRIGHT_LENGTH, _LEVEL_LENGTH, _SHARE, _CHANCE, _PLACES, _COUNT = 1.2, 1.5, 0.36, 2.5, 4, 4
_CELLS, _SPREAD = 24, 0.2
#: So many that agree, and are so many times as long as they need be, may be less of all: a room is full of things.
_MANY, _LONGER, _LESS = 25, 2.0, 0.28
#: A line right across, as a horizon is and a wall's foot behind furniture is not: how much of the picture it runs
#: along, its pieces' distance from it and from its direction.
_ACROSS, _STRAY, _BENT = 0.94, 2.5, 1.2
#: Beside it segments that lean otherwise, by more than so many degrees, may be so many times as long: where planks or
#: courses recede, one of them runs right across at some angle or other.
_OTHERWISE, _CROSSED = 2.0, 5.0
#: Uprights and level lines that differ by less tell the same, degrees; what share of all uprights one upright line
#: must be to tell alone.
_ALIKE, _ALONE = 0.6, 0.5


def level_angle(grey: NDArray[np.float32]) -> float | None:
    """The turn in degrees, clockwise, that levels a picture, or None where nothing says which way is level.

    Parameters
    ----------
    grey
        Encoded luminance, shape (rows, columns), any scale, best about 700 to 1000 pixels on its long side.

    Examples
    --------
    >>> y, x = np.mgrid[:300, :400]
    >>> sea = np.where(y > 160 + 0.05 * x, 0.3, 0.7).astype(np.float32)
    >>> level_angle(cv2.GaussianBlur(sea, (0, 0), 1))
    -2.86
    """
    segments = _segments(grey)
    upright = _Leaning.of(segments, grey.shape, upright=True)
    level = _Leaning.of(segments, grey.shape, upright=False)
    found, flat = upright.together(_GROWS, _UPRIGHT_LENGTH), level.together(0.0, _LEVEL_LENGTH)
    if found is not None and flat is not None and abs(found - flat) < _ALIKE:
        found = flat  # seen head on, level lines are parallel: they need not be told from running together
    if found is None:
        found = level.right_across()
    if found is None:
        found = flat
    if found is None:
        found = _by_print(grey)
    if found is None:
        found = upright.right_across(_ALONE)
    return None if found is None else round(found, 2) + 0.0


def _segments(grey: NDArray[np.float32]) -> Floats:
    """Ends of straight segments, shape (count, 4)."""
    top = float(grey.max()) or 1.0
    pixels = np.clip(grey * np.float32(255 / max(top, 1.0) if top > 1 else 255), 0, 255).astype(np.uint8)
    ends = straight_segments(pixels).astype(np.float64)
    long = np.hypot(*(ends[:, 2:] - ends[:, :2]).T) >= max(_SHORTEST, _SHORT * max(grey.shape))
    return np.asarray(ends[long])


@dataclass(frozen=True)
class _Leaning:
    """Segments that lean a little from upright, or from level.

    Attributes
    ----------
    ends
        In coordinates along the segments and across them, from the picture's middle; shape (count, 2, 2).
    lean
        The turn that each asks for, degrees clockwise.
    along, across
        Of the picture, pixels.
    """

    ends: Floats
    lean: Floats
    along: int
    across: int

    @classmethod
    def of(cls, segments: Floats, shape: tuple[int, ...], *, upright: bool) -> _Leaning:
        rows, columns = shape[:2]
        ends = segments.reshape(-1, 2, 2) - (columns / 2, rows / 2)
        if upright:  # a quarter turn: what was upright is level, and leans as it did
            ends = np.stack([ends[..., 1], -ends[..., 0]], axis=-1)
        way = ends[:, 1] - ends[:, 0]
        ends = np.where((way[:, 0] < 0)[:, None, None], ends[:, ::-1], ends)
        way = np.abs(way[:, :1]) * [1, 0] + np.where(way[:, :1] < 0, -way[:, 1:], way[:, 1:]) * [0, 1]
        lean = -np.degrees(np.arctan2(way[:, 1], way[:, 0]))
        near = np.abs(lean) < _LEANING
        size = (rows, columns) if upright else (columns, rows)
        return cls(ends[near], lean[near], *size)

    @property
    def lengths(self) -> Floats:
        return np.asarray(np.hypot(*(self.ends[:, 1] - self.ends[:, 0]).T))

    @property
    def places(self) -> Floats:
        """Where each lies across, as a share of the picture, from its middle."""
        return np.asarray(self.ends[..., 1].mean(axis=1) / self.across)

    def together(self, grows: float, least: float) -> float | None:
        """The lean in the middle that most of the length agrees on, growing at most so fast across; None where too
        little does."""
        if len(self.lean) < _COUNT:
            return None
        lengths, places = self.lengths, self.places
        middle, growth = self._tried(grows)
        for off in (_OFF, 0.7 * _OFF, 0.7 * _OFF):
            agree = np.abs(self.lean - middle - growth * places) < off
            if agree.sum() < _COUNT:
                return None
            bent = grows > 0 and np.ptp(places[agree]) > 0.3
            terms = np.stack([np.ones(agree.sum()), places[agree]][: 2 if bent else 1], axis=1)
            weight = lengths[agree]
            solved = np.linalg.lstsq(terms * weight[:, None], self.lean[agree] * weight, rcond=None)[0]
            middle, growth = float(solved[0]), float(solved[1]) if bent else 0.0
        agree = np.abs(self.lean - middle - growth * places) < 0.7 * _OFF
        length, chance = float(lengths[agree].sum()), float(lengths.sum()) * 1.5 * 0.7 * _OFF / _LEANING
        cells = len(np.unique(np.floor(places[agree] * _CELLS)))
        many = agree.sum() >= _MANY and length >= _LONGER * least * self.along
        tells = (
            agree.sum() >= _COUNT
            and length >= least * self.along
            and length >= (_LESS if many else _SHARE) * lengths.sum()
            and length >= _CHANCE * chance
            and cells >= _PLACES
            and np.ptp(places[agree]) > _SPREAD
        )
        return middle if tells else None

    def _tried(self, grows: float) -> tuple[float, float]:
        """Of the leans of the longest, and of pairs of them, the one that most of the length is near to."""
        lengths, places = self.lengths, self.places
        longest = np.argsort(-lengths, kind="stable")[:_TRIED]
        tried = [(self.lean[one], 0.0) for one in longest]
        if grows:
            for one in longest:
                for other in longest:
                    apart = places[other] - places[one]
                    growth = (self.lean[other] - self.lean[one]) / apart if apart > 0.15 else math.inf
                    if abs(growth) <= grows:
                        tried.append((self.lean[one] - growth * places[one], growth))
        pairs = np.array(tried)
        off = np.abs(self.lean - pairs[:, :1] - pairs[:, 1:] * places)
        near = (np.clip(1 - off / _OFF, 0, 1) * lengths).sum(axis=1)
        middle, growth = pairs[int(near.argmax())]
        return float(middle), float(growth)

    def right_across(self, share: float = 0.0) -> float | None:
        """The lean of the one line that runs along all but a little of the picture, in pieces.

        None where none does, or where it is less than this share of all that lean about so.
        """
        lengths = self.lengths
        middles = self.ends.mean(axis=1)
        best: tuple[int, Floats, float] | None = None
        for one in np.argsort(-lengths, kind="stable")[:_TRIED]:
            turn = math.radians(-self.lean[one])
            stray = (middles - middles[one]) @ (-math.sin(turn), math.cos(turn))
            same = (np.abs(stray) < _STRAY) & (np.abs(self.lean - self.lean[one]) < _BENT)
            runs = np.zeros(self.along, np.bool_)
            for start, end in self.ends[same][..., 0] + self.along / 2:
                runs[max(0, int(start)) : int(end) + 1] = True
            if best is None or runs.sum() > best[0]:
                otherwise = float(lengths[np.abs(self.lean - self.lean[one]) > _OTHERWISE].sum())
                best = int(runs.sum()), self.ends[same].reshape(-1, 2), otherwise
        if best is None or best[0] < max(_ACROSS * self.along, share * float(lengths.sum()), best[2] / _CROSSED):
            return None
        return -math.degrees(math.atan(np.polyfit(best[1][:, 0], best[1][:, 1], 1)[0]))


def _by_print(grey: NDArray[np.float32]) -> float | None:
    """The angle at which edges line up in rows and in columns alike, as print on a sheet does."""
    smooth = cv2.GaussianBlur(grey, (0, 0), 0.8)
    across, down = cv2.Scharr(smooth, cv2.CV_32F, 1, 0), cv2.Scharr(smooth, cv2.CV_32F, 0, 1)
    strength = np.hypot(across, down)
    edges = strength > max(float(np.quantile(strength, 0.90)), 1e-3)
    edges[:2] = edges[-2:] = False
    edges[:, :2] = edges[:, -2:] = False
    rows, columns = np.nonzero(edges)
    if len(rows) < 200:
        return None
    direction = np.degrees(np.arctan2(across, down))[edges]
    weight = np.minimum(strength[edges], np.quantile(strength[edges], 0.9))
    # spread over the pixel's own area: else the grid itself lines up at no angle
    spread = np.random.default_rng(1).uniform(-0.5, 0.5, (2, len(rows)))
    x, y = columns - grey.shape[1] / 2 + spread[0], rows - grey.shape[0] / 2 + spread[1]
    level = np.abs((direction + 90) % 180 - 90) < _LEANING
    upright = np.abs(direction % 180 - 90) < _LEANING
    by_columns = _best(x[upright], y[upright], weight[upright], along_x=True)
    by_rows = _best(x[level], y[level], weight[level], along_x=False)
    if by_columns is None or by_rows is None or abs(by_columns - by_rows) > _SQUARE:
        return None
    return (by_columns + by_rows) / 2


def _best(
    x: NDArray[np.float64], y: NDArray[np.float64], weight: NDArray[np.float64], *, along_x: bool
) -> float | None:
    """The trial angle whose sums are most peaked, refined; or None where it does not stand out."""
    if len(x) < 200:
        return None

    def peaked(degrees: float) -> float:
        a = np.radians(degrees)
        place = _BINS * (x * np.cos(a) - y * np.sin(a) if along_x else y * np.cos(a) + x * np.sin(a))
        place -= place.min()
        whole = place.astype(np.intp)
        part = place - whole
        count = int(whole.max()) + 2
        sums = np.bincount(whole, weight * (1 - part), count) + np.bincount(whole + 1, weight * part, count)
        return float((sums**2).sum())

    trials = np.arange(-_WIDEST, _WIDEST + _COARSE / 2, _COARSE)
    scores = np.array([peaked(angle) for angle in trials])
    best = int(scores.argmax())
    far = np.abs(trials - trials[best]) > 1.5
    if scores[best] < _CLEAR * np.quantile(scores[far], 0.8) or best in (0, len(trials) - 1):
        return None
    near = trials[best] + np.arange(-_COARSE, _COARSE + _FINE / 2, _FINE)
    fine = np.array([peaked(angle) for angle in near])
    top = int(np.clip(fine.argmax(), 1, len(near) - 2))
    below, here, above = fine[top - 1 : top + 2]
    bend = below - 2 * here + above
    shift = 0.5 * (below - above) / bend if bend < 0 else 0.0
    return float(near[top] + np.clip(shift, -1, 1) * _FINE)
