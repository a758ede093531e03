"""Which side of an edge a pixel belongs to, by the colours that lie on either side near it.

What a whole subject and all of its surroundings look like says little where a pale jug ends before a pale wall. There
only what lies beside tells, as in the small windows along an edge of Bai, Wang, Simons and Sapiro (2009, "Video
SnapCut", doi:10.1145/1531326.1531376). Here the windows are soft and everywhere: counts of colours in coarse cells,
blurred.
"""

from __future__ import annotations

from functools import partial

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.cluster.vq import kmeans2, vq
from scipy.ndimage import gaussian_filter

from fern_ticket.core.cutting.dividing import SAID, cut
from fern_ticket.core.threads import in_threads

Bits = NDArray[np.bool_]
Colours = NDArray[np.float32]
Plane = NDArray[np.float32]

#: Kinds of colour, how many pixels they are learnt from, and in how many rounds.
_KINDS, _LEARNT_FROM, _ROUNDS = 48, 8_000, 8
#: What lightness counts, which shading changes; how near kinds are alike, CIELAB.
_LIGHTNESS, _ALIKE = 0.6, 4.0
#: Side of a cell, and the deviation of a window, pixels.
_CELL, _WINDOW = 4, 20.0
#: Share that each kind has everywhere; what counts say at most, log odds.
_RARE, _MOST = 0.02, 4.0
#: How far on either side of an edge pixels are asked, and how near to it they are not sure enough to be counted.
_ASKED, _UNSURE = 14, 1.5
#: Log odds that the side brings on which a pixel stood.
_STOOD = 0.8


class ColoursBeside:
    """The kinds of colour of a picture.

    Parameters
    ----------
    colours
        CIELAB, shape (rows, columns, 3).
    """

    def __init__(self, colours: Colours) -> None:
        rows, columns = colours.shape[:2]
        flat = (colours * np.array((_LIGHTNESS, 1, 1), np.float32)).reshape(-1, 3)
        kinds = _kinds_of(flat)
        self._kind = vq(flat, kinds)[0].reshape(rows, columns)
        away = np.square(kinds[:, None] - kinds[None]).sum(axis=2)
        alike = np.exp(-away / (2 * _ALIKE**2))
        self._alike = (alike / alike.sum(axis=1, keepdims=True)).astype(np.float32)
        y, x = np.mgrid[0:rows, 0:columns] // _CELL
        self._cells = (-(-rows // _CELL), -(-columns // _CELL), len(kinds))
        self._at = np.ravel_multi_index((y, x, self._kind), self._cells)

    def more_often(self, one: Bits, other: Bits, asked: Bits) -> Plane:
        """By how much each pixel's colour is more frequent near it in the one than in the other, log odds.

        Shape (rows, columns); 0 where that is not asked.
        """
        out = np.zeros(asked.shape, np.float32)
        y, x = np.nonzero(asked)
        shares = in_threads(partial(self._share, y=y, x=x), [one, other])
        out[y, x] = np.clip(np.log((shares[0] + _RARE) / (shares[1] + _RARE)), -_MOST, _MOST)
        return out

    def _share(self, side: Bits, y: NDArray[np.int64], x: NDArray[np.int64]) -> NDArray[np.float32]:
        """Which share of a side near each place has the place's kind of colour."""
        counts = np.bincount(self._at[side], minlength=int(np.prod(self._cells))).reshape(self._cells)
        near = gaussian_filter(counts.astype(np.float32), _WINDOW / _CELL, mode="constant", axes=(0, 1))
        shares = near @ self._alike.T / (near.sum(axis=2, keepdims=True) + np.float32(1e-3))
        planes = np.ascontiguousarray(np.moveaxis(shares, 2, 0))
        kind = self._kind[y, x]
        out = np.empty(len(y), np.float32)
        across, down = ((at.astype(np.float32) + 0.5) / _CELL - 0.5 for at in (x, y))
        for one in np.unique(kind):
            own = kind == one
            spots = across[None, own], down[None, own]
            out[own] = cv2.remap(planes[one], *spots, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)[0]
        return out


def _kinds_of(colours: Colours) -> Colours:
    """The colours that others are counted as, shape (kinds, 3)."""
    chosen = np.random.default_rng(3)
    learnt = colours[chosen.integers(0, len(colours), min(_LEARNT_FROM, len(colours)))]
    own = np.unique(learnt, axis=0)
    return own if len(own) <= _KINDS else kmeans2(learnt, _KINDS, _ROUNDS, minit="++", seed=chosen)[0]


def redrawn(beside: ColoursBeside, borders: Colours, found: Bits, fixed: Plane) -> Bits:
    """The edge of what was found, by the colours on either side of it.

    Parameters
    ----------
    borders
        What a border costs, of `dividing.borders_of`.
    fixed
        1 where a pixel is on the one side, -1 on the other, 0 where that is asked.
    """
    if not found.any() or found.all():
        return found
    deep, far = (cv2.distanceTransform(side.astype(np.uint8), cv2.DIST_L2, 3) for side in (found, ~found))
    asked = (np.maximum(deep, far) < _ASKED) & (fixed == 0)
    one = (deep > _UNSURE) & (fixed >= 0) | (fixed > 0)
    other = (far > _UNSURE) & (fixed <= 0) | (fixed < 0)
    odds = np.where(found, _STOOD, -_STOOD) + beside.more_often(one, other, asked)
    said = np.where(fixed != 0, fixed, np.where(found, 1, -1))
    cost = np.where(asked, odds, SAID * said).astype(np.float32)
    return np.asarray(cut(cost, borders, found.astype(np.float32)) > 0.5)
