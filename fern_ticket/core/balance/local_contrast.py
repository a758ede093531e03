"""Local contrast: texture stronger or weaker against the base, tones of whole regions unmoved."""

from __future__ import annotations

from functools import partial

import numpy as np
from pydantic import Field

from fern_ticket.core.balance import base
from fern_ticket.core.balance.light import BalanceOperation, Surroundings, Working
from fern_ticket.core.ledger.operation import Parameters


class LocalContrast(Parameters):
    amount: float = Field(default=0.0, ge=-100, le=100, description="Per cent; at 100 texture is 1.8 times as strong.")


def stage(params: LocalContrast, around: Surroundings) -> Working | None:
    if not params.amount:
        return None
    maps = base.base_of(around.small(), radius=0.035, edge=1.0)
    detail = np.linspace(-3, 3, base.TABLE_STEPS + 1)
    # large differences are edges: they take part less
    gain = 2.0 ** (0.8 * params.amount / 100 * detail / (1 + (detail / 1.5) ** 2))
    return Working(partial(base.gain_by_detail, maps=maps, table=gain.astype(np.float32)), encoded=False)


OPERATION = BalanceOperation(
    name="local_contrast",
    title="Local contrast",
    summary="Strengthens or softens texture of middle size; the tones of whole regions stay.",
    parameters=LocalContrast,
    stage=stage,
)
