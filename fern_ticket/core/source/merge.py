"""Merge a bracketed series: each place from the frames that expose it well.

Exposure fusion (Mertens, Kautz, Van Reeth 2007, doi:10.1109/PG.2007.17). It is done whole on a small level of the
pictures; the finer levels add their details by the same weights, so any window of them can be made alone.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.errors import LedgerError
from fern_ticket.core.ledger.controls import Editor, Ruler
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.averaging import mean_of_fours
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.plane import PlaneMap
from fern_ticket.core.pictures.pyramid import Source, level_box, level_within
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.pictures.values import enlarged, over_channels
from fern_ticket.core.source.alignment import SeriesFrame, found, read_under
from fern_ticket.core.source.operation import Altered, Keep, Opener, SourceOperation, rolled, stored

Values = NDArray[np.float32]

#: Spread of the bell of good exposure about the middle, as in the paper.
_SIGMA = 0.2
#: Added to texture and colour, shares.
_FLAT = 0.005
#: Levels of no more than this long a side are made whole, once; weights are measured on the first of them.
_WHOLE = 1600


class Merge(Parameters):
    frames: list[SeriesFrame] = Field(min_length=1, max_length=8, description="The other frames of the series.")
    contrast: float = Field(default=1.0, ge=0, le=3, description="How much texture counts.")
    saturation: float = Field(default=1.0, ge=0, le=3, description="How much colour counts.")
    exposure: float = Field(default=1.0, ge=0, le=3, description="How much good exposure counts.")


@dataclass(frozen=True)
class _Coarse:
    """What is made whole, once: the fused picture of the level where weights are measured, and those weights."""

    fused: Values
    weights: list[Values]

    @property
    def nbytes(self) -> int:
        return self.fused.nbytes + sum(weight.nbytes for weight in self.weights)


class Merged(Altered):
    """A source in which every window is fused from it and the frames that lie over it."""

    def __init__(self, base: Source, others: list[tuple[Source, PlaneMap]], params: Merge, keep: Keep) -> None:
        super().__init__(base)
        self._frames: list[tuple[Source, PlaneMap]] = [(base, np.eye(3)), *others]
        self._params = params
        self._keep = keep
        self._start = _start_of(base)

    @property
    def dtype(self) -> np.dtype[np.uint8] | np.dtype[np.uint16]:
        return np.dtype(np.uint16)

    def read(self, level: int, box: Box) -> Pixels:
        # blending level by level oversteps white beside dark places: that is rolled off, so that it keeps its texture
        return stored(rolled(self._fused(level, box)), self.dtype)

    def _fused(self, level: int, box: Box) -> Values:
        if level > self._start:
            # of these nothing is made but the small picture: it is halved further
            fused = self._coarse.fused
            for _ in range(level - self._start):
                fused = mean_of_fours(fused)
            return fused[box.rows, box.columns]
        if level == self._start:
            return self._coarse.fused[box.rows, box.columns]
        smaller = _halved(box).grown(2).within(level_box(self.size, level + 1))
        frames = [read_under(source, plane_map, level, box) for source, plane_map in self._frames]
        below = [read_under(source, plane_map, level + 1, smaller) for source, plane_map in self._frames]
        weights = [enlarged(weight, box, 2.0 ** (self._start - level)) for weight in self._coarse.weights]
        return _laid(self._fused(level + 1, smaller), frames, below, weights, box, smaller)

    @property
    def _coarse(self) -> _Coarse:
        made: _Coarse = self._keep("coarse", self._make_coarse, lambda coarse: coarse.nbytes)
        return made

    def _make_coarse(self) -> _Coarse:
        """The paper's own method on the level where weights are measured."""
        box = level_box(self.size, self._start)
        frames = [read_under(source, plane_map, self._start, box) for source, plane_map in self._frames]
        measured = [self._weight(frame) for frame in frames]
        total = np.sum(measured, axis=0)
        weights = [np.asarray(one / total, np.float32) for one in measured]
        levels = int(math.log2(min(box.width, box.height))) + 1
        fused = np.zeros_like(frames[0])
        for frame, weight in zip(frames, weights, strict=True):
            pyramid, weights_of = _reduced(frame, levels), _reduced(weight, levels)
            part = weights_of[-1][..., None] * pyramid[-1]
            for k in range(levels - 2, -1, -1):
                detail = pyramid[k] - _expanded(pyramid[k + 1], pyramid[k])
                part = _expanded(part, pyramid[k]) + weights_of[k][..., None] * detail
            fused += part
        return _Coarse(fused, weights)

    def _weight(self, frame: Values) -> Values:
        params = self._params
        grey = np.asarray(frame @ np.array([0.299, 0.587, 0.114], np.float32))
        # what is flat and grey has some weight too, so that there exposure decides: a white sky, a white wall
        texture = np.abs(cv2.Laplacian(grey, cv2.CV_32F)) + np.float32(_FLAT)
        middle = over_channels(np.add, frame)[..., None] / np.float32(3)
        colour = np.sqrt(over_channels(np.add, (frame - middle) ** 2) / np.float32(3)) + np.float32(_FLAT)
        exposed = np.exp(-over_channels(np.add, (frame - np.float32(0.5)) ** 2) / np.float32(2 * _SIGMA**2))
        weight = (texture**params.contrast) * (colour**params.saturation) * (exposed**params.exposure)
        # a trace everywhere, so that no place is left without
        return np.asarray(weight + np.float32(1e-12), np.float32)


