"""Straighten: turn the picture by a small angle; no corner of the result is blank."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Annotated

import numpy as np
from pydantic import Field

from fern_ticket.core.errors import LedgerError
from fern_ticket.core.frame.geometry import FrameOperation, FrameState
from fern_ticket.core.ledger.controls import Ruler
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.plane import mapped

Point = tuple[Annotated[float, Field(ge=-1e6, le=1e6)], Annotated[float, Field(ge=-1e6, le=1e6)]]


class Straighten(Parameters):
    angle: float | None = Field(
        default=None,
        ge=-45,
        le=45,
        description="Degrees by which the picture turns, clockwise. Left out: by the line.",
    )
    line: tuple[Point, Point] | None = Field(
        default=None,
        description="Two points, source pixels, along something that should be level or upright.",
    )


def apply(state: FrameState, params: Straighten, strength: float) -> FrameState:
    return replace(state, angle=state.angle + _angle(state, params) * strength)


def settle(state: FrameState, params: Straighten) -> Straighten:
    """Write down the angle that the line gives."""
    return Straighten(angle=round(_angle(state, params), 3), line=params.line)


def _angle(state: FrameState, params: Straighten) -> float:
    if params.angle is not None:
        return params.angle
    if params.line is None:
        return 0.0
    to_turned = np.linalg.inv(state.turned_to_source)
    start, end = mapped(to_turned, *np.array(params.line, float).T).T.tolist()
    return angle_of_line((start[0], start[1]), (end[0], end[1]))


def angle_of_line(start: tuple[float, float], end: tuple[float, float]) -> float:
    """The turn, degrees clockwise, that makes a drawn line level or upright, whichever is nearer.

    Points are in turned coordinates, x right and y down.

    Raises
    ------
    LedgerError
        The line is too short to say.

    >>> round(angle_of_line((0, 0), (100, 2)), 3)
    -1.146
    """
    dx, dy = end[0] - start[0], end[1] - start[1]
    if math.hypot(dx, dy) < 8:
        raise LedgerError("The line is too short to level by.", "Draw it along more of the edge.")
    slope = math.degrees(math.atan2(dy, dx))
    return -(slope - 90 * round(slope / 90)) + 0.0


OPERATION = FrameOperation(
    name="straighten",
    title="Straighten",
    summary="Turns the picture by a small angle and keeps the largest rectangle without blank corners.",
    parameters=Straighten,
    apply=apply,
    elsewhere=lambda params: Straighten(angle=params.angle),
    settle=settle,
    gesture="line",
    controls=(Ruler("angle", "°", 0.05, low=-10, high=10, name="straighten", ends=("left", "right")),),
    example={"angle": 1.0},
)
