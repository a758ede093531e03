"""What a Balance operation is: for now every one is a 3×3 matrix on linear sRGB, so that a chain of them is one."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from fern_ticket.core.ledger.operation import Operation, P, Station
from fern_ticket.core.pictures.profiles import Matrix


@dataclass(frozen=True)
class BalanceOperation(Operation[P]):
    """`matrix(params)` acts on linear sRGB (0-1, may leave it); strength mixes it with doing nothing."""

    matrix: Callable[[Any], Matrix] = lambda _: np.eye(3)

    @property
    def station(self) -> Station:
        return Station.BALANCE
