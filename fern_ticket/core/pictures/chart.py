"""Charts: planes in which a part of the picture lies straight, and how pixels pass between plane and picture.

A chart is a matrix, and where it leads. On a **flat** chart the matrix takes chart pixels to source pixels (a
homography). On a chart of a **sphere** it takes them to directions, which the equirectangular projection (`sphere.py`)
takes to the pixels of a flat panorama. All coordinates have pixel corners at whole numbers and pixel centres at +0.5.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.kernels import fast_kernel
from fern_ticket.core.pictures.perspective import from_rectangle, ratio_seen, ratio_told, side_lengths
from fern_ticket.core.pictures.plane import PlaneMap, box_around, mapped, scaling, translation
from fern_ticket.core.pictures.pyramid import level_size
from fern_ticket.core.pictures.regions import NOWHERE, Box
from fern_ticket.core.pictures.sphere import Sphere, places_seen, to_ray, turned_by
from fern_ticket.core.threads import by_rows

Values = NDArray[np.float32]
Coordinates = NDArray[np.float64]
#: Samples of a pixel across and down.
Fineness = tuple[int, int]
#: Reads the picture's full-size pixels of a box.
Reader = Callable[[Box], NDArray[Any]]

#: A coordinate of what a chart does not show.
_NOWHERE = -1e6
#: Lobes of the windowed sinc that pixels are read and written back with (Duchon 1979).
_LOBES = 3
#: Rows that are worked on at once.
_BAND = 32
#: Most samples a side that one pixel is the mean of.
_FINEST = 4
#: Chart pixels from a pole within which lengths are measured beside it.
_BESIDE_POLE = 2.0
#: Pixels of a side of the grid that a footprint is found from.
_GRID = 33
#: A chart has at most so many pixels, for one of the place that is worked on.
_MOST_PIXELS = 60_000_000
#: Most pixels of a side that OpenCV brings to other places.
_LONGEST = 32_000
#: Parts of a plane where lengths are this much shorter or longer than at its corners are too near its horizon.
_FARTHEST = 8.0


@dataclass(frozen=True)
class Chart:
    """A plane laid on a picture.

    Attributes
    ----------
    plane
        Chart coordinates to source coordinates, or to directions (x right, y down, z ahead), shape (3, 3).
    size
        Width and height of the chart, pixels.
    picture
        Width and height of the source, pixels.
    sphere
        What of a panorama the source shows; None for a chart of the flat picture.
    """

    plane: PlaneMap
    size: tuple[int, int]
    picture: tuple[int, int]
    sphere: Sphere | None = None

    @property
    def whole(self) -> Box:
        return Box(0, 0, *self.size)

    def at_level(self, level: int) -> Chart:
        """The same chart of a smaller level of the picture, its own pixels as many times larger."""
        larger, finer = scaling(2.0**level, 2.0**level), scaling(0.5**level, 0.5**level)
        plane = self.plane @ larger if self.sphere is not None else finer @ self.plane @ larger
        sphere = None if self.sphere is None else self.sphere.at_level(level)
        return Chart(plane, level_size(self.size, level), level_size(self.picture, level), sphere)

    def to_source(self, x: Coordinates, y: Coordinates) -> Coordinates:
        """Source coordinates of chart points, shape (2, ...). On a sphere x may lie beyond the picture's sides."""
        if self.sphere is None:
            return mapped(self.plane, x, y)
        return self.sphere.of_direction(*(row[0] * x + row[1] * y + row[2] for row in self.plane))

    def from_source(self, x: Coordinates, y: Coordinates) -> Coordinates:
        """Chart coordinates of source points, shape (2, ...); NaN for those that the plane does not show."""
        back = np.linalg.inv(self.plane)
        right, down, ahead = (x, y, np.ones_like(x)) if self.sphere is None else self.sphere.direction(x, y)
        across, below, depth = (row[0] * right + row[1] * down + row[2] * ahead for row in back)
        # a point behind the plane's horizon, or behind the eye, has no place in it
        sign = self._ahead if self.sphere is None else 1.0
        depth = np.where(sign * depth > 1e-12, depth, np.nan)
        return np.stack([across / depth, below / depth])

    @property
    def _ahead(self) -> float:
        """The sign of the depth of what the plane shows."""
        x, y = self.to_source(np.array(self.size[0] / 2), np.array(self.size[1] / 2))
        return math.copysign(1.0, float((np.linalg.inv(self.plane) @ (x, y, 1.0))[2]))

    def scales(self, x: float, y: float) -> tuple[float, float]:
        """Source pixels for one chart pixel about a point: in the direction where they are fewest, and where most.

        At a pole of a panorama, which has no direction of its own, they are those close beside it.
        """
        step = 0.5
        if self.sphere is not None:
            right, _, ahead = self.plane @ (x, y, 1.0)
            pixel = float(np.linalg.norm(self.plane[:, 0]))
            if math.hypot(right, ahead) < _BESIDE_POLE * pixel:
                x += _BESIDE_POLE
        low_high = np.linalg.svd(np.stack(self._ways(x, y, step), axis=1), compute_uv=False)
        return float(low_high[1]), float(low_high[0])

    def _ways(self, x: float, y: float, step: float = 0.5) -> tuple[Coordinates, Coordinates]:
        """Source pixels, shape (2,), from one chart pixel to the next across, and to the next below, about a point."""
        return self._way((x - step, y), (x + step, y)), self._way((x, y - step), (x, y + step))

    def _way(self, one: tuple[float, float], other: tuple[float, float]) -> Coordinates:
        points = self.to_source(np.array([one[0], other[0]]), np.array([one[1], other[1]]))
        way = points[:, 1] - points[:, 0]
        if self.sphere is not None:
            way[0] -= self.sphere.width * round(way[0] / self.sphere.width)
        return way

    def footprint(self, box: Box) -> list[Box]:
        """The boxes of source pixels that chart pixels of `box` lie on: two where it meets the panorama's seam."""
        reach = self._reach(box)
        width, height = self.picture
        if self.sphere is None or not self.sphere.all_round(width):
            inside = reach.within(Box(0, 0, width, height))
            return [] if inside.empty else [inside]
        top, bottom = max(0, reach.top), min(height, reach.bottom)
        if reach.width >= width:
            return [Box(0, top, width, bottom)]
        shift = width * (reach.left // width)
        left, right = reach.left - shift, reach.right - shift
        parts = [Box(left, top, min(right, width), bottom), Box(0, top, right - width, bottom)]
        return [part for part in parts if not part.empty]

    def _reach(self, box: Box) -> Box:
        """What `box` lies on, in coordinates that run on beyond the panorama's seam."""
        x, y = np.meshgrid(np.linspace(box.left, box.right, _GRID), np.linspace(box.top, box.bottom, _GRID))
        across, below = self.to_source(x, y)
        if self.sphere is not None:
            across, below = self._unbroken(self.sphere, box, across, below)
        margin = 2
        limit = 2**30
        left, right = (float(np.clip(v, -limit, limit)) for v in (np.nanmin(across), np.nanmax(across)))
        top, bottom = (float(np.clip(v, -limit, limit)) for v in (np.nanmin(below), np.nanmax(below)))
        return Box(math.floor(left), math.floor(top), math.ceil(right), math.ceil(bottom)).grown(margin)

    def _unbroken(
        self, sphere: Sphere, box: Box, across: Coordinates, below: Coordinates
    ) -> tuple[Coordinates, Coordinates]:
        """Places that `box` lies on, side by side over the seam, and all round where it holds a pole."""
        middle = float(across[_GRID // 2, _GRID // 2])
        width = sphere.width
        across = middle + (across - middle + width / 2) % width - width / 2
        if not sphere.all_round(self.picture[0]):
            # as much of the sphere as the picture shows is one piece: the turn that brings the middle into it
            across = across - width * round((middle - self.picture[0] / 2) / width)
        for fall in sphere.poles:
            pole = self.from_source(np.array(0.0), np.array(fall))
            if box.left <= pole[0] <= box.right and box.top <= pole[1] <= box.bottom:
                across = np.array([0.0, self.picture[0]])
                below = np.append(below.ravel(), fall)
        return across, below

    def place_of(self, box: Box) -> Box:
        """The chart pixels that source pixels of `box` lie on; empty where the plane shows none of them."""
        x, y = np.meshgrid(np.linspace(box.left, box.right, _GRID), np.linspace(box.top, box.bottom, _GRID))
        across, below = self.from_source(x, y)
        seen = np.isfinite(across)
        if not seen.any():
            return NOWHERE
        return box_around(across[seen], below[seen]).grown(1).within(self.whole)

    def inside(self, box: Box) -> NDArray[np.bool_]:
        """Which chart pixels of `box` lie on the picture, shape (rows, columns)."""
        x, y = self.to_source(*_centres(box))
        if self.sphere is not None and self.sphere.all_round(self.picture[0]):
            return np.asarray((y >= 0) & (y <= self.picture[1]))
        if self.sphere is not None:
            x = _unwrapped(x, self.picture[0], self.sphere.width)
        return np.asarray((x >= 0) & (y >= 0) & (x <= self.picture[0]) & (y <= self.picture[1]))

    def read(self, read: Reader, box: Box) -> Values:
        """Chart pixels of `box`, resampled once, in the picture's own values, shape (rows, columns, channels)."""
        near = self._reach(box).grown(_LOBES + 1)
        width = self.picture[0]
        round_it = self.sphere is not None and self.sphere.all_round(width) and near.width >= width
        if round_it:
            # all of it from its left edge on, and over the seam what a filter reaches
            near = Box(-_LOBES - 1, near.top, width + _LOBES + 1, near.bottom)
        pixels = np.ascontiguousarray(self._region(read, near))
        out = np.empty((box.height, box.width, pixels.shape[2]), np.float32)
        fine = self._fineness(box)

        def work(rows: slice) -> None:
            band = Box(box.left, box.top + rows.start, box.right, box.top + rows.stop)
            x, y = self._grid(band, fine)
            x, y = x - near.left, y - near.top
            if self.sphere is not None and not round_it:
                x = _unwrapped(x, near.width, self.sphere.width)
            out[rows] = averaged(sampled(pixels, x, y), fine)

        by_rows(box.height, work, _BAND)
        return out

    def _fineness(self, box: Box) -> Fineness:
        """Samples that a chart pixel of `box` is the mean of when the picture is read."""
        if self.sphere is not None:
            # toward a pole rows of a panorama are longer than what they show: that much is no detail to be averaged
            return (_samples(self.scales(*box.middle)[0]),) * 2
        across, down = self._ways(*box.middle)
        return _samples(float(np.hypot(*across))), _samples(float(np.hypot(*down)))

    def _fineness_back(self, box: Box) -> Fineness:
        """Samples that a picture's pixel is the mean of where chart pixels of `box` are brought to it."""
        if self.sphere is not None:
            return (_samples(1 / max(self.scales(*box.middle)[0], 1e-6)),) * 2
        ways = np.stack(self._ways(*box.middle), axis=1)
        if abs(np.linalg.det(ways)) < 1e-9:
            return _FINEST, _FINEST
        across, down = np.linalg.inv(ways).T
        return _samples(float(np.hypot(*across))), _samples(float(np.hypot(*down)))

    def _grid(self, band: Box, fine: Fineness) -> tuple[Coordinates, Coordinates]:
        """Source coordinates of the samples in each chart pixel of a band, shape (rows, columns) each."""
        x, y = np.empty((2, band.height * fine[1], band.width * fine[0]))
        if self.sphere is None:
            _places_in_plane(self.plane, *_centres_along(band, fine), x, y, True)
            return x, y
        across, below = np.empty((2, *x.shape), np.float32)
        places_seen(self.plane, self.sphere, (band.left, band.top), 1 / fine[0], across, below)
        return across.astype(np.float64), below.astype(np.float64)

    def _grid_back(self, band: Box, fine: Fineness) -> tuple[Coordinates, Coordinates]:
        """Chart coordinates of the samples in each source pixel of a band; far out where none is shown."""
        x, y = np.empty((2, band.height * fine[1], band.width * fine[0]))
        back = np.linalg.inv(self.plane)
        if self.sphere is None:
            _places_in_plane(back * self._ahead, *_centres_along(band, fine), x, y, False)
        else:
            _places_back(back, *_turns(self.sphere, band, fine), x, y)
        return x, y

    def _region(self, read: Reader, near: Box) -> NDArray[Any]:
        """Source pixels of a box that may reach beyond the picture: over the seam, or repeated at its edges."""
        width, height = self.picture
        rows = Box(0, max(0, min(near.top, height - 1)), 0, min(height, max(near.bottom, 1)))
        if self.sphere is not None and self.sphere.all_round(width):
            parts, at = [], near.left
            while at < near.right:
                left = at % width
                right = min(width, left + near.right - at)
                parts.append(read(Box(left, rows.top, right, rows.bottom)))
                at += right - left
            pixels = np.concatenate(parts, axis=1)
            before, after = 0, 0
        else:
            left, right = max(0, min(near.left, width - 1)), min(width, max(near.right, 1))
            pixels = read(Box(left, rows.top, right, rows.bottom))
            before, after = left - near.left, near.right - right
        above, below = rows.top - near.top, near.bottom - rows.bottom
        most = 1 << 14  # far off the picture all is its edge
        up, down, left, right = (min(max(side, 0), most) for side in (above, below, before, after))
        wide = np.asarray(cv2.copyMakeBorder(pixels, up, down, left, right, cv2.BORDER_REPLICATE))
        return wide.reshape(*wide.shape[:2], pixels.shape[2])

    def maps_back(self, box: Box, target: Box) -> tuple[Values, Values, Fineness]:
        """Where in `box` of the chart pixels of `target` lie: maps as OpenCV's remap takes them, and their samples."""
        fine = self._fineness_back(box)
        x, y = self._grid_back(target, fine)
        half = 0.5
        return (x - box.left - half).astype(np.float32), (y - box.top - half).astype(np.float32), fine

    def written_back(self, values: Values, box: Box, target: Box, *, smooth: bool = False) -> Values:
        """Chart values over `box` brought to the source pixels of `target`, shape (rows, columns, channels).

        `smooth` interpolates linearly, so that nothing overshoots: for shares. Beyond `box`, and where the plane shows
        nothing, values are those at its edge, or 0 when `smooth`.
        """
        out = np.empty((target.height, target.width, values.shape[2]), np.float32)
        fine = self._fineness_back(box)

        def work(rows: slice) -> None:
            band = Box(target.left, target.top + rows.start, target.right, target.top + rows.stop)
            x, y = self._grid_back(band, fine)
            x, y = x - box.left, y - box.top
            part = _linear(values, x, y) if smooth else sampled(values, x, y)
            out[rows] = averaged(part, fine)

        by_rows(target.height, work, _BAND)
        return out


def flat_chart(
    corners: Coordinates,
    picture: tuple[int, int],
    place: Box,
    view: Chart | None = None,
    focal: float | None = None,
) -> Chart:
    """The plane of the scene on which four corners make a rectangle, for a repair of `place`.

    Parameters
    ----------
    corners
        Upper left, upper right, lower right, lower left, shape (4, 2): source pixels, or those of the `view`.
    picture
        Width and height of the source.
    place
        Source pixels that are repaired. Where the plane shows them, chart pixels are no coarser than source pixels.
    view
        Into a panorama, in which the corners were set.
    focal
        Focal length, source pixels, where it is known.

    Returns
    -------
    The chart holds what the corners hold. Where the place reaches beyond them, or leaves little of it, as much more of
    the plane as the place itself measures.
    """
    plane, (width, height) = true_rectangle(corners, picture, view, focal)
    if view is not None:
        # what lies in the plane's middle lies ahead of the view
        plane = view.plane @ plane * math.copysign(1.0, float((plane @ (width / 2, height / 2, 1))[2]))
    sphere = None if view is None else view.sphere
    rough = Chart(plane, (math.ceil(width), math.ceil(height)), picture, sphere)
    held = Box(0, 0, *rough.size)
    wanted = _shown(rough, place)
    if wanted.empty:
        wanted = held
    if not held.holds(wanted) or 4 * wanted.width * wanted.height > held.width * held.height:
        held = _this_side(rough, held.joined(wanted.grown(max(wanted.width, wanted.height))), held)
    points = [(x, y) for x in (wanted.left, wanted.right) for y in (wanted.top, wanted.bottom)]
    usual = rough.scales(*Box(0, 0, *rough.size).middle)[1]
    densest = max(rough.scales(*point)[1] for point in points)
    finer = min(max(densest, usual / _FARTHEST), usual * _FARTHEST)
    finer = min(finer, math.sqrt(_MOST_PIXELS / max(1, held.width * held.height)))
    size = (max(16, math.ceil(held.width * finer)), max(16, math.ceil(held.height * finer)))
    return Chart(plane @ translation(held.left, held.top) @ scaling(1 / finer, 1 / finer), size, picture, sphere)


def chart_about(chart: Chart, box: Box) -> Chart:
    """The part of a chart's plane that `box` holds, also beyond its size, as far as it lies well before the horizon."""
    held = chart.whole
    inside = box.within(held)
    kept = box if held.holds(box) else _this_side(chart, box, held if inside.empty else inside)
    area = max(1, kept.width * kept.height)
    finer = min(1.0, math.sqrt(_MOST_PIXELS / area), _LONGEST / max(1, kept.width, kept.height))
    size = (max(1, math.ceil(kept.width * finer)), max(1, math.ceil(kept.height * finer)))
    plane = chart.plane @ translation(kept.left, kept.top) @ scaling(1 / finer, 1 / finer)
    return Chart(plane, size, chart.picture, chart.sphere)


def true_rectangle(
    corners: Coordinates, picture: tuple[int, int], view: Chart | None, focal: float | None
) -> tuple[PlaneMap, tuple[float, float]]:
    """What takes a rectangle of true shape to the four corners that show it, shape (3, 3); its width and height.

    Parameters are those of `flat_chart`. The rectangle is about as large as the corners are far apart.
    """
    across, down = side_lengths(corners)
    ratio = ratio_told(corners, picture, focal).value if view is None else ratio_seen(corners, view.plane)
    width, height = max(across, down * ratio), max(down, across / ratio)
    return from_rectangle(corners, width, height), (width, height)


def _shown(chart: Chart, place: Box) -> Box:
    """Where source pixels of `place` lie in the chart's plane, also beyond the chart's size."""
    x, y = np.meshgrid(np.linspace(place.left, place.right, _GRID), np.linspace(place.top, place.bottom, _GRID))
    across, below = chart.from_source(x, y)
    far = 16 * max(chart.size)
    seen = np.isfinite(across) & (np.abs(across) < far) & (np.abs(below) < far)
    if not seen.any():
        return NOWHERE
    across, below = across[seen], below[seen]
    return Box(
        math.floor(across.min()), math.floor(below.min()), math.ceil(across.max()) + 1, math.ceil(below.max()) + 1
    )


def _this_side(chart: Chart, wanted: Box, held: Box) -> Box:
    """As much of the box `wanted` around `held` as lies well this side of the plane's horizon."""
    usual = chart.scales(*held.middle)[1]
    sides = np.array([wanted.left, wanted.top, wanted.right, wanted.bottom], np.float64)
    least = np.array([held.left, held.top, held.right, held.bottom], np.float64)
    for _ in range(24):
        left, top, right, bottom = sides
        ahead = chart.plane[2] @ np.array([[left, right, right, left], [top, top, bottom, bottom], [1, 1, 1, 1]])
        # in a panorama every direction is shown: only how far off the plane runs counts
        good = chart.sphere is not None
        good = good or bool((np.sign(ahead) == np.sign(chart.plane[2] @ (*held.middle, 1))).all())
        if good:
            found = [chart.scales(x, y)[1] for x in (left, right) for y in (top, bottom)]
            good = max(found) < usual * _FARTHEST and min(found) > usual / _FARTHEST
        if good:
            break
        sides = least + 0.8 * (sides - least)
    return Box(math.floor(sides[0]), math.floor(sides[1]), math.ceil(sides[2]), math.ceil(sides[3]))


def view_chart(
    heading: float,
    pitch: float,
    field: float,
    size: tuple[int, int],
    picture: tuple[int, int],
    roll: float = 0.0,
    sphere: Sphere | None = None,
) -> Chart:
    """A view into a flat panorama, degrees; `field` across the width.

    Positive headings turn right, pitches up; a positive roll turns what is seen counter-clockwise. Without a `sphere`
    the picture is a whole one.
    """
    whole = sphere or Sphere.whole(picture)
    return Chart(turned_by(heading, pitch, roll) @ to_ray(field, size), size, picture, whole)


def _centres(box: Box) -> tuple[Coordinates, Coordinates]:
    """Coordinates of the pixels' centres, shape (rows, columns) each."""
    grid = np.meshgrid(*_centres_along(box, (1, 1)))
    return grid[0], grid[1]


def _centres_along(box: Box, fine: Fineness) -> tuple[Coordinates, Coordinates]:
    """Coordinates of columns and of rows of the samples in the pixels of a box."""
    columns = box.left + (np.arange(box.width * fine[0]) + 0.5) / fine[0]
    return columns, box.top + (np.arange(box.height * fine[1]) + 0.5) / fine[1]


def _samples(reduction: float) -> int:
    """Samples a side for pixels that each stand for `reduction` pixels of what is read."""
    return int(min(max(math.ceil(reduction - 0.25), 1), _FINEST))


def averaged(values: Values, fine: Fineness) -> Values:
    """Means of the samples in each pixel, shape (rows, columns, channels)."""
    if fine == (1, 1):
        return values
    rows, columns, channels = values.shape
    shape = (rows // fine[1], fine[1], columns // fine[0], fine[0], channels)
    return np.asarray(values.reshape(shape).mean(axis=(1, 3)), np.float32)


def _unwrapped(x: Coordinates, width: int, round_trip: float) -> Coordinates:
    """Columns of a region of `width` from columns that may be a whole turn off."""
    return np.asarray((x - width / 2 + round_trip / 2) % round_trip - round_trip / 2 + width / 2)


def _linear(values: Values, x: Coordinates, y: Coordinates) -> Values:
    maps = ((x - 0.5).astype(np.float32), (y - 0.5).astype(np.float32))
    found = cv2.remap(values, *maps, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=0)
    return np.asarray(found, np.float32).reshape(*x.shape, values.shape[2])


def spread_out(values: Values, box: Box, chart: Chart, target: Box, out: Values) -> None:
    """Chart values over `box`, of a chart of a sphere, on the source pixels of `target`, linearly; 0 beyond `box`.

    Parameters
    ----------
    values
        Shape (rows, columns, channels), float32.
    out
        Shape of `target` with as many channels; filled.
    """
    sphere = chart.sphere
    assert sphere is not None
    back = translation(-box.left - 0.5, -box.top - 0.5) @ np.linalg.inv(chart.plane)
    _spread(values, back, *_turns(sphere, target), out)


def _turns(
    sphere: Sphere, box: Box, fine: Fineness = (1, 1)
) -> tuple[Coordinates, Coordinates, Coordinates, Coordinates]:
    """Sines and cosines of the headings of columns, and of the falls of rows, of the samples in the pixels of a box."""
    columns, rows = _centres_along(box, fine)
    heading = ((columns + sphere.left) / sphere.width - 0.5) * 2 * np.pi
    fall = ((rows + sphere.top) / sphere.height - 0.5) * np.pi
    return np.sin(heading), np.cos(heading), np.sin(fall), np.cos(fall)


@fast_kernel
def _places_in_plane(
    plane: Coordinates, columns: Coordinates, rows: Coordinates, x: Coordinates, y: Coordinates, either_side: bool
) -> None:
    """Where a homography takes columns and rows, shape (rows, columns); far out what lies behind its horizon, but for
    `either_side` of it."""
    for row in range(x.shape[0]):
        for column in range(x.shape[1]):
            right, down = columns[column], rows[row]
            depth = plane[2, 0] * right + plane[2, 1] * down + plane[2, 2]
            if either_side or depth > 1e-12:
                x[row, column] = (plane[0, 0] * right + plane[0, 1] * down + plane[0, 2]) / depth
                y[row, column] = (plane[1, 0] * right + plane[1, 1] * down + plane[1, 2]) / depth
            else:
                x[row, column] = y[row, column] = _NOWHERE


@fast_kernel
def _places_back(
    back: Coordinates,
    sine_across: Coordinates,
    cosine_across: Coordinates,
    sine_down: Coordinates,
    cosine_down: Coordinates,
    x: Coordinates,
    y: Coordinates,
) -> None:
    """Where directions lie in a view, shape (rows, columns); far outside where it shows nothing of them."""
    for row in range(x.shape[0]):
        down, level = sine_down[row], cosine_down[row]
        for column in range(x.shape[1]):
            right, ahead = sine_across[column] * level, cosine_across[column] * level
            depth = back[2, 0] * right + back[2, 1] * down + back[2, 2] * ahead
            if depth > 1e-12:
                x[row, column] = (back[0, 0] * right + back[0, 1] * down + back[0, 2] * ahead) / depth
                y[row, column] = (back[1, 0] * right + back[1, 1] * down + back[1, 2] * ahead) / depth
            else:
                x[row, column] = y[row, column] = _NOWHERE


@fast_kernel
def _spread(
    values: Values,
    back: Coordinates,
    sine_across: Coordinates,
    cosine_across: Coordinates,
    sine_down: Coordinates,
    cosine_down: Coordinates,
    out: Values,
) -> None:
    rows, columns, channels = values.shape
    for row in range(out.shape[0]):
        down, level = sine_down[row], cosine_down[row]
        for column in range(out.shape[1]):
            right, ahead = sine_across[column] * level, cosine_across[column] * level
            depth = back[2, 0] * right + back[2, 1] * down + back[2, 2] * ahead
            if depth <= 1e-12:
                continue
            x = (back[0, 0] * right + back[0, 1] * down + back[0, 2] * ahead) / depth
            y = (back[1, 0] * right + back[1, 1] * down + back[1, 2] * ahead) / depth
            if x <= -1 or y <= -1 or x >= columns or y >= rows:
                continue
            left, top = int(np.floor(x)), int(np.floor(y))
            fx, fy = np.float32(x - left), np.float32(y - top)
            for channel in range(channels):
                total = np.float32(0)
                for lower in range(2):
                    at_row = top + lower
                    if at_row < 0 or at_row >= rows:
                        continue
                    share = fy if lower else 1 - fy
                    for right_one in range(2):
                        at_column = left + right_one
                        if 0 <= at_column < columns:
                            total += share * (fx if right_one else 1 - fx) * values[at_row, at_column, channel]
                out[row, column, channel] = total


_STEPS = 512


def _table() -> Values:
    """Lanczos' windowed sinc on [0, 3], sampled."""
    x = np.linspace(0, _LOBES, _LOBES * _STEPS + 2)
    return np.where(x < _LOBES, np.sinc(x) * np.sinc(x / _LOBES), 0).astype(np.float32)


_TABLE = _table()


def sampled(values: NDArray[Any], x: Coordinates, y: Coordinates) -> Values:
    """Values at points, by a sinc of three lobes; beyond the array those at its edge. Shape (rows, columns, channels).

    Parameters
    ----------
    values
        Shape (rows, columns, channels), float32 or whole numbers.
    x, y
        Coordinates with pixel corners at whole numbers, shape (rows, columns).
    """
    out = np.empty((*x.shape, values.shape[2]), np.float32)
    _sample(values, np.ascontiguousarray(x), np.ascontiguousarray(y), _TABLE, out)
    return out


@fast_kernel
def _sample(values: Any, x: Coordinates, y: Coordinates, table: Values, out: Values) -> None:
    rows, columns, channels = values.shape
    wx = np.empty(6, np.float32)
    wy = np.empty(6, np.float32)
    for row in range(x.shape[0]):
        for column in range(x.shape[1]):
            across = min(max(x[row, column], 0.0), float(columns)) - 0.5
            down = min(max(y[row, column], 0.0), float(rows)) - 0.5
            left, top = int(np.floor(across)) - 2, int(np.floor(down)) - 2
            sum_x = sum_y = np.float32(0)
            for tap in range(6):
                wx[tap] = table[int(abs(left + tap - across) * 512 + 0.5)]
                wy[tap] = table[int(abs(top + tap - down) * 512 + 0.5)]
                sum_x += wx[tap]
                sum_y += wy[tap]
            share = np.float32(1) / (sum_x * sum_y)
            if channels != 3:
                for channel in range(channels):
                    total = np.float32(0)
                    for up in range(6):
                        source_row = min(max(top + up, 0), rows - 1)
                        for along in range(6):
                            source_column = min(max(left + along, 0), columns - 1)
                            total += wy[up] * wx[along] * values[source_row, source_column, channel]
                    out[row, column, channel] = total * share
                continue
            r = g = b = np.float32(0)
            for up in range(6):
                line = values[min(max(top + up, 0), rows - 1)]
                lr = lg = lb = np.float32(0)
                for along in range(6):
                    source_column = min(max(left + along, 0), columns - 1)
                    w = wx[along]
                    lr += w * np.float32(line[source_column, 0])
                    lg += w * np.float32(line[source_column, 1])
                    lb += w * np.float32(line[source_column, 2])
                r += wy[up] * lr
                g += wy[up] * lg
                b += wy[up] * lb
            out[row, column, 0], out[row, column, 1], out[row, column, 2] = r * share, g * share, b * share
