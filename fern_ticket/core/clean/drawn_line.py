"""A line that a person draws: what a fence and a guide have in common."""

from __future__ import annotations

from pydantic import Field

from fern_ticket.core.clean.limits import Fence
from fern_ticket.core.ledger.charts import Coordinate
from fern_ticket.core.ledger.masks import Mask
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.regions import Box


class DrawnLine(Parameters):
    points: list[tuple[Coordinate, Coordinate]] = Field(min_length=2, max_length=5_000, description="Source pixels.")


def covers(params: DrawnLine, _: Mask | None, size: tuple[int, int]) -> Box:
    """The box of source pixels that it runs through."""
    return Fence(tuple(params.points)).box.within(Box(0, 0, *size))
