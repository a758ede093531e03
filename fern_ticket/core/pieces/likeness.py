"""Where a piece belongs by what it shows: features that it shares with the picture under it, all on one plane.

Scale-invariant features (Lowe 2004, "Distinctive image features from scale-invariant keypoints",
doi:10.1023/B:VISI.0000029664.99615.94) are paired, the homography that most pairs agree on is found by random sampling
(Fischler, Bolles 1981; with marginal residuals: Barath, Noskova, Ivashechkin, Matas 2020, "MAGSAC++",
doi:10.1109/CVPR42600.2020.00138), and pairs are then looked for anew where it leads, as on a floor whose stones are
alike the best of all pairs is often another stone.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.pictures.perspective import is_outline
from fern_ticket.core.pictures.plane import mapped, mapped_corners, translation
from fern_ticket.core.pieces.matching import stops_of
from fern_ticket.core.pieces.placing import Corners

Pixels = NDArray[np.uint8]
Places = NDArray[np.float32]

#: Features of a picture, most contrast first, and the least contrast that counts, as the detector has it.
_FEATURES, _CONTRAST = 6000, 0.01
#: How much nearer the best partner has to be than the next (Lowe 2004, p. 104); where too few are, no matter how much.
_RATIOS = (0.85, 1.0)
#: How far a partner may lie from where the plane leads, pixels: at first, and at last.
_FIRST, _LAST = 4.0, 1.5
#: Rounds of pairing anew, and how far from where it leads a partner is looked for, pixels.
_ROUNDS, _LOOKED = 3, 12.0
#: Pairs that have to agree, and what share of those that were looked for where the plane leads: of places that have
#: nothing to do with one another about a fortieth does.
_LEAST, _SHARE = 16, 0.1
#: Distance of looks up to which two places near one another show the same.
_ALIKE = 0.7
#: Light about a place is that of what lies within so many pixels.
_SOFT = 3.0
#: How far, as a share of its diagonal, a piece's corners may lie apart by one half of the pairs and by the other.
_UNSURE = 0.005
#: Pixels about a place whose values are compared in the end.
_ABOUT = 14
#: Least and most length in the ground for one in the piece.
_SMALLEST, _LARGEST = 0.1, 10.0


@dataclass(frozen=True)
class Likeness:
    """Where a piece belongs.

    Attributes
    ----------
    corners
        Of the piece, in the ground, pixels.
    pairs
        Places that both show, and that agree.
    error
        By how much these are off, median, pixels of the ground.
    stops
        By which red, green and blue of the piece are darker than the ground's at these places, median, of linear light.
    """

    corners: Corners
    pairs: int
    error: float
    stops: tuple[float, float, float]


def likeness(piece: Pixels, ground: Pixels) -> Likeness | None:
    """Where in the ground a plane lies that a piece shows too.

    Parameters
    ----------
    piece, ground
        sRGB encoded, shape (rows, columns, 3), long sides of about 1000 to 2000.

    Returns
    -------
    None where too few places agree.
    """
    grey, below = (np.asarray(cv2.cvtColor(one, cv2.COLOR_RGB2GRAY), np.uint8) for one in (piece, ground))
    (ours, own), (theirs, others) = _features(grey), _features(below)
    if min(len(ours), len(theirs)) < _LEAST:
        return None
    mutual, clear = _paired(own, others)
    for ratio in _RATIOS:
        pairs = mutual[clear < ratio]
        found = _plane(ours[pairs[:, 0]], theirs[pairs[:, 1]], _FIRST)
        for _ in range(_ROUNDS):
            if found is None:
                break
            pairs = _paired_near(found, ours, own, theirs, others)
            found = _plane(ours[pairs[:, 0]], theirs[pairs[:, 1]], _LAST)
        if found is None:
            continue
        off = np.hypot(*(mapped(found, *ours[pairs[:, 0]].T) - theirs[pairs[:, 1]].T))
        agree = off < 2 * _LAST
        if agree.sum() < max(_LEAST, _SHARE * len(pairs)):
            continue
        if _unsure(ours[pairs[agree, 0]], theirs[pairs[agree, 1]], piece) > _UNSURE:
            continue
        found = _aligned(found, grey, below, ours[pairs[agree, 0]])
        corners = _corners(found, (piece.shape[1], piece.shape[0]))
        if corners is not None:
            there, here = (
                _stops_at(pixels, places[pairs[agree, side]])
                for side, (pixels, places) in enumerate(((piece, ours), (ground, theirs)))
            )
            red, green, blue = (float(stops) for stops in np.median(here - there, axis=0))
            return Likeness(corners, int(agree.sum()), float(np.median(off[agree])), (red, green, blue))
    return None


def _features(grey: Pixels) -> tuple[Places, Places]:
    """Places with pixel corners at whole numbers, shape (features, 2), and what they look like, (features, 128)."""
    points, found = cv2.SIFT.create(_FEATURES, contrastThreshold=_CONTRAST).detectAndCompute(grey, None)
    if not points:
        return np.zeros((0, 2), np.float32), np.zeros((0, 128), np.float32)
    # the square root of shares tells histograms apart better (Arandjelovic, Zisserman 2012)
    shares = found / np.maximum(found.sum(axis=1, keepdims=True), 1e-6)
    return np.array([point.pt for point in points], np.float32) + np.float32(0.5), np.sqrt(shares)


def _paired(own: Places, others: Places) -> tuple[NDArray[np.intp], NDArray[np.float64]]:
    """Pairs of which each is the other's nearest by its look, shape (pairs, 2), and how far that is, of the next."""
    there = cv2.BFMatcher().knnMatch(own, others, k=2)
    back = {match.queryIdx: match.trainIdx for match in cv2.BFMatcher().match(others, own)}
    mutual = [(best, after) for best, after in there if back[best.trainIdx] == best.queryIdx]
    pairs = np.array([(best.queryIdx, best.trainIdx) for best, _ in mutual], np.intp).reshape(-1, 2)
    # two that are as near as can be tell nothing
    return pairs, np.array([best.distance / after.distance if after.distance else 1.0 for best, after in mutual])


