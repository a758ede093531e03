"""Find the turn that makes a picture level: the angle at which its edges line up best with the frame.

A projection profile: edge pixels that run nearly level, or nearly upright, are summed along lines of a trial angle.
Where lines of the scene run that way the sums are peaked, and the sum of their squares is large.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

#: Trial angles, degrees, and the steps by which the best is refined.
_WIDEST, _COARSE, _FINE = 10.0, 0.25, 0.02
#: How far an edge's own direction may be from level or upright, degrees.
_LEANING = 14.0
#: How much the best angle's peakedness must stand out from what the other angles have.
_CLEAR = 1.30
#: Bins for one pixel.
_BINS = 2


def level_angle(grey: NDArray[np.float32]) -> float | None:
    """The turn in degrees, clockwise, that levels a picture, or None where nothing says which way is level.

    Parameters
    ----------
    grey
        Encoded luminance, shape (rows, columns), best about 700 to 1000 pixels on its long side.
    """
    smooth = cv2.GaussianBlur(grey, (0, 0), 0.8)
    across, down = cv2.Scharr(smooth, cv2.CV_32F, 1, 0), cv2.Scharr(smooth, cv2.CV_32F, 0, 1)
    strength = np.hypot(across, down)
    edges = strength > max(float(np.quantile(strength, 0.90)), 1e-3)
    edges[:2] = edges[-2:] = False
    edges[:, :2] = edges[:, -2:] = False
    lean = np.degrees(np.arctan2(across, down))
    rows, columns = np.nonzero(edges)
    if len(rows) < 200:
        return None
    direction = lean[edges]
    weight = np.minimum(strength[edges], np.quantile(strength[edges], 0.9))
    # spread over the pixel's own area: else the grid itself lines up at no angle
    spread = np.random.default_rng(1).uniform(-0.5, 0.5, (2, len(rows)))
    x, y = columns - grey.shape[1] / 2 + spread[0], rows - grey.shape[0] / 2 + spread[1]
    level = np.abs((direction + 90) % 180 - 90) < _LEANING
    upright = np.abs(direction % 180 - 90) < _LEANING
    # level lines seen from the side run together; what stands upright says more surely how the camera hung
    by_upright = _best(x[upright], y[upright], weight[upright], along_x=True)
    by_level = _best(x[level], y[level], weight[level], along_x=False)
    found = by_level if by_upright is None else by_upright
    return None if found is None else round(found, 2) + 0.0


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
