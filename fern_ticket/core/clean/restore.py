"""Restore: the photo as it came, painted back."""

from __future__ import annotations

from fern_ticket.core.clean.repair import CleanOperation, Ground, Patch
from fern_ticket.core.ledger.masks import Mask
from fern_ticket.core.ledger.operation import Parameters


class Restore(Parameters):
    pass


def repair(_: Restore, mask: Mask, ground: Ground) -> Patch:
    box = mask.box(ground.size)
    return Patch(box, ground.original(box), mask.alpha(box))


OPERATION = CleanOperation(
    name="restore",
    title="Restore",
    summary="Paints the photo back as it was before any repair.",
    parameters=Restore,
    repair=repair,
    gesture="stroke",
    leaves_traces=False,
    rank=100,
    how="Paint the photo back as it was before any repair.",
    tip=("flow", "spacing"),
    interchangeable=True,
)
