"""Where the frame lies on the picture.

Three coordinate systems, all in source-sized pixels with y down:

* **source**: as decoded, upright by its orientation tag.
* **turned**: after quarter turns and flips; width and height may have swapped.
* **level**: turned by the straighten angle about the middle of the turned picture. With no straightening, level is
  turned. Crops live here, so that a crop stays where it is when the angle changes.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, ClassVar

import numpy as np

from fern_ticket.core.errors import LedgerError
from fern_ticket.core.ledger.operation import Makes, Operation, P, Station
from fern_ticket.core.pictures.decode import MAX_MEGAPIXELS
from fern_ticket.core.pictures.plane import PlaneMap, rotation, scaling, translation
from fern_ticket.core.pictures.sphere import Sphere, Turn

#: Times that a crop is enlarged at most: beyond that nothing is seen that a smaller result does not show.
_MOST_ENLARGED = 16


@dataclass(frozen=True)
class Rectangle:
    """Left, top, width and height, in pixels of the level system; not always whole."""

    left: float
    top: float
    width: float
    height: float

    @property
    def middle(self) -> tuple[float, float]:
        return self.left + self.width / 2, self.top + self.height / 2

    @staticmethod
    def about(middle: tuple[float, float], width: float, height: float) -> Rectangle:
        return Rectangle(middle[0] - width / 2, middle[1] - height / 2, width, height)


def largest_inside(width: float, height: float, degrees: float) -> tuple[float, float]:
    """Width and height of the largest upright rectangle inside a `width` × `height` one turned by `degrees`.

    Largest by area. Either all four corners touch a side, or two of them touch both long sides.
    """
    if degrees == 0:
        return width, height
    sin, cos = abs(math.sin(math.radians(degrees))), abs(math.cos(math.radians(degrees)))
    long, short = max(width, height), min(width, height)
    if short <= 2 * sin * cos * long or abs(sin - cos) < 1e-10:
        half = short / 2
        return (half / sin, half / cos) if width >= height else (half / cos, half / sin)
    double = cos * cos - sin * sin
    return (width * cos - height * sin) / double, (height * cos - width * sin) / double


@dataclass(frozen=True)
class Border:
    """A margin round the result: pixels of the result on each side, and 8-bit sRGB."""

    width: int
    colour: tuple[int, int, int]


@dataclass(frozen=True)
class FrameState:
    """What the frame steps have said so far.

    Attributes
    ----------
    width, height
        Of the turned picture.
    turned_to_source
        Map, shape (3, 3); projective once the picture was squared up.
    angle
        Straightening, degrees clockwise.
    crop
        In level coordinates, or None for everything that has no blank corner.
    long_side
        Output size asked for, pixels, or None for the crop's own size.
    exactly
        Width and height asked for, where the crop can be brought to them.
    enlarge
        Whether output may be larger than the crop.
    border
        A margin round the result, or None.
    turn
        For a panorama whose sphere was turned: directions of the turned one to the picture's own; what is said above
        of the picture then holds of the turned one. None as long as it was not.
    sphere
        What of a whole panorama the picture shows, as far as steps said it.
    start
        Where a viewer of a panorama begins: heading, pitch, field, degrees in the turned sphere.
    focal
        Focal length of the camera in pixels, where it is known.
    """

    width: int
    height: int
    turned_to_source: PlaneMap
    angle: float = 0.0
    crop: Rectangle | None = None
    long_side: int | None = None
    exactly: tuple[int, int] | None = None
    enlarge: bool = False
    border: Border | None = None
    turn: Turn | None = None
    sphere: Sphere | None = None
    start: tuple[float, float, float] | None = None
    focal: float | None = None

    @staticmethod
    def whole(size: tuple[int, int], focal: float | None = None) -> FrameState:
        return FrameState(size[0], size[1], np.eye(3), focal=focal)

    @cached_property
    def level_to_source(self) -> PlaneMap:
        x, y = self.width / 2, self.height / 2
        return self.turned_to_source @ translation(x, y) @ rotation(-self.angle) @ translation(-x, -y)

    @cached_property
    def rectangle(self) -> Rectangle:
        """The crop as it can be had: pushed in, and if need be shrunk, until no corner is blank."""
        middle = (self.width / 2, self.height / 2)
        if self.crop is None:
            width, height = largest_inside(self.width, self.height, self.angle)
            return Rectangle.about(middle, math.floor(width + 1e-9), math.floor(height + 1e-9))
        return self._fitted(self.crop)

    def _fitted(self, crop: Rectangle) -> Rectangle:
        sin, cos = abs(math.sin(math.radians(self.angle))), abs(math.cos(math.radians(self.angle)))
        across = crop.width * cos + crop.height * sin
        down = crop.width * sin + crop.height * cos
        shrink = min(1.0, self.width / across, self.height / down)
        width, height = crop.width * shrink, crop.height * shrink
        reach_x, reach_y = across * shrink / 2, down * shrink / 2
        to_turned = rotation(-self.angle)
        centre = np.array([self.width / 2, self.height / 2])
        level = np.array(crop.middle) - centre
        turned = to_turned[:2, :2] @ level + centre
        turned = np.clip(turned, (reach_x, reach_y), (self.width - reach_x, self.height - reach_y))
        middle = to_turned[:2, :2].T @ (turned - centre) + centre
        return Rectangle.about((float(middle[0]), float(middle[1])), width, height)

    def quarter(self, clockwise: int) -> FrameState:
        """Turn everything so far by quarter turns clockwise."""
        state = self
        for _ in range(clockwise % 4):
            # new (x, y) lies at old (y, height - x)
            back = np.array([[0, 1, 0], [-1, 0, state.height], [0, 0, 1]], np.float64)
            crop = state.crop and Rectangle(
                state.height - state.crop.top - state.crop.height,
                state.crop.left,
                state.crop.height,
                state.crop.width,
            )
            state = replace(
                state,
                width=state.height,
                height=state.width,
                turned_to_source=state.turned_to_source @ back,
                crop=crop,
            )
        return state

    def flipped(self, *, across: bool) -> FrameState:
        """Mirror left-right (`across`) or top-bottom."""
        if across:
            back = np.array([[-1, 0, self.width], [0, 1, 0], [0, 0, 1]], np.float64)
        else:
            back = np.array([[1, 0, 0], [0, -1, self.height], [0, 0, 1]], np.float64)
        crop = self.crop
        if crop is not None and across:
            crop = replace(crop, left=self.width - crop.left - crop.width)
        elif crop is not None:
            crop = replace(crop, top=self.height - crop.top - crop.height)
        return replace(self, turned_to_source=self.turned_to_source @ back, angle=-self.angle, crop=crop)

    def finished(self) -> Frame:
        """Settle on whole output pixels."""
        box = self.rectangle
        width, height = max(1, round(box.width)), max(1, round(box.height))
        left, top = box.left, box.top
        if self.angle == 0:
            left, top = round(left), round(top)
            left, top = min(left, self.width - width), min(top, self.height - height)
            box = Rectangle(left, top, width, height)
        long = max(width, height)
        margin = self.border.width if self.border else 0
        if self.exactly is not None and not margin and fits_exactly((width, height), self.exactly):
            return self._exact(box, self.exactly)
        asked = None if self.long_side is None else max(1, self.long_side - 2 * margin)
        wanted = asked if asked is not None and (asked <= long or self.enlarge) else long
        out = (width, height)
        if wanted != long:
            factor = wanted / long
            out = (
                wanted if width >= height else max(1, round(width * factor)),
                wanted if height >= width else max(1, round(height * factor)),
            )
        to_level = translation(box.left, box.top) @ scaling(box.width / out[0], box.height / out[1])
        to_source = self.level_to_source @ to_level @ translation(-margin, -margin)
        return Frame((out[0] + 2 * margin, out[1] + 2 * margin), to_source, box, (width, height), self)

    def _exact(self, box: Rectangle, size: tuple[int, int]) -> Frame:
        """The crop without the sliver, less than a pixel of the result, by which it is off the size's ratio."""
        scale = min(box.width / size[0], box.height / size[1])
        trimmed = Rectangle.about(box.middle, size[0] * scale, size[1] * scale)
        to_level = translation(trimmed.left, trimmed.top) @ scaling(scale, scale)
        crop = (max(1, round(box.width)), max(1, round(box.height)))
        return Frame(size, self.level_to_source @ to_level, trimmed, crop, self)


