"""Local contrast: texture stronger or weaker against the base, tones of whole regions unmoved."""

from __future__ import annotations

from functools import partial

import numpy as np
from pydantic import Field

from fern_ticket.core.balance import base
from fern_ticket.core.balance.light import BalanceOperation, LocalGain, Position, Surroundings
from fern_ticket.core.kernels import fast_kernel
from fern_ticket.core.ledger.controls import Ruler
from fern_ticket.core.ledger.operation import Parameters


class LocalContrast(Parameters):
    amount: float = Field(default=0.0, ge=-100, le=100, description="Per cent; at 100 texture is 1.8 times as strong.")


def transform(params: LocalContrast, around: Surroundings) -> LocalGain | None:
    if not params.amount:
        return None
    maps = base.base_of(around, radius=0.035, edge=0.28)
    return LocalGain((partial(_raise, maps=maps, factor=0.8 * params.amount / 100),))


def _raise(light: base.Map, place: Position, *, maps: base.Coefficients, factor: float) -> base.Map:
    level = base.base_under(light, place, maps)
    _stops(light, level, np.float32(factor))
    return level


@fast_kernel
def _stops(light: base.Map, level: base.Map, factor: np.float32) -> None:
    """Stops in place of the base. Large differences are edges: they take part less."""
    for row in range(light.shape[0]):
        value, line = light[row], level[row]
        for column in range(line.shape[0]):
            detail = min(max(value[column] - line[column], np.float32(-3)), np.float32(3))
            line[column] = factor * detail / (np.float32(1) + detail * detail * np.float32(1 / 2.25))


OPERATION = BalanceOperation(
    name="local_contrast",
    title="Local contrast",
    summary="Strengthens or softens texture of middle size; the tones of whole regions stay.",
    parameters=LocalContrast,
    transform=transform,
    looks=True,
    rank=50,
    controls=(Ruler("amount", name="local contrast"),),
    example={"amount": 20},
    group="Tone",
)
