"""What an operation is. A module in a station's folder makes one and names it `OPERATION`."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any, ClassVar, Generic, Literal, TypeVar

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


class Makes(StrEnum):
    """What of a picture an operation makes: the starting picture, patches of pixels, light and colour, or the frame."""

    SOURCE = "source"
    PATCHES = "patches"
    LIGHT = "light"
    FRAME = "frame"


#: What a person does on the picture to make a step: nothing, paint, draw around, click, draw a line or drag corners.
Gesture = Literal["none", "stroke", "outline", "click", "line", "corners", "crop", "list"]


class Parameters(BaseModel):
    """Base of every operation's parameters: unknown names are refused, values do not change in place."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)


P = TypeVar("P", bound=Parameters)


@dataclass(frozen=True)
class Ruler:
    """How a number of an operation's parameters is set by hand.

    Attributes
    ----------
    param
        The parameter.
    unit
        As shown behind the value; empty for bare numbers.
    step
        The least that a hand moves it by, in the parameter's own values times `times`.
    low, high
        Ends of the ruler where these are nearer than what the parameter allows.
    rest
        Where it stands when nothing is changed; left out, the parameter's default.
    times
        What the parameter is multiplied by for showing: 100 for a share shown in per cent.
    name
        What it is called; left out, the parameter's name.
    logarithmic
        Whether equal ways on it are equal factors.
    """

    param: str
    unit: str = ""
    step: float = 1.0
    low: float | None = None
    high: float | None = None
    rest: float | None = None
    times: float = 1.0
    name: str = ""
    logarithmic: bool = False


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
    rulers
        Numbers that a person sets.
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
    """

    name: str
    title: str
    summary: str
    parameters: type[P]
    elsewhere: Callable[[P], P | None] = field(default=lambda params: params, kw_only=True)
    gesture: Gesture = field(default="none", kw_only=True)
    rulers: tuple[Ruler, ...] = field(default=(), kw_only=True)
    example: Mapping[str, Any] = field(default_factory=dict, kw_only=True)
    alters: bool = field(default=True, kw_only=True)
    proposed: bool = field(default=False, kw_only=True)
    takes: int = field(default=0, kw_only=True)
    delivered_size: bool = field(default=False, kw_only=True)

    makes: ClassVar[Makes]

    @property
    def station(self) -> Station:
        raise NotImplementedError

    @property
    def masked(self) -> bool:
        """Whether a step of it needs a mask: the place that it works on."""
        return False

    def places(self, params: P) -> int:
        """In how many places of the picture a step of it works; 0 for one that works on the whole."""
        del params
        return 0

    def traits(self) -> dict[str, Any]:
        """What is served of it beside its schema, as JSON values."""
        fields = self.parameters.model_fields
        schema = self.parameters.model_json_schema().get("properties", {})
        return {
            "gesture": self.gesture,
            "masked": self.masked,
            "alters": self.alters,
            "proposed": self.proposed,
            "takes": self.takes,
            "example": dict(self.example),
            "rulers": [_ruler(one, schema[one.param], fields[one.param].default) for one in self.rulers],
        }


def _ruler(ruler: Ruler, schema: Mapping[str, Any], default: object) -> dict[str, Any]:
    """A ruler with its range and rest value, in shown values."""
    options: list[Mapping[str, Any]] = [schema, *schema.get("anyOf", ())]
    ranged = next((one for one in options if "minimum" in one or "maximum" in one), schema)
    rest = ruler.rest if ruler.rest is not None else default if isinstance(default, int | float) else 0
    low = ruler.low if ruler.low is not None else ranged.get("minimum", ranged.get("exclusiveMinimum"))
    high = ruler.high if ruler.high is not None else ranged.get("maximum", ranged.get("exclusiveMaximum"))
    if low is None or high is None:
        raise ValueError(f"the ruler of {ruler.param} has no ends")
    return {
        "param": ruler.param,
        "name": ruler.name or ruler.param.replace("_", " "),
        "unit": ruler.unit,
        "step": ruler.step,
        "low": low * ruler.times,
        "high": high * ruler.times,
        "rest": rest * ruler.times,
        "times": ruler.times,
        "logarithmic": ruler.logarithmic,
    }
