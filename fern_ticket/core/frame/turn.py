"""Turn: quarter turns and mirroring. No pixel is resampled."""

from __future__ import annotations

from pydantic import Field

from fern_ticket.core.frame.geometry import FrameOperation, FrameState
from fern_ticket.core.ledger.operation import Parameters


class Turn(Parameters):
    quarters: int = Field(default=0, ge=-3, le=3, description="Quarter turns clockwise.")
    mirror: bool = Field(default=False, description="Mirror left and right, after turning.")


def apply(state: FrameState, params: Turn, strength: float) -> FrameState:  # noqa: ARG001
    state = state.quarter(params.quarters)
    return state.flipped(across=True) if params.mirror else state


OPERATION = FrameOperation(
    name="turn",
    title="Turn",
    summary="Turns the picture by quarters and mirrors it.",
    parameters=Turn,
    apply=apply,
    example={"quarters": 1},
)
