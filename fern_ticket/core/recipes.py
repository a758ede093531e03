"""Steps for other photos: what they keep, and how they are laid into a ledger that has steps of its own."""

from __future__ import annotations

from collections.abc import Sequence

from fern_ticket.core.ledger.changes import put
from fern_ticket.core.ledger.operation import Station
from fern_ticket.core.ledger.steps import Step, new_id
from fern_ticket.core.operations import before_of, operation_of, parameters_of


def portable(step: Step) -> Step:
    """The step without what belongs to one photo only, such as neutral marks; the values found there stay."""
    operation = operation_of(step)
    params = operation.elsewhere(parameters_of(step))
    return step.model_copy(update={"id": new_id(), "params": params.model_dump(mode="json", exclude_none=True)})


def laid(steps: Sequence[Step], added: Sequence[Step]) -> list[Step]:
    """A ledger with other steps laid into it.

    Repairs are added. A step on light or frame takes the place of the present one of its operation, as there is one
    ruler for each.
    """
    result = list(steps)
    for one in added:
        step = portable(one)
        if operation_of(step).station is not Station.CLEAN:
            present = next((own.id for own in result if own.op == step.op), None)
            if present is not None:
                step = step.model_copy(update={"id": present})
        result, _ = put(result, step, before_of(result, step))
    return result
