"""Texture that stands twice in a picture, as careless cloning leaves it. A simple finder, for the lamp."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.inspect.nearest import nearest
from fern_ticket.core.inspect.turned_repeats import Motion, laid_over, mirrored, motions

#: Features that are compared, and how much better a match must be than the next one. Amerini et al. 2011 take half;
#: more are let in here, since each is looked at again.
_FEATURES, _BETTER = 12_000, 0.75
#: Half the side of the squares that are laid over each other, pixels; how far they may be off; and how alike they
#: must be: normalised correlation of what is finer than eight pixels.
_HALF, _OFF, _ALIKE_AT_LEAST = 14, 2, 0.72
#: Squares whose fine deviation is below this, of 255, have no texture that could stand twice.
_TEXTURED = 3.0
#: So many features must have moved together, as near as this to one another, by shifts this alike; pixels.
_TOGETHER, _NEAR, _ALIKE = 8, 70.0, 2.5
#: Fewer do where so many pixels of two-way texture around them correlate as well: half of a square of 40. Where two of
#: a copy that is turned or mirrored agree less is asked.
_AREA, _AREA_AGREED, _AREA_ALIKE, _WINDOW, _CORNERED = 700, 300, 0.8, 48, 20.0
#: Copies nearer than this are texture of one thing.
_APART = 40.0
#: Half the side of the square that is compared with third places, and how far those may be, pixels; how alike the
#: best two are at least where a ground repeats by itself: normalised correlation.
_AROUND, _FAR, _BY_ITSELF = 32, 400, 0.57
#: So many pixels that stand twice are a copy on any ground: a square of 80; how far from its middle they may lie.
_LARGE, _LARGE_REACH = 6_400, 170


@dataclass(frozen=True)
class Repeat:
    """Two places with one texture: their middles, pixels, and how many features say so."""

    one: tuple[float, float]
    other: tuple[float, float]
    features: int


@dataclass(frozen=True)
class Features:
    """Places of a picture that can be told again.

    Attributes
    ----------
    at
        x and y, pixels, shape (count, 2).
    looks
        What each looks like, shape (count, 128).
    angles
        Which way each is oriented, degrees, shape (count,).
    """

    at: NDArray[np.float32]
    looks: NDArray[np.uint8]
    angles: NDArray[np.float32]

    @property
    def weight(self) -> int:
        return self.at.nbytes + self.looks.nbytes + self.angles.nbytes

    def those(self, which: NDArray[np.bool_]) -> Features:
        return Features(self.at[which], self.looks[which], self.angles[which])

    def moved(self, x: int, y: int) -> Features:
        return Features(self.at + np.array([x, y], np.float32), self.looks, self.angles)

    @classmethod
    def joined(cls, parts: Sequence[Features]) -> Features:
        return cls(*(np.concatenate([getattr(part, of) for part in parts]) for of in ("at", "looks", "angles")))


def features_of(grey: NDArray[np.uint8]) -> Features:
    """Of a picture, encoded, shape (rows, columns): keypoints with most contrast, by SIFT (Lowe 2004,
    doi:10.1023/B:VISI.0000029664.99615.94)."""
    keypoints, found = cv2.SIFT.create(_FEATURES, contrastThreshold=0.004).detectAndCompute(grey, None)
    at = np.array([point.pt for point in keypoints], np.float32).reshape(-1, 2)
    angles = np.array([point.angle for point in keypoints], np.float32)
    return Features(at, np.zeros((0, 128), np.uint8) if found is None else found.astype(np.uint8), angles)


def repeats(
    grey: NDArray[np.uint8], features: Features | None = None, asked: NDArray[np.bool_] | None = None
) -> list[Repeat]:
    """Places of a picture that look like copies of one another, those with most evidence first.

    Keypoint matching of the picture with itself (as in Amerini et al. 2011, doi:10.1109/TIFS.2011.2129512): a match
    counts when it is better than the next, when both places laid over each other correlate, and when neighbours moved
    by the same shift.

    Parameters
    ----------
    grey
        Shape (rows, columns), encoded.
    features
        Its features, where they are known.
    asked
        Which of them one end of a repeat must be, shape (count,); any where left out.
    """
    if features is None:
        features = features_of(grey)
    at = features.at.astype(np.float64)
    of = np.arange(len(at)) if asked is None else np.flatnonzero(asked)
    if len(at) < 8 or not len(of):
        return []
    looks, fine = features.looks.astype(np.float32), _fine(grey)
    index = _matches(at, of, *nearest(looks, 4, looks[of]), itself=True)
    turned = []
    if asked is not None:
        angles = features.angles.astype(np.float64)
        mirrors = _matches(at, of, *nearest(looks, 4, mirrored(looks[of])), itself=False)
        found = motions(at, angles, index, flipped=False) + motions(at, angles, mirrors, flipped=True)
        turned = _turned(fine, found)
    index = index[[_correlate(fine, at[one], at[other]) for one, other in index]] if len(index) else index
    if not len(index):
        return turned
    start, shift = at[index[:, 0]], at[index[:, 1]] - at[index[:, 0]]
    flipped = shift[:, 0] < 0
    start[flipped] += shift[flipped]
    shift[flipped] *= -1
    return _grouped(start, shift, fine) + turned


def _turned(fine: NDArray[np.float32], found: Sequence[Motion]) -> list[Repeat]:
    """Motions by which texture stands twice: copies that are mirrored or turned a little."""
    return [
        Repeat((float(one.one[0]), float(one.one[1])), (float(one.other[0]), float(one.other[1])), one.pairs)
        for one in found
        if (laid := laid_over(fine, one)) is not None and _textured_alike(laid[0], _alike(*laid)) >= _AREA_AGREED
    ]


def _fine(grey: NDArray[np.uint8]) -> NDArray[np.float32]:
    values = grey.astype(np.float32)
    return np.asarray(values - cv2.GaussianBlur(values, (0, 0), 8), np.float32)


def _matches(
    at: NDArray[np.float64],
    of: NDArray[np.int64],
    indices: NDArray[np.int64],
    distances: NDArray[np.float32],
    *,
    itself: bool,
) -> NDArray[np.int64]:
    """Pairs of features, one of each among `of`, that match better than the next one, each pair once. With `itself`
    the first of each row, which is the feature itself or one with the same descriptor, is no match."""
    others, apart = indices[:, int(itself) :], distances[:, int(itself) :]
    # features of one place at several scales are not copies of one another
    far = np.hypot(*np.moveaxis(at[others] - at[of][:, None], -1, 0)) > _APART
    order = np.argsort(~far, axis=1, kind="stable")[:, :2]  # the nearest two of those
    first, second = np.take_along_axis(apart, order, 1).T
    good = (far.sum(axis=1) >= 2) & (first < _BETTER * second)
    mates = np.take_along_axis(others, order[:, :1], 1)[:, 0]
    pairs = np.stack([of[good], mates[good]], axis=1)
    return np.unique(np.sort(pairs, axis=1), axis=0)


def _correlate(fine: NDArray[np.float32], one: NDArray[np.float64], other: NDArray[np.float64]) -> bool:
    """Whether two places look alike, laid over each other without turning."""
    (x, y), (u, v) = np.round(one).astype(int), np.round(other).astype(int)
    rows, columns = fine.shape
    wide = _HALF + _OFF
    if not (wide <= min(x, u) and max(x, u) < columns - wide and wide <= min(y, v) and max(y, v) < rows - wide):
        return False
    square = fine[y - _HALF : y + _HALF + 1, x - _HALF : x + _HALF + 1]
    if square.std() < _TEXTURED:
        return False
    there = fine[v - wide : v + wide + 1, u - wide : u + wide + 1]
    return float(cv2.matchTemplate(there, square, cv2.TM_CCOEFF_NORMED).max()) >= _ALIKE_AT_LEAST


def _grouped(start: NDArray[np.float64], shift: NDArray[np.float64], fine: NDArray[np.float32]) -> list[Repeat]:
    left = np.ones(len(start), np.bool_)
    groups = []
    for seed in range(len(start)):
        if not left[seed]:
            continue
        alike = left & (np.abs(shift - shift[seed]).max(axis=1) < _ALIKE)
        alike &= np.hypot(*(start - start[seed]).T) < _NEAR
        left &= ~alike
        places = np.unique(np.round(start[alike]), axis=0)
        one, away = start[alike].mean(axis=0), shift[alike].mean(axis=0)
        if len(places) >= _TOGETHER or _same_area(fine, one, np.round(np.median(shift[alike], axis=0)).astype(int)):
            other = one + away
            groups.append(Repeat((float(one[0]), float(one[1])), (float(other[0]), float(other[1])), len(places)))
    return sorted(groups, key=lambda group: -group.features)


def _same_area(fine: NDArray[np.float32], middle: NDArray[np.float64], shift: NDArray[np.int64]) -> bool:
    """Whether enough texture around a place stands at its shift as well. An edge alone is like any other edge."""
    laid = _laid_over(fine, middle, shift, _WINDOW)
    if laid is None:
        return False
    return _textured_alike(*laid) >= _AREA


def _textured_alike(one: NDArray[np.float32], together: NDArray[np.float32]) -> int:
    """Pixels of two-way texture that stand twice."""
    corner = np.asarray(cv2.cornerMinEigenVal(one, 15, ksize=3), np.float32)
    return int(((together > _AREA_ALIKE) & (corner > _CORNERED)).sum())


def _laid_over(
    fine: NDArray[np.float32], middle: NDArray[np.float64], shift: NDArray[np.int64], reach: int
) -> tuple[NDArray[np.float32], NDArray[np.float32]] | None:
    """A window around a place, and how it correlates, around each pixel, with what stands at its shift."""
    x, y = np.round(middle).astype(int)
    rows, columns = fine.shape
    top, bottom = max(0, y - reach, -shift[1]), min(rows, y + reach, rows - shift[1])
    start, end = max(0, x - reach, -shift[0]), min(columns, x + reach, columns - shift[0])
    if bottom - top < 24 or end - start < 24:
        return None
    one = np.ascontiguousarray(fine[top:bottom, start:end])
    other = np.ascontiguousarray(fine[top + shift[1] : bottom + shift[1], start + shift[0] : end + shift[0]])
    return one, _alike(one, other)


def _alike(one: NDArray[np.float32], other: NDArray[np.float32]) -> NDArray[np.float32]:
    """How two windows correlate around each pixel."""

    def mean(plane: NDArray[np.float32]) -> NDArray[np.float32]:
        return np.asarray(cv2.blur(plane, (15, 15)), np.float32)

    mine, theirs = mean(one), mean(other)
    spread = (mean(one * one) - mine * mine) * (mean(other * other) - theirs * theirs)
    return np.asarray((mean(one * other) - mine * theirs) / np.sqrt(np.maximum(spread, 1e-3)), np.float32)


def copied(grey: NDArray[np.uint8], found: Sequence[Repeat]) -> list[Repeat]:
    """Those of a picture's repeats that an eye takes for copies.

    Where a ground repeats by itself, as courses of brick, tiles and planks do, a small part is as like several others:
    that it stands twice tells nothing. A large part that stands twice to the pixel is a copy on any ground.
    """
    if not found:
        return []
    fine = _fine(grey)
    return [one for one in found if _elsewhere(fine, one) < _BY_ITSELF or _extent(fine, one) >= _LARGE]


def _extent(fine: NDArray[np.float32], repeat: Repeat) -> int:
    """Pixels that stand twice by a repeat's shift, to a pixel."""
    x, y = np.round(np.subtract(repeat.other, repeat.one)).astype(int)
    shifts = [np.array([x + dx, y + dy]) for dx in (-1, 0, 1) for dy in (-1, 0, 1)]
    laid = [_laid_over(fine, np.array(repeat.one), shift, _LARGE_REACH) for shift in shifts]
    return max((int(np.count_nonzero(one[1] > _AREA_ALIKE)) for one in laid if one is not None), default=0)


def _elsewhere(fine: NDArray[np.float32], repeat: Repeat) -> float:
    """How alike what lies around a repeat is to the two best of other places: correlation, mean of both ends."""
    rows, columns = fine.shape
    best = []
    for x, y in (np.round(end).astype(int) for end in (repeat.one, repeat.other)):
        if not (_AROUND <= x < columns - _AROUND and _AROUND <= y < rows - _AROUND):
            continue
        own = fine[y - _AROUND : y + _AROUND + 1, x - _AROUND : x + _AROUND + 1]
        top, start = max(0, y - _FAR), max(0, x - _FAR)
        there = np.ascontiguousarray(fine[top : y + _FAR, start : x + _FAR])
        alike = np.asarray(cv2.matchTemplate(there, own, cv2.TM_CCOEFF_NORMED), np.float32)
        seen = [(round(u) - start - _AROUND, round(v) - top - _AROUND) for u, v in (repeat.one, repeat.other)]
        for _ in range(2):
            for middle in seen:
                cv2.circle(alike, middle, round(_APART), -1.0, cv2.FILLED)
            _, most, _, place = cv2.minMaxLoc(alike)
            best.append(most)
            seen = [(place[0], place[1])]
    return float(np.mean(best)) if best else 0.0
