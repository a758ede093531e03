"""Output sharpening: for the size that is delivered, in its own pixels, after everything else."""

from __future__ import annotations

from functools import partial

from pydantic import Field

from fern_ticket.core.balance.light import BalanceOperation, PixelFunction, Planes, Position, Surroundings
from fern_ticket.core.balance.sharpen import sharpen
from fern_ticket.core.ledger.controls import Ruler
from fern_ticket.core.ledger.operation import Parameters, Station

#: Deviation of the blur, delivered pixels; what differs by less than so much of white is noise (common practice, no
#: source).
_RADIUS, _THRESHOLD = 0.8, 0.012
#: Source pixels that are looked at beyond a window, for the smallest deliveries.
_REACH = 64.0


class OutputSharpening(Parameters):
    amount: float = Field(default=0.0, ge=0, le=200, description="Per cent of the difference from the blurred picture.")


def transform(params: OutputSharpening, _: Surroundings) -> PixelFunction | None:
    if not params.amount:
        return None
    return PixelFunction(partial(_work, params=params), encoded=True, reach=_REACH)


def _work(planes: Planes, place: Position, *, params: OutputSharpening) -> None:
    """A view that shows fewer pixels than are delivered is as sharp as what it shows, and no sharper."""
    sharpen(planes, _RADIUS * place.delivered, params.amount / 100, _THRESHOLD)


OPERATION = BalanceOperation(
    name="output_sharpening",
    title="Output sharpening",
    summary="Sharpens for the size that is delivered.",
    parameters=OutputSharpening,
    transform=transform,
    in_station=Station.FINISH,
    controls=(Ruler("amount", "%", name="output sharpening"),),
    example={"amount": 60},
    rank=20,
)
