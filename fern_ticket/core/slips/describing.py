"""The page docs/slips.md, written from the schema so that it cannot differ from it."""

from __future__ import annotations

from typing import Any

from pydantic import TypeAdapter

from fern_ticket.core.ledger.describing import parameters
from fern_ticket.core.slips.lines import Line


def slips_page() -> str:
    """Markdown of every line that a slip may have."""
    out = [
        "# Slips",
        "",
        "Written by `python -m fern_ticket.cli slips-page`; a test keeps it true.",
        "",
        "A slip is a JSON object: `{name, name_pattern, lines: [{requirement, …}]}`. `./fern inspect IN --slip SLIP`",
        "checks a file against it; the bench, a ticket's check and a hand-over do so by the same code. The name",
        "pattern may use `{ticket}`, `{number}` (also `{number:03}`), `{client}` and `{photo}`.",
        "",
        "Each line stands at `holds`, `short`, `open` (a person has to do something), `later` (measured on the written",
        "file) or `measuring`. A `by_eye` line is ticked by a person; a later change of the photo takes the tick back.",
    ]
    for name, schema in _lines().items():
        fields = {k: v for k, v in schema["properties"].items() if k != "requirement"}
        out += ["", f"## `{name}`", ""]
        out += parameters({**schema, "properties": fields}) if fields else ["No parameters."]
    return "\n".join(out) + "\n"


def _lines() -> dict[str, dict[str, Any]]:
    """Requirement to schema."""
    definitions = TypeAdapter(Line).json_schema()["$defs"]
    return {schema["properties"]["requirement"]["const"]: schema for schema in definitions.values()}
