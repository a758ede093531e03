"""How wide a thin line is, and what has to be painted over to take it out: itself, and what runs along beside it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.clean.repair import Ground
from fern_ticket.core.clean.strips import even, normals
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.pictures.values import narrowed

#: A mask is at most this much wider than its line, pixels: four times is for thin ones.
_MOST_BESIDE = 44.0
#: Banks begin at this share of what is looked at on either side.
_BANKS = 0.7
#: A line is seen down to this share of what it differs from its banks at most, and farther than so many pixels from the
#: next. Steps across it that it is measured in.
_FAINTEST, _CLEAR, _STEP = 0.15, 4.0, 0.25


@dataclass(frozen=True)
class Measured:
    """A line as it was measured at each of its points, source pixels.

    Attributes
    ----------
    middle
        Of the mask, shape (points, 2).
    width
        Of the line itself.
    mask
        Width of what is painted: several times the line, and all that runs along so near beside it that it would lie
        across the mask's edge.
    """

    middle: NDArray[np.float64]
    width: NDArray[np.float64]
    mask: NDArray[np.float64]


def measured_along(line: Sequence[tuple[float, float]], most: float, times: float, ground: Ground) -> Measured:
    """A thin line measured at each of its points.

    On the middling profile of a stretch around the point, so that what the line crosses does not count: its width at
    half of what it differs from its banks.

    Parameters
    ----------
    line
        Along its middle, source pixels.
    most
        How far apart its banks are looked for.
    times
        How many times as wide as the line the mask is.
    """
    given = np.array(line, np.float64)
    path = even(given)
    across = normals(path)
    reach = math.ceil(most) + 2
    left, top = np.floor(path.min(axis=0)).astype(int) - reach
    right, bottom = np.ceil(path.max(axis=0)).astype(int) + reach
    box = Box(int(left), int(top), int(right), int(bottom)).within(ground.whole)
    pixels = narrowed(ground.read(box)).astype(np.float32)
    offsets = np.arange(-reach, reach + _STEP, _STEP)
    places = path[:, None, :] + offsets[None, :, None] * across[:, None, :] - (box.left + 0.5, box.top + 0.5)
    maps = [places[..., axis].astype(np.float32) for axis in (0, 1)]
    profile = cv2.remap(pixels, maps[0], maps[1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    banks = np.abs(offsets) >= _BANKS * reach
    contrast = profile - np.median(profile[:, banks], axis=1)[:, None, :]
    stretch = max(24, round(2 * most))
    starts = range(0, max(1, len(path) - stretch // 2), max(1, stretch // 2))
    profiles = [_Profile.of(contrast[start : start + stretch], offsets, banks) for start in starts]
    # all along or nowhere: a stroke lies over the wires beside the line in most places, or does not
    crowded = [one.has_others(most / 2) for one in profiles]
    together = float(np.mean(crowded)) > 0.5
    told = [k for k, others in enumerate(crowded) if others or not together]
    found = [profiles[k].measured(most, times, together=together) for k in told]
    middles = [min(starts[k] + stretch / 2, len(path) - 1) for k in told]
    # one stretch that lies on a crossing must not count: the middle one of three
    steady = [np.median(found[max(0, k - 1) : k + 2], axis=0) for k in range(len(found))]
    at = np.linspace(0, len(path) - 1, len(given))
    width, first, last = (np.interp(at, middles, values) for values in np.transpose(steady))
    width = np.maximum(np.minimum(width, min(most, 1.7 * float(np.median(width)))), 1.0)
    mask = np.maximum(np.minimum(last - first, 1.7 * float(np.median(last - first))), 3.0)
    beside = ((first + last) / 2)[:, None] * across[np.round(at).astype(int)]
    return Measured(given + beside, width, mask)


@dataclass(frozen=True)
class _Profile:
    """What a stretch of a line looks like across it.

    Attributes
    ----------
    offsets
        Of the values, pixels from the traced line.
    values
        How much it differs from its banks.
    usual
        More than its banks themselves vary.
    peak
        The number of the value of the line that is meant.
    """

    offsets: NDArray[np.float64]
    values: NDArray[np.float32]
    usual: float
    peak: int

    @classmethod
    def of(cls, contrast: NDArray[np.float32], offsets: NDArray[np.float64], banks: NDArray[np.bool_]) -> _Profile:
        """Of the colours' differences from the banks', shape (places, offsets, 3)."""
        middling = np.abs(np.median(contrast, axis=0)).max(axis=-1)
        peak = int(np.argmax(np.where(np.abs(offsets) <= 0.25 * offsets[-1], middling, -1)))
        # where there is no line at all, one is meant all the same
        middling[peak] += np.float32(1e-3)
        return cls(offsets, middling, 3 * float(np.median(middling[banks])), peak)

    @property
    def _half(self) -> float:
        return float(self.values[self.peak]) / 2

    @property
    def _seen(self) -> NDArray[np.bool_]:
        return np.asarray(self.values > np.clip(self.usual, 2 * _FAINTEST * self._half, self._half))

    def _others(self, reach: float) -> NDArray[np.intp]:
        """Values of what is as strong as the line and lies so near to it."""
        return np.flatnonzero((self.values > max(self.usual, self._half)) & (np.abs(self.offsets) <= reach))

    def has_others(self, reach: float) -> bool:
        """Whether other lines lie so near."""
        first, last = _run(self._seen, self.peak)
        others = self._others(reach)
        return bool(((others < first) | (others > last)).any())

    def measured(self, most: float, times: float, *, together: bool) -> tuple[float, float, float]:
        """The width of the line, and where the mask begins and ends across it; `together` with others that lie within
        `most` pixels."""
        first, last = _run(self.values > self._half, self.peak)
        width = (last - first + 1) * _STEP
        beside = (min(times * width, width + _MOST_BESIDE) - width) / 2
        seen = self._seen
        first, last = _run(seen, self.peak)
        if together:
            others = self._others(most / 2)
            first = min(first, _run(seen, int(others[0]))[0])
            last = max(last, _run(seen, int(others[-1]))[1])
        # and what the mask's edge would run through
        clear = round((beside + _CLEAR) / _STEP)
        while True:
            low, high = max(0, first - clear), last + clear
            near = np.flatnonzero(seen[low : high + 1]) + low
            wider = _run(seen, int(near[0]))[0], _run(seen, int(near[-1]))[1]
            if wider == (first, last) or (wider[1] - wider[0]) * _STEP > most:
                break
            first, last = wider
        return width, float(self.offsets[first]) - beside, float(self.offsets[last]) + beside


def _run(over: NDArray[np.bool_], inside: int) -> tuple[int, int]:
    """The first and the last of those that follow one another about a place."""
    first = last = inside
    while first > 0 and over[first - 1]:
        first -= 1
    while last < len(over) - 1 and over[last + 1]:
        last += 1
    return first, last
