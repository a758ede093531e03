"""Avoid: a place that later repairs do not copy from."""

from __future__ import annotations

from fern_ticket.core.clean.limits import Limits
from fern_ticket.core.clean.repair import CleanOperation
from fern_ticket.core.ledger.operation import Parameters


class Avoid(Parameters):
    pass


OPERATION = CleanOperation(
    name="avoid",
    title="Avoid",
    summary="A place that later repairs do not copy from.",
    parameters=Avoid,
    limit=lambda _, mask: Limits(avoided=() if mask is None else (mask,)),
    gesture="stroke",
    alters=False,
    rank=150,
    how="Paint what later repairs must not copy from.",
)
