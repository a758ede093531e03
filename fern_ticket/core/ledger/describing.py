"""The page docs/ledger.md, written from the schema so that it cannot differ from it."""

from __future__ import annotations

from typing import Any

from fern_ticket.core.ledger.operation import Station


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
        "A ledger is a JSON list of steps: `{id?, op, params, mask?, chart?, cover?, enabled = true, strength = 1}`.",
        "",
        "A **mask** is the place that a repair works on, in source pixels:",
        "",
        '* `{"kind": "strokes", "strokes": [{points: [[x, y, pressure]], size, hardness, opacity, flow, spacing,',
        "  roundness, angle}]}`: a tip's paths; with `flow` below 1 it builds up;",
        '  with `"round_in": "plane"` the tip lies in the plane that the step works in;',
        '* `{"kind": "outline", "points": [[x, y]], "feather": 4}`: the inside of a closed line;',
        '* on the command line also `{"kind": "bitmap", "file": "mask.png"}`: a grey picture of the source\'s size.',
        "",
        "A **chart** is the plane that a repair works in; left out, the photo's own. With one, `dab`, `heal`, `patch`,",
        "`clone`, `regrow`, `calm`, `grain` and `redeye` follow the perspective; offsets to a source are still source",
        "pixels, from where the first stroke begins:",
        "",
        '* `{"corners": [[x, y] ×4]}`: four corners of a rectangle that lies in the plane, from the upper left around;',
        '* `{"heading": 0, "pitch": -90, "field": 120, "size": [1400, 1400]}`: a view into a 2:1 panorama, degrees.',
        "",
        "A **cover** is where a step on light counts, or all the steps of an `area`: `{parts: [{enabled, mode, invert,",
        "feather, shape}], fine: {band}?}`, with mode `add`, `subtract` or `intersect`, feather and band in source",
        "pixels (a fine edge is solved for in a band along the edge: hair, fur, grass), and for a shape",
        "",
        "* `strokes` and `outline` as above;",
        '* `{"kind": "edged", "strokes": […], "hold": 0.5}`: strokes that stop at the photo\'s edges;',
        '* `{"kind": "subject", "led": [{"inside": true, "stroke": {…}}], "take": 0}`: what the photo is of, led by',
        "  strokes; further takes, 1 to 3, are what else it may be;",
        '* `{"kind": "sky", "led": […]}`: the sky, likewise;',
        '* `{"kind": "straight", "start": [x, y], "end": [x, y]}`: all of it at the start, nothing at the end;',
        '* `{"kind": "round", "middle": [x, y], "radii": [rx, ry], "soft": 0.5, "angle": 0}`;',
        '* `{"kind": "tones", "low": 60, "high": 90, "soft": 10}`: luminance of the photo before light, per cent;',
        '* `{"kind": "colours", "picks": [[r, g, b]], "tolerance": 15, "soft": 10}`: 8-bit sRGB, distances in CIELAB;',
        '* `{"kind": "bitmap", "file": "…"}`: a stored picture of the photo\'s size.',
        "",
        "Without parts a cover is the whole picture. What counts in part is mixed in the domain that the (last) step",
        "works in: linear light for exposure, white balance and local gain, sRGB encoded for curves and colours.",
        "",
        "`fence` and `avoid` change no pixel: they bound the repairs after them.",
    ]
    stations = [
        station.value for station in Station if any(about["station"] == station for about in described.values())
    ]
    for station in stations:
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
