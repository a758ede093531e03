"""How the parameters of a step are set by hand: rulers, choices, switches, and editors with a gesture of their own.

An operation declares them; `shown` completes each with what its parameter's own model says, so that whoever draws a
deck needs no range, unit or rest value of its own.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field
from pydantic.fields import FieldInfo

#: How a ruler's values lie along it: evenly, by equal factors, or evenly in one over the value, as light is in mired.
Scale = Literal["linear", "logarithmic", "reciprocal"]
#: What is set by a gesture of its own: points of a curve, families of hue, trims of grey by family, frames of a series,
#: one frame, a colour, places that are picked, the way that a shadow falls, a shadow that is carried along.
EditorKind = Literal["curve", "bands", "trims", "frames", "frame", "colour", "places", "cast", "shade"]


@dataclass(frozen=True)
class Ruler:
    """A number, set on a ruler.

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
    ends
        What lies toward its ends, in words.
    scale
        How its values lie along it.
    plus
        What is added for showing, after `times`: softness is 100 less 100 times the hardness.
    """

    param: str
    unit: str = ""
    step: float = 1.0
    low: float | None = None
    high: float | None = None
    rest: float | None = None
    times: float = 1.0
    name: str = ""
    ends: tuple[str, str] | None = None
    scale: Scale = "linear"
    plus: float = 0.0


@dataclass(frozen=True)
class Choice:
    """One of a few words, as the parameter's model lists them.

    `begins`: what else a step has that is made by choosing; None where the step must be there before.
    """

    param: str
    name: str = ""
    begins: Mapping[str, Any] | None = None


@dataclass(frozen=True)
class Switch:
    """Yes or no."""

    param: str
    name: str = ""


@dataclass(frozen=True)
class Presence:
    """The step itself, there with its defaults or not."""

    name: str


@dataclass(frozen=True)
class Editor:
    """Something that is set by a gesture of its own.

    Attributes
    ----------
    kind
        Which gesture.
    param, name
        The parameter, and what it is called.
    model, rulers
        Of one of its items.
    items, places
        Names of the items that are always offered, and where each lies, in the unit of the items.
    begins
        What else a step has that is made by it.
    """

    kind: EditorKind
    param: str
    name: str = ""
    model: type[BaseModel] | None = None
    rulers: tuple[Ruler, ...] = ()
    items: tuple[str, ...] = ()
    places: tuple[float, ...] = ()
    begins: Mapping[str, Any] = field(default_factory=dict)


Control = Ruler | Choice | Switch | Presence | Editor


class _Shown(BaseModel):
    model_config = ConfigDict(frozen=True)

    param: str
    name: str


class ShownRuler(_Shown):
    """A ruler with its ends and its rest value, in shown values: the parameter's own times `times`, plus `plus`."""

    kind: Literal["ruler"] = "ruler"
    unit: str
    step: float
    low: float
    high: float
    rest: float
    times: float
    plus: float
    ends: tuple[str, str] | None
    scale: Scale


class ShownChoice(_Shown):
    kind: Literal["choice"] = "choice"
    options: list[str]
    rest: str
    begins: dict[str, Any] | None


class ShownSwitch(_Shown):
    kind: Literal["switch"] = "switch"
    rest: bool


class ShownEditor(_Shown):
    """An editor; `most` of its items may be there, 0 where that is not counted; `rest` is the colour that is meant
    while none is picked, None where nothing is meant by that."""

    kind: EditorKind
    rulers: list[ShownRuler]
    most: int
    items: list[str]
    places: list[float]
    begins: dict[str, Any]
    rest: tuple[int, int, int] | None


class ShownPresence(_Shown):
    kind: Literal["presence"] = "presence"


ShownControl = ShownRuler | ShownChoice | ShownSwitch | ShownPresence | ShownEditor
Shown = Annotated[ShownControl, Field(discriminator="kind")]


def shown(control: Control, model: type[BaseModel]) -> ShownControl:
    """The control with what `model` says of its parameter.

    Raises
    ------
    ValueError
        A ruler whose parameter has no ends, or a choice whose parameter lists no words.
    """
    if isinstance(control, Presence):
        return ShownPresence(param="", name=control.name)
    schema = model.model_json_schema().get("properties", {})[control.param]
    of_model = model.model_fields[control.param]
    name = control.name or control.param.replace("_", " ")
    if isinstance(control, Ruler):
        return shown_ruler(control, schema, of_model)
    if isinstance(control, Switch):
        return ShownSwitch(param=control.param, name=name, rest=bool(of_model.default))
    if isinstance(control, Choice):
        options = schema.get("enum", ())
        if not options:
            raise ValueError(f"the choice of {control.param} has no words")
        return ShownChoice(
            param=control.param,
            name=name,
            options=list(options),
            rest=str(of_model.default),
            begins=_plain(control.begins),
        )
    item = control.model
    rulers = [] if item is None else shown_rulers(control.rulers, item)
    return ShownEditor(
        param=control.param,
        name=name,
        kind=control.kind,
        rulers=rulers,
        most=schema.get("maxItems", 0),
        items=list(control.items),
        places=list(control.places),
        begins=dict(control.begins),
        rest=of_model.default if control.kind == "colour" else None,
    )


def shown_rulers(rulers: Iterable[Ruler], model: type[BaseModel]) -> list[ShownRuler]:
    """Rulers of one model's numbers, completed."""
    schema = model.model_json_schema()["properties"]
    return [shown_ruler(one, schema[one.param], model.model_fields[one.param]) for one in rulers]


def shown_ruler(ruler: Ruler, schema: Mapping[str, Any], of_model: FieldInfo) -> ShownRuler:
    options: list[Mapping[str, Any]] = [schema, *schema.get("anyOf", ())]
    ranged = next((one for one in options if "minimum" in one or "maximum" in one), schema)
    default = of_model.default
    rest = ruler.rest if ruler.rest is not None else default if isinstance(default, int | float) else 0
    low = ruler.low if ruler.low is not None else ranged.get("minimum", ranged.get("exclusiveMinimum"))
    high = ruler.high if ruler.high is not None else ranged.get("maximum", ranged.get("exclusiveMaximum"))
    if low is None or high is None:
        raise ValueError(f"the ruler of {ruler.param} has no ends")
    rest = min(max(rest, low), high)
    ends = sorted(round(end * ruler.times + ruler.plus, 6) for end in (low, high))
    return ShownRuler(
        param=ruler.param,
        name=ruler.name or ruler.param.replace("_", " "),
        unit=ruler.unit,
        step=ruler.step,
        low=ends[0],
        high=ends[1],
        rest=round(rest * ruler.times + ruler.plus, 6),
        times=ruler.times,
        plus=ruler.plus,
        ends=ruler.ends,
        scale=ruler.scale,
    )


def _plain(begins: Mapping[str, Any] | None) -> dict[str, Any] | None:
    return None if begins is None else dict(begins)
