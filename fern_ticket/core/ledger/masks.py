"""Masks are data: strokes of a brush, an outline, or a bitmap. Coordinates are source pixels.

x runs right, y down, and (0, 0) is the outer corner of the first pixel: the centre of pixel (i, j) lies at
(i + 0.5, j + 0.5). What was drawn in a view into a panorama stays in that view's pixels, and says which it is.
"""

from __future__ import annotations

import hashlib
import math
from collections.abc import Mapping, Sequence
from functools import cached_property
from itertools import chain
from pathlib import Path
from typing import Annotated, Any, Literal, Protocol, Self

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, PrivateAttr, model_validator

from fern_ticket.core.errors import LedgerError
from fern_ticket.core.ledger.brush import lay, parts_of, press, touches_of
from fern_ticket.core.ledger.charts import Coordinate, DrawnView
from fern_ticket.core.pictures.chart import Chart, spread_out
from fern_ticket.core.pictures.plane import lengths_along
from fern_ticket.core.pictures.regions import NOWHERE, Box, joined

Alpha = NDArray[np.float32]

Point = tuple[float, float]

Pressure = Annotated[float, Field(ge=0, le=1)]
#: Corners of a closed outline, in order.
Loop = Annotated[list[tuple[Coordinate, Coordinate]], Field(min_length=3, max_length=5_000, fail_fast=True)]


#: Most touches of a tip in one stroke; a path that asks for more is a mistake of the sender.
_MOST_TOUCHES = 400_000


class Place(Protocol):
    """Where a repair works, as far as the repair has to know.

    Masks are places of the picture; `clean.charting` makes them places of a plane.
    """

    @property
    def starts(self) -> list[Point]:
        """Where each stroke began; none for what was not painted."""

    @property
    def begins(self) -> Point | None:
        """Where a hand began to draw it; None for what no hand drew."""

    def box(self, size: tuple[int, int]) -> Box:
        """What it can cover inside a picture of `size` (width, height); may be empty."""

    def alpha(self, box: Box) -> Alpha:
        """Coverage 0-1 over `box`, shape (rows, columns), float32."""

    def key(self) -> str:
        """A digest of all that shapes its coverage."""


def anchor(place: Place, size: tuple[int, int]) -> Point:
    """The point that offsets are counted from: where it was begun to be drawn, else the middle of the place."""
    return place.begins or place.box(size).middle


class Copied(BaseModel):
    """A model whose copies forget what was worked out of the original."""

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        copied = super().model_copy(update=update, deep=deep)
        for name in set(copied.__dict__) - set(type(self).model_fields):
            del copied.__dict__[name]
        return copied


class Stroke(Copied):
    """A brush's path.

    Attributes
    ----------
    points
        (x, y, pressure 0-1) in source pixels; pressure scales the size.
    size
        Diameter in source pixels at pressure 1.
    hardness
        1 is a crisp edge; 0 falls off from the centre.
    opacity
        Most coverage that the stroke reaches, 0-1.
    flow
        Share of what is missing that each touch of the tip adds; 1 covers at once.
    spacing
        Between touches, as a share of the tip's size.
    roundness
        The tip's short axis over its long one.
    angle
        Of the tip's long axis, degrees clockwise from level.
    """

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)

    points: list[tuple[Coordinate, Coordinate, Pressure]] = Field(min_length=1, max_length=20_000, fail_fast=True)
    size: float = Field(gt=0, le=20_000)
    hardness: float = Field(default=0.7, ge=0, le=1)
    opacity: float = Field(default=1.0, gt=0, le=1)
    flow: float = Field(default=1.0, gt=0, le=1)
    spacing: float = Field(default=0.15, ge=0.02, le=4)
    roundness: float = Field(default=1.0, ge=0.05, le=1)
    angle: float = Field(default=0.0, ge=-180, le=180)

    @model_validator(mode="after")
    def _bounded(self) -> Stroke:
        touches = self.length / max(self.spacing * self.size, 0.5)
        if touches > _MOST_TOUCHES:
            raise ValueError(f"the path asks for {touches:.0f} touches of the tip; the most is {_MOST_TOUCHES}")
        return self

    @property
    def path(self) -> NDArray[np.float64]:
        """Its points, shape (points, 3)."""
        # a quarter of the time that an array of pairs takes
        flat = np.fromiter(chain.from_iterable(self.points), np.float64, 3 * len(self.points))
        return flat.reshape(-1, 3)

    @property
    def length(self) -> float:
        """Source pixels along it."""
        return float(lengths_along(self.path[:, :2])[-1])

    @property
    def plain(self) -> bool:
        """A round tip that covers at once: the stroke is one smooth ribbon."""
        return self.flow == 1 and self.roundness == 1 and self.spacing <= 0.5

    @cached_property
    def extent(self) -> Box:
        reach = self.size / 2 + 1
        path = self.path[:, :2]
        (left, top), (right, bottom) = path.min(axis=0), path.max(axis=0)
        return Box(
            math.floor(left - reach), math.floor(top - reach), math.ceil(right + reach), math.ceil(bottom + reach)
        )


