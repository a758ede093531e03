"""How rough a filled hole has to be: as rough as what lies around it.

A hole that is not known yet looks smooth, and smooth patches are most like it: a search by likeness alone lets texture
die out. So patches that are smoother than the surroundings tell cost extra, and how much extra is turned up or down
until what is found is as rough as it should be, as histograms are matched in texture optimisation (Kopf et al. 2007,
doi:10.1145/1276377.1276380), but for one number.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.kernels import kernel
from fern_ticket.core.pictures.values import deepest, slope

Grid = NDArray[np.float32]
Bits = NDArray[np.bool_]

#: What a patch without any texture costs extra to begin with and at most, in the units of `Roughness.dues`.
_FIRST, _MOST = 1.0, 3.0
#: Roughness aimed at, of that expected: joining takes a little off.
_AIM = 1.03
#: Side of the square whose middling roughness is that of a ground: what is narrower, as an edge, is none; and steps of
#: roughness for one of 8 bits.
_GROUND_SIDE, _STEP = 31, 0.2
#: No part of a hole is expected to be rougher than this share of its middling part.
_CAP = 2.0
#: Patches this much rougher than expected cost extra too, by this much, where grounds differ: they show another thing.
_TOO_ROUGH, _TOO_ROUGH_COST = 1.6, 1.0
#: How far around a place of a hole its ring is heard, as a share of the hole's depth; the least, pixels.
HEARD, LEAST_HEARD = 0.75, 2.0
#: Sectors around the hole.
_SECTORS = 8


def deviation(values: Grid, side: int) -> Grid:
    """Deviation of luminance in the square of `side` pixels around each pixel; `values` shape (rows, columns, 3)."""
    grey = cv2.cvtColor(values, cv2.COLOR_RGB2GRAY)
    mean = cv2.blur(grey, (side, side))
    return np.asarray(np.sqrt(np.maximum(cv2.blur(grey * grey, (side, side)) - mean * mean, 0)), np.float32)


def _without_edges(rough: Grid) -> Grid:
    """The middling roughness around each pixel."""
    steps = np.clip(np.round(rough / np.float32(_STEP)), 0, 255).astype(np.uint8)
    return np.asarray(cv2.medianBlur(steps, _GROUND_SIDE), np.float32) * np.float32(_STEP)


@dataclass
class Pressure:
    """What smoothness costs, carried from turn to turn.

    Attributes
    ----------
    gain
        What a patch without any texture costs, in the units of `Roughness.dues`.
    """

    gain: float = _FIRST

    def turn(self, found: float) -> None:
        """Turn up where what was found is smoother than it should be, down where it is rougher."""
        self.gain = min(max(self.gain + _AIM - found, 0.0), _MOST)


@dataclass(frozen=True)
class Roughness:
    """Roughness of every patch and that expected in a hole.

    Attributes
    ----------
    rough
        Deviation in the patch around each pixel, shape (rows, columns).
    expected
        Deviation that the surroundings tell for each pixel of the hole, same shape.
    side
        Of the patches, pixels.
    alike
        Whether the ground is alike all around, 0-1.
    """

    rough: Grid
    expected: Grid
    side: int
    alike: float

    @classmethod
    def around(cls, values: Grid, hole: Bits, allowed: Bits, side: int, alike: float) -> Roughness:
        """Read from the ring around `hole` of pixels `allowed` as middles of patches of `side` pixels.

        `alike` tells whether the ground is alike all around, 0-1. Where it is not, a thing beside the hole would be
        taken for texture.
        """
        rough = deviation(values, side)
        ring = ring_around(hole, allowed)
        quiet = np.minimum(rough, _without_edges(rough))
        told = quiet + np.float32(alike) * (rough - quiet)
        expected = mean_near(told, ring, max(HEARD * deepest(hole), LEAST_HEARD))
        most = np.float32(_CAP * float(np.median(expected[hole])))
        return cls(rough, np.asarray(np.minimum(expected, most), np.float32), side, alike)

    def found(self, inside: NDArray[np.int32], places: NDArray[np.int32]) -> float:
        """Roughness of the middling one of the patches at `places`, found for the pixels `inside`, of that expected;
        shapes (count, 2). The middling one: a few edges do not make a smear rough.

        That aimed at where there are none.
        """
        if not len(inside):
            return _AIM
        expected = np.maximum(self.expected[inside[:, 0], inside[:, 1]], np.float32(1e-3))
        return float(np.median(self.rough[places[:, 0], places[:, 1]] / expected))

    def dues(self, smooth: float) -> Grid:
        """For each pixel what `due` works from: shape (rows, columns, 4).

        `smooth` is what a patch without texture costs, in units of what a patch as rough as expected differs by from
        one that is smooth: beyond 1 texture is worth more than likeness to a mean.
        """
        expected = np.maximum(self.expected, np.float32(1e-3))
        unit = np.float32(3 * self.side**2) * np.square(expected)
        out = np.empty((*unit.shape, 4), np.float32)
        out[..., 0], out[..., 1] = smooth * unit, smooth * unit / expected
        too_rough = np.float32(_TOO_ROUGH_COST * (1 - self.alike))
        out[..., 2], out[..., 3] = too_rough * unit / expected, too_rough * _TOO_ROUGH * unit
        return out


@kernel
def due(dues: Grid, rough: np.float32) -> np.float32:
    """What a patch costs extra where it is smoother or much rougher than expected; `dues` are a place's, shape (4,)."""
    return max(dues[0] - dues[1] * rough, dues[2] * rough - dues[3], np.float32(0))


