"""Every operation there is, found by looking into the stations' folders."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Sequence
from functools import lru_cache
from types import MappingProxyType
from typing import Any

from pydantic import ValidationError

from fern_ticket.core.balance.light import BalanceOperation
from fern_ticket.core.clean.repair import CleanOperation
from fern_ticket.core.errors import LedgerError
from fern_ticket.core.ledger.operation import Operation, Parameters
from fern_ticket.core.ledger.steps import Step, first_problem
from fern_ticket.core.pieces.operation import PieceOperation
from fern_ticket.core.source.operation import SourceOperation
from fern_ticket.core.stations import STATIONS, StationRow, row_of


@lru_cache(maxsize=1)
def operations() -> MappingProxyType[str, Operation[Any]]:
    """Name to operation. A module of a station's folder that has an `OPERATION` adds one."""
    found: dict[str, Operation[Any]] = {}
    for package in (row.folder for row in STATIONS if row.folder is not None):
        for module in sorted(pkgutil.iter_modules(package.__path__), key=lambda m: m.name):
            loaded = importlib.import_module(f"{package.__name__}.{module.name}")
            operation = getattr(loaded, "OPERATION", None)
            if operation is not None:
                found[operation.name] = operation
    return MappingProxyType(found)


def operation_of(step: Step) -> Operation[Any]:
    try:
        return operations()[step.op]
    except KeyError:
        raise LedgerError(
            f"There is no operation called {step.op}.", f"There are: {', '.join(sorted(operations()))}."
        ) from None


def parameters_of(step: Step) -> Parameters:
    """The step's parameters, checked against its operation's model.

    Raises
    ------
    LedgerError
        Unknown operation, unknown parameter, or a value out of its range.
    """
    found: Parameters | None = step.derived.get("parameters")
    if found is None:
        operation = operation_of(step)
        try:
            found = operation.parameters.model_validate(step.params)
        except ValidationError as error:
            raise LedgerError(f"{operation.title}: {first_problem(error)}.") from error
        step.derived["parameters"] = found
    return found


def station_of(step: Step) -> StationRow:
    """The row of the step's station in the table of stations."""
    return row_of(operation_of(step).station)


def before_of(steps: Sequence[Step], step: Step) -> str | None:
    """The step that a new one goes before, so that the order of work does not matter; or None.

    Steps on light and colour have their rank; what leads repairs goes before the first that it can lead.
    """
    operation = operation_of(step)
    if any(one.id == step.id for one in steps):
        return None
    for one in steps:
        other = operation_of(one)
        if isinstance(operation, BalanceOperation) and isinstance(other, BalanceOperation):
            if other.station is operation.station and other.rank > operation.rank:
                return one.id
        elif isinstance(operation, CleanOperation) and operation.leads and other.takes:
            return one.id
    return None


def label_of(step: Step) -> str:
    """What stands on the step's stub."""
    operation = operation_of(step)
    return operation.title if operation.label is None else operation.label(parameters_of(step))


def decided_of(steps: Sequence[Step]) -> dict[str, tuple[int, int]]:
    """Of each kind of place that a person decides about, by operation: how many are decided, and how many there are."""
    found: dict[str, tuple[int, int]] = {}
    for step in steps:
        decided = operation_of(step).decided
        if decided is not None and step.enabled:
            done, count = decided(parameters_of(step))
            before = found.get(step.op, (0, 0))
            found[step.op] = (before[0] + done, before[1] + count)
    return found


def drawn_of(steps: Sequence[Step]) -> dict[str, dict[str, list[float]]]:
    """Lines that are drawn of steps, by the step's id and the line's name: evenly spaced values 0-1."""
    return {one.id: lines for step in steps for one in (step, *held_by(step)) if (lines := _drawn(one))}


def held_by(step: Step) -> Sequence[Step]:
    """The steps that it holds, if it is one that does."""
    operation = operation_of(step)
    return operation.holds(parameters_of(step)) if isinstance(operation, BalanceOperation | PieceOperation) else ()


def pictures_of(step: Step) -> Sequence[str]:
    """Names of the pictures that a piece shows; an empty one is the photo itself."""
    operation = operation_of(step)
    return operation.pictures(parameters_of(step)) if isinstance(operation, PieceOperation) else ()


def frames_of(step: Step) -> Sequence[str]:
    """Names of the other pictures that it makes the starting picture of."""
    operation = operation_of(step)
    return operation.frames(parameters_of(step)) if isinstance(operation, SourceOperation) else ()


def _drawn(step: Step) -> dict[str, list[float]]:
    found: dict[str, list[float]] | None = step.derived.get("drawn")
    if found is None:
        operation = operation_of(step)
        draw = operation.drawn if isinstance(operation, BalanceOperation) else None
        lines = {} if draw is None else draw(parameters_of(step))
        found = step.derived["drawn"] = {name: list(values) for name, values in lines.items()}
    return found


def describe() -> dict[str, Any]:
    """Name to {station, title, summary, schema, and traits}, as JSON values: the contract of `./fern ops`."""
    return {
        name: {
            "station": operation.station.value,
            "title": operation.title,
            "summary": operation.summary,
            "schema": operation.parameters.model_json_schema(),
            **operation.traits().model_dump(),
        }
        for name, operation in operations().items()
    }
