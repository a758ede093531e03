"""Decide what a new step leaves open: a healing source, the white at a neutral mark, the angle of a line.

Done once, when the step is made, and written into the step, so that nothing moves when other steps change.
"""

from __future__ import annotations

from collections.abc import Sequence

from fern_ticket.core.balance.light import BalanceOperation
from fern_ticket.core.clean.repair import CleanOperation, needed_mask
from fern_ticket.core.frame.geometry import FrameOperation, FrameState
from fern_ticket.core.inspect.measures import area_mean
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.operations import operation_of, parameters_of
from fern_ticket.core.pictures.pyramid import Source
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture
from fern_ticket.core.source.operation import Opener, SourceOperation, no_other


def settle(
    source: Source, name: str, before: Sequence[Step], step: Step, cache: ByteCache, other: Opener = no_other
) -> Step:
    """The step with nothing left open.

    Parameters
    ----------
    source, name
        The picture, and the name its cached results go by.
    before
        The steps of the ledger that come before this one.
    step
        The new or changed step.
    cache
        Where results may be kept.
    other
        Opens other pictures that steps name.
    """
    operation, params = operation_of(step), parameters_of(step)
    decided: Parameters | None = None
    if isinstance(operation, SourceOperation) and operation.settle is not None:
        decided = operation.settle(params, source, other)
    elif isinstance(operation, CleanOperation) and operation.settle is not None:
        mask = needed_mask(step.mask, operation.title) if operation.masked else step.mask
        ground = LedgerPicture(source, name, before, cache, other).repaired.ground()
        decided, mask = operation.settle(params, mask, ground)
        step = step.model_copy(update={"mask": mask})
    elif isinstance(operation, FrameOperation) and operation.settle is not None:
        state = FrameState.whole(source.size)
        for earlier in before:
            earlier_operation = operation_of(earlier)
            if earlier.active and isinstance(earlier_operation, FrameOperation):
                state = earlier_operation.apply(state, parameters_of(earlier), earlier.strength)
        decided = operation.settle(state, params)
    elif isinstance(operation, BalanceOperation) and operation.settle is not None:
        picture = LedgerPicture(source, name, before, cache, other)
        decided = operation.settle(params, lambda mark: area_mean(picture, mark, picture.light))
    if decided is None:
        return step
    return step.model_copy(update={"params": decided.model_dump(mode="json", exclude_none=True)})
