"""Take a cast out: a place that is tinted made like one that is not.

Toward the cast's complement, less saturation, and the lightness given back that both take. What light did to the place
is a gain for each channel; hue, amount and lightness are those three gains, told so that a hand can change them.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.balance.light import (
    LUMINANCE,
    BalanceOperation,
    ColourMatrix,
    MeanAt,
    Surroundings,
    drawn_from_grey,
)
from fern_ticket.core.balance.marks import Mark
from fern_ticket.core.ledger.controls import Editor, Ruler
from fern_ticket.core.ledger.operation import Parameters

#: Two ways across the grey axis, in stops of red, green and blue.
_ACROSS = np.array([[2, -1, -1], [0, 1, -1]], np.float64) / np.sqrt([[6], [2]])
#: Encoded difference of channels below which a clean place counts as grey, and the saturation that a cast on one leaves
#: too much of (common practice, no source).
_GREY, _LESS = 0.05, -8.0


class CastOut(Parameters):
    tinted: Mark | None = Field(default=None, description="A place that has the cast.")
    clean: Mark | None = Field(default=None, description="A like place that has none; left out, grey is meant.")
    hue: float | None = Field(default=None, ge=0, le=360, description="Of the complement, degrees; left out, measured.")
    amount: float | None = Field(default=None, ge=0, le=300, description="Toward it, hundredths of a stop.")
    saturation: float | None = Field(default=None, ge=-100, le=100, description="Per cent.")
    lightness: float | None = Field(default=None, ge=-3, le=3, description="Given back, stops.")


def transform(params: CastOut, _: Surroundings) -> ColourMatrix | None:
    amount, saturation, lightness = params.amount or 0, params.saturation or 0, params.lightness or 0
    if not (amount or saturation or lightness):
        return None
    angle = math.radians(params.hue or 0)
    stops = lightness + amount / 100 * (np.array([math.cos(angle), math.sin(angle)]) @ _ACROSS)
    return ColourMatrix(drawn_from_grey(1 + saturation / 100) @ np.diag(2.0**stops))


def settle(params: CastOut, mean_at: MeanAt) -> CastOut:
    if params.tinted is None or params.hue is not None:
        return params
    tinted = np.maximum(mean_at(params.tinted), 1e-4)
    clean = _clean(tinted, params.clean, mean_at)
    stops = np.log2(clean / tinted)
    one, other = _ACROSS @ stops
    grey = np.ptp(clean) < _GREY * clean.max()
    return params.model_copy(
        update={
            "hue": round(math.degrees(math.atan2(other, one)) % 360, 1),
            "amount": round(min(100 * math.hypot(one, other), 300), 1),
            "saturation": _LESS if grey else 0.0,
            "lightness": round(float(np.clip(stops.mean(), -3, 3)), 3),
        }
    )


def _clean(tinted: NDArray[np.float64], mark: Mark | None, mean_at: MeanAt) -> NDArray[np.float64]:
    if mark is not None:
        return np.maximum(mean_at(mark), 1e-4)
    return np.full(3, float(np.dot(LUMINANCE, tinted)))


OPERATION = BalanceOperation(
    name="cast_out",
    title="Take a cast out",
    summary="Makes a tinted place like a clean one: toward the complement, less saturation, lightness given back.",
    parameters=CastOut,
    transform=transform,
    settle=settle,
    elsewhere=lambda params: params.model_copy(update={"tinted": None, "clean": None}),
    rank=12,
    controls=(
        Editor("places", "tinted", "tinted and clean place", items=("tinted", "clean")),
        Ruler("amount", name="toward the complement", high=150),
        Ruler("hue", "°", name="complement"),
        Ruler("saturation", "%", name="its saturation"),
        Ruler("lightness", "EV", step=0.05, name="lightness back"),
    ),
    example={"hue": 300, "amount": 20, "saturation": -8, "lightness": 0.1},
    group="Cast",
)
