"""Mirrors: places in which the camera can show, each to be looked at by a person. They change no pixel."""

from __future__ import annotations

from pydantic import Field

from fern_ticket.core.clean.limits import Limits
from fern_ticket.core.clean.repair import CleanOperation
from fern_ticket.core.ledger.charts import Coordinate
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.regions import NOWHERE


class Mirror(Parameters):
    x: Coordinate
    y: Coordinate
    looked: bool = Field(default=False, description="Whether somebody looked for the camera in it.")


class Mirrors(Parameters):
    places: list[Mirror] = Field(default_factory=list, max_length=200)


def decided(params: Mirrors) -> tuple[int, int]:
    return sum(one.looked for one in params.places), len(params.places)


OPERATION = CleanOperation(
    name="mirrors",
    title="Mirrors",
    summary="Marks mirrors, each to be looked at for the camera and its stand.",
    parameters=Mirrors,
    covers=lambda *_: NOWHERE,
    limit=lambda *_: Limits(),
    decided=decided,
    everywhere=True,
    alters=False,
    gesture="list",
    example={"places": [{"x": 80, "y": 80}]},
    rank=126,
    label=lambda params: f"Mirrors · {sum(one.looked for one in params.places)} of {len(params.places)}",
    how="Click each mirror; tick it when neither camera nor stand shows in it.",
)
