"""Start: where a viewer of a panorama begins to look."""

from __future__ import annotations

from dataclasses import replace

from pydantic import Field

from fern_ticket.core.frame.geometry import FrameOperation, FrameState
from fern_ticket.core.ledger.controls import Ruler
from fern_ticket.core.ledger.operation import Parameters


class Start(Parameters):
    heading: float = Field(default=0.0, ge=-180, le=180, description="Degrees to the right of the picture's middle.")
    pitch: float = Field(default=0.0, ge=-90, le=90, description="Degrees upward from the horizon.")
    field: float = Field(default=90.0, ge=20, le=140, description="Degrees across a viewer's width.")


def apply(state: FrameState, params: Start, strength: float) -> FrameState:  # noqa: ARG001
    return replace(state, start=(params.heading, params.pitch, params.field))


OPERATION = FrameOperation(
    name="start",
    title="Start of the look",
    summary="Says where a viewer of a panorama begins: heading, pitch and field of view.",
    parameters=Start,
    apply=apply,
    controls=(
        Ruler("heading", "°", 0.5, ends=("left", "right")),
        Ruler("pitch", "°", 0.5, ends=("down", "up")),
        Ruler("field", "°", 1),
    ),
    example={"heading": 30.0},
    group="sphere",
    alters=False,
    tellable=True,
)
