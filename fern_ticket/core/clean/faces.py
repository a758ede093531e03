"""Faces and plates: a list of places that were found or added, each to be hidden or let be."""

from __future__ import annotations

import math
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
    size: float = Field(
        gt=0, le=20_000, description="Diameter, or height, source pixels; in a panorama of one on the horizon."
    )
    wide: float = Field(default=1.0, ge=1, le=12, description="How many times as wide as high it is, as a plate is.")
    turn: float = Field(default=0.0, ge=-180, le=180, description="Degrees that it is turned by clockwise.")
    hidden: bool | None = Field(default=None, description="Hidden or let be; left out, not decided yet.")


class Faces(hide.Hide):
    places: list[Found] = Field(default_factory=list, max_length=1000)
    sphere: SphereSpec | None = Field(
        default=None, description="What of a whole panorama the picture shows: width, height, left, top."
    )


def parts(params: Faces) -> list[Part]:
    """A place that is hidden for each that shall be."""
    how = hide.Hide(way=params.way, left=params.left)
    return [_part(one, how.way, how.left, params.sphere) for one in params.places if one.hidden]


@lru_cache(maxsize=4096)
def _part(found: Found, way: hide.Way, left: int, sphere: SphereSpec | None) -> Part:
    how = hide.Hide(way=way, left=left)
    if sphere is None:
        return Part(hide.OPERATION, how, StrokesMask(strokes=[_over(found.x, found.y, found.size, found)]))
    view = view_onto(found.x, found.y, found.size * found.wide, sphere)
    stroke = _over(*view.middle, view.size[0] / _ROOM / found.wide, found)
    return Part(hide.OPERATION, how, StrokesMask(strokes=[stroke], view=view), view)


def _over(x: float, y: float, size: float, found: Found) -> Stroke:
    """A dot, or a short line as far as what is found is wide."""
    if found.wide == 1:
        return Stroke(points=[(x, y, 1.0)], size=size, hardness=0.85)
    half, turn = (found.wide - 1) * size / 2, math.radians(found.turn)
    across, down = half * math.cos(turn), half * math.sin(turn)
    return Stroke(points=[(x - across, y - down, 1.0), (x + across, y + down, 1.0)], size=size, hardness=0.85)


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
    how="Find faces or plates, then hide each or let it be; click to add one.",
)
