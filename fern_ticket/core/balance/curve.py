"""Tone curve through a few points, for all channels or one, never turning back between them.

Monotone cubic interpolation (Fritsch, Carlson 1980, doi:10.1137/0717021). A point on the diagonal is an anchor: it
keeps the rest of the curve where it is.
"""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated

import numpy as np
from pydantic import AfterValidator, Field

from fern_ticket.core.balance.light import CURVE_STEPS, BalanceOperation, Surroundings, ToneCurve
from fern_ticket.core.ledger.controls import Editor
from fern_ticket.core.ledger.operation import Parameters

Point = tuple[Annotated[float, Field(ge=0, le=1)], Annotated[float, Field(ge=0, le=1)]]

#: Points closer than this cannot be told apart by hand, and make the curve too steep to be of use.
_NEAREST = 1 / 512
#: Values of a curve that is drawn.
DRAWN = 129


def _rising(points: list[Point]) -> list[Point]:
    if any(b[0] - a[0] < _NEAREST for a, b in pairwise(points)):
        raise ValueError("points must go from left to right, each clear of the last")
    return points


Points = Annotated[list[Point], Field(max_length=16), AfterValidator(_rising)]


class Curve(Parameters):
    """Points are (in, out), encoded 0-1. No point, or one, leaves a channel as it is; ends are held level."""

    all: Points = Field(default_factory=list, description="For all three channels.")
    red: Points = Field(default_factory=list)
    green: Points = Field(default_factory=list)
    blue: Points = Field(default_factory=list)


def transform(params: Curve, _: Surroundings) -> ToneCurve | None:
    if all(_straight(points) for points in (params.all, params.red, params.green, params.blue)):
        return None
    x = np.linspace(0, 1, CURVE_STEPS + 1)
    whole = through(params.all, x)
    channels = [through(points, whole) for points in (params.red, params.green, params.blue)]
    return ToneCurve(np.stack(channels).astype(np.float32))


def through(
    points: list[Point], x: np.ndarray[tuple[int], np.dtype[np.float64]]
) -> np.ndarray[tuple[int], np.dtype[np.float64]]:
    """The curve at `x`."""
    if _straight(points):
        return x
    at, value = np.array(points).T
    from scipy.interpolate import PchipInterpolator  # takes half a second to load

    return np.asarray(PchipInterpolator(at, value)(np.clip(x, at[0], at[-1])))


def drawn(params: Curve) -> dict[str, list[float]]:
    """Each channel's curve at `DRAWN` evenly spaced values 0-1, to four places."""
    x = np.linspace(0, 1, DRAWN)
    return {name: np.round(through(getattr(params, name), x), 4).tolist() for name in Curve.model_fields}


def _straight(points: list[Point]) -> bool:
    return len(points) < 2 or (all(a == b for a, b in points) and points[0][0] == 0 and points[-1][0] == 1)


OPERATION = BalanceOperation(
    name="curve",
    title="Curve",
    summary="Leads the tones through a few points, smoothly and without turning back.",
    parameters=Curve,
    transform=transform,
    drawn=drawn,
    rank=64,
    example={"all": [[0, 0], [0.5, 0.55], [1, 1]]},
    group="Curve",
    controls=(Editor("curve", "all", name="curve", items=("all", "red", "green", "blue")),),
)
