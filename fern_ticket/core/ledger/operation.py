"""What an operation is. A module in a station's folder makes one and names it `OPERATION`."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Generic, TypeVar

from pydantic import BaseModel, ConfigDict


class Station(StrEnum):
    """The groups of work, in the order in which they are rendered."""

    SOURCE = "source"
    CLEAN = "clean"
    PIECES = "pieces"
    BALANCE = "balance"
    AREAS = "areas"
    FRAME = "frame"
    FINISH = "finish"
    OUTPUT = "output"


class Parameters(BaseModel):
    """Base of every operation's parameters: unknown names are refused, values do not change in place."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)


P = TypeVar("P", bound=Parameters)


@dataclass(frozen=True)
class Operation(Generic[P]):
    """One kind of edit.

    Attributes
    ----------
    name
        As in a step's `op`, lower case.
    title
        As a person reads it on a stub.
    summary
        One sentence: what it does.
    parameters
        The Pydantic model of its parameters.
    elsewhere
        Parameters for another photo: without what belongs to this one.
    """

    name: str
    title: str
    summary: str
    parameters: type[P]
    elsewhere: Callable[[P], P] = field(default=lambda params: params, kw_only=True)

    @property
    def station(self) -> Station:
        raise NotImplementedError
