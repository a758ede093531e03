"""Area: steps of light that count inside a cover. Its strength weakens all of them as one."""

from __future__ import annotations

from pydantic import Field

from fern_ticket.core.balance.light import BalanceOperation
from fern_ticket.core.ledger.covers import Cover
from fern_ticket.core.ledger.operation import Parameters, Station
from fern_ticket.core.ledger.steps import Step


class Area(Parameters):
    cover: Cover = Field(default_factory=Cover, description="Where its steps count; without parts, everywhere.")
    steps: list[Step] = Field(
        default_factory=list, max_length=40, description="Steps of Balance, each with its own strength."
    )


OPERATION = BalanceOperation(
    name="area",
    title="Area",
    summary="Steps of light that count inside a cover only.",
    parameters=Area,
    in_station=Station.AREAS,
    within=lambda params: params.cover,
    holds=lambda params: params.steps,
    gesture="stroke",
    example={
        "cover": {"parts": [{"shape": {"kind": "round", "middle": [150, 150], "radii": [90, 60]}}]},
        "steps": [{"op": "exposure", "params": {"ev": 0.2}}],
    },
)
