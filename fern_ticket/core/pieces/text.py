"""Text on the photo, in a plane of the scene too."""

from __future__ import annotations

import hashlib
from typing import Self

from pydantic import Field, model_validator

from fern_ticket.core.ledger.controls import Choice, Editor, Ruler
from fern_ticket.core.ledger.covers import Corner, Level
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pieces.blending import Blend
from fern_ticket.core.pieces.operation import PieceOperation, Sheet, Size, SizeOf, Tuned
from fern_ticket.core.pieces.placing import Corners, corners_about, to_piece
from fern_ticket.core.pieces.typesetting import Align, Face, Setting, Weight, set_text, size_of

#: Ink is set so many times larger than it is laid: turned and slanting edges stay crisp.
_FINER = 2
#: Size of a text when it is first laid, as a share of the photo's height.
_FIRST = 0.08


class Text(Parameters):
    text: str = Field(min_length=1, max_length=2_000, description="A line break begins a paragraph.")
    face: Face = "sans"
    weight: Weight = "regular"
    size: float | None = Field(default=None, ge=2, le=8_000, description="Photo pixels to the em.")
    percent: float | None = Field(default=None, ge=0.1, le=100, description="The size, of the photo's height.")
    colour: tuple[Level, Level, Level] = Field(default=(255, 255, 255), description="8-bit sRGB.")
    tracking: float = Field(default=0.0, ge=-200, le=1_000, description="Between letters, thousandths of an em.")
    leading: float = Field(default=1.25, ge=0.5, le=4, description="From line to line, in sizes.")
    align: Align = "left"
    width: float | None = Field(default=None, ge=10, le=100_000, description="Lines wrap to it, photo pixels.")
    at: Corner | None = Field(default=None, description="Its middle, photo pixels.")
    turn: float = Field(default=0.0, ge=-180, le=180, description="Degrees clockwise.")
    corners: Corners | None = Field(default=None, description="Where its corners lie, clockwise from the upper left.")
    blend: Blend = "normal"
    opacity: float = Field(default=1.0, ge=0, le=1)
    blur: float = Field(default=0.0, ge=0, le=60, description="Deviation, photo pixels.")

    @model_validator(mode="after")
    def _says_something(self) -> Self:
        if not self.text.strip():
            raise ValueError("a text has at least one letter")
        if self.corners is not None:
            to_piece(self.corners, (1, 1))
        return self


def _setting(params: Text, height: int) -> Setting:
    size = params.size or (params.percent or 100 * _FIRST) / 100 * height
    width = None if params.width is None else _FINER * params.width
    return Setting(
        params.text, params.face, params.weight, _FINER * size, width, params.tracking, params.align, params.leading
    )


def settle(params: Text, _: SizeOf, onto: Size) -> Text:
    width, height = onto
    size_of(_setting(params, height))
    update: dict[str, object] = {}
    if params.at is None and params.corners is None:
        update["at"] = (width / 2, height / 2)
    if params.size is None:
        update["size"] = round((params.percent or 100 * _FIRST) / 100 * height, 1)
    return params.model_copy(update=update)


def sheets(params: Text, size_of_picture: SizeOf, onto: Size) -> list[Sheet]:
    placed = settle(params, size_of_picture, onto)
    setting = _setting(placed, onto[1])
    size = size_of(setting)
    corners = placed.corners
    if corners is None:
        assert placed.at is not None
        corners = corners_about(placed.at, size, 1 / _FINER, placed.turn, "none", 0)
    key = hashlib.sha256(placed.model_dump_json().encode()).hexdigest()
    return [
        Sheet(
            key,
            corners,
            size,
            draw=lambda: set_text(setting),
            colour=params.colour,
            blend=params.blend,
            opacity=params.opacity,
            tuned=Tuned(blur=params.blur),
            at=None if placed.corners else placed.at,
        )
    ]


def label(params: Text) -> str:
    first = params.text.strip().split("\n")[0]
    return f"“{first if len(first) <= 24 else first[:23] + '…'}”"


OPERATION = PieceOperation(
    name="text",
    title="Text",
    summary="Text in a shipped face, sized in photo pixels or per cent, in perspective by four corners.",
    parameters=Text,
    sheets=sheets,
    settle=settle,
    charted=True,
    label=label,
    gesture="corners",
    controls=(
        Ruler("size", "px", scale="logarithmic", low=8, high=2000, rest=120),
        Ruler("turn", "°", step=0.1),
        Ruler("opacity", "%", times=100),
        Ruler("tracking", name="tracking", low=-100, high=500),
        Ruler("leading", step=0.05, low=0.8, high=2.5, name="leading"),
        Ruler("width", "px", scale="logarithmic", low=50, high=8000, rest=8000, name="lines wrap at"),
        Ruler("blur", "px", step=0.1, high=20, name="blurred"),
        Choice("face"),
        Choice("weight"),
        Choice("align"),
        Choice("blend"),
        Editor("colour", "colour", name="colour"),
    ),
    example={"text": "Orchard", "size": 30, "at": [150, 150], "turn": -10},
    rank=20,
)
