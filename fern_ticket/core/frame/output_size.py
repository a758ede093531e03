"""Output size: the long side in pixels, the other from the crop; or both exactly. Never enlarges unasked."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated

from pydantic import Field

from fern_ticket.core.frame.geometry import FrameOperation, FrameState
from fern_ticket.core.ledger.controls import Ruler
from fern_ticket.core.ledger.operation import Parameters

Side = Annotated[int, Field(ge=16, le=50_000)]


class OutputSize(Parameters):
    long_side: int = Field(ge=16, le=50_000, description="Pixels of the longer side.")
    exactly: tuple[Side, Side] | None = Field(
        default=None, description="Width and height, where the crop has their ratio but for rounding."
    )
    enlarge: bool = Field(default=False, description="Allow more pixels than the crop holds.")


def apply(state: FrameState, params: OutputSize, strength: float) -> FrameState:  # noqa: ARG001
    return replace(state, long_side=params.long_side, exactly=params.exactly, enlarge=params.enlarge)


OPERATION = FrameOperation(
    name="output_size",
    title="Output size",
    summary="Resamples the crop to a long side in pixels; a smaller crop is not enlarged unless allowed.",
    parameters=OutputSize,
    apply=apply,
    delivered_size=True,
    example={"long_side": 120},
    controls=(Ruler("long_side", "px", name="output, long side"),),
)
