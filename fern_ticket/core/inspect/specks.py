"""Finding specks: small spots on smooth ground, as dust leaves them on skies, sweeps and paper."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from fern_ticket.core.pictures.pyramid import Source, level_box, level_size
from fern_ticket.core.pictures.values import narrowed

#: Blur of a speck and of its ground, pixels of a level; the next level finds those of twice the size.
_FINE, _GROUND = 1.1, 4.2
#: A ring of this many times a speck's radius must be plain.
_RING_INNER, _RING_OUTER = 1.7, 3.2
#: Specks are told from noise when they stand out by so many of the ring's deviations.
_STANDS_OUT = 5.0
#: A ring is plain when its deviation and its furthest pixels are within these shares of the speck's contrast.
_PLAIN, _FURTHEST = 0.22, 0.55
#: A pixel is busy when it differs by this share of the contrast; a square of such a side may hold so many of them.
_BUSY, _WIDE, _BUSY_MOST = 0.35, 61, 110
#: More than these are texture, not specks.
_MOST = 4000


class SpeckLimits(BaseModel):
    """Which spots are looked for."""

    contrast: float = Field(default=12.0, ge=4, le=60, description="Least difference from the ground, of 255.")
    least: float = Field(default=2.0, ge=1, le=120, description="Least diameter, source pixels.")
    largest: float = Field(default=40.0, ge=4, le=120, description="Largest diameter, source pixels.")


@dataclass(frozen=True)
class Speck:
    """A spot: its middle and diameter in pixels of the picture, and its contrast to the ground, of 255."""

    x: float
    y: float
    size: float
    contrast: float


def specks_of(source: Source, contrast: float = 12.0, least: float = 2.0, largest: float = 40.0) -> list[Speck]:
    """Specks of a picture, strongest first.

    Parameters
    ----------
    source
        The picture, at all levels.
    contrast
        Least difference from the ground, of 255.
    least, largest
        Diameters in pixels of the picture.
    """
    found: list[Speck] = []
    for level in range(source.levels):
        scale = 2.0**level
        if scale * 2.2 > largest and level:
            break
        box = level_box(source.size, level)
        if min(level_size(source.size, level)) < 24:
            break
        pixels = source.read(level, box)
        grey = np.asarray(cv2.cvtColor(narrowed(pixels), cv2.COLOR_RGB2GRAY), np.float32)
        for speck in _of_level(grey, contrast):
            own = Speck(speck.x * scale, speck.y * scale, speck.size * scale, speck.contrast)
            if least <= own.size <= largest:
                found.append(own)
    return _distinct(sorted(found, key=lambda one: -one.contrast))[:_MOST]


def _of_level(grey: NDArray[np.float32], contrast: float) -> list[Speck]:
    fine, ground = cv2.GaussianBlur(grey, (0, 0), _FINE), cv2.GaussianBlur(grey, (0, 0), _GROUND)
    response = np.abs(np.subtract(fine, ground))
    peaks = (response >= np.float32(0.3 * contrast)) & (response >= cv2.dilate(response, np.ones((5, 5), np.uint8)))
    # on smooth ground hardly a pixel around a speck differs from its own ground
    busy = (response > np.float32(_BUSY * contrast)).astype(np.uint8)
    peaks &= cv2.boxFilter(busy, cv2.CV_32F, (_WIDE, _WIDE), normalize=False) <= _BUSY_MOST
    rows, columns = np.nonzero(peaks)
    if len(rows) > 2 * _MOST:
        keep = np.argsort(-response[rows, columns], kind="stable")[: 2 * _MOST]
        rows, columns = rows[keep], columns[keep]
    found = []
    for row, column in zip(rows.tolist(), columns.tolist(), strict=True):
        speck = _judged(grey, row, column, contrast)
        if speck is not None:
            found.append(speck)
    return found


def _judged(grey: NDArray[np.float32], row: int, column: int, contrast: float) -> Speck | None:
    """The speck at a peak, if it is one: compact, alone, on plain ground, well above the noise."""
    reach = 20
    if not (4 <= row < grey.shape[0] - 4 and 4 <= column < grey.shape[1] - 4):
        return None
    top, left = max(0, row - reach), max(0, column - reach)
    part = grey[top : row + reach + 1, left : column + reach + 1]
    y, x = row - top, column - left
    near = part[max(0, y - 8) : y + 9, max(0, x - 8) : x + 9]
    middling = float(np.median(near))
    peak = float(part[max(0, y - 1) : y + 2, max(0, x - 1) : x + 2].mean()) - middling
    if abs(peak) < 0.5 * contrast:
        return None
    off = (part - middling) * (1 if peak > 0 else -1)
    labels, count = _around(off > abs(peak) / 2, y, x)
    if count == 0 or count > 450:
        return None
    rows, columns = np.nonzero(labels)
    tall, wide = int(np.ptp(rows)) + 1, int(np.ptp(columns)) + 1
    if max(tall, wide) > 3 * min(tall, wide) or count < 0.4 * tall * wide:
        return None
    middle_y, middle_x = float(rows.mean()), float(columns.mean())
    radius = max(1.0, (count / np.pi) ** 0.5)
    yy, xx = np.mgrid[0 : part.shape[0], 0 : part.shape[1]]
    away = np.hypot(yy - middle_y, xx - middle_x)
    ring = part[(away >= _RING_INNER * radius + 1) & (away <= _RING_OUTER * radius + 3)]
    if len(ring) < 16:
        return None
    ground = float(np.median(ring))
    stands = abs(float(part[labels].mean()) - ground)
    deviation = 1.4826 * float(np.median(np.abs(ring - ground)))
    strongest = abs(float(part[y, x]) - ground)
    if strongest < contrast or stands < _STANDS_OUT * max(deviation, 0.4) * (1 if count > 6 else 1.4):
        return None
    if deviation > _PLAIN * strongest or np.percentile(np.abs(ring - ground), 96) > _FURTHEST * strongest:
        return None
    return Speck(left + middle_x + 0.5, top + middle_y + 0.5, 2 * radius, strongest)


def _around(over: NDArray[np.bool_], y: int, x: int) -> tuple[NDArray[np.bool_], int]:
    """The connected part that a place belongs to, and its pixels."""
    _, labels = cv2.connectedComponents(over.astype(np.uint8))
    label = labels[y, x]
    if label == 0:
        return np.zeros_like(over), 0
    own = labels == label
    return own, int(own.sum())


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
