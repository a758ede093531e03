"""Views that cover a sphere once, with overlap."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

#: Share of its field that a view has in common with the next.
_OVERLAP = 0.25


@dataclass(frozen=True)
class Direction:
    """Where a view looks, degrees."""

    heading: float
    pitch: float


def covering(field: float, ratio: float = 1.0, most_pitch: float = 90.0) -> Iterator[Direction]:
    """Views of `field` degrees across, `ratio` times as high as wide, that show every direction up to a pitch.

    In rings of one pitch, from the horizon out; the poles by one view each.
    """
    half = math.radians(field) / 2
    down = math.degrees(2 * math.atan(math.tan(half) * ratio))
    step = down * (1 - _OVERLAP)
    rings = max(0, math.ceil((most_pitch - down / 2) / step - 1e-9))
    for ring in range(rings + 1):
        pitch = min(90.0, ring * step)
        for one in (pitch, -pitch) if ring else (0.0,):
            yield from _round(one, field)


def _round(pitch: float, field: float) -> Iterator[Direction]:
    if abs(pitch) >= 90:
        yield Direction(0.0, pitch)
        return
    # a view's own edge toward the horizon is the longest stretch of the ring that it has to cover
    nearest = max(0.0, abs(pitch) - field / 2)
    count = math.ceil(360 * math.cos(math.radians(nearest)) / (field * (1 - _OVERLAP)))
    for number in range(max(3, count)):
        heading = (360 * number / max(3, count) + 180) % 360 - 180
        yield Direction(heading, pitch)
