"""How often each colour lies on either side of a picture.

Counts of colours (Boykov, Jolly 2001, doi:10.1109/ICCV.2001.937505) know as many kinds of them as there are, where a
few Gaussians run together what is told apart by eye; but they know nothing of a place or of sharpness.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter

Colours = NDArray[np.float32]
Plane = NDArray[np.float32]

#: Width of a bin, CIELAB units; lightness, which shading changes, has wider ones. Bins that a colour is spread over.
_BIN, _LIGHTNESS, _SPREAD = 4.0, 0.6, 1.0
#: Share that a colour has at least.
_RARE = 1e-6


class ColourCounts:
    """The bins of a picture's colours.

    Parameters
    ----------
    colours
        CIELAB, shape (rows, columns, 3).
    """

    def __init__(self, colours: Colours) -> None:
        bins = np.floor(colours * np.array((_LIGHTNESS, 1, 1), np.float32) / _BIN).astype(np.int32).reshape(-1, 3)
        bins -= bins.min(axis=0) - 2
        self._shape = tuple(int(most) + 3 for most in bins.max(axis=0))
        self._at = np.ravel_multi_index(tuple(bins.T), self._shape)
        self._rows = colours.shape[:2]

    def more_often(self, one: Plane, other: Plane) -> Plane:
        """By how much each pixel's colour is more frequent under the one's weights than under the other's, log odds."""
        return np.asarray(self._share(one) - self._share(other), np.float32)

    def _share(self, weight: Plane) -> NDArray[np.float64]:
        """Log of the share that each pixel's colour has of all that is weighted."""
        counts = np.bincount(self._at, weight.ravel(), int(np.prod(self._shape))).reshape(self._shape)
        spread = gaussian_filter(counts, _SPREAD, mode="constant")
        return np.asarray(np.log(spread.ravel()[self._at] / spread.sum() + _RARE).reshape(self._rows), np.float64)
