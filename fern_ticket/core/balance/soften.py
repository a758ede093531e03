"""Soften scan grain: a windowed percentile of each channel, with some of the sharp picture mixed back in."""

from __future__ import annotations

from functools import partial

import numpy as np
from pydantic import Field

from fern_ticket.core.balance.light import BalanceOperation, PixelFunction, Planes, Position, Surroundings
from fern_ticket.core.kernels import kernel
from fern_ticket.core.ledger.controls import Presence, Ruler
from fern_ticket.core.ledger.operation import Parameters


class Soften(Parameters):
    radius: int = Field(default=1, ge=1, le=4, description="Source pixels; the window is 2 radius + 1 wide.")
    percentile: float = Field(default=35, ge=0, le=100, description="50 is the median; lower keeps dark lines.")
    sharp: float = Field(default=10, ge=0, le=100, description="Per cent of the sharp picture mixed back.")


def transform(params: Soften, _: Surroundings) -> PixelFunction | None:
    if params.sharp >= 100:
        return None
    return PixelFunction(partial(_work, params=params), encoded=True, reach=params.radius + 1.0)


def _work(planes: Planes, place: Position, *, params: Soften) -> None:
    """In a reduced view the window is as much smaller, down to none: what is averaged already needs no softening."""
    radius = round(params.radius * min(place.scale, 1.0))
    if radius < 1:
        return
    soft = np.empty_like(planes)
    side = 2 * radius + 1
    _ranked(planes, soft, radius, round(params.percentile / 100 * (side * side - 1)))
    planes += np.float32(1 - params.sharp / 100) * (soft - planes)


@kernel
def _ranked(planes: Planes, out: Planes, radius: int, rank: int) -> None:
    """The value of a rank, 0 the lowest, among each pixel's window; at the border the nearest pixel is repeated."""
    rows, columns = planes.shape[1:]
    side = 2 * radius + 1
    count = side * side
    values = np.empty(count, np.float32)
    for channel in range(3):
        for row in range(rows):
            for column in range(columns):
                held = 0
                for y in range(row - radius, row + radius + 1):
                    inside_y = min(max(y, 0), rows - 1)
                    for x in range(column - radius, column + radius + 1):
                        value = planes[channel, inside_y, min(max(x, 0), columns - 1)]
                        # the lowest rank + 1 values, in order
                        if held <= rank:
                            at = held
                            held += 1
                        elif value < values[rank]:
                            at = rank
                        else:
                            continue
                        while at > 0 and values[at - 1] > value:
                            values[at] = values[at - 1]
                            at -= 1
                        values[at] = value
                out[channel, row, column] = values[rank]


OPERATION = BalanceOperation(
    name="soften",
    title="Soften grain",
    summary="Takes a windowed percentile against scan grain and mixes some of the sharp picture back.",
    parameters=Soften,
    transform=transform,
    rank=90,
    controls=(
        Presence("soften grain"),
        Ruler("radius", "px"),
        Ruler("percentile", "%"),
        Ruler("sharp", "%", name="sharp mixed back"),
    ),
    group="Scan",
)
