"""Planes that steps of a ledger name, laid into the steps that work in them."""

from __future__ import annotations

from collections.abc import Sequence

from fern_ticket.core.clean.repair import CleanOperation
from fern_ticket.core.ledger.charts import CornersChart, PlaneChart
from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.operations import operation_of, parameters_of


def in_planes(steps: Sequence[Step]) -> Sequence[Step]:
    """The steps, those that work in a plane by its name with the corners that it has now.

    One whose plane is gone or off works in the photo's own.
    """
    if not any(isinstance(step.chart, PlaneChart) for step in steps):
        return steps
    planes = {step.id: found for step in steps if step.enabled and (found := _plane_of(step)) is not None}
    return [_laid(step, planes.get(step.chart.step)) if isinstance(step.chart, PlaneChart) else step for step in steps]


def _plane_of(step: Step) -> CornersChart | None:
    operation = operation_of(step)
    if not isinstance(operation, CleanOperation) or operation.plane is None:
        return None
    return operation.plane(parameters_of(step))


def _laid(step: Step, plane: CornersChart | None) -> Step:
    key = ("in plane", None if plane is None else plane.key())
    found: Step | None = step.derived.get(key)
    if found is None:
        found = step.derived[key] = step.model_copy(update={"chart": plane})
    return found
