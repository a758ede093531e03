"""Horizon: turn a panorama's sphere until what is upright stands upright."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.errors import LedgerError
from fern_ticket.core.frame.geometry import FrameOperation, FrameState
from fern_ticket.core.ledger.charts import SphereSpec
from fern_ticket.core.ledger.controls import Ruler
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.plane import mapped
from fern_ticket.core.pictures.sphere import Sphere, turned_by

Point = tuple[Annotated[float, Field(ge=-1e6, le=1e6)], Annotated[float, Field(ge=-1e6, le=1e6)]]
#: Two marks on the horizon that are nearer to each other, or to opposite of each other, say too little of it.
_LEAST_APART = math.radians(12)


class Horizon(Parameters):
    pitch: float | None = Field(
        default=None, ge=-90, le=90, description="Degrees by which the camera looked up. Left out: by the marks."
    )
    roll: float | None = Field(
        default=None,
        ge=-90,
        le=90,
        description="Degrees by which the camera leaned to the right. Left out: by the marks.",
    )
    heading: float = Field(
        default=0.0, ge=-180, le=180, description="Degrees to the right that come to the picture's middle."
    )
    marks: list[Point] = Field(
        default_factory=list, max_length=2, description="Two places on the true horizon, source pixels."
    )
    sphere: SphereSpec | None = Field(
        default=None, description="What of a whole panorama the picture shows: width, height, left, top."
    )


def apply(state: FrameState, params: Horizon, strength: float) -> FrameState:
    pitch, roll = _lean(state, params)
    sphere = _sphere(state, params)
    # by whole pixels, so that a panorama that is only turned round keeps its own
    heading = round(params.heading * strength * sphere.width / 360) * 360 / sphere.width
    if not (pitch or roll or heading):
        return replace(state, sphere=sphere)
    lean = turned_by(0, pitch * strength, roll * strength) @ turned_by(heading, 0)
    return replace(state, turn=lean if state.turn is None else state.turn @ lean, sphere=sphere)


def settle(state: FrameState, params: Horizon) -> Horizon:
    """Write down the lean that the marks give."""
    pitch, roll = _lean(state, params)
    return params.model_copy(update={"pitch": round(pitch, 3), "roll": round(roll, 3)})


def _sphere(state: FrameState, params: Horizon) -> Sphere:
    return Sphere(*params.sphere) if params.sphere else state.sphere or Sphere.whole((state.width, state.height))


def _lean(state: FrameState, params: Horizon) -> tuple[float, float]:
    """Pitch and roll of the camera, degrees."""
    if params.pitch is not None or params.roll is not None or not params.marks:
        return params.pitch or 0.0, params.roll or 0.0
    if len(params.marks) != 2:
        raise LedgerError("One mark does not tell a horizon.", "Mark it in two places, about a quarter turn apart.")
    x, y = mapped(np.linalg.inv(state.turned_to_source), *np.array(params.marks, np.float64).T)
    one, other = _sphere(state, params).direction(x, y).T
    return lean_of(_upright_to(one, other))


def _upright_to(one: NDArray[np.float64], other: NDArray[np.float64]) -> NDArray[np.float64]:
    across = np.cross(one, other)
    if np.linalg.norm(across) < math.sin(_LEAST_APART):
        raise LedgerError(
            "The two marks are too near to each other, or opposite of each other, to tell a horizon.",
            "Mark it in two places, about a quarter turn apart.",
        )
    return np.asarray(across / np.linalg.norm(across), np.float64)


def lean_of(upright: NDArray[np.float64]) -> tuple[float, float]:
    """Pitch and roll of a camera that sees what is upright in this direction, degrees.

    Parameters
    ----------
    upright
        (right, down, ahead) of straight up, or of straight down, shape (3,).

    >>> [round(angle, 6) for angle in lean_of(turned_by(0, 4, -3) @ [0, -1, 0])]
    [4.0, -3.0]
    """
    right, down, ahead = upright / np.linalg.norm(upright) * (1 if upright[1] <= 0 else -1)
    # up, leaned by the roll, is (sin, -cos, 0); the pitch takes its lower part ahead or back
    pitch = math.degrees(math.atan2(-ahead, -down))
    return pitch + 0.0, math.degrees(math.asin(max(-1.0, min(1.0, right)))) + 0.0


OPERATION = FrameOperation(
    name="horizon",
    title="Horizon",
    summary="Turns a panorama's sphere until what is upright stands upright.",
    parameters=Horizon,
    apply=apply,
    settle=settle,
    elsewhere=lambda params: params,
    controls=(
        Ruler("heading", "°", 0.5, name="turned to", ends=("left", "right")),
        Ruler("pitch", "°", 0.05, low=-30, high=30, name="camera's pitch", ends=("down", "up")),
        Ruler("roll", "°", 0.05, low=-30, high=30, name="camera's lean", ends=("left", "right")),
    ),
    example={"pitch": 1.0, "roll": -2.0},
    group="sphere",
    tellable=True,
)
