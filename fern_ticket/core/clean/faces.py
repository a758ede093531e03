"""Faces: a list of places that were found or added, each to be hidden or let be."""

from __future__ import annotations

from functools import lru_cache

from pydantic import Field

from fern_ticket.core.clean import hide
from fern_ticket.core.clean.repair import CleanOperation, Part
from fern_ticket.core.ledger.charts import Coordinate, SphereSpec, ViewChart
from fern_ticket.core.ledger.controls import Choice, Ruler
from fern_ticket.core.ledger.masks import Mask, Stroke, StrokesMask
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.regions import NOWHERE, Box, joined
from fern_ticket.core.pictures.sphere import Sphere, angles_towards

#: Pixels a side of the view that a face is hidden in, for one of its own size.
_ROOM = 4.0


class Found(Parameters):
    x: Coordinate
    y: Coordinate
    size: float = Field(gt=0, le=20_000, description="Diameter, source pixels; in a panorama of one on the horizon.")
    hidden: bool | None = Field(default=None, description="Hidden or let be; left out, not decided yet.")


class Faces(hide.Hide):
    places: list[Found] = Field(default_factory=list, max_length=1000)
    sphere: SphereSpec | None = Field(
        default=None, description="What of a whole panorama the picture shows: width, height, left, top."
    )


def parts(params: Faces) -> list[Part]:
    """A place that is hidden for each that shall be."""
    how = hide.Hide(way=params.way, left=params.left)
    return [_part(one.x, one.y, one.size, how.way, how.left, params.sphere) for one in params.places if one.hidden]


@lru_cache(maxsize=4096)
def _part(x: float, y: float, size: float, way: hide.Way, left: int, sphere: SphereSpec | None) -> Part:
    how = hide.Hide(way=way, left=left)
    if sphere is None:
        return Part(hide.OPERATION, how, StrokesMask(strokes=[Stroke(points=[(x, y, 1.0)], size=size, hardness=0.85)]))
    view = view_onto(x, y, size, sphere)
    middle = (view.size[0] / 2, view.size[1] / 2, 1.0)
    dot = Stroke(points=[middle], size=view.size[0] / _ROOM, hardness=0.85)
    return Part(hide.OPERATION, how, StrokesMask(strokes=[dot], view=view), view)


def view_onto(x: float, y: float, size: float, sphere: SphereSpec) -> ViewChart:
    """A view that looks straight at a place of a panorama, `_ROOM` times as wide as that, at the picture's density."""
    whole = Sphere(*sphere)
    heading, pitch = angles_towards(whole, x, y)
    field = min(120.0, _ROOM * size * 360 / whole.width)
    side = int(min(4096, max(16, round(field * whole.width / 360))))
    return ViewChart(heading=heading, pitch=pitch, field=field, size=(side, side), sphere=sphere)


def covers(params: Faces, _: Mask | None, size: tuple[int, int]) -> Box:
    boxes = [part.mask.box(size) for part in parts(params)]
    boxes = [box for box in boxes if not box.empty]
    return joined(boxes) if boxes else NOWHERE


def decided(params: Faces) -> tuple[int, int]:
    return sum(one.hidden is not None for one in params.places), len(params.places)


OPERATION = CleanOperation(
    name="faces",
    title="Faces",
    summary="Hides faces and plates from a list, each decided by a person.",
    parameters=Faces,
    covers=covers,
    parts=parts,
    decided=decided,
    everywhere=True,
    leaves_traces=False,
    gesture="list",
    controls=(Choice("way"), Ruler("left", name="detail left")),
    example={"places": [{"x": 80, "y": 80, "size": 30, "hidden": True}]},
    rank=124,
    label=lambda params: f"Faces · {sum(bool(one.hidden) for one in params.places)} hidden",
    how="Find faces, then hide each or let it be; click to add one.",
)
