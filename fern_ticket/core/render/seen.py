"""A flat panorama as it is seen through a view into it, for what is laid in that view, and the way back.

What lies in a view lies straight there: it is laid on a plain picture of what is seen, at the panorama's own
resolution, and what became of each pixel is brought back to the flat picture, which keeps every bit beside it.
"""

from __future__ import annotations

import hashlib
import math
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import Protocol

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.ledger.charts import ViewChart
from fern_ticket.core.ledger.masks import Alpha
from fern_ticket.core.pictures.chart import Chart, Fineness, averaged
from fern_ticket.core.pictures.plane import followed, scaling, translation
from fern_ticket.core.pictures.pyramid import Source, level_box
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.pictures.values import rounded
from fern_ticket.core.render.resample import Window, widened
from fern_ticket.core.source.operation import Altered

#: What is laid in a view may reach so many focal lengths beside where the eye looks: 76° off.
_FARTHEST = 4.0
#: Pixels of the view beside a place that are seen with it: what a filter reaches, and a little.
_RIM = 4
#: Side of what is brought back at once, pixels of the flat picture: little enough to be seen through a small window.
_AT_ONCE = 192


class Keyed(Source, Protocol):
    """A picture with a key that changes when any of its pixels can have changed."""

    @property
    def key(self) -> str: ...


@dataclass(frozen=True)
class FineView:
    """A view whose pixels in its middle are as large as the flat picture's own.

    Attributes
    ----------
    chart
        As large as the view itself; places beside that are seen too, as far as `most`.
    times
        Its pixels for one of the view as a step says it.
    """

    chart: Chart
    times: float

    @classmethod
    def of(cls, view: ViewChart, picture: tuple[int, int]) -> FineView:
        """The view into a picture of that size."""
        chart = view.chart(picture)
        times = max(chart.scales(*chart.whole.middle)[0], 1 / _FARTHEST)
        size = (math.ceil(times * chart.size[0]), math.ceil(times * chart.size[1]))
        return cls(Chart(chart.plane @ scaling(1 / times, 1 / times), size, picture, chart.sphere), times)

    @cached_property
    def most(self) -> Box:
        """All that can be laid in it, pixels of the view."""
        x, y = self.chart.whole.middle
        focal = 1 / float(np.linalg.norm(self.chart.plane[:, 0]))
        middle = Box(math.floor(x), math.floor(y), math.ceil(x), math.ceil(y))
        return middle.grown(math.ceil(_FARTHEST * focal))

    def onto(self, place: Box) -> Chart:
        """Of the view a place alone, whose corner is the chart's origin."""
        chart = self.chart
        plane = chart.plane @ translation(place.left, place.top)
        return Chart(plane, (place.width, place.height), chart.picture, chart.sphere)


class SeenThrough(Altered):
    """What a chart shows of a flat panorama, 16-bit, readable at every level."""

    def __init__(self, flat: Keyed, chart: Chart) -> None:
        super().__init__(flat)
        self._flat, self._chart = flat, chart
        self._levels = [chart.at_level(level) for level in range(flat.levels)]

    @property
    def size(self) -> tuple[int, int]:
        return self._chart.size

    @property
    def dtype(self) -> np.dtype[np.uint8] | np.dtype[np.uint16]:
        return np.dtype(np.uint16)

    @cached_property
    def key(self) -> str:
        return hashlib.sha256(f"{self._flat.key} {self._chart}".encode()).hexdigest()

    def read(self, level: int, box: Box) -> Window:
        seen = self._levels[level].read(lambda flat: widened(self._flat.read(level, flat)), box)
        return rounded(seen, np.uint16)

    def ways(self, level: int, box: Box) -> Iterator[Way]:
        """Between parts of a box of the flat picture's level and what of the view lies on them."""
        chart = self._levels[level]
        whole = level_box(self.size, level)
        for footprint in chart.footprint(whole):
            for part in footprint.within(box).blocks(_AT_ONCE, _AT_ONCE):
                place = chart.place_of(part)
                if not place.empty:
                    yield Way(chart, place.grown(_RIM).within(whole), part)


#: Sides of an outline in a view are followed in steps of so many of its pixels, as they bend on the flat picture.
_STEP = 40.0


def on_the_flat(chart: Chart, loop: NDArray[np.float64]) -> NDArray[np.float64]:
    """A closed outline in a view on the flat picture, in one piece, shape (points, 2); x may lie a turn beside it."""
    across, below = chart.to_source(*followed(np.concatenate([loop, loop[:1]]), _STEP)[:, :-1])
    if chart.sphere is not None:
        across = np.unwrap(across, period=chart.sphere.width)
    return np.stack([across, below], axis=1)


@dataclass(frozen=True)
class Way:
    """From a place in a view to pixels of the flat picture, both of one level."""

    chart: Chart
    place: Box
    flat: Box

    @cached_property
    def _maps(self) -> tuple[NDArray[np.float32], NDArray[np.float32], Fineness]:
        return self.chart.maps_back(self.place, self.flat)

    def _brought(self, values: NDArray[np.float32], how: int, beside: int) -> NDArray[np.float32]:
        across, below, fine = self._maps
        found = cv2.remap(values, across, below, how, borderMode=beside, borderValue=0)
        return averaged(np.asarray(found, np.float32).reshape(*across.shape, -1), fine)

    def colours(self, pixels: Window) -> Window:
        """Colours of the place on the flat picture's pixels, by a cubic; beside it those at its edge."""
        return rounded(self._brought(pixels.astype(np.float32), cv2.INTER_CUBIC, cv2.BORDER_REPLICATE), np.uint16)

    def share(self, share: Alpha) -> Alpha:
        """How far each of the flat picture's pixels is covered, linearly, so that nothing overshoots; beside it 0."""
        return self._brought(share, cv2.INTER_LINEAR, cv2.BORDER_CONSTANT)[..., 0]

    def change(self, values: NDArray[np.float32]) -> NDArray[np.float32]:
        """Differences, which are 0 beside the place."""
        return self._brought(values, cv2.INTER_LINEAR, cv2.BORDER_CONSTANT)
