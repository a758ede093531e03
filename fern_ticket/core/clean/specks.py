"""Specks: a list of small spots that were found or added, each accepted or refused; every accepted one is a dab."""

from __future__ import annotations

from functools import lru_cache

from pydantic import Field

from fern_ticket.core.clean import dab
from fern_ticket.core.clean.repair import CleanOperation, Part
from fern_ticket.core.ledger.charts import Coordinate
from fern_ticket.core.ledger.masks import Mask, Stroke, StrokesMask
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.regions import Box

#: How much larger than the speck its dab is.
_LARGER = 1.9
#: Of the dabs.
_HARDNESS = 0.6


class Spot(Parameters):
    x: Coordinate
    y: Coordinate
    size: float = Field(gt=0, le=400, description="Diameter, source pixels.")
    accepted: bool = True

    @property
    def dab(self) -> float:
        return max(5.0, _LARGER * self.size + 3)


class Specks(Parameters):
    spots: list[Spot] = Field(default_factory=list, max_length=4000)


def parts(params: Specks) -> list[Part]:
    """A dab for each accepted spot."""
    return [_dab(spot.x, spot.y, spot.dab) for spot in params.spots if spot.accepted]


def refused(params: Specks) -> list[tuple[float, float, float]]:
    return [(spot.x, spot.y, spot.size) for spot in params.spots if not spot.accepted]


@lru_cache(maxsize=16_384)
def _dab(x: float, y: float, size: float) -> Part:
    stroke = Stroke(points=[(x, y, 1.0)], size=size, hardness=_HARDNESS)
    return Part(dab.OPERATION, dab.Dab(), StrokesMask(strokes=[stroke]))


def covers(params: Specks, _: Mask | None, size: tuple[int, int]) -> Box:
    boxes = [Box(int(s.x - s.dab), int(s.y - s.dab), int(s.x + s.dab) + 1, int(s.y + s.dab) + 1) for s in params.spots]
    box = Box(0, 0, 0, 0) if not boxes else boxes[0]
    for one in boxes[1:]:
        box = box.joined(one)
    return box.within(Box(0, 0, *size))


OPERATION = CleanOperation(
    name="specks",
    title="Specks",
    summary="Takes out small spots from a list, each accepted or refused.",
    parameters=Specks,
    covers=covers,
    parts=parts,
    refused=refused,
    everywhere=True,
    gesture="list",
    example={"spots": [{"x": 80, "y": 80, "size": 6}]},
    rank=130,
    label=lambda params: f"Specks · {sum(spot.accepted for spot in params.spots)}",
    how="Find small spots on smooth ground and go through them.",
)