#: From how much of it on the ground counts as alike all around.
ALIKE = 0.5


def alike_around(values: Grid, hole: Bits, allowed: Bits, side: int) -> float:
    """Whether the ground is alike all around a hole, 0-1, by how far apart the quartiles of its sectors' mean roughness
    are: one thing beside the hole does not count. Parameters as of `Roughness.around`."""
    rough, ring = deviation(values, side), ring_around(hole, allowed)
    middle = np.argwhere(hole).mean(axis=0)
    at = np.argwhere(ring)
    angle = np.arctan2(*(at - middle).T) / (2 * np.pi) + 0.5
    sector = np.minimum((angle * _SECTORS).astype(np.int64), _SECTORS - 1)
    found = rough[at[:, 0], at[:, 1]]
    means = [float(found[sector == number].mean()) for number in range(_SECTORS) if (sector == number).any()]
    low, mid, high = np.percentile(means, [25, 50, 75])
    return float(np.clip((0.65 - (high - low) / max(float(mid), 1e-3)) / 0.2, 0, 1))


def unlike(filled: Grid, hole: Bits, ring: Bits, side: int) -> float:
    """How far a filled hole is from its ring, 0 where they are as rough, as sharp, and the rim as sharp as the rest.

    `filled` shape (rows, columns, 3); the three are compared as shares, as editors see smears, blur and seams.
    """
    rough = deviation(filled, side)
    steep = slope(np.asarray(cv2.cvtColor(filled, cv2.COLOR_RGB2GRAY)), side=1)
    drawn, near = hole.astype(np.uint8), np.ones((3, 3), np.uint8)
    rim = (cv2.dilate(drawn, near) > 0) & ~(cv2.erode(drawn, near) > 0)
    pairs = (
        (rough[hole].mean(), rough[ring].mean()),
        (np.square(steep[hole]).mean(), np.square(steep[ring]).mean()),
        (steep[rim].mean(), steep[ring].mean()),
    )
    return sum(abs(float(here) / max(float(there), 1e-3) - 1) for here, there in pairs)


def mean_near(plane: Grid, counted: Bits, wide: float) -> Grid:
    """Mean of what is counted near each place, by a Gaussian of deviation `wide`; of all of it where none is near."""
    share = _blurred(counted.astype(np.float32), wide)
    sums = _blurred(np.where(counted, plane, np.float32(0)), wide)
    return np.where(share < 1e-4, plane[counted].mean(), sums / np.maximum(share, np.float32(1e-4)))


def _blurred(plane: Grid, wide: float) -> Grid:
    """A Gaussian blur of deviation `wide`, worked out on as small a copy as shows no difference."""
    rows, columns = plane.shape
    less = max(1, int(wide / 4))
    small = (max(1, round(columns / less)), max(1, round(rows / less)))
    blurred = cv2.GaussianBlur(cv2.resize(plane, small, interpolation=cv2.INTER_AREA), (0, 0), wide / less)
    return np.asarray(cv2.resize(blurred, (columns, rows), interpolation=cv2.INTER_LINEAR))


def ring_around(hole: Bits, allowed: Bits) -> Bits:
    """The allowed pixels around a hole, as far as it is deep; all that are allowed where there are none."""
    wide = 2 * round(deepest(hole)) + 9
    ring = allowed & (cv2.dilate(hole.astype(np.uint8), np.ones((wide, wide), np.uint8)) > 0)
    return np.asarray(ring if ring.any() else allowed)
