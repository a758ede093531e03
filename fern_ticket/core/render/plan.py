"""A ledger, made ready: its steps sorted into stations and checked."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from fern_ticket.core.balance.light import BalanceOperation
from fern_ticket.core.balance.marks import Mark
from fern_ticket.core.balance.white_balance import WhiteBalance
from fern_ticket.core.clean.repair import CleanOperation
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
            repairs.append(Repair(step, operation, params))
        elif isinstance(operation, BalanceOperation):
            lighting.append(Lighting(step, operation, params))
            if isinstance(params, WhiteBalance):
                neutrals.extend(params.neutrals)
        elif isinstance(operation, FrameOperation):
            state = operation.apply(state, params, step.strength)
    lighting.sort(key=lambda one: one.operation.station is Station.FINISH)
    return Plan(tuple(sourcing), tuple(repairs), tuple(lighting), state.finished(), tuple(neutrals))
