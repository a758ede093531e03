"""Where a repair works, as a step says it: a plane of the scene by four corners, or a view into a flat panorama."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import AfterValidator, BaseModel, ConfigDict, Discriminator, Field, Tag

from fern_ticket.core.pictures.chart import Chart, flat_chart, true_rectangle, view_chart
from fern_ticket.core.pictures.perspective import is_outline
from fern_ticket.core.pictures.plane import PlaneMap
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.pictures.sphere import Sphere, angles_towards

#: Degrees across a view in which something is looked for, and its most pixels a side.
_SEEN, _MOST_SEEN = 80.0, 2400
#: Twice the largest side that a picture may have: far enough for what is dragged beyond its edge.
Coordinate = Annotated[float, Field(ge=-1e5, le=1e5)]
Corner = tuple[Coordinate, Coordinate]
#: Width and height of a whole panorama, and where in it a picture's upper left corner lies, pixels.
SphereSpec = tuple[
    Annotated[int, Field(ge=4, le=200_000)],
    Annotated[int, Field(ge=2, le=100_000)],
    Annotated[float, Field(ge=0, le=200_000)],
    Annotated[float, Field(ge=0, le=100_000)],
]


def _going_round(corners: tuple[Corner, Corner, Corner, Corner]) -> tuple[Corner, Corner, Corner, Corner]:
    if not is_outline(corners):
        raise ValueError("the corners cross, or make no four-sided outline: go round from the upper left")
    return corners


#: Upper left, upper right, lower right, lower left, going round without a reflex angle.
FourCorners = Annotated[tuple[Corner, Corner, Corner, Corner], AfterValidator(_going_round)]


class _Chart(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)

    def key(self) -> str:
        return self.model_dump_json()


class ViewChart(_Chart):
    """A view into a flat panorama.

    Attributes
    ----------
    heading
        Degrees to the right of the picture's middle.
    pitch
        Degrees upward from the horizon.
    roll
        Degrees by which the eye leans to the right.
    field
        Degrees across the view's width.
    size
        Width and height of the view, pixels.
    sphere
        What of a whole panorama the picture shows; left out, the picture is a whole 2:1 one.
    """

    kind: Literal["view"] = "view"
    heading: float = Field(default=0.0, ge=-360, le=360)
    pitch: float = Field(default=0.0, ge=-90, le=90)
    roll: float = Field(default=0.0, ge=-180, le=180)
    field: float = Field(default=90.0, gt=0, le=150)
    size: tuple[Annotated[int, Field(ge=16, le=8192)], Annotated[int, Field(ge=16, le=8192)]] = (1400, 1400)
    sphere: SphereSpec | None = None

    @classmethod
    def towards(cls, sphere: Sphere, place: tuple[float, float]) -> ViewChart:
        """A square view with a place of a panorama in its middle, as fine as that, for what is looked for there."""
        heading, pitch = angles_towards(sphere, *place)
        side = min(_MOST_SEEN, round(_SEEN * sphere.width / 360))
        said = (*sphere.size, sphere.left, sphere.top)
        return cls(heading=heading, pitch=pitch, field=_SEEN, size=(side, side), sphere=said)

    @property
    def middle(self) -> tuple[float, float]:
        return self.size[0] / 2, self.size[1] / 2

    def chart(self, picture: tuple[int, int]) -> Chart:
        """The view into a picture of that size."""
        sphere = None if self.sphere is None else Sphere(*self.sphere)
        return view_chart(self.heading, self.pitch, self.field, self.size, picture, self.roll, sphere)

    def scaled(self, by: float) -> ViewChart:
        """The same view into a picture `by` times as large, with as many times the pixels."""
        across, down = (max(16, round(side * by)) for side in self.size)
        sphere = None if self.sphere is None else tuple(value * by for value in self.sphere)
        held = None if sphere is None else (round(sphere[0]), round(sphere[1]), sphere[2], sphere[3])
        return self.model_copy(update={"size": (across, down), "sphere": held})


def _saying_its_sphere(view: ViewChart) -> ViewChart:
    if view.sphere is None:
        raise ValueError("a view that something is drawn in says of which sphere: width, height, left, top")
    return view


#: One that something was drawn in, whose places can be told on any picture of that panorama.
DrawnView = Annotated[ViewChart, AfterValidator(_saying_its_sphere)]


class CornersChart(_Chart):
    """A plane of the scene, on which four corners make a rectangle.

    Attributes
    ----------
    corners
        Upper left, upper right, lower right, lower left: source pixels, or pixels of the `view` that they are seen in.
    view
        A view into a panorama in which the corners were set.
    focal
        Focal length of the lens, source pixels. Left out, the perspective tells it, or a usual one is assumed.
    """

    kind: Literal["corners"] = "corners"
    corners: FourCorners
    view: ViewChart | None = None
    focal: float | None = Field(default=None, gt=0, le=1e7)

    def chart(self, picture: tuple[int, int], place: Box) -> Chart:
        """The plane on a picture of that size, for a repair of `place`, source pixels."""
        return flat_chart(self._corners, picture, place, self._seen_in(picture), self.focal)

    def shape(self, picture: tuple[int, int]) -> PlaneMap:
        """What takes places in the plane, in true proportion, to those that its corners were set in, shape (3, 3)."""
        return true_rectangle(self._corners, picture, self._seen_in(picture), self.focal)[0]

    @property
    def _corners(self) -> NDArray[np.float64]:
        return np.array(self.corners, np.float64)

    def _seen_in(self, picture: tuple[int, int]) -> Chart | None:
        return None if self.view is None else self.view.chart(picture)


class PlaneChart(_Chart):
    """A plane that another step of the ledger names: it follows that step, and is the photo's own without it.

    Attributes
    ----------
    step
        The id of the step.
    """

    kind: Literal["plane"] = "plane"
    step: str = Field(min_length=1, max_length=64)


def _kind(raw: object) -> str | None:
    """Which chart a JSON object means; the kind may be left out, as the fields tell."""
    if isinstance(raw, dict):
        usual = "corners" if "corners" in raw else "plane" if "step" in raw else "view"
        return str(raw.get("kind") or usual)
    return getattr(raw, "kind", None)


ChartSpec = Annotated[
    Annotated[CornersChart, Tag("corners")] | Annotated[ViewChart, Tag("view")] | Annotated[PlaneChart, Tag("plane")],
    Discriminator(_kind),
]