def _paired_near(
    plane: NDArray[np.float64], ours: Places, own: Places, theirs: Places, others: Places
) -> NDArray[np.intp]:
    """Of each feature the most alike of those near where a plane leads, shape (pairs, 2)."""
    led = mapped(plane, *ours.T).T
    cells: dict[tuple[int, int], list[int]] = {}
    for index, (x, y) in enumerate(theirs // _LOOKED):
        cells.setdefault((int(x), int(y)), []).append(index)
    found = []
    for index, (x, y) in enumerate(led):
        if not (np.isfinite(x) and np.isfinite(y)):
            continue
        column, row = int(x // _LOOKED), int(y // _LOOKED)
        near = [one for i in (-1, 0, 1) for j in (-1, 0, 1) for one in cells.get((column + i, row + j), ())]
        if not near:
            continue
        unlike = np.linalg.norm(others[near] - own[index], axis=1)
        best = int(unlike.argmin())
        if unlike[best] < _ALIKE:
            found.append((index, near[best]))
    return np.array(found, np.intp).reshape(-1, 2)


def _plane(ours: Places, theirs: Places, off: float) -> NDArray[np.float64] | None:
    """The map of the plane that most pairs agree on."""
    if len(ours) < _LEAST:
        return None
    cv2.setRNGSeed(1)
    found, agree = cv2.findHomography(ours, theirs, cv2.USAC_MAGSAC, off, None, 20_000, 0.9999)
    if found is None or agree.sum() < _LEAST:
        return None
    return np.asarray(found, np.float64)


def _unsure(ours: Places, theirs: Places, piece: Pixels) -> float:
    """How far the piece's corners lie apart by one half of the pairs and by the other, as a share of its diagonal.

    Where all pairs lie close together, the rest of the piece could lie anywhere.
    """
    order = np.random.default_rng(1).permutation(len(ours))
    height, width = piece.shape[:2]
    halves = (cv2.findHomography(ours[half], theirs[half], 0)[0] for half in (order[::2], order[1::2]))
    one, other = (mapped_corners(np.asarray(half, np.float64), (width, height)) for half in halves)
    diagonal = math.hypot(*(one[:, 3] - one[:, 0]))
    return float(np.hypot(*(one - other)).max() / max(diagonal, 1))


def _aligned(plane: NDArray[np.float64], piece: Pixels, ground: Pixels, places: Places) -> NDArray[np.float64]:
    """The map brought to where the grey pixels about places of the piece agree best, whatever their light.

    Evangelidis, Psarakis 2008, "Parametric image alignment using enhanced correlation coefficient maximization",
    doi:10.1109/TPAMI.2008.113. As it was where that leads nowhere.
    """
    near = np.zeros(piece.shape[:2], np.uint8)
    for x, y in places.astype(np.intp):
        cv2.circle(near, (int(x), int(y)), _ABOUT, 255, -1)
    half = translation(0.5, 0.5)  # the library counts from middles of pixels
    back = (np.linalg.inv(half) @ np.linalg.inv(plane) @ half).astype(np.float32)
    until = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 10, 1e-5)
    try:
        _, better = cv2.findTransformECC(ground, piece, back / back[2, 2], cv2.MOTION_HOMOGRAPHY, until, near, 3)
    except cv2.error:
        return plane
    aligned = half @ np.linalg.inv(np.asarray(better, np.float64)) @ np.linalg.inv(half)
    moved = np.hypot(*(mapped(aligned, *places.T) - mapped(plane, *places.T)))
    return np.asarray(aligned, np.float64) if np.median(moved) < _LAST else plane


def _stops_at(pixels: Pixels, places: Places) -> NDArray[np.float64]:
    """Linear red, green and blue about places, stops, shape (places, 3)."""
    soft = cv2.GaussianBlur(pixels, (0, 0), _SOFT).astype(np.float64)
    rows, columns = (places[:, 1].astype(np.intp), places[:, 0].astype(np.intp))
    return stops_of(soft[rows, columns] / 255)


def _corners(plane: NDArray[np.float64], size: tuple[int, int]) -> Corners | None:
    """Corners of a piece by a map of the plane; None where it folds, or is far larger or smaller than the piece."""
    width, height = size
    own = np.array([[0, 0], [width, 0], [width, height], [0, height]], np.float64)
    if ((plane[2] @ np.stack([*own.T, np.ones(4)])) * plane[2, 2] <= 0).any():
        return None
    a, b, c, d = ((float(x), float(y)) for x, y in mapped(plane, *own.T).T)
    area = 0.5 * abs((c[0] - a[0]) * (d[1] - b[1]) - (d[0] - b[0]) * (c[1] - a[1]))
    if not _SMALLEST**2 < area / (width * height) < _LARGEST**2 or not is_outline((a, b, c, d)):
        return None
    return a, b, c, d
