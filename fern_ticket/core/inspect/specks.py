"""Finding specks: small spots and fibres that stand alone on their ground, as dust leaves them.

Blobs are looked for over scales in differences of Gaussians [1]_. Whether one is a speck is judged by its own band and
place: it stands out from what else that band holds around it, be that grain, the tooth of paper or nothing at all.

.. [1] Lindeberg, "Feature detection with automatic scale selection", IJCV 30(2), 1998. doi:10.1023/A:1008045108935
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Any, NamedTuple, Protocol, TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from fern_ticket.core.inspect.blobs import AROUND, REACH, SECTORS, WEAKER, company, judged, usual_near
from fern_ticket.core.pictures.pyramid import Source, at_full_size, level_box, level_size
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.pictures.values import narrowed
from fern_ticket.core.threads import in_threads

Plane = NDArray[np.float32]
#: Rows of numbers.
Table = NDArray[Any]

#: Blurs of the bands of a level, pixels of it; the finest is for the full-size picture alone.
_FINEST, _BLURS = 0.56, (0.8, 1.13)
#: A band is what a blur has and one so much wider has not.
_WIDER = 1.6
#: The least answer of a spot to the band that fits it, of its contrast; and the diameter of such a spot, blurs.
_ANSWER, _SIZE = 0.2, 3.6
#: A contrast is told within this share; a spot of so many times its half length covers a fibre; none is smaller.
_ABOUT, _COVERS, _LEAST = 0.66, 1.4, 2.0
#: So many false ones are expected of noise in one band of a picture.
_BY_CHANCE = 0.003
#: Deviations within which noise is but for the share that may rival a speck.
_WITHIN = 2.33
#: A speck is so many times as strong as what is around it on the average.
_STANDS_OUT = np.float32(4.5)
#: Noise: more than a few peaks are like a peak, and so many times more are weaker.
_FEW, _MANY = 9, 6
#: So many peaks that keep a speck company, with none in no more than so many sectors side by side, make it part of what
#: is all around too: a leaf in grass, a pit in plaster. Beside a thing one half is open.
_COMPANY, _OPEN = 4, SECTORS // 2 - 1
#: More than so many peaks like a speck, or so many specks like it within so many diameters, make it part of a thing.
_AMONG, _ALIKE, _NEAR = 12, 12, 40.0
#: Nothing is told of the outermost pixels, whose other side nobody sees.
_RIM = 2
#: Rows that are looked at in one go.
_ROWS = 512
#: More than these are texture, not specks.
_MOST = 4000


class SpeckLimits(BaseModel):
    """Which spots are looked for."""

    contrast: float = Field(default=5.0, ge=4, le=60, description="Least difference from the ground, of 255.")
    least: float = Field(default=2.0, ge=1, le=120, description="Least diameter, source pixels.")
    largest: float = Field(default=60.0, ge=4, le=120, description="Largest diameter, source pixels.")


@dataclass(frozen=True)
class Speck:
    """A spot: its middle and diameter in pixels of the picture, and its contrast to the ground, of 255.

    A fibre's diameter is that of a spot which covers it. One that stands among many like it is likely part of the
    thing, as the speckles of a glaze are.
    """

    x: float
    y: float
    size: float
    contrast: float
    part_of_thing: bool = False


T = TypeVar("T")


class Keep(Protocol):
    """Keeps what is measured on a box of full-size pixels, `(what, box, measure, weight)`, as long as these stay."""

    def __call__(self, what: str, box: Box, measure: Callable[[], T], weight: Callable[[T], int], /) -> T: ...


def _unkept(what: str, box: Box, measure: Callable[[], T], weight: Callable[[T], int]) -> T:
    """Measured each time."""
    del what, box, weight
    return measure()


def specks_of(
    source: Source, contrast: float = 5.0, least: float = 2.0, largest: float = 60.0, keep: Keep = _unkept
) -> list[Speck]:
    """Specks of a picture, strongest first.

    Parameters
    ----------
    source
        The picture, at all levels.
    contrast
        Least difference from the ground, of 255.
    least, largest
        Diameters in pixels of the picture.
    keep
        Keeps what was seen of a part of the picture, for the next time.
    """
    bands = [band for level in range(source.levels) for band in _bands_of(source, level, contrast, largest, keep)]
    found = _distinct(sorted((speck for band in bands for speck in band.specks), key=lambda one: -one.contrast))
    found = [speck for band in bands for speck in band.told(found)]
    found = [speck for speck in found if least <= speck.size <= largest]
    return sorted(_things_told(found), key=lambda one: -one.contrast)[:_MOST]


def alone(specks: list[Speck]) -> list[Speck]:
    """Without those that are likely part of a thing."""
    return [speck for speck in specks if not speck.part_of_thing]


def open_ones(specks: list[Speck], refused: Sequence[tuple[float, float, float]]) -> list[Speck]:
    """Without those that a person refused to take out: (x, y, diameter) each."""
    if not refused:
        return specks
    x, y, size = np.array(refused, np.float64).T
    return [one for one in specks if (np.hypot(x - one.x, y - one.y) > np.maximum(size, one.size) / 2).all()]


@dataclass(frozen=True)
class _Band:
    """A band of a level: every peak of it (row, column, strength), by rows, and those that are spots on plain ground.

    `spots` are (row, column, strength, how strong the middling peak near it is), as `specks` in pixels of the picture.
    """

    scale: float
    peaks: Table
    spots: Table
    specks: list[Speck]

    def told(self, kept: list[Speck]) -> list[Speck]:
        """Those of its specks that are kept and not noise, with what they stand among."""
        among = set(kept)
        own = [k for k, speck in enumerate(self.specks) if speck in among]
        if not own:
            return []
        rows, columns, strengths = self.peaks.T
        left = ~self._explained(kept)[rows.astype(np.intp), columns.astype(np.intp)]
        counts = company(rows[left], columns[left], strengths[left], self.spots[own])
        return [
            replace(self.specks[k], part_of_thing=like > _AMONG or (beside >= _COMPANY and open_ <= _OPEN))
            for k, (like, weaker, beside, open_) in zip(own, counts.tolist(), strict=True)
            if not (like > _FEW and weaker > _MANY * like)
        ]

    def _explained(self, specks: list[Speck]) -> NDArray[np.bool_]:
        """Where peaks belong to specks, of whatever band."""
        rows, columns = (int(side) + 1 for side in self.peaks[:, :2].max(axis=0))
        drawn = np.zeros((rows, columns), np.uint8)
        for one in specks:
            radius = 1.3 * one.size / self.scale + 3
            cv2.circle(drawn, (int(one.x / self.scale), int(one.y / self.scale)), math.ceil(radius), 1, -1)
        return drawn > 0


def _bands_of(source: Source, level: int, contrast: float, largest: float, keep: Keep) -> Iterator[_Band]:
    size, scale = level_size(source.size, level), 2.0**level
    blurs = [blur for blur in (() if level else (_FINEST,)) + _BLURS if blur * _SIZE * scale <= 1.5 * largest]
    if min(size) < 2 * REACH or not blurs:
        return
    looked: list[list[tuple[Table, Table]]] = []
    for part in _parts(level_box(source.size, level)):
        look = partial(_looked_at, source, level, part, blurs, contrast)
        looked.append(keep(f"specks {level} {contrast} {largest}", at_full_size(part.seen, level), look, _bytes))
    for strips in zip(*looked, strict=True):
        peaks, spots = (np.concatenate(parts) for parts in zip(*strips, strict=True))
        usual = usual_near(*peaks.T, spots[:, :3])
        # of noise there is a peak for every dozen pixels: those that no spot is told from need not be kept
        peaks = peaks[peaks[:, 2] >= (WEAKER * spots[:, 2].min() if len(spots) else np.inf)]
        specks = [
            Speck(x * scale, y * scale, max(_LEAST, across, _COVERS * reach) * scale, found)
            for _, _, _, x, y, across, reach, found in spots.tolist()
        ]
        yield _Band(scale, peaks, np.column_stack([spots[:, :3], usual]), specks)


class _Part(NamedTuple):
    """Rows of a level, from `first` to before `end`, and what must be seen around them."""

    seen: Box
    first: int
    end: int


@dataclass(frozen=True)
class _Strip:
    """Rows of a level in grey: its own, from `first` to before `end`, and what must be seen beside them from `top`."""

    grey: Plane
    top: int
    first: int
    end: int


def _parts(whole: Box) -> Iterator[_Part]:
    for first in range(whole.top, whole.bottom, _ROWS):
        end = min(whole.bottom, first + _ROWS)
        yield _Part(Box(whole.left, first - 2 * REACH, whole.right, end + 2 * REACH).within(whole), first, end)


def _looked_at(
    source: Source, level: int, part: _Part, blurs: list[float], contrast: float
) -> list[tuple[Table, Table]]:
    """What `_looked` finds in some rows of a level, by bands."""
    grey = cv2.cvtColor(narrowed(source.read(level, part.seen)), cv2.COLOR_RGB2GRAY)
    strip = _Strip(np.asarray(grey, np.float32), part.seen.top, part.first, part.end)
    return in_threads(partial(_looked, strip, contrast=contrast, area=math.prod(level_size(source.size, level))), blurs)


def _bytes(looked: list[tuple[Table, Table]]) -> int:
    return sum(table.nbytes for tables in looked for table in tables)


def _looked(strip: _Strip, blur: float, contrast: float, area: int) -> tuple[Table, Table]:
    """Peaks (row, column, strength) of a band, and its spots: the same, then x, y, diameter, reach and contrast."""
    fine = np.asarray(cv2.GaussianBlur(strip.grey, (0, 0), blur))
    band = np.asarray(fine - cv2.GaussianBlur(strip.grey, (0, 0), _WIDER * blur))
    least = _ANSWER * contrast
    strong = np.abs(band)
    highest = cv2.dilate(strong, np.ones((3, 3), np.uint8))
    rows, columns = np.nonzero((strong >= np.float32(WEAKER * least)) & (strong >= highest))
    own = (rows >= strip.first - strip.top) & (rows < strip.end - strip.top) & (rows >= _RIM) & (columns >= _RIM)
    own &= (rows < band.shape[0] - _RIM) & (columns < band.shape[1] - _RIM)
    rows, columns = rows[own], columns[own]
    strengths = strong[rows, columns]
    peaks = np.stack([rows + strip.top, columns, strengths], axis=1, dtype=np.float32)
    # most peaks hardly stand out of what is around them on the average: nothing to look at closely
    around = cv2.blur(strong, (2 * AROUND + 1, 2 * AROUND + 1))[rows, columns]
    asked = strengths >= np.maximum(np.float32(least), _STANDS_OUT * around)
    rival = np.float32(_WITHIN / _deviations_for(area / (8 * blur * blur)))
    found = judged(band, fine, rows[asked], columns[asked], np.float32(blur), rival)
    kept = (found[:, 2] > 0) & (found[:, 4] >= _ABOUT * contrast)
    found[:, 1] += strip.top
    return peaks, np.concatenate([peaks[asked][kept], found[kept]], axis=1)


def _deviations_for(places: float) -> float:
    """How many deviations noise reaches by chance, seldom enough, in so many places."""
    tail = _BY_CHANCE / max(places, 1.0)
    reached = math.sqrt(-2 * math.log(tail))
    for _ in range(3):
        reached = math.sqrt(-2 * math.log(tail * reached * math.sqrt(2 * math.pi) / 2))
    return reached


def _things_told(specks: list[Speck]) -> list[Speck]:
    """The same, with those that have many of their size and strength near marked as part of a thing."""
    if len(specks) <= _ALIKE:
        return specks
    from scipy.spatial import cKDTree  # takes half a second to load

    places = np.array([(one.x, one.y) for one in specks])
    tree = cKDTree(places)
    told = []
    for one, near in zip(specks, tree.query_ball_point(places, [_NEAR * o.size for o in specks]), strict=True):
        alike = sum(_like(specks[k], one) for k in near)
        told.append(replace(one, part_of_thing=one.part_of_thing or alike > _ALIKE))
    return told


def _like(one: Speck, other: Speck) -> bool:
    """About as large, and about as strong: two that touch are seen as one that is weaker."""
    return 0.5 < one.size / other.size < 2 and 1 / 3 < one.contrast / other.contrast < 3


def _distinct(specks: list[Speck]) -> list[Speck]:
    """Without those that two levels both found."""
    kept: list[Speck] = []
    cells: dict[tuple[int, int], list[Speck]] = {}
    for one in specks:
        cell = (int(one.x // 48), int(one.y // 48))
        near = [o for dx in (-1, 0, 1) for dy in (-1, 0, 1) for o in cells.get((cell[0] + dx, cell[1] + dy), [])]
        if all(np.hypot(o.x - one.x, o.y - one.y) > 0.6 * max(o.size, one.size) + 1 for o in near):
            kept.append(one)
            cells.setdefault(cell, []).append(one)
    return kept
