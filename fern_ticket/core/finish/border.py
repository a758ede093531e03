"""Border: an even margin of one colour round the finished picture. The output size asked for counts with it."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated

from pydantic import Field

from fern_ticket.core.frame.geometry import Border, FrameOperation, FrameState
from fern_ticket.core.ledger.controls import Editor, Ruler
from fern_ticket.core.ledger.operation import Parameters, Station

Level = Annotated[int, Field(ge=0, le=255)]


class BorderWidth(Parameters):
    width: int = Field(default=0, ge=0, le=2000, description="Pixels of the result, on each side.")
    colour: tuple[Level, Level, Level] = Field(default=(255, 255, 255), description="8-bit sRGB.")


def apply(state: FrameState, params: BorderWidth, strength: float) -> FrameState:  # noqa: ARG001
    return replace(state, border=Border(params.width, params.colour) if params.width else None)


OPERATION = FrameOperation(
    name="border",
    title="Border",
    summary="Lays an even margin of one colour round the finished picture.",
    parameters=BorderWidth,
    apply=apply,
    in_station=Station.FINISH,
    controls=(
        Ruler("width", "px", 2, low=0, high=600, rest=0, name="border"),
        Editor("colour", "colour", name="border colour", begins={"width": 40}),
    ),
    example={"width": 40},
    rank=20,
)
