"""A step and a list of steps, checked."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Mapping, Sequence
from functools import cached_property
from typing import Any
from uuid import uuid4

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from fern_ticket.core.errors import LedgerError
from fern_ticket.core.ledger.charts import ChartSpec
from fern_ticket.core.ledger.covers import Cover
from fern_ticket.core.ledger.masks import Mask

#: A ledger longer than this is a mistake of the sender.
MAX_STEPS = 5000


def new_id() -> str:
    return uuid4().hex[:12]


class Step(BaseModel):
    """One edit: what, how, where, whether, and how much of it.

    Attributes
    ----------
    mask
        The place that a repair works on.
    chart
        The plane in which a repair works; left out, the photo's own.
    cover
        Where a step on light counts; left out, everywhere.
    above
        Whether a repair is made on the picture with its pieces; left out, it is made on the photo under them.
    strength
        0 leaves the picture as it was before the step, 1 takes the whole effect.
    """

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)

    id: str = Field(default_factory=new_id, min_length=1, max_length=64)
    op: str = Field(max_length=64)
    params: dict[str, Any] = Field(default_factory=dict)
    mask: Mask | None = None
    chart: ChartSpec | None = None
    cover: Cover | None = None
    above: bool | None = None
    enabled: bool = True
    strength: float = Field(default=1.0, ge=0, le=1)

    @property
    def active(self) -> bool:
        return self.enabled and self.strength > 0

    @cached_property
    def derived(self) -> dict[Any, Any]:
        """What was worked out from the step; a step does not change, so it holds as long as the step is in use."""
        return {}

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Step:
        copied = super().model_copy(update=update, deep=deep)
        for name in ("derived", "_digest"):
            copied.__dict__.pop(name, None)
        return copied

    def key(self) -> str:
        """A digest of everything that shapes the step's own result: not its strength, nor whether it is on."""
        return self._digest

    @cached_property
    def _digest(self) -> str:
        body = json.dumps({"op": self.op, "params": self.params}, sort_keys=True, allow_nan=False)
        digest = hashlib.sha256(body.encode())
        for part in (self.mask, self.chart, self.cover):
            if part is not None:
                digest.update(part.key().encode())
        return digest.hexdigest()


def read_steps(raw: object) -> list[Step]:
    """Steps from parsed JSON.

    Raises
    ------
    LedgerError
        Says which step is wrong and why.
    """
    if not isinstance(raw, list):
        raise LedgerError("The steps are not a list.", 'Write [{"op": "exposure", "params": {"ev": 0.3}}].')
    if len(raw) > MAX_STEPS:
        raise LedgerError(f"There are {len(raw)} steps.", f"At most {MAX_STEPS} make sense in one ledger.")
    steps = []
    for number, item in enumerate(raw, 1):
        try:
            steps.append(Step.model_validate(item))
        except ValidationError as error:
            raise LedgerError(f"Step {number} is not a step: {first_problem(error)}.") from error
    repeated = _repeated(step.id for step in steps)
    if repeated:
        raise LedgerError(f"Two steps have the id {repeated}.", "Give each its own, or leave ids out.")
    return steps


def first_problem(error: ValidationError) -> str:
    """The first of a model's complaints, as a clause for a person."""
    problem = error.errors(include_url=False, include_input=False)[0]
    place = ".".join(str(part) for part in problem["loc"])
    return f"{place}: {problem['msg']}" if place else str(problem["msg"])


def _repeated(ids: Iterable[str]) -> str | None:
    seen: set[str] = set()
    for name in ids:
        if name in seen:
            return name
        seen.add(name)
    return None


def steps_json(steps: Sequence[Step]) -> list[dict[str, Any]]:
    """Steps as plain JSON values."""
    return [step.model_dump(mode="json", exclude_none=True) for step in steps]