def _start_of(source: Source) -> int:
    """The first level that is made whole."""
    return level_within(source, _WHOLE)


def _reduced(values: Values, levels: int) -> list[Values]:
    pyramid = [values]
    while len(pyramid) < levels:
        pyramid.append(np.asarray(cv2.pyrDown(pyramid[-1]), np.float32))
    return pyramid


def _expanded(values: Values, like: Values) -> Values:
    return np.asarray(cv2.pyrUp(values, dstsize=(like.shape[1], like.shape[0])), np.float32)


def _blended(frames: list[Values], weights: list[Values]) -> Values:
    return np.asarray(sum(w[..., None] * f for f, w in zip(frames, weights, strict=True)), np.float32)


def _laid(
    coarse: Values, frames: list[Values], below: list[Values], weights: list[Values], box: Box, smaller: Box
) -> Values:
    """What is fused of the level below, and what each frame has more than its own level below, by weight."""
    at = (smaller.left, smaller.top)
    details = [frame - enlarged(less, box, at=at) for frame, less in zip(frames, below, strict=True)]
    return enlarged(coarse, box, at=at) + _blended(details, weights)


def _halved(box: Box) -> Box:
    return Box(box.left // 2, box.top // 2, -(-box.right // 2), -(-box.bottom // 2))


def settle(params: Merge, base: Source, other: Opener) -> Merge:
    return params.model_copy(update={"frames": [found(frame, base, other(frame.picture)) for frame in params.frames]})


def alter(params: Merge, base: Source, other: Opener, keep: Keep) -> Source:
    others = []
    for frame in params.frames:
        source = other(frame.picture)
        if source.size != base.size or not source.space.means_the_same(base.space):
            raise LedgerError("The frames of a series must have one size and one profile.", "Take those of one camera.")
        others.append((source, frame.plane_map))
    return Merged(base, others, params, keep)


OPERATION = SourceOperation(
    name="merge",
    title="Merge series",
    summary="Fuses a bracketed series: each place from the frames that expose it well.",
    parameters=Merge,
    alter=alter,
    settle=settle,
    frames=lambda params: tuple(frame.picture for frame in params.frames),
    elsewhere=lambda _: None,  # its frames are this photo's own
    group="Source",
    controls=(
        Editor("frames", "frames", name="series"),
        Ruler("exposure", step=0.1, name="good exposure counts"),
        Ruler("contrast", step=0.1, name="texture counts"),
        Ruler("saturation", step=0.1, name="colour counts"),
    ),
    how="Specks grow in a merge: clean after it.",
    rank=10,
)
