"""Steps for other photos: what they keep, and how they are laid into a ledger that has steps of its own."""

from __future__ import annotations

from collections.abc import Sequence

from fern_ticket.core.ledger.changes import put
from fern_ticket.core.ledger.steps import Step, new_id
from fern_ticket.core.operations import before_of, operation_of, parameters_of, station_of


def portable(step: Step) -> Step | None:
    """The step without what belongs to one photo only, such as neutral marks; the values found there stay.

    None for a step that has no meaning elsewhere, such as a merge of other pictures.
    """
    operation = operation_of(step)
    params = operation.elsewhere(parameters_of(step))
    if params is None:
        return None
    return step.model_copy(update={"id": new_id(), "params": params.model_dump(mode="json", exclude_none=True)})


def laid(steps: Sequence[Step], added: Sequence[Step]) -> list[Step]:
    """A ledger with other steps laid into it.

    Where a station has many of a kind, such as repairs, they are added. Elsewhere a step takes the place of the present
    one of its operation, as there is one ruler for each.
    """
    result = list(steps)
    for one in added:
        step = portable(one)
        if step is None:
            continue
        if not station_of(step).many:
            present = next((own.id for own in result if own.op == one.op), None)
            if present is not None:
                step = step.model_copy(update={"id": present})
        result, _ = put(result, step, before_of(result, step))
    return result
