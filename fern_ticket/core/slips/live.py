"""Measure a photo while it is made, for its slip."""

from __future__ import annotations

from fern_ticket.core.balance.light import Planes
from fern_ticket.core.inspect.measures import casts, clipped_share
from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.render.picture import LedgerPicture
from fern_ticket.core.slips.slip import Measures, Slip


def measure(picture: LedgerPicture, slip: Slip, planes: Planes, step: float) -> Measures:
    """Everything the slip's lines need, of the picture as its ledger makes it and as the slip will write it.

    `planes` and `step` are the picture's, from `inspect.measures.sampled`.
    """
    frame = picture.plan.frame
    clipped = clipped_share(planes, step)
    return Measures(
        width=frame.size[0],
        height=frame.size[1],
        crop_long_side=max(frame.crop_size),
        format=slip.file.format,
        profile="sRGB",
        casts=tuple(casts(picture)),
        clipped=clipped.share,
        clipped_where=clipped.where,
    )


def delivery_steps(steps: list[Step], slip: Slip) -> list[Step]:
    """The ledger as it is delivered: with the slip's long side as the last frame step."""
    if slip.long_side is None:
        return steps
    kept = [step for step in steps if step.op != "output_size"]
    return [*kept, Step(id="slip-long-side", op="output_size", params={"long_side": slip.long_side})]
