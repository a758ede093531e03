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


#: What a shape is called on a stub.
_NAMES = {"strokes": "brush", "edged": "brush", "straight": "gradient", "round": "gradient", "bitmap": "stored"}


def label(params: Area) -> str:
    """The area by what its cover begins with."""
    if params.cover.whole:
        return "Area: everywhere"
    first = params.cover.active[0]
    name = _NAMES.get(first.shape.kind, first.shape.kind)
    return f"Area: {'not ' if first.invert else ''}{name}"


OPERATION = BalanceOperation(
    name="area",
    title="Area",
    summary="Steps of light that count inside a cover only.",
    parameters=Area,
    in_station=Station.AREAS,
    within=lambda params: params.cover,
    holds=lambda params: params.steps,
    gesture="stroke",
    label=label,
    example={
        "cover": {"parts": [{"shape": {"kind": "round", "middle": [150, 150], "radii": [90, 60]}}]},
        "steps": [{"op": "exposure", "params": {"ev": 0.2}}],
    },
)
