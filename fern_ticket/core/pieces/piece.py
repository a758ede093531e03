"""Piece: this photo, another of the ticket or a file, laid on the photo, in perspective too."""

from __future__ import annotations

import hashlib
from typing import Self

from pydantic import Field, model_validator

from fern_ticket.core.balance.shadow import FALL_RULERS, SHADOW_RULERS
from fern_ticket.core.ledger.charts import Coordinate, DrawnView
from fern_ticket.core.ledger.controls import Choice, Editor, Ruler
from fern_ticket.core.ledger.covers import Corner, Cover
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.pieces.blending import Blend
from fern_ticket.core.pieces.carried import CarriedShade
from fern_ticket.core.pieces.operation import PieceOperation, Sheet, Size, SizeOf, Tuned
from fern_ticket.core.pieces.placing import Corners, Mirror, corners_about, to_piece

#: Share of the photo's sides that a piece has when it is first laid.
_FIRST = 0.6


class Piece(Parameters):
    picture: str = Field(
        default="",
        max_length=400,
        description="Another of the ticket, a file, or a made sky; empty is the photo itself, as the repairs that "
        "stand before the piece leave it.",
    )
    title: str = Field(default="", max_length=80, description="What it is called on its stub.")
    part: tuple[Coordinate, Coordinate, Coordinate, Coordinate] | None = Field(
        default=None, description="Left, top, right and bottom of what it is of its picture; left out, all of it."
    )
    cut_in: DrawnView | None = Field(
        default=None,
        description="A view into its picture, a panorama, in whose pixels its part and its cover are told; left out, "
        "those of the flat picture.",
    )
    corners: Corners | None = Field(
        default=None, description="Where its own corners lie, clockwise from the upper left, photo pixels."
    )
    at: Corner | None = Field(
        default=None, description="Its middle, or that of its horizon, photo pixels; left out, the photo's middle."
    )
    horizon: float | None = Field(
        default=None, ge=0, le=1, description="How far down it its horizon lies, a share of its height; left out, none."
    )
    scale: float | None = Field(default=None, gt=0, le=100, description="Photo pixels for one of its own.")
    turn: float = Field(default=0.0, ge=-180, le=180, description="Degrees clockwise.")
    mirror: Mirror = "none"
    skew: float = Field(default=0.0, ge=-60, le=60, description="Degrees by which its uprights lean.")
    cover: Cover | None = Field(default=None, description="What of it is laid, in its own pixels; left out, all.")
    within: Cover | None = Field(default=None, description="Where it may lie, in the photo's; left out, everywhere.")
    blend: Blend = "normal"
    opacity: float = Field(default=1.0, ge=0, le=1)
    softened: float = Field(default=1.0, ge=0, le=400, description="Width over which its rim rises, photo pixels.")
    melt: float = Field(default=0.0, ge=0, le=100, description="Its colours led to those along its rim, per cent.")
    glass: float = Field(default=0.0, ge=0, le=100, description="What lies below stays as a reflection, per cent.")
    lends: float = Field(default=0.0, ge=0, le=100, description="Its light lent to the photo beside it, per cent.")
    exposure: float = Field(default=0.0, ge=-5, le=5, description="Stops.")
    warmth: float = Field(default=0.0, ge=-200, le=200, description="Red over blue, hundredths of a stop.")
    tint: float = Field(default=0.0, ge=-200, le=200, description="Magenta over green, hundredths of a stop.")
    contrast: float = Field(default=0.0, ge=-80, le=200, description="Per cent, about its own middle tone.")
    blur: float = Field(default=0.0, ge=0, le=60, description="Deviation, photo pixels.")
    grain: float = Field(default=0.0, ge=0, le=40, description="Deviation that is added, 8-bit levels.")
    shade: CarriedShade | None = Field(default=None, description="The shadow that it throws; left out, none.")
    steps: list[Step] = Field(default_factory=list, max_length=40, description="Steps of Balance on its own light.")

    @model_validator(mode="after")
    def _corners_go_around(self) -> Self:
        if self.corners is not None:
            to_piece(self.corners, (1, 1))
        if self.part is not None and not (self.part[0] < self.part[2] and self.part[1] < self.part[3]):
            raise ValueError("a part of a picture ends to the right of and below where it begins")
        return self

    def size_in(self, size: tuple[int, int]) -> tuple[int, int]:
        """Its own width and height, of a picture of `size`."""
        if self.part is None:
            return size if self.cut_in is None else self.cut_in.size
        left, top, right, bottom = self.part
        return max(1, round(right - left)), max(1, round(bottom - top))


