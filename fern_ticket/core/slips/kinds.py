"""The kinds of lines that a slip may have, for whoever writes slips."""

from __future__ import annotations

from functools import lru_cache
from typing import Any, Literal, get_args

from pydantic import BaseModel

from fern_ticket.core.slips.lines import Line

FieldKind = Literal["number", "text", "yes", "choice", "words"]


class LineField(BaseModel):
    """Something that a line asks: a number, a text, yes or no, one of some words, or several of them."""

    name: str
    kind: FieldKind
    options: list[str | int]
    low: float | None
    high: float | None
    hint: str


class LineKind(BaseModel):
    """A kind of line: what it is called, its fields with the tolerance last, and what a new one begins with.

    Attributes
    ----------
    several
        Whether a slip may have more than one of it, each for something else.
    """

    requirement: str
    words: str
    several: bool
    fields: list[LineField]
    begins: dict[str, Any]


@lru_cache(maxsize=1)
def line_kinds() -> list[LineKind]:
    """In the order of the alternatives of `Line`."""
    union = get_args(Line)[0]
    return [_kind(line) for line in get_args(union)]


def _kind(line: Any) -> LineKind:
    properties: dict[str, dict[str, Any]] = line.model_json_schema()["properties"]
    # what has one value only, such as the requirement itself, is not asked
    asked = {name: one for name, one in properties.items() if name != "requirement" and "const" not in one}
    names = sorted(asked, key=lambda name: name == "tolerance")
    return LineKind(
        requirement=line.model_fields["requirement"].default,
        words=line.kind or line.what,
        several=line.several,
        fields=[
            LineField(
                name=name,
                kind=_field_kind(asked[name]),
                options=_options(asked[name]),
                low=asked[name].get("minimum"),
                high=asked[name].get("maximum"),
                hint=asked[name].get("description", ""),
            )
            for name in names
        ],
        begins={name: asked[name].get("default", asked[name].get("examples", [None])[0]) for name in names},
    )


def _field_kind(schema: dict[str, Any]) -> FieldKind:
    if "enum" in schema.get("items", {}):
        return "words"
    if "enum" in schema:
        return "choice"
    return {"boolean": "yes", "string": "text"}.get(schema.get("type", ""), "number")  # type: ignore[return-value]


def _options(schema: dict[str, Any]) -> list[str | int]:
    return list(schema.get("items", {}).get("enum", schema.get("enum", [])))
