"""Noise: weaker in lightness and, apart from it, in colour, with edges of lightness kept.

A guided filter (He, Sun, Tang 2013, doi:10.1109/TPAMI.2012.213) of lightness by itself, and of colour by lightness:
colour noise is broad, and its edges are those of lightness (common practice, no source).
"""

from __future__ import annotations

from functools import partial

import cv2
import numpy as np
from pydantic import Field

from fern_ticket.core.balance.light import BalanceOperation, PixelFunction, Planes, Position, Surroundings, luminance_of
from fern_ticket.core.ledger.controls import Ruler
from fern_ticket.core.ledger.operation import Parameters

#: Windows in source pixels: of lightness, of colour.
_FINE, _BROAD = 2.0, 6.0
#: Deviation of the strongest noise that is taken off, of white.
_STRONGEST = 0.08


class Denoise(Parameters):
    grain: float = Field(default=0.0, ge=0, le=100, description="Noise of lightness; 100 takes off 8 % of white.")
    colour: float = Field(default=0.0, ge=0, le=100, description="Noise of colour, likewise.")


def transform(params: Denoise, _: Surroundings) -> PixelFunction | None:
    if not (params.grain or params.colour):
        return None
    return PixelFunction(partial(_work, params=params), encoded=True, reach=2 * _BROAD + 2)


def _work(planes: Planes, place: Position, *, params: Denoise) -> None:
    light = luminance_of(planes)
    # a reduced view averages noise by itself: less is left to be taken off
    share = min(1.0, place.scale)
    fine, broad = round(_FINE * share), round(_BROAD * share)
    if params.colour and broad >= 1:
        guide = cv2.blur(light, (3, 3))
        limit = (_STRONGEST * share * params.colour / 100) ** 2
        for plane in planes:
            off = np.ascontiguousarray(plane - light)
            plane[:] = light + cv2.ximgproc.guidedFilter(guide, off, broad, limit)
    if params.grain and fine >= 1:
        calm = cv2.ximgproc.guidedFilter(light, light, fine, (_STRONGEST * share * params.grain / 100) ** 2)
        planes += calm - light


OPERATION = BalanceOperation(
    name="denoise",
    title="Noise",
    summary="Takes noise of lightness and of colour off and keeps edges.",
    parameters=Denoise,
    transform=transform,
    rank=6,
    controls=(Ruler("grain", name="noise off"), Ruler("colour", name="colour noise off")),
    example={"grain": 40, "colour": 60},
    group="Detail",
)
