"""Fence: a line that no later stroke, source, blend or synthesis crosses."""

from __future__ import annotations

from pydantic import Field

from fern_ticket.core.clean.drawn_line import DrawnLine, covers
from fern_ticket.core.clean.limits import Fence, Limits
from fern_ticket.core.clean.repair import CleanOperation, Ground
from fern_ticket.core.clean.tracing import edges, trace
from fern_ticket.core.ledger.masks import Mask


class FenceLine(DrawnLine):
    snap: float = Field(
        default=24.0,
        ge=0,
        le=400,
        description="It bends to the strongest edge so far from the line drawn; 0 leaves it straight.",
    )


def settle(params: FenceLine, mask: Mask | None, ground: Ground) -> tuple[FenceLine, Mask | None]:
    """Bend it to the edge it was drawn along; then it stays."""
    if not params.snap:
        return params, mask
    bent = trace(params.points, params.snap, ground, edges)
    return FenceLine(points=bent, snap=0), mask


OPERATION = CleanOperation(
    name="fence",
    title="Fence",
    summary="A line that no later stroke, source, blend or synthesis crosses.",
    parameters=FenceLine,
    covers=covers,
    settle=settle,
    limit=lambda params, _: Limits(fences=(Fence(tuple(params.points)),)),
    everywhere=True,
    gesture="line",
    alters=False,
    example={"points": [[5, 5], [60, 90]]},
    rank=140,
    how="Click along an edge; Enter ends. Nothing that comes later crosses it.",
)