class Drawn(Copied):
    """What is drawn: on the flat picture, or in a view into a panorama, whose pixels its coordinates then are.

    Attributes
    ----------
    view
        The view that it was drawn in; left out, its coordinates are source pixels.
    """

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)

    view: DrawnView | None = None

    @property
    def starts(self) -> list[Point]:
        """Where each stroke began, source pixels; none for what was not painted."""
        return []

    @property
    def begins(self) -> Point | None:
        """Where a hand began to draw it, source pixels."""
        return self.starts[0] if self.starts else None

    @property
    def extent(self) -> Box:
        """What it can cover, in the coordinates that it is drawn in."""
        raise NotImplementedError

    def drawn(self, box: Box) -> Alpha:
        """Coverage 0-1 over `box` of the coordinates that it is drawn in, shape (rows, columns), float32."""
        raise NotImplementedError

    def scaled(self, by: float) -> Self:
        """The same on a picture `by` times as large."""
        raise NotImplementedError

    @property
    def as_flat(self) -> Self:
        """The same as if it were drawn on a flat picture."""
        return self if self.view is None else self.model_copy(update={"view": None})

    def box(self, size: tuple[int, int]) -> Box:
        """What it can cover inside a picture of `size` (width, height); may be empty."""
        if self.view is None:
            return self.extent.within(Box(0, 0, *size))
        chart = self.view.chart(size)
        seen = self.extent.within(chart.whole)
        return NOWHERE if seen.empty else joined(chart.footprint(seen))

    def alpha(self, box: Box) -> Alpha:
        """Coverage 0-1 over `box` of the picture, shape (rows, columns), float32."""
        if self.view is None:
            return self.drawn(box)
        seen = self.extent.within(Box(0, 0, *self.view.size))
        cover = np.zeros((box.height, box.width), np.float32)
        if not seen.empty:
            spread_out(self.drawn(seen)[..., None], seen, self._chart, box, cover[..., None])
        return cover

    @cached_property
    def _chart(self) -> Chart:
        assert self.view is not None
        assert self.view.sphere is not None
        return self.view.chart(self.view.sphere[:2])

    def on_picture(self, points: Sequence[Point]) -> list[Point]:
        """Points that it is drawn through, source pixels."""
        if self.view is None or not points:
            return list(points)
        x, y = self._chart.to_source(*np.array(points, np.float64).T)
        return list(zip(x.tolist(), y.tolist(), strict=True))

    def key(self) -> str:
        return self._digest

    @cached_property
    def _digest(self) -> str:
        # without fields that stand as they are if left out, so that one added later changes no key
        return hashlib.sha256(self.model_dump_json(exclude_none=True).encode()).hexdigest()


class StrokesMask(Drawn):
    """The union of brush strokes.

    Attributes
    ----------
    round_in
        "plane": the tip lies in the plane of the scene that the step works in, and is round there. Left out, and where
        the step works in none, it is round in what it was drawn in.
    """

    kind: Literal["strokes"] = "strokes"
    strokes: list[Stroke] = Field(min_length=1, max_length=10_000, fail_fast=True)
    round_in: Literal["plane"] | None = None

    @cached_property
    def before(self) -> StrokesMask | None:
        """The same without its last stroke."""
        return self.model_copy(update={"strokes": self.strokes[:-1]}) if len(self.strokes) > 1 else None

    def scaled(self, by: float) -> Self:
        if by == 1:
            return self
        strokes = [
            one.model_copy(update={"points": [(x * by, y * by, p) for x, y, p in one.points], "size": one.size * by})
            for one in self.strokes
        ]
        view = self.view and self.view.scaled(by)
        return self.model_copy(update={"strokes": strokes, "view": view})

    @cached_property
    def extent(self) -> Box:
        return self.strokes[0].extent if len(self.strokes) == 1 else joined(one.extent for one in self.strokes)

    @property
    def starts(self) -> list[Point]:
        return self.on_picture([stroke.points[0][:2] for stroke in self.strokes])

    def drawn(self, box: Box) -> Alpha:
        cover = np.zeros((box.height, box.width), np.float32)
        for stroke in self.strokes:
            if not stroke.extent.meets(box):
                continue
            radius = stroke.size / 2
            if stroke.plain:
                lay(cover, stroke.path, radius, stroke.hardness, stroke.opacity, (box.left, box.top))
            else:
                touches = touches_of(stroke.path - (box.left, box.top, 0), stroke.spacing * stroke.size)
                tip = (stroke.hardness, stroke.roundness, math.radians(stroke.angle))
                for part in parts_of(touches):
                    press(cover, part, radius, *tip, stroke.opacity, stroke.flow)
        return cover


