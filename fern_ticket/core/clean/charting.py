"""Repairs in a plane: the ground read through its chart, the place mapped into it, the change brought back.

A repair knows nothing of all this: it is given a ground that lies straight. What it changes is written back as the
difference to what was there, so that what is not touched keeps every bit.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.clean.foreshortened import Foreshortened
from fern_ticket.core.clean.limits import Fence, Limits
from fern_ticket.core.clean.repair import Difference, Ground, Patch
from fern_ticket.core.ledger.charts import ChartSpec, CornersChart, ViewChart
from fern_ticket.core.ledger.masks import Alpha, Drawn, Place, Point
from fern_ticket.core.pictures.chart import Chart
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.plane import followed
from fern_ticket.core.pictures.regions import Box, joined
from fern_ticket.core.pictures.values import rounded

Values = NDArray[np.float32]

#: A line is followed in steps of so many source pixels, since straight lines need not stay straight in a view.
_LINE_STEP = 24.0
#: Beyond its place, what a repair changed is carried on by so many pixels, so that a rim is not mixed with nothing.
_BEYOND = 4
#: Columns of the picture that a change is brought back to at once.
_PART = 2048


def chart_of(spec: ChartSpec, picture: tuple[int, int], place: Box) -> Chart:
    """The chart that a step names, for a repair of `place`, source pixels."""
    if isinstance(spec, CornersChart):
        return spec.chart(picture, place)
    assert isinstance(spec, ViewChart)
    return spec.chart(picture)


@dataclass(frozen=True)
class ChartedPlace:
    """A place of the picture as it lies in a chart."""

    place: Place
    chart: Chart

    @cached_property
    def starts(self) -> list[Point]:
        return [self.point(start) for start in self.place.starts]

    @property
    def begins(self) -> Point | None:
        begun = self.place.begins
        return None if begun is None else self.point(begun)

    def point(self, point: Point) -> Point:
        x, y = self.chart.from_source(np.array(point[0], np.float64), np.array(point[1], np.float64))
        return float(np.nan_to_num(x, nan=0.0)), float(np.nan_to_num(y, nan=0.0))

    @cached_property
    def straight(self) -> Drawn | None:
        """The place in the chart's own pixels, where it was drawn in the same view or plane; None for any other."""
        place, chart = self.place, self.chart
        if isinstance(place, Foreshortened):
            return place.within(chart)
        if not isinstance(place, Drawn) or place.view is None or chart.sphere is None:
            return None
        own = place.view.chart(chart.picture)
        between = np.linalg.inv(chart.plane) @ own.plane
        between /= between[2, 2]
        larger = float(between[0, 0])
        if own.sphere != chart.sphere or not np.allclose(between, np.diag([larger, larger, 1]), atol=1e-6):
            return None
        return place.as_flat.scaled(larger)

    def box(self, size: tuple[int, int]) -> Box:
        if self.straight is not None:
            return self.straight.box(size)
        own = self._own
        return own if own.empty else self.chart.place_of(own).within(Box(0, 0, *size))

    @cached_property
    def _own(self) -> Box:
        return self.place.box(self.chart.picture)

    @cached_property
    def _drawn(self) -> Values:
        return self.place.alpha(self._own)[..., None]

    def alpha(self, box: Box) -> Alpha:
        if self.straight is not None:
            return self.straight.alpha(box)
        own = self._own

        def read(wanted: Box) -> Values:
            found = np.zeros((wanted.height, wanted.width, 1), np.float32)
            shared = wanted.within(own)
            if not shared.empty:
                mine, theirs = shared.relative_to(own), shared.relative_to(wanted)
                found[theirs.rows, theirs.columns] = self._drawn[mine.rows, mine.columns]
            return found

        shares = self.chart.read(read, box)[..., 0]
        # a sinc rings by a few hundredths beside a hard edge: that is not coverage
        return np.where(shares < 0.06, np.float32(0), np.minimum(shares, np.float32(1)))

    def key(self) -> str:
        return hashlib.sha256(f"{self.place.key()} {self.chart}".encode()).hexdigest()


def charted_ground(ground: Ground, chart: Chart, wanted: Box) -> Ground:
    """The ground as it lies in a chart, at 16 bits a channel; `wanted` is read at once, since all of it will be."""

    def reader(read: Callable[[Box], Pixels]) -> Callable[[Box], Pixels]:
        kept: list[tuple[Box, Pixels]] = []

        def charted(box: Box) -> Pixels:
            if not kept or not kept[0][0].holds(box):
                whole = wanted.joined(box) if not wanted.empty else box
                kept[:] = [(whole, _deep(chart.read(read, whole), read))]
            inside = box.relative_to(kept[0][0])
            return kept[0][1][inside.rows, inside.columns].copy()

        return charted

    return Ground(
        chart.size,
        reader(ground.read),
        reader(ground.original),
        _charted_limits(ground.limits, chart),
        ground.carry_on,
        outside=lambda box: ~chart.inside(box),
    )


def _deep(values: Values, read: Callable[[Box], Pixels]) -> Pixels:
    narrow = read(Box(0, 0, 1, 1)).dtype == np.uint8
    return rounded(values * np.float32(257 if narrow else 1), np.uint16)


