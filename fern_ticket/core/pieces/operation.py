"""What an operation of pieces is: it lays sheets on the photo, each a picture or something drawn, like cut paper."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.ledger.charts import ViewChart
from fern_ticket.core.ledger.covers import Corner, Cover
from fern_ticket.core.ledger.operation import Makes, Operation, P, Station
from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.pictures.plane import PlaneMap
from fern_ticket.core.pieces.blending import Blend
from fern_ticket.core.pieces.carried import CarriedShade
from fern_ticket.core.pieces.placing import Corners, corners_in

Size = tuple[int, int]
#: Width and height of a picture by the name that steps know it by; of the photo itself for no name.
SizeOf = Callable[[str], Size]


@dataclass(frozen=True)
class Tuned:
    """How a sheet's light and structure are changed to fit where it lies.

    Attributes
    ----------
    gains
        Factors of linear red, green and blue.
    contrast
        Power about the sheet's own middle tone; 1 leaves it.
    blur
        Deviation, photo pixels.
    grain
        Deviation that is added, 8-bit levels.
    """

    gains: tuple[float, float, float] = (1.0, 1.0, 1.0)
    contrast: float = 1.0
    blur: float = 0.0
    grain: float = 0.0


@dataclass(frozen=True)
class Sheet:
    """Something that lies on the photo.

    Attributes
    ----------
    key
        Changes with whatever shapes its pixels or its place.
    corners
        Where its own corners lie, photo pixels; for one in a view into a panorama, here and below, the view's.
    size
        Its own width and height.
    origin
        Where it begins in the picture that it shows.
    picture
        The name of the picture that it is; empty for the photo itself, as the repairs before the piece leave it.
    cut_in
        A view into that picture, a panorama, whose pixels its own then are; None for the flat picture's.
    draw, colour
        Draws it instead, in its own size, as coverage of one colour, 8-bit sRGB.
    steps
        Of Balance, on its own light.
    cover
        Of its own pixels: what of it is laid; None for all.
    within
        Of the photo's: where it may lie; None for everywhere.
    opacity
        0-1.
    softened
        Width over which its rim rises, photo pixels.
    melt
        How far its colours are led to those along its rim, 0-1.
    glass
        How far what lies below it stays as a reflection on it, 0-1.
    lends
        How far the photo beside it takes the colour of its light, 0-1.
    shade
        The shadow that it throws on what lies below it; None for none.
    at
        What it is scaled and turned about, photo pixels; None where its corners are placed by hand.
    plane
        Of the scene, in which it lies: places in it to photo places, by rows; None for the photo's own.
    view
        Into a panorama, in which it lies; None for the flat picture. Lengths are the flat picture's all the same.
    """

    key: str
    corners: Corners
    size: tuple[int, int]
    origin: tuple[float, float] = (0.0, 0.0)
    picture: str = ""
    cut_in: ViewChart | None = None
    draw: Callable[[], NDArray[np.uint8]] | None = None
    colour: tuple[int, int, int] = (255, 255, 255)
    steps: tuple[Step, ...] = ()
    cover: Cover | None = None
    within: Cover | None = None
    blend: Blend = "normal"
    opacity: float = 1.0
    softened: float = 1.0
    melt: float = 0.0
    glass: float = 0.0
    lends: float = 0.0
    shade: CarriedShade | None = None
    tuned: Tuned = Tuned()
    at: Corner | None = None
    plane: tuple[float, ...] | None = None
    view: ViewChart | None = None

    def tilted(self, key: str, plane: PlaneMap) -> Sheet:
        """The same in a plane of the scene, about the place that it lies at; one whose corners are placed stays.

        `plane`: places in it to photo places.
        """
        if self.at is None:
            return self
        corners = corners_in(plane, self.at, self.corners)
        return replace(self, key=f"{self.key} {key}", corners=corners, plane=tuple(plane.ravel().tolist()))

    def seen_in(self, view: ViewChart) -> Sheet:
        """The same in a view into a panorama."""
        return replace(self, key=f"{self.key} {view.key()}", view=view)


@dataclass(frozen=True)
class PieceOperation(Operation[P]):
    """Something that is laid on the photo.

    Attributes
    ----------
    sheets
        `(params, size_of, onto)` to what is laid, the lowest first; `onto` is the width and height of what it is laid
        on, the photo or a view into it.
    settle
        `(params, size_of, onto)` to parameters with nothing left open; None where nothing ever is.
    holds
        `(params)` to the steps of light that it has of its own.
    pictures
        `(params)` to the names of pictures that it shows; an empty one is the photo itself.
    """

    makes: ClassVar[Makes] = Makes.PIECES

    sheets: Callable[[Any, SizeOf, Size], Sequence[Sheet]] = lambda *_: ()
    settle: Callable[[Any, SizeOf, Size], Any] | None = None
    holds: Callable[[Any], Sequence[Step]] = lambda _: ()
    pictures: Callable[[Any], Sequence[str]] = lambda _: ()

    @property
    def station(self) -> Station:
        return Station.PIECES
