"""What an area is usually begun with: a tool in hand, and steps that do little, as many small changes are the way.

The amounts are common practice, no source: a brush that lifts light at 7 to 15 per cent a pass, and for eyes half of
what first looks good.
"""

from __future__ import annotations

from pydantic import BaseModel

from fern_ticket.core.ledger.steps import Step


class AreaStart(BaseModel):
    """`tool` is taken in hand, its strokes of this `flow`; the step of `op` that they begin holds `steps`."""

    name: str
    says: str
    tool: str
    flow: float = 1.0
    op: str = "area"
    steps: list[Step] = []


def starts() -> list[AreaStart]:
    def step(op: str, **params: float) -> Step:
        return Step(id=f"{op} of a start", op=op, params=params)

    return [
        AreaStart(
            name="lift",
            says="Lighten with a weak brush that builds up: a tenth a pass.",
            tool="brush",
            flow=0.1,
            steps=[step("exposure", ev=0.8)],
        ),
        AreaStart(
            name="deepen",
            says="Darken with a weak brush that builds up: a tenth a pass.",
            tool="brush",
            flow=0.1,
            steps=[step("exposure", ev=-0.8)],
        ),
        AreaStart(
            name="shade",
            says="A shadow of a soft and a hard part: draw around its place, or around what casts it.",
            tool="outline",
            op="shade",
        ),
        AreaStart(
            name="eyes",
            says="A little light, colour and sharpness: half of what first looks good.",
            tool="round",
            steps=[
                step("exposure", ev=0.2),
                step("saturation", amount=8),
                step("local_contrast", amount=12),
                step("sharpen", amount=40),
            ],
        ),
    ]
