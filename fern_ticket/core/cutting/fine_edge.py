"""The fine edge of a cover: hair, fur and grass, out of a band along its crisp edge.

Three things tell the coverage of a pixel of the band: that it changes with colour in every small window (closed form,
Levin 2008), between which colours known on both sides its own lies (sampling), and where the crisp edge ran (a guided
filter of it; He, Sun, Tang 2010, doi:10.1109/TPAMI.2012.213). On a calm ground the closed form is all but right, in a
busy one it leaks; the crisp edge alone loses every hair. So it is solved for twice: loosely, and then held to the other
two where the first is at odds with colours that tell.
"""

from __future__ import annotations

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.cutting.closed_form import band_of, solved
from fern_ticket.core.cutting.sampling import Sampled, sampled
from fern_ticket.core.ledger.masks import Alpha
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.threads import in_threads

#: Coverage beyond which a pixel outside the band is taken as it is.
_SURE = 0.5
#: How strongly a pixel is held to the guided edge and to what its colour tells: where the closed form agrees with
#: colours that tell, and where it does not.
_AGREED, _AT_ODDS = (0.01, 0.005), (0.6, 0.1)
#: Mean squared difference at which it does not at all.
_ODDS = 0.05
#: Radius of the guided filter, pixels, and how tame it is, of values 0-1, squared.
_GUIDED, _GUIDED_TAME = 2, 1e-4
#: Side of the parts that are filtered at once, pixels.
_PART = 320


def fine_edge(pixels: NDArray[np.uint8], crisp: Alpha, band: float) -> Alpha:
    """Coverage with its edge refined.

    Parameters
    ----------
    pixels
        sRGB encoded, shape (rows, columns, 3).
    crisp
        Coverage 0-1 with an edge that runs about where the subject ends, shape (rows, columns), float32.
    band
        Width of the band along the edge that is solved for, pixels of `pixels`.

    Returns
    -------
    Coverage 0-1, shape (rows, columns), float32; as in `crisp` but 0 or 1 beyond the band.
    """
    unknown = band_along(crisp, band)
    known = (crisp >= _SURE).astype(np.float32)
    if not unknown.any():
        return known
    values = pixels.astype(np.float32) / np.float32(255)
    calm = cv2.bilateralFilter(pixels, 5, 16, 1.5).astype(np.float32) / np.float32(255)
    colour = sampled(calm, (known > 0) & ~unknown, (known == 0) & ~unknown, unknown, noise_of(pixels))
    edge = guided(pixels, known, _GUIDED)[unknown]
    numbered = band_of(values, unknown)
    start = known[numbered.number >= 0]

    def solve(odds: NDArray[np.float32], first: NDArray[np.float32]) -> NDArray[np.float32]:
        by_edge, by_colour = (low + (high - low) * odds for low, high in zip(_AGREED, _AT_ODDS, strict=True))
        by_colour = by_colour * colour.belief
        weight, wanted, guess = np.zeros_like(start), np.zeros_like(start), start.copy()
        asked = numbered.unknown
        weight[asked] = by_edge + by_colour
        wanted[asked] = (by_edge * edge + by_colour * colour.coverage) / weight[asked]
        guess[asked] = first
        return solved(numbered, guess, weight, wanted)[asked]

    loosely = solve(np.zeros_like(edge), edge)
    odds = _odds(loosely, colour, unknown, band)
    out = known
    out[unknown] = solve(odds, loosely)
    return out


def _odds(found: NDArray[np.float32], colour: Sampled, unknown: NDArray[np.bool_], band: float) -> NDArray[np.float32]:
    """How much what was found is at odds with colours that tell, around each pixel of the band, 0-1."""
    belief, off = np.zeros((2, *unknown.shape), np.float32)
    belief[unknown] = colour.belief
    off[unknown] = colour.belief * np.square(found - colour.coverage)
    around = [cv2.GaussianBlur(one, (0, 0), max(1.0, band / 2)) for one in (off, belief)]
    return np.asarray(np.clip(around[0] / (around[1] + 1e-3) / _ODDS, 0, 1)[unknown], np.float32)


def band_along(crisp: Alpha, band: float) -> NDArray[np.bool_]:
    """Pixels within half a band of the crisp edge, and those that are covered in part."""
    inside = (crisp >= _SURE).astype(np.uint8)
    if inside.all() or not inside.any():
        return np.zeros(crisp.shape, np.bool_)
    away = np.maximum(cv2.distanceTransform(inside, cv2.DIST_L2, 5), cv2.distanceTransform(1 - inside, cv2.DIST_L2, 5))
    return np.asarray(away <= max(1.0, band / 2))


def guided(pixels: NDArray[np.uint8], edge: Alpha, radius: int) -> Alpha:
    """The edge as an affine function of colour, 0-1, in windows of `radius`.

    Parameters
    ----------
    pixels
        sRGB encoded, shape (rows, columns, 3).
    edge
        0-1, shape (rows, columns), float32.
    """
    rows, columns = edge.shape
    out = np.clip(edge, 0, 1)

    def fill(place: Box) -> None:
        # nothing beyond two radii tells; and where nothing near is an edge, all stays
        wide = place.grown(2 * radius).within(Box(0, 0, columns, rows))
        near = edge[wide.rows, wide.columns]
        if near.min() == near.max():
            return
        # OpenCV takes covariances of colours for none where values are as small as 0-1
        values = pixels[wide.rows, wide.columns].astype(np.float32)
        found = cv2.ximgproc.guidedFilter(values, near, radius, _GUIDED_TAME * 255**2)
        inside = place.relative_to(wide)
        out[place.rows, place.columns] = np.clip(found[inside.rows, inside.columns], 0, 1)

    places = [
        Box(left, top, min(left + _PART, columns), min(top + _PART, rows))
        for top in range(0, rows, _PART)
        for left in range(0, columns, _PART)
    ]
    in_threads(fill, places)
    return out


def enlarged(pixels: NDArray[np.uint8], soft: Alpha, times: int) -> Alpha:
    """Coverage that was solved for on a picture `times` smaller, as an affine function of this one's colours.

    Parameters
    ----------
    pixels
        sRGB encoded, shape (rows, columns, 3).
    soft
        The smaller picture's coverage, enlarged, shape (rows, columns).
    """
    edge = (soft > 0.01) & (soft < 0.99)
    return np.where(edge, guided(pixels, soft, 2 * times), soft).astype(np.float32)


def noise_of(pixels: NDArray[np.uint8]) -> float:
    """Deviation of the noise, 0-1 (Immerkær 1996, doi:10.1006/cviu.1996.0060), of the quieter half of the picture."""
    grey = cv2.cvtColor(pixels, cv2.COLOR_RGB2GRAY).astype(np.float32)
    kernel = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32)
    busy = np.abs(cv2.filter2D(grey, -1, kernel))
    quiet = cv2.blur(busy, (16, 16))[8::16, 8::16]
    level = float(np.median(quiet)) if quiet.size else 0.0
    return math.sqrt(math.pi / 2) * level / 6 / 255
