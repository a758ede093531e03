"""Dab: one click on a small blemish; it is replaced from what lies around it.

A heal whose place is a round dab. It differs in what a person may leave out: nothing but the place is needed.
"""

from __future__ import annotations

from fern_ticket.core.clean import heal
from fern_ticket.core.clean.repair import CleanOperation


class Dab(heal.Heal):
    pass


OPERATION = CleanOperation(
    name="dab",
    title="Dab",
    summary="Replaces a small blemish from its surroundings.",
    parameters=Dab,
    reads=heal.reads,
    repair=heal.repair,
    settle=heal.settle,
    charted=True,
    gesture="click",
    rank=10,
    how="Click a small blemish. It is replaced from what lies around it.",
)