def _charted_limits(limits: Limits, chart: Chart) -> Limits:
    fences = [Fence(line) for fence in limits.fences if (line := _charted_line(fence.points, chart))]
    guides = [line for guide in limits.guides if (line := _charted_line(guide, chart))]
    return Limits(tuple(fences), tuple(ChartedPlace(mask, chart) for mask in limits.avoided), tuple(guides))


def _charted_line(line: tuple[Point, ...], chart: Chart) -> tuple[Point, ...]:
    """As it lies in a chart; nothing where less than two of its points are seen there."""
    x, y = chart.from_source(*followed(np.array(line, np.float64), _LINE_STEP))
    seen = np.isfinite(x)
    return tuple(zip(x[seen].tolist(), y[seen].tolist(), strict=True)) if seen.sum() > 1 else ()


def brought_back(
    patch: Patch, place: Place | None, ground: Ground, charted: Ground, chart: Chart, firm: float
) -> list[Difference]:
    """What a repair made in its chart, as changes of the picture: one for each box that it lies on.

    Parameters
    ----------
    patch
        In the chart.
    place
        Where in the picture it was asked for; its coverage is the picture's own, whatever the chart's resolution. None
        where it may lie beside that: then it covers what the patch does.
    ground, charted
        What was there, in the picture and in the chart.
    firm
        How much firmer than painted the repair is laid on.
    """
    box = patch.box.grown(_BEYOND).within(charted.whole)
    new = charted.read(box).astype(np.float32)
    seen = new.copy()
    inner = patch.box.relative_to(box)
    new[inner.rows, inner.columns] = patch.pixels
    covered = np.zeros(new.shape[:2], np.float32)
    covered[inner.rows, inner.columns] = patch.alpha
    change = _carried_on(new - seen, covered > 0)
    replaced = np.abs(change).max(axis=2) > 0
    # how far it is covered, whether it is, and whether anything changes; what changes, and what was there
    shares = np.stack([covered, covered > 0, replaced], axis=2).astype(np.float32)
    values = np.concatenate([change, seen], axis=2)
    found = []
    # at a pole of a panorama a small place is as wide as all of it
    for target in (part for box in chart.footprint(patch.box) for part in box.blocks(_PART, max(1, box.height))):
        painted = None if place is None else _alpha_over(place, target, ground.size)
        if painted is not None and not painted.any():
            continue
        brought = chart.written_back(shares, box, target, smooth=True)
        cover = np.minimum(brought[..., 0], np.float32(1))
        if painted is not None:
            # a repair may lie firmer than painted where what was there would shine through
            own = np.minimum(painted * np.float32(firm), np.float32(1))
            cover = np.where(own > 0, np.maximum(own, cover), np.float32(0))
        if not cover.any():
            continue
        below = ground.read(target)
        unit = np.float32(1 / 257 if below.dtype == np.uint8 else 1)
        cover *= np.minimum(brought[..., 1] * 2, np.float32(1))
        changed, was = np.split(chart.written_back(values, box, target) * unit, 2, axis=2)
        # fine detail that the chart could not hold belongs to what was taken away: it goes too
        changed += brought[..., 2:] * (was - below.astype(np.float32))
        found.append(Difference(target, changed, cover))
    return found


def _alpha_over(place: Place, target: Box, size: tuple[int, int]) -> Alpha:
    cover = np.zeros((target.height, target.width), np.float32)
    shared = place.box(size).within(target)
    if not shared.empty:
        inside = shared.relative_to(target)
        cover[inside.rows, inside.columns] = place.alpha(shared)
    return cover


def _carried_on(change: Values, covered: NDArray[np.bool_]) -> Values:
    """A change with that of the nearest covered pixel wherever nothing is covered."""
    if covered.all() or not covered.any():
        return change
    _, labels = cv2.distanceTransformWithLabels(
        (~covered).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    nearest = np.zeros(int(labels.max()) + 1, np.int64)
    rows, columns = np.nonzero(covered)
    nearest[labels[rows, columns]] = rows * covered.shape[1] + columns
    return np.asarray(change.reshape(-1, change.shape[2])[nearest[labels]], np.float32)


def seen_through(chart: Chart, box: Box) -> Box:
    """One box of source pixels that holds all that chart pixels of `box` lie on."""
    return joined(chart.footprint(box))


def offset_into(chart: Chart, offset: tuple[float, float], start: Point) -> tuple[float, float]:
    """An offset of source pixels, counted from `start`, as one of chart pixels."""
    ends = np.array([start, (start[0] + offset[0], start[1] + offset[1])], np.float64).T
    x, y = chart.from_source(ends[0], ends[1])
    return float(np.nan_to_num(x[1] - x[0])), float(np.nan_to_num(y[1] - y[0]))


def offset_out_of(chart: Chart, offset: tuple[float, float], start: Point) -> tuple[float, float]:
    """An offset of chart pixels as one of source pixels, counted from the source point `start`."""
    here = chart.from_source(np.array(start[0]), np.array(start[1]))
    there: Any = chart.to_source(here[0] + offset[0], here[1] + offset[1])
    return float(there[0]) - start[0], float(there[1]) - start[1]
