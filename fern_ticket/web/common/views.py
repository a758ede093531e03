"""Ledgers as the page sees them."""

from __future__ import annotations

from fastapi import Response
from pydantic import BaseModel

from fern_ticket.core.errors import LedgerError
from fern_ticket.core.ledger.masks import BitmapMask
from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.operations import label_of, operation_of
from fern_ticket.store.ledgers import digest_of, spliced
from fern_ticket.store.records import Ledger


class StepView(BaseModel):
    """A step with what its stub shows."""

    step: Step
    title: str
    station: str


class LedgerView(BaseModel):
    revision: int
    can_undo: bool
    can_redo: bool
    summary: str
    steps: list[StepView]


class SpliceView(BaseModel):
    """In the list of steps, `gone` of them from `at` on replaced by others."""

    at: int
    gone: int
    new: list[StepView]


class LedgerChange(BaseModel):
    """What a new revision changes of the one before: splices are made one after the other."""

    before: int
    revision: int
    can_undo: bool
    can_redo: bool
    summary: str
    splices: list[SpliceView]


def step_view(step: Step) -> StepView:
    view: StepView | None = step.derived.get("view")
    if view is None:
        operation = operation_of(step)
        view = step.derived["view"] = StepView(step=step, title=label_of(step), station=operation.station.value)
    return view


def ledger_view(ledger: Ledger) -> LedgerView:
    return LedgerView(
        revision=ledger.revision,
        can_undo=ledger.can_undo,
        can_redo=ledger.can_redo,
        summary=ledger.summary,
        steps=[step_view(step) for step in ledger.steps],
    )


def ledger_change(before: Ledger, after: Ledger) -> LedgerChange:
    """What a new revision changes of the one before."""
    splices = spliced([digest_of(step) for step in before.steps], [digest_of(step) for step in after.steps])
    known = {digest_of(step): step for step in after.steps} if splices else {}
    return LedgerChange(
        before=before.revision,
        revision=after.revision,
        can_undo=after.can_undo,
        can_redo=after.can_redo,
        summary=after.summary,
        splices=[
            SpliceView(at=one.at, gone=one.gone, new=[step_view(known[digest]) for digest in one.new])
            for one in splices
        ],
    )


def as_json(model: BaseModel) -> Response:
    """A long answer, written once: it is checked already."""
    return Response(model.model_dump_json(), media_type="application/json")


def refuse_files(step: Step) -> None:
    """Raises LedgerError for a mask that names a file: files are the command line's."""
    if isinstance(step.mask, BitmapMask):
        raise LedgerError("Bitmap masks cannot come from the page.", "Paint the place with strokes.")