class OutlineMask(Drawn):
    """The inside of a closed outline.

    Attributes
    ----------
    points
        (x, y) of its corners in order; the last is joined to the first.
    others
        Further closed outlines: what an odd number of them all goes round is inside, so that one in another is a hole.
    feather
        Source pixels, centred on the outline, over which coverage falls from 1 to 0.
    """

    kind: Literal["outline"] = "outline"
    points: Loop
    others: list[Loop] = Field(default_factory=list, max_length=200)
    feather: float = Field(default=0.0, ge=0, le=2_000)

    @property
    def loops(self) -> list[Loop]:
        return [self.points, *self.others]

    @property
    def begins(self) -> Point | None:
        return self.on_picture(list(self.points[:1]))[0]

    def scaled(self, by: float) -> Self:
        if by == 1:
            return self
        points, *others = [[(x * by, y * by) for x, y in loop] for loop in self.loops]
        view = self.view and self.view.scaled(by)
        return self.model_copy(update={"points": points, "others": others, "feather": self.feather * by, "view": view})

    @cached_property
    def extent(self) -> Box:
        reach = self.feather / 2 + 1
        xs, ys = zip(*(point for loop in self.loops for point in loop), strict=True)
        return Box(
            math.floor(min(xs) - reach),
            math.floor(min(ys) - reach),
            math.ceil(max(xs) + reach),
            math.ceil(max(ys) + reach),
        )

    def drawn(self, box: Box) -> Alpha:
        reach = math.ceil(self.feather / 2)
        size = (box.width + 2 * reach, box.height + 2 * reach)
        # small outlines are drawn larger and shrunk, for a share of each pixel that they cut
        fine = 4 if size[0] * size[1] < 1_000_000 else 1
        drawn = np.zeros((fine * size[1], fine * size[0]), np.uint8)
        corners = [(np.array(loop) - (box.left - reach, box.top - reach)) * fine - 0.5 for loop in self.loops]
        cv2.fillPoly(drawn, [np.round(loop * 16).astype(np.int32) for loop in corners], 255, cv2.LINE_8, 4)
        cover = cv2.resize(drawn, size, interpolation=cv2.INTER_AREA).astype(np.float32) / np.float32(255)
        if reach:
            inside = cv2.distanceTransform((cover >= 0.5).astype(np.uint8), cv2.DIST_L2, 5)
            outside = cv2.distanceTransform((cover < 0.5).astype(np.uint8), cv2.DIST_L2, 5)
            share = np.clip((inside - outside) / np.float32(self.feather) + np.float32(0.5), 0, 1)
            cover = share * share * (3 - 2 * share)
            cover = cover[reach:-reach, reach:-reach]
        return np.ascontiguousarray(cover, np.float32)


class BitmapMask(BaseModel):
    """A grey picture of the source's size: white covers, black does not."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    kind: Literal["bitmap"] = "bitmap"
    file: str = Field(min_length=1, max_length=400)
    _pixels: NDArray[np.uint8] | None = PrivateAttr(default=None)

    @property
    def starts(self) -> list[Point]:
        return []

    @property
    def begins(self) -> Point | None:
        return None

    def load(self, folder: Path) -> None:
        """Read the file, found next to the steps.

        Raises
        ------
        LedgerError
            No such file, or not a picture.
        """
        path = folder / self.file
        try:
            raw = cv2.imdecode(np.frombuffer(path.read_bytes(), np.uint8), cv2.IMREAD_GRAYSCALE)
        except (OSError, cv2.error, ValueError):
            raw = None
        if raw is None:
            raise LedgerError(f"The mask {self.file} cannot be read.", f"Looked for {path}.")
        self._pixels = np.asarray(raw, np.uint8)

    def _loaded(self) -> NDArray[np.uint8]:
        if self._pixels is None:
            raise LedgerError(f"The mask {self.file} was not loaded.", "Bitmap masks come with the command line.")
        return self._pixels

    def box(self, size: tuple[int, int]) -> Box:
        pixels = self._loaded()
        if (pixels.shape[1], pixels.shape[0]) != size:
            raise LedgerError(
                f"The mask {self.file} is {pixels.shape[1]} × {pixels.shape[0]} pixels.",
                f"It must be as large as the picture, {size[0]} × {size[1]}.",
            )
        x, y, width, height = cv2.boundingRect(pixels)
        return Box(x, y, x + width, y + height)

    def alpha(self, box: Box) -> Alpha:
        return np.asarray(self._loaded()[box.rows, box.columns], np.float32) / np.float32(255)

    def key(self) -> str:
        return hashlib.sha256(self._loaded().tobytes()).hexdigest()


Mask = Annotated[StrokesMask | OutlineMask | BitmapMask, Field(discriminator="kind")]
