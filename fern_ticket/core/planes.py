"""Planes that steps of a ledger name, laid into the steps that work in them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from fern_ticket.core.clean.repair import CleanOperation
from fern_ticket.core.ledger.charts import CornersChart, PlaneChart
from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.operations import operation_of, parameters_of
from fern_ticket.core.pictures.plane import PlaneMap


def in_planes(steps: Sequence[Step]) -> Sequence[Step]:
    """The steps, those that work in a plane by its name with the corners that it has now.

    One whose plane is gone or off works in the photo's own.
    """
    if not any(isinstance(step.chart, PlaneChart) for step in steps):
        return steps
    planes = {step.id: plane for step, plane in _named(steps)}
    return [_laid(step, planes.get(step.chart.step)) if isinstance(step.chart, PlaneChart) else step for step in steps]


def _named(steps: Sequence[Step]) -> Iterator[tuple[Step, CornersChart]]:
    for step in steps:
        operation = operation_of(step)
        if step.enabled and isinstance(operation, CleanOperation) and operation.plane is not None:
            yield step, operation.plane(parameters_of(step))


def shapes_of(steps: Sequence[Step], picture: tuple[int, int]) -> dict[str, PlaneMap]:
    """Of each plane that a step names: what takes places in it, as long as they are wide there, to those that its
    corners were set in, shape (3, 3)."""
    return {step.id: _shape(step, plane, picture) for step, plane in _named(steps)}


def _shape(step: Step, plane: CornersChart, picture: tuple[int, int]) -> PlaneMap:
    """Worked out once for a step: every frame tells it."""
    key = ("shape of plane", picture)
    found: PlaneMap | None = step.derived.get(key)
    if found is None:
        found = step.derived[key] = plane.shape(picture)
    return found


def _laid(step: Step, plane: CornersChart | None) -> Step:
    key = ("in plane", None if plane is None else plane.key())
    found: Step | None = step.derived.get(key)
    if found is None:
        found = step.derived[key] = step.model_copy(update={"chart": plane})
    return found