def part_of_sphere(frame: Frame, sphere: Sphere) -> tuple[Sphere, tuple[int, int]] | None:
    """The whole panorama that a result shows, in the result's pixels, and its own size.

    None for a result that is no flat panorama any more: straightened, squared up, mirrored, or with a border.
    """
    to_source = frame.to_source
    across, down = float(to_source[0, 0]), float(to_source[1, 1])
    upright = np.allclose(to_source, [[across, 0, to_source[0, 2]], [0, down, to_source[1, 2]], [0, 0, 1]], atol=1e-9)
    if not upright or across <= 0 or down <= 0 or frame.margin:
        return None
    left, top = (to_source[0, 2] + sphere.left) / across, (to_source[1, 2] + sphere.top) / down
    width, height = round(sphere.width / across), round(sphere.height / down)
    return Sphere(width, height, float(left), float(top)), frame.size


def fits_exactly(crop: tuple[int, int], size: tuple[int, int]) -> bool:
    """Whether a crop can be made `size` without enlarging it, and with no more cut off than rounding explains."""
    scale = min(crop[0] / size[0], crop[1] / size[1])
    over = max(crop[0] / scale - size[0], crop[1] / scale - size[1])
    return scale >= 1 and over <= 1


@dataclass(frozen=True)
class Frame:
    """The settled frame.

    Attributes
    ----------
    size
        Width and height of the result in pixels.
    to_source
        Result coordinates (pixel corners at whole numbers) to source coordinates, shape (3, 3).
    rectangle
        The crop in level coordinates.
    crop_size
        Pixels that the crop holds before any output size.
    state
        What it was settled from.
    """

    size: tuple[int, int]
    to_source: PlaneMap
    rectangle: Rectangle
    crop_size: tuple[int, int]
    state: FrameState

    @property
    def margin(self) -> int:
        """Pixels of border on each side."""
        return self.state.border.width if self.state.border else 0

    @property
    def to_share(self) -> PlaneMap:
        """Result coordinates to shares, 0-1, of the picture inside the border, shape (3, 3)."""
        inner = (self.size[0] - 2 * self.margin, self.size[1] - 2 * self.margin)
        return scaling(1 / inner[0], 1 / inner[1]) @ translation(-self.margin, -self.margin)

    @property
    def enlarged(self) -> bool:
        return max(self.size) - 2 * self.margin > max(self.crop_size)

    def check(self) -> None:
        """Refuse an enlargement that would take all memory, or hours, and show no more.

        Raises
        ------
        LedgerError
            More than 300 megapixels, or more than 16 times the crop.
        """
        times = (max(self.size) - 2 * self.margin) / max(self.crop_size)
        megapixels = math.prod(self.size) / 1e6
        if times > 1 and (times > _MOST_ENLARGED or megapixels > MAX_MEGAPIXELS):
            raise LedgerError(
                f"The crop would be enlarged {times:.1f} times, to {megapixels:.0f} megapixels.",
                f"At most {_MOST_ENLARGED} times and {MAX_MEGAPIXELS} megapixels are made: ask for a smaller side.",
            )


@dataclass(frozen=True)
class FrameOperation(Operation[P]):
    """A step of the Frame station.

    Attributes
    ----------
    apply
        `(state, params, strength)` to the next state.
    settle
        `(state, params)` to parameters with everything left open decided, from the state before the step.
    """

    makes: ClassVar[Makes] = Makes.FRAME

    apply: Callable[[FrameState, Any, float], FrameState] = lambda state, *_: state
    settle: Callable[[FrameState, Any], Any] | None = None
    in_station: Station = Station.FRAME

    @property
    def station(self) -> Station:
        return self.in_station
