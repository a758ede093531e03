"""Strokes whose tip lies in a plane of the scene: round there, foreshortened on the picture."""

from __future__ import annotations

import hashlib
import math
from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.ledger.charts import ChartSpec, CornersChart
from fern_ticket.core.ledger.masks import Alpha, Mask, Place, Point, Stroke, StrokesMask
from fern_ticket.core.pictures.chart import Chart, averaged, chart_about
from fern_ticket.core.pictures.regions import NOWHERE, Box, joined

#: Where a tip is so much smaller than where its stroke begins it is too near the plane's horizon to be seen.
_SMALLEST = 1 / 32


def place_of(mask: Mask, spec: ChartSpec | None, picture: tuple[int, int]) -> Place:
    """The place of a mask whose step works in a chart: strokes that are round in its plane lie foreshortened."""
    if not isinstance(mask, StrokesMask) or mask.round_in is None or not isinstance(spec, CornersChart):
        return mask
    laid = Foreshortened(mask, spec, picture)
    return mask if laid.seen is None else laid


@dataclass(frozen=True)
class Foreshortened:
    """A place of the picture, painted with a tip that is round in a plane.

    Where a stroke begins its tip is as large on the picture as its size says; it shrinks with the distance.
    """

    mask: StrokesMask
    spec: CornersChart
    picture: tuple[int, int]

    @property
    def starts(self) -> list[Point]:
        return self.mask.starts

    @property
    def begins(self) -> Point | None:
        return self.mask.begins

    @cached_property
    def _about(self) -> Chart:
        """A chart of the plane, for what is painted."""
        return self.spec.chart(self.picture, self.mask.box(self.picture))

    @cached_property
    def seen(self) -> StrokesMask | None:
        """The strokes in the plane; None where it shows none of them."""
        return self.within(self._about)

    def within(self, chart: Chart) -> StrokesMask | None:
        """The strokes in the pixels of a chart of the plane; None where it shows none of them."""
        strokes = [laid for stroke in self.mask.strokes if (laid := self._laid(stroke, chart)) is not None]
        return self.mask.model_copy(update={"strokes": strokes, "view": None, "round_in": None}) if strokes else None

    def _laid(self, stroke: Stroke, chart: Chart) -> Stroke | None:
        path = stroke.path
        places, areas = self._into(chart, path[:, :2])
        seen = np.isfinite(areas)
        seen[seen] &= areas[seen] > 0
        if not seen.any():
            return None
        larger = math.sqrt(areas[np.argmax(seen)])
        # chart pixels of a tip are the same all along; what one pixel of the picture holds of them grows with distance
        seen[seen] &= np.sqrt(areas[seen]) < larger / _SMALLEST
        points = np.column_stack([places[seen], path[seen, 2]])
        return stroke.model_copy(update={"points": [tuple(point) for point in points], "size": stroke.size * larger})

    def _into(self, chart: Chart, points: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Places of points in a chart, shape (count, 2), and how many chart pixels a pixel holds there; NaN unseen."""
        own = None if self.mask.view is None else self.mask.view.chart(self.picture)

        def into(right: float, down: float) -> NDArray[np.float64]:
            x, y = points[:, 0] + right, points[:, 1] + down
            return chart.from_source(*((x, y) if own is None else own.to_source(x, y)))

        across, along = into(0.5, 0) - into(-0.5, 0), into(0, 0.5) - into(0, -0.5)
        return into(0, 0).T, np.abs(across[0] * along[1] - across[1] * along[0])

    @cached_property
    def _chart(self) -> Chart:
        """A chart of the plane that holds what is painted and no more."""
        assert self.seen is not None
        return chart_about(self._about, self.seen.extent)

    @cached_property
    def _cover(self) -> Alpha:
        laid = self.within(self._chart)
        assert laid is not None
        return laid.drawn(self._chart.whole)

    def box(self, size: tuple[int, int]) -> Box:
        boxes = self._chart.footprint(self._chart.whole)
        return joined(boxes).within(Box(0, 0, *size)) if boxes else NOWHERE

    def alpha(self, box: Box) -> Alpha:
        x, y, fine = self._chart.maps_back(self._chart.whole, box)
        cover = cv2.remap(self._cover, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=0)
        return averaged(np.asarray(cover, np.float32)[..., None], fine)[..., 0]

    def key(self) -> str:
        return hashlib.sha256(f"{self.mask.key()} in {self.spec.key()}".encode()).hexdigest()
