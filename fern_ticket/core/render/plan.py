"""A ledger, made ready: its steps sorted into stations and checked."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from fern_ticket.core.balance.light import BalanceOperation
from fern_ticket.core.balance.marks import Mark
from fern_ticket.core.balance.white_balance import WhiteBalance
from fern_ticket.core.clean.repair import CleanOperation, needed_mask
from fern_ticket.core.errors import LedgerError
from fern_ticket.core.frame.geometry import Frame, FrameOperation, FrameState
from fern_ticket.core.ledger.operation import Parameters, Station
from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.operations import operation_of, parameters_of
from fern_ticket.core.source.operation import SourceOperation


@dataclass(frozen=True)
class Repair:
    """A Clean step with its checked parameters."""

    step: Step
    operation: CleanOperation[Parameters]
    params: Parameters


@dataclass(frozen=True)
class Sourcing:
    """A step on the starting picture with its checked parameters."""

    step: Step
    operation: SourceOperation[Parameters]
    params: Parameters


@dataclass(frozen=True)
class Lighting:
    """A Balance or Finish step that works on light and colour, with its checked parameters."""

    step: Step
    operation: BalanceOperation[Parameters]
    params: Parameters


@dataclass(frozen=True)
class Plan:
    """What a ledger asks for.

    Attributes
    ----------
    sourcing
        Active steps on the starting picture, in list order.
    repairs
        Active Clean steps in list order.
    lighting
        Active steps on light and colour, Balance before Finish, each in list order.
    frame
        The settled frame.
    neutrals
        Marks of places that should be neutral, of active white balance steps.
    """

    sourcing: tuple[Sourcing, ...]
    repairs: tuple[Repair, ...]
    lighting: tuple[Lighting, ...]
    frame: Frame
    neutrals: tuple[Mark, ...]


def _repairs(step: Step, operation: CleanOperation[Parameters], params: Parameters) -> list[Repair]:
    """One repair, or as many as the step stands for."""
    if operation.masked:
        needed_mask(step.mask, operation.title)
    if operation.parts is None:
        return [Repair(step, operation, params)]
    found = []
    for number, part in enumerate(operation.parts(params)):
        own = Step(**part, id=f"{step.id}.{number}"[-64:], strength=step.strength)
        found.append(Repair(own, operation_of(own), parameters_of(own)))  # type: ignore[arg-type]
    return found


def make_plan(steps: Sequence[Step], size: tuple[int, int]) -> Plan:
    """Sort steps into stations; inside a station the list's order holds.

    Parameters
    ----------
    steps
        The ledger, in any order of stations.
    size
        Width and height of the source.

    Raises
    ------
    LedgerError
        A step that is switched on or off has an unknown operation or wrong parameters.
    """
    sourcing: list[Sourcing] = []
    repairs: list[Repair] = []
    lighting: list[Lighting] = []
    state = FrameState.whole(size)
    neutrals: list[Mark] = []
    for step in steps:
        operation, params = operation_of(step), parameters_of(step)
        if step.mask is not None and not isinstance(operation, CleanOperation):
            raise LedgerError(f"{operation.title} works on the whole picture.", "Leave its mask out.")
        if not step.active:
            continue
        if isinstance(operation, SourceOperation):
            sourcing.append(Sourcing(step, operation, params))
        elif isinstance(operation, CleanOperation):
            repairs.extend(_repairs(step, operation, params))
        elif isinstance(operation, BalanceOperation):
            lighting.append(Lighting(step, operation, params))
            if isinstance(params, WhiteBalance):
                neutrals.extend(params.neutrals)
        elif isinstance(operation, FrameOperation):
            state = operation.apply(state, params, step.strength)
    lighting.sort(key=lambda one: one.operation.station is Station.FINISH)
    return Plan(tuple(sourcing), tuple(repairs), tuple(lighting), state.finished(), tuple(neutrals))
