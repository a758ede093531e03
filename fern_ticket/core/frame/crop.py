"""Crop: keep a rectangle. What lies outside is gone from the delivered file."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from pydantic import Field

from fern_ticket.core.frame.geometry import FrameOperation, FrameState, Rectangle
from fern_ticket.core.ledger.controls import Choice, Ruler
from fern_ticket.core.ledger.operation import Parameters

Ratio = Literal["free", "1:1", "4:5", "3:4", "5:7", "2:3", "9:16", "1:2", "5:4", "4:3", "7:5", "3:2", "16:9", "2:1"]


class Crop(Parameters):
    left: float = Field(ge=-200_000, le=200_000, description="Pixels, in the turned and straightened picture.")
    top: float = Field(ge=-200_000, le=200_000, description="Pixels, in the turned and straightened picture.")
    width: float = Field(ge=16, le=200_000, description="Pixels.")
    height: float = Field(ge=16, le=200_000, description="Pixels.")
    ratio: Ratio = Field(default="free", description="The ratio that the handles keep.")


def apply(state: FrameState, params: Crop, strength: float) -> FrameState:  # noqa: ARG001
    return replace(state, crop=Rectangle(params.left, params.top, params.width, params.height))


OPERATION = FrameOperation(
    name="crop",
    title="Crop",
    summary="Keeps a rectangle of the straightened picture, pushed in where a corner would be blank.",
    parameters=Crop,
    apply=apply,
    gesture="crop",
    example={"left": 10, "top": 10, "width": 200, "height": 200},
    controls=(Choice("ratio"), Ruler("width", "px"), Ruler("height", "px")),
    label=lambda params: "Crop" if params.ratio == "free" else f"Crop {params.ratio}",
)
