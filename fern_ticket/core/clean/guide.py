"""Guide: a line along which edges run on through places that are grown; each side is grown from its own."""

from __future__ import annotations

from fern_ticket.core.clean.drawn_line import DrawnLine, covers
from fern_ticket.core.clean.limits import Limits
from fern_ticket.core.clean.repair import CleanOperation


class Guide(DrawnLine):
    pass


OPERATION = CleanOperation(
    name="guide",
    title="Guide",
    summary="A line along which edges run on through what is grown; each side is grown from its own.",
    parameters=Guide,
    covers=covers,
    limit=lambda params, _: Limits(guides=(tuple(params.points),)),
    everywhere=True,
    gesture="line",
    alters=False,
    leads=True,
    example={"points": [[5, 90], [60, 5]]},
    rank=135,
    how="Click from edge to edge through what is to be regrown; Enter ends. Edges run on along it.",
)
