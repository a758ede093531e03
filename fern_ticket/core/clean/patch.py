"""Patch: an outlined place takes its texture from where it was dragged to; colour and light are matched at its rim."""

from __future__ import annotations

from fern_ticket.core.clean import heal
from fern_ticket.core.clean.repair import CleanOperation


class PatchFrom(heal.Heal):
    pass


OPERATION = CleanOperation(
    name="patch",
    title="Patch",
    summary="Fills an outline with texture from another place and matches colour and light at its rim.",
    parameters=PatchFrom,
    reads=heal.reads,
    repair=heal.repair,
    settle=heal.settle,
    charted=True,
    gesture="outline",
    rank=40,
    how="Draw round a place, then drag it to where the texture is right.",
    interchangeable=True,
)
