"""What an operation is. A module in a station's folder makes one and names it `OPERATION`."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any, ClassVar, Generic, Literal, TypeVar

from pydantic import BaseModel, ConfigDict, ValidationError

from fern_ticket.core.ledger.controls import Control, Shown, ShownRuler, shown


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


class Makes(StrEnum):
    """What of a picture an operation makes: the starting picture, patches of pixels, pieces laid on it, light and
    colour, or the frame."""

    SOURCE = "source"
    PATCHES = "patches"
    PIECES = "pieces"
    LIGHT = "light"
    FRAME = "frame"


#: What a person does on the picture to make a step: nothing, paint, draw around, click, draw a line or drag corners.
Gesture = Literal["none", "stroke", "outline", "click", "line", "corners", "crop", "list"]


class Parameters(BaseModel):
    """Base of every operation's parameters: unknown names are refused, values do not change in place."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)


P = TypeVar("P", bound=Parameters)


class Traits(BaseModel):
    """What others have to know of an operation: whoever draws a deck, a report, a measure.

    `alone`: its controls can make a step without anything done on the picture. `begun`: what such a step starts with,
    each ruler at rest.
    `limits`: it sets limits to later repairs instead of repairing. `tunable`: it can be taken in part, by its strength.
    """

    gesture: Gesture
    how: str
    params: list[str]
    group: str
    controls: list[Shown]
    tip: list[str]
    interchangeable: bool
    advised: bool
    yields: bool
    rank: int
    alone: bool
    begun: dict[str, Any]
    masked: bool
    limits: bool
    tunable: bool
    alters: bool
    proposed: bool
    takes: int
    charted: bool
    example: dict[str, Any]


@dataclass(frozen=True)
class Operation(Generic[P]):
    """One kind of edit, with its traits: what a page, a report or a measure has to know of it.

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
        Parameters for another photo, without what belongs to this one; None where the step has no meaning there.
    gesture
        What a person does on the picture to make a step of it.
    controls
        What a person sets of it in the deck.
    group
        The group of controls in its station's deck that it belongs to; empty where the deck has no groups.
    how
        What the hand does to use it, in a sentence.
    tip
        Which rulers of the tip a stroke of it has beside size and softness.
    interchangeable
        Whether a place of it may be given to another interchangeable operation, and the other way round.
    advised
        Whether the program looks at a place of it to say that another operation fits better there.
    yields
        Whether it gives way, unless a person wants it so, to a method that surely fits a place better.
    rank
        Its place among those of its station, lower first: in the deck, and for light where a new step goes.
    label
        `(params)` to what stands on its stub; None for the title.
    example
        Parameters with which it does something, for trying it out.
    alters
        Whether it counts as an alteration that is declared.
    proposed
        Whether the program proposes its parameters from the picture as it is before it.
    takes
        How many results it has to choose from; 0 where there is one.
    delivered_size
        Whether it sets the size of the result, which a slip decides instead.
    decided
        `(params)` to how many of its places a person has decided about, and how many there are; None where there is
        nothing to decide.
    charted
        Whether it works in a plane of the scene, or in a view into a panorama, too.
    tellable
        Whether a file's data can tell it to whoever shows the file, instead of its being made.
    """

    name: str
    title: str
    summary: str
    parameters: type[P]
    elsewhere: Callable[[P], P | None] = field(default=lambda params: params, kw_only=True)
    gesture: Gesture = field(default="none", kw_only=True)
    controls: tuple[Control, ...] = field(default=(), kw_only=True)
    group: str = field(default="", kw_only=True)
    how: str = field(default="", kw_only=True)
    tip: tuple[str, ...] = field(default=(), kw_only=True)
    interchangeable: bool = field(default=False, kw_only=True)
    advised: bool = field(default=False, kw_only=True)
    yields: bool = field(default=False, kw_only=True)
    rank: int = field(default=50, kw_only=True)
    label: Callable[[P], str] | None = field(default=None, kw_only=True)
    example: Mapping[str, Any] = field(default_factory=dict, kw_only=True)
    alters: bool = field(default=True, kw_only=True)
    proposed: bool = field(default=False, kw_only=True)
    takes: int = field(default=0, kw_only=True)
    delivered_size: bool = field(default=False, kw_only=True)
    decided: Callable[[P], tuple[int, int]] | None = field(default=None, kw_only=True)
    tellable: bool = field(default=False, kw_only=True)
    charted: bool = field(default=False, kw_only=True)

    makes: ClassVar[Makes]

    @property
    def station(self) -> Station:
        raise NotImplementedError

    @property
    def masked(self) -> bool:
        """Whether a step of it needs a mask: the place that it works on."""
        return False

    @property
    def limits(self) -> bool:
        """Whether it sets limits to the steps after it and changes no pixel itself."""
        return False

    @property
    def tunable(self) -> bool:
        """Whether it can be taken in part."""
        return not self.limits and self.makes is not Makes.FRAME

    def places(self, params: P) -> int:
        """In how many places of the picture a step of it works; 0 for one that works on the whole."""
        del params
        return 0

    def traits(self) -> Traits:
        """What is served of it beside its schema."""
        controls = [shown(one, self.parameters) for one in self.controls]
        rulers = [one for one in controls if isinstance(one, ShownRuler)]
        begun = {one.param: (one.rest - one.plus) / one.times for one in rulers}
        try:
            self.parameters.model_validate(begun)
            alone = not self.masked
        except ValidationError:
            alone = False
        return Traits(
            gesture=self.gesture,
            how=self.how,
            params=list(self.parameters.model_fields),
            group=self.group,
            controls=controls,
            tip=list(self.tip),
            interchangeable=self.interchangeable,
            advised=self.advised,
            yields=self.yields,
            rank=self.rank,
            alone=alone,
            begun=begun,
            masked=self.masked,
            limits=self.limits,
            tunable=self.tunable,
            alters=self.alters,
            proposed=self.proposed,
            takes=self.takes,
            charted=self.charted,
            example=dict(self.example),
        )
