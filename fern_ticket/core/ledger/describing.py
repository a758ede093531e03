"""The page docs/ledger.md, written from the schema so that it cannot differ from it."""

from __future__ import annotations

from typing import Any


def ledger_page(described: dict[str, Any]) -> str:
    """Markdown of every operation and its parameters.

    Parameters
    ----------
    described
        Name to {station, title, summary, schema}, as `./fern ops` prints it.
    """
    lines = [
        "# The ledger",
        "",
        "Written by `python -m fern_ticket.cli ledger-page`; a test keeps it true.",
        "",
        "A ledger is a JSON list of steps: `{id?, op, params, mask?, enabled = true, strength = 1}`. A mask, in source",
        "pixels, is",
        "",
        '* `{"kind": "strokes", "strokes": [{points: [[x, y, pressure]], size, hardness, opacity, flow, spacing,',
        "  roundness, angle}]}`: a tip's paths; with `flow` below 1 it builds up;",
        '* `{"kind": "outline", "points": [[x, y]], "feather": 4}`: the inside of a closed line;',
        '* on the command line also `{"kind": "bitmap", "file": "mask.png"}`: a grey picture of the source\'s size.',
        "",
        "`fence` and `avoid` change no pixel: they bound the repairs after them.",
    ]
    for station in ("source", "clean", "balance", "frame", "finish"):
        lines += ["", f"## {station.capitalize()}"]
        for name, about in described.items():
            if about["station"] == station:
                lines += ["", f"### `{name}`", "", about["summary"], ""]
                lines += parameters(about["schema"])
    return "\n".join(lines) + "\n"


def parameters(schema: dict[str, Any]) -> list[str]:
    """A table of a model's fields, as rows of Markdown."""
    rows = ["| parameter | values | when left out | meaning |", "| --- | --- | --- | --- |"]
    required = schema.get("required", [])
    for name, about in schema.get("properties", {}).items():
        default = "needed" if name in required else f"`{about.get('default')}`".replace("`None`", "open")
        rows.append(f"| `{name}` | {_values(about)} | {default} | {about.get('description', '')} |")
    return rows


def _values(about: dict[str, Any]) -> str:
    if "enum" in about:
        return ", ".join(map(str, about["enum"]))
    if "anyOf" in about:
        return " or ".join(_values(one) for one in about["anyOf"] if one.get("type") != "null")
    if "$ref" in about:
        return str(about["$ref"].rsplit("/", 1)[-1])
    if about.get("type") == "array":
        return f"list of {_values(about['items'])}" if "items" in about else "list"
    kind = str(about.get("type", "value"))
    low, high = about.get("minimum"), about.get("maximum")
    return f"{kind}, {low:g} to {high:g}" if low is not None and high is not None else kind
