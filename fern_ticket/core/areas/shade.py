"""Shade: a shadow of two parts, soft and hard, rebuilt as darkening with blurred edges that can still be tuned.

It is painted, outlined, or cast by what its cover covers: each point of a thing falls on the ground as far from where
it stands as it is high, by the direction of the light. The narrow shadow where a thing touches the ground is apart. The
ground's own grain stays, as light is only taken away.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, field_validator, model_validator

from fern_ticket.core.balance.light import BalanceOperation, ColourMatrix, Layer
from fern_ticket.core.balance.shadow import FALL_RULERS, SHADOW_RULERS, Shadow, thrown_onto_ground
from fern_ticket.core.ledger.controls import Editor
from fern_ticket.core.ledger.covers import RAMP, Corner, Cover, CoverPart, Straight
from fern_ticket.core.ledger.operation import Parameters, Station
from fern_ticket.core.pictures.plane import translation

#: Most that a ground line rises for each pixel across.
_STEEPEST = 4.0


class Cast(Parameters):
    ground: tuple[Corner, Corner] = Field(
        description="Two places of the line on which the thing stands, source pixels; or y of a level one."
    )
    angle: float = Field(default=25.0, ge=-180, le=180, description="Where it falls, degrees clockwise from level.")
    length: float = Field(default=0.6, ge=0.05, le=5, description="As a share of the thing's height.")

    @field_validator("ground", mode="before")
    @classmethod
    def _of_a_level_line(cls, given: object) -> object:
        return ((0.0, given), (1000.0, given)) if isinstance(given, int | float) else given

    @model_validator(mode="after")
    def _runs_across(self) -> Cast:
        if abs(self.rise) > _STEEPEST:
            raise ValueError("the line on which a thing stands runs across the picture, not down it")
        return self

    @property
    def rise(self) -> float:
        """How far the ground line falls down the picture for each pixel to the right."""
        (x0, y0), (x1, y1) = self.ground
        return (y1 - y0) / (x1 - x0) if x1 != x0 else math.inf

    @property
    def start(self) -> float:
        """Its y at the picture's left edge."""
        (x, y), _ = self.ground
        return y - self.rise * x


class Shade(Shadow):
    cover: Cover = Field(default_factory=Cover, description="The shadow's place, or the thing that casts it.")
    cast: Cast | None = None


def layers(params: Shade) -> list[Layer]:
    """Each part of the shadow with where it lies."""
    if params.cover.whole:
        return []
    cast = params.cast
    moved = None if cast is None else _onto_ground(cast)
    thing = None if cast is None else params.cover.crisp
    found = [
        Layer(_blurred(params.cover, blur, cast), _darker(density, params), moved, thing)
        for blur, density in params.thrown()
    ]
    if params.contact:
        # what shows below a thing when it is blurred and let down by as much
        let_down = translation(0, -params.contact_blur)
        blurred = _blurred(params.cover, params.contact_blur, None)
        found.append(Layer(blurred, _darker(params.contact, params), let_down, params.cover.crisp))
    return found


def _blurred(cover: Cover, blur: float, cast: Cast | None) -> Cover:
    """Every part softened; a fine edge has no say in a shadow. Of what casts one, only what stands on the ground."""
    wide = blur * RAMP
    parts = [part.model_copy(update={"feather": min(max(part.feather, wide), 4000.0)}) for part in cover.parts]
    if cast is not None:
        down = (-cast.rise, 1.0)
        standing = Straight(start=(0, cast.start), end=(2 * down[0], cast.start + 2 * down[1]))
        parts.append(CoverPart(mode="intersect", shape=standing))
    return cover.model_copy(update={"parts": parts, "fine": None})


def _darker(density: float, params: Shade) -> ColourMatrix:
    return ColourMatrix(np.diag(params.left_of(density)))


def _onto_ground(cast: Cast) -> NDArray[np.float64]:
    """Places of the ground to the places of the thing whose shadow falls there."""
    return np.asarray(np.linalg.inv(thrown_onto_ground(cast.angle, cast.length, cast.rise, cast.start)))


OPERATION = BalanceOperation(
    name="shade",
    title="Shade",
    summary="A shadow of a soft and a hard part: painted, outlined, or cast by what its cover covers.",
    parameters=Shade,
    in_station=Station.AREAS,
    within=lambda params: params.cover,
    layers=layers,
    gesture="stroke",
    controls=(
        *SHADOW_RULERS,
        Editor("cast", "cast", name="cast", model=Cast, rulers=FALL_RULERS),
        Editor("colour", "colour", name="colour of the shadow"),
    ),
    example={"cover": {"parts": [{"shape": {"kind": "round", "middle": [150, 150], "radii": [90, 30]}}]}},
    rank=20,
)
