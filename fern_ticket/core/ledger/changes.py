"""Changes to a ledger: put a step in, or take one out."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from fern_ticket.core.errors import LedgerError
from fern_ticket.core.ledger.steps import MAX_STEPS, Step


class PutStep(BaseModel):
    """Replace the step with the same id where it stands; else add it, in front of `before` or at the end."""

    model_config = ConfigDict(extra="forbid")

    kind: Literal["put"] = "put"
    step: Step
    before: str | None = Field(default=None, max_length=64)


class RemoveStep(BaseModel):
    model_config = ConfigDict(extra="forbid")

    kind: Literal["remove"] = "remove"
    id: str = Field(max_length=64)


class MoveStep(BaseModel):
    """Take a step from where it stands to just before another of its station, or to the station's end."""

    model_config = ConfigDict(extra="forbid")

    kind: Literal["move"] = "move"
    id: str = Field(max_length=64)
    before: str | None = Field(default=None, max_length=64)


Change = Annotated[PutStep | RemoveStep | MoveStep, Field(discriminator="kind")]


def put(steps: Sequence[Step], step: Step, before: str | None = None) -> tuple[list[Step], int]:
    """The ledger with the step in it, and where it stands. See `PutStep`."""
    after = list(steps)
    for index, present in enumerate(after):
        if present.id == step.id:
            after[index] = step
            return after, index
    if len(after) >= MAX_STEPS:
        raise LedgerError(f"The ledger has {MAX_STEPS} steps, which is the most.", "Remove some first.")
    place = next((i for i, present in enumerate(after) if present.id == before), len(after))
    after.insert(place, step)
    return after, place


def move(steps: Sequence[Step], step_id: str, before: str | None) -> list[Step]:
    """The ledger with a step in another place; with no `before` it goes to the end. See `remove` for what it raises."""
    rest = remove(steps, step_id)
    step = next(step for step in steps if step.id == step_id)
    place = next((index for index, present in enumerate(rest) if present.id == before), len(rest))
    return [*rest[:place], step, *rest[place:]]


def remove(steps: Sequence[Step], step_id: str) -> list[Step]:
    """The ledger without a step.

    Raises
    ------
    LedgerError
        There is no such step.
    """
    after = [step for step in steps if step.id != step_id]
    if len(after) == len(steps):
        raise LedgerError("That step is not in the ledger any more.", "Reload the bench to see its newest state.")
    return after
