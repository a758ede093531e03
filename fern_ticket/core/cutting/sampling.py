"""Coverage of single pixels from colours that are known on both sides of an edge.

Of the colours near a pixel on either side, the pair is taken between which the pixel's own colour lies best (Wang,
Cohen 2007, "Optimized color sampling for robust matting", doi:10.1109/CVPR.2007.383006; Gastal, Oliveira 2010, "Shared
sampling for real-time alpha matting", doi:10.1111/j.1467-8659.2009.01627.x).
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.kernels import fast_kernel
from fern_ticket.core.threads import cores

Bits = NDArray[np.bool_]
Colours = NDArray[np.float32]

#: Known colours of each side that are tried for a pixel.
_TRIED = 14
#: Best pairs that a pixel's coverage is the mean of.
_BEST = 3
#: Cost of a pair's farness, beside the squared misfit of its colours.
_FARNESS = 2e-4
#: Colours of the two sides must differ by so much to tell, 0-1.
_APART = 0.12
#: Within so much a colour is one that a side has, 0-1.
_ALIKE = 0.06


@dataclass(frozen=True)
class Sampled:
    """What colours alone tell of each pixel asked for: coverage 0-1, and how far it can be believed, 0-1."""

    coverage: NDArray[np.float32]
    belief: NDArray[np.float32]


def sampled(pixels: Colours, inside: Bits, outside: Bits, unknown: Bits, noise: float) -> Sampled:
    """Coverage of the unknown pixels, in the order of `numpy.argwhere`.

    Parameters
    ----------
    pixels
        Colours 0-1, shape (rows, columns, 3), already rid of single pixels' noise.
    inside, outside
        Where coverage is known to be 1 and 0, shape (rows, columns).
    noise
        Deviation of a colour that means nothing, 0-1.
    """
    asked = np.argwhere(unknown)
    nothing = Sampled(np.full(len(asked), 0.5, np.float32), np.zeros(len(asked), np.float32))
    ring = _ring(unknown)
    sides = [np.argwhere(known & ring) for known in (inside, outside)]
    if min(len(side) for side in sides) < _TRIED or not len(asked):
        return nothing
    near = [_nearest(side, asked) for side in sides]
    own = pixels[asked[:, 0], asked[:, 1]]
    found = [pixels[side[:, 0], side[:, 1]] for side in sides]
    coverage, belief = _paired(
        own, found[0], near[0][0], near[0][1], found[1], near[1][0], near[1][1], np.float32(max(noise, 0.004))
    )
    return Sampled(coverage, belief)


def _ring(unknown: Bits) -> Bits:
    """Pixels along the edge and some way in, thinned out."""
    away = cv2.distanceTransform((~unknown).astype(np.uint8), cv2.DIST_L2, 3)
    rows, columns = np.ogrid[: unknown.shape[0], : unknown.shape[1]]
    return np.asarray(((rows + 2 * columns) % 5 == 0) & (away < 3) | ((rows + 3 * columns) % 11 == 0) & (away < 12))


def _nearest(side: NDArray[np.intp], asked: NDArray[np.intp]) -> tuple[NDArray[np.int32], NDArray[np.float32]]:
    """For each place asked for, some of the known places near it, and how far away they are."""
    spread = 3
    from scipy.spatial import cKDTree  # takes half a second to load

    found = cKDTree(side).query(asked, k=min(_TRIED * spread, len(side)), workers=cores())
    away, index = np.asarray(found[0]), np.asarray(found[1])
    # every third, so that they do not all lie on one spot of the edge
    return index[:, ::spread].astype(np.int32), away[:, ::spread].astype(np.float32)


@fast_kernel
def _paired(
    own: Colours,
    front: Colours,
    front_index: NDArray[np.int32],
    front_away: NDArray[np.float32],
    back: Colours,
    back_index: NDArray[np.int32],
    back_away: NDArray[np.float32],
    noise: np.float32,
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    coverage = np.empty(own.shape[0], np.float32)
    belief = np.empty(own.shape[0], np.float32)
    costs = np.empty(_BEST, np.float32)
    shares = np.empty(_BEST, np.float32)
    apart = np.empty(_BEST, np.float32)
    spread = np.float32(2) * noise * noise
    for k in range(own.shape[0]):
        costs[:] = np.float32(1e9)
        like_front = like_back = np.float32(1e9)
        for j in range(back_index.shape[1]):
            b = back[back_index[k, j]]
            r, g, u = own[k, 0] - b[0], own[k, 1] - b[1], own[k, 2] - b[2]
            like_back = min(like_back, r * r + g * g + u * u)
        nearest_front, nearest_back = front_away[k, 0] + np.float32(1), back_away[k, 0] + np.float32(1)
        for i in range(front_index.shape[1]):
            f = front[front_index[k, i]]
            r, g, u = own[k, 0] - f[0], own[k, 1] - f[1], own[k, 2] - f[2]
            like_front = min(like_front, r * r + g * g + u * u)
            far = front_away[k, i] / nearest_front
            for j in range(back_index.shape[1]):
                b = back[back_index[k, j]]
                dr, dg, db = f[0] - b[0], f[1] - b[1], f[2] - b[2]
                length = dr * dr + dg * dg + db * db + np.float32(1e-6)
                along = ((own[k, 0] - b[0]) * dr + (own[k, 1] - b[1]) * dg + (own[k, 2] - b[2]) * db) / length
                share = min(max(along, np.float32(0)), np.float32(1))
                r = own[k, 0] - b[0] - share * dr
                g = own[k, 1] - b[1] - share * dg
                u = own[k, 2] - b[2] - share * db
                # sides that hardly differ fit any colour: they must not win by that
                cost = (r * r + g * g + u * u) + np.float32(_FARNESS) * (far + back_away[k, j] / nearest_back)
                cost += spread * np.float32(0.1) / length
                if cost < costs[_BEST - 1]:
                    at = _BEST - 1
                    while at > 0 and costs[at - 1] > cost:
                        costs[at], shares[at], apart[at] = costs[at - 1], shares[at - 1], apart[at - 1]
                        at -= 1
                    costs[at], shares[at], apart[at] = cost, share, length
        mean = np.float32(0)
        length = np.float32(0)
        for n in range(_BEST):
            mean += shares[n] / np.float32(_BEST)
            length += apart[n] / np.float32(_BEST)
        differ = np.float32(0)
        for n in range(_BEST):
            differ += (shares[n] - mean) * (shares[n] - mean) / np.float32(_BEST)
        coverage[k] = mean
        fits = np.exp(-costs[0] / (np.float32(2) * (spread + np.float32(4e-4))))
        tells = np.float32(1) - np.exp(-length / np.float32(2 * _APART * _APART))
        # a colour that both sides have tells nothing
        tells *= np.float32(1) - np.exp(-max(like_front, like_back) / np.float32(2 * _ALIKE * _ALIKE))
        belief[k] = fits * tells * np.exp(-differ / np.float32(0.03))
    return coverage, belief
