"""Guide: a line along which edges run on through places that are grown; each side is grown from its own."""

from __future__ import annotations

from pydantic import Field

from fern_ticket.core.clean.limits import Fence, Limits
from fern_ticket.core.clean.repair import CleanOperation
from fern_ticket.core.ledger.charts import Coordinate
from fern_ticket.core.ledger.masks import Mask
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.regions import Box


class Guide(Parameters):
    points: list[tuple[Coordinate, Coordinate]] = Field(min_length=2, max_length=5_000, description="Source pixels.")


def _covers(params: Guide, _: Mask | None, size: tuple[int, int]) -> Box:
    return Fence(tuple(params.points)).box.within(Box(0, 0, *size))


OPERATION = CleanOperation(
    name="guide",
    title="Guide",
    summary="A line along which edges run on through what is grown; each side is grown from its own.",
    parameters=Guide,
    covers=_covers,
    limit=lambda params, _: Limits(guides=(tuple(params.points),)),
    everywhere=True,
    gesture="line",
    alters=False,
    leads=True,
    example={"points": [[5, 90], [60, 5]]},
    rank=135,
    how="Click from edge to edge through what is to be regrown; Enter ends. Edges run on along it.",
)