def gains_of(exposure: float, warmth: float, tint: float) -> tuple[float, float, float]:
    """Factors of linear red, green and blue, of stops and hundredths of a stop."""
    warm, magenta = warmth / 200, tint / 300
    return (2 ** (exposure + warm + magenta), 2 ** (exposure - 2 * magenta), 2 ** (exposure - warm + magenta))


def settle(params: Piece, size_of: SizeOf, onto: Size) -> Piece:
    """Laid amid what it is laid on, within it, where no place was given; its shade as soft as the photo is large."""
    placed = _placed(params, size_of, onto)
    return placed if placed.shade is None else placed.model_copy(update={"shade": placed.shade.suited(size_of(""))})


def _placed(params: Piece, size_of: SizeOf, onto: Size) -> Piece:
    if params.corners is not None or (params.at is not None and params.scale is not None):
        return params
    (width, height), (own_width, own_height) = onto, params.size_in(size_of(params.picture))
    scale = params.scale or _FIRST * min(width / own_width, height / own_height)
    at = params.at or (width / 2, height / 2)
    return params.model_copy(update={"at": at, "scale": round(scale, 5)})


def sheets(params: Piece, size_of: SizeOf, onto: Size) -> list[Sheet]:
    placed = settle(params, size_of, onto)
    size = params.size_in(size_of(params.picture))
    corners = placed.corners
    if corners is None:
        assert placed.at is not None
        assert placed.scale is not None
        pivot = 0.5 if placed.horizon is None else placed.horizon
        corners = corners_about(placed.at, size, placed.scale, placed.turn, placed.mirror, placed.skew, pivot)
    tuned = Tuned(
        gains_of(params.exposure, params.warmth, params.tint), 1 + params.contrast / 100, params.blur, params.grain
    )
    return [
        Sheet(
            hashlib.sha256(placed.model_dump_json(exclude={"title"}).encode()).hexdigest(),
            corners,
            size,
            origin=(0.0, 0.0) if params.part is None else params.part[:2],
            picture=params.picture,
            cut_in=params.cut_in,
            steps=tuple(params.steps),
            cover=params.cover,
            within=params.within,
            blend=params.blend,
            opacity=params.opacity,
            softened=params.softened,
            melt=params.melt / 100,
            glass=params.glass / 100,
            lends=params.lends / 100,
            shade=placed.shade,
            tuned=tuned,
            at=None if placed.corners else placed.at,
        )
    ]


OPERATION = PieceOperation(
    name="piece",
    title="Piece",
    summary="A picture, or a part of one, laid on the photo: placed, set in perspective, blended and matched.",
    parameters=Piece,
    sheets=sheets,
    settle=settle,
    holds=lambda params: params.steps,
    pictures=lambda params: (params.picture,),
    charted=True,
    elsewhere=lambda _: None,  # its picture is this ticket's own
    label=lambda params: params.title or "Piece",
    gesture="corners",
    controls=(
        Ruler("opacity", "%", times=100),
        Ruler("scale", "%", times=100, scale="logarithmic", low=0.02, high=8, rest=1),
        Ruler("turn", "°", step=0.1),
        Ruler("skew", "°", step=0.1),
        Ruler("horizon", "%", times=100, rest=1),
        Ruler("softened", "px", scale="logarithmic", low=1, high=200, name="rim softened"),
        Ruler("exposure", "EV", step=0.05),
        Ruler("warmth", name="warmth"),
        Ruler("tint"),
        Ruler("contrast", "%"),
        Ruler("grain", step=0.1, high=20),
        Ruler("blur", "px", step=0.1, high=20, name="blurred"),
        Ruler("melt", "%"),
        Ruler("glass", "%", name="glass kept"),
        Ruler("lends", "%", name="light lent"),
        Choice("mirror"),
        Choice("blend"),
        Editor("shade", "shade", name="shade", model=CarriedShade, rulers=(*FALL_RULERS, *SHADOW_RULERS)),
    ),
    example={"at": [150, 150], "scale": 0.3, "turn": 20, "opacity": 0.8},
    rank=10,
)
