"""Compile or load every kernel once, so that no one's first drag waits for it."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from fern_ticket.core.clean.repair import CleanOperation
from fern_ticket.core.clean.tracing import edges, trace
from fern_ticket.core.inspect.specks import specks_of
from fern_ticket.core.ledger.covers import Cover
from fern_ticket.core.ledger.operation import Makes
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.operations import operations
from fern_ticket.core.pictures.decode import Decoded, Pixels
from fern_ticket.core.pictures.profiles import srgb
from fern_ticket.core.pictures.pyramid import ArraySource
from fern_ticket.core.pictures.sphere import Sphere
from fern_ticket.core.render.around import Look
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture, View
from fern_ticket.core.render.shown import AroundShown

#: A place in a picture of 300 × 300, and four corners around it.
_PLACE = {"kind": "strokes", "strokes": [{"points": [[150, 120, 1], [180, 134, 1]], "size": 14, "flow": 0.5}]}
_CORNERS = {"corners": [[20, 20], [280, 40], [260, 280], [30, 260]]}

#: One large enough to be filled of whole pieces, with a guide through it; in a ledger of its own, as a guide leads
#: every repair. And a view in which a place may lie.
_LARGER = {"kind": "outline", "points": [[200, 200], [250, 200], [250, 250], [200, 250]]}
_GUIDED: list[dict[str, Any]] = [
    {"op": "guide", "params": {"points": [[225, 20], [225, 280]]}},
    {"op": "regrow", "mask": _LARGER, "params": {"take": 1}},
]
_VIEW = {"kind": "view", "field": 100, "size": [300, 300], "sphere": [300, 150, 0, 0]}

_STROKE = {"points": [[150, 120, 1], [180, 134, 1]], "size": 14}
#: A cover of everything that is found, with a fine edge.
_FOUND = {
    "parts": [
        {"shape": {"kind": "subject", "led": [{"stroke": _STROKE}]}},
        {"shape": {"kind": "sky"}},
        {"shape": {"kind": "edged", "strokes": [_STROKE]}},
    ],
    "fine": {"band": 9},
}


def repairs() -> list[dict[str, Any]]:
    """A step of every way of cleaning, one of them in a plane, for a picture of 300 × 300."""
    found: list[dict[str, Any]] = []
    for name, operation in operations().items():
        # of the slow ones, which share their kernels, the one that is tried in takes
        if isinstance(operation, CleanOperation) and operation.alters and (operation.takes or not operation.slow):
            place = {"mask": _PLACE} if operation.masked else {}
            found.append({"op": name, "params": dict(operation.example), **place})
    around = {"op": "heal", "mask": {**_PLACE, "view": _VIEW}, "chart": _VIEW}
    return [*found, {"op": "heal", "mask": _PLACE, "chart": _CORNERS}, around]


def _with_sky() -> ArraySource:
    """A picture of 300 × 300 with a blue sky and a cloud over a dark ground."""
    pixels = np.full((300, 300, 3), (50, 60, 40), np.uint8)
    pixels[:200] = np.linspace((90, 130, 200), (150, 180, 220), 200)[:, None]
    pixels[60:90, 100:200] = (225, 228, 232)
    return ArraySource(Decoded(pixels, srgb(), "PNG", b""))


def warm_kernels() -> None:
    """Takes seconds when the compiled kernels are on disk, half a minute when they are not."""
    random = np.random.default_rng(1)
    light = read_steps(
        [
            {"op": name, "params": dict(operation.example), "strength": 0.5}
            for name, operation in operations().items()
            if operation.makes is Makes.LIGHT
        ]
    )
    laid = read_steps(
        [
            {"op": name, "params": dict(operation.example)}
            for name, operation in operations().items()
            if operation.makes is Makes.PIECES
        ]
        + [
            {"op": "piece", "params": {"at": [150, 150], "scale": 0.4, "grain": 2, "melt": 50}},
            {"op": "piece", "params": dict(_CORNERS)},
            {"op": "piece", "chart": _VIEW, "params": {"scale": 0.2}},
        ]
    )
    straighten = read_steps([{"op": "straighten", "params": {"angle": 1.0}}])
    for depth in (np.uint8, np.uint16):
        pixels: Pixels = random.integers(0, 200, (300, 300, 3)).astype(depth)
        source = ArraySource(Decoded(pixels, srgb(), "PNG", b""))
        cache = ByteCache(1 << 24)
        # repairs compute the same whatever the depth
        cleaned, guided = ([], []) if depth is np.uint16 else (read_steps(repairs()), read_steps(_GUIDED))
        for steps in (guided, [*cleaned, *light], [*laid, *light, *straighten]):
            picture = LedgerPicture(source, "warm", steps, cache)
            picture.view(View(0, 0, 0.3, 64, 64), (0, 0, 0), fine=True)
            picture.deliver(depth)
            picture.light.linear(*picture.samples((40, 40)))
            AroundShown(picture, Look(0, 0, 90, 64, 64), Sphere(300, 300)).frame((0, 0, 0), fine=True)
        trace([(60, 60), (200, 90)], 24, picture.repaired.ground(), edges)
    with_profile = ArraySource(Decoded(pixels, replace(srgb(), is_srgb=False), "TIFF", b""))
    LedgerPicture(with_profile, "with profile", light, cache).view(View(0, 0, 0.3, 64, 64), (0, 0, 0), fine=True)
    picture.covered(Cover.model_validate(_FOUND))
    sky = Cover.model_validate({"parts": [{"shape": {"kind": "sky"}}]})
    LedgerPicture(_with_sky(), "outdoors", [], cache).covered(sky)
    spotted = np.full((300, 300, 3), 180, np.uint8)
    spotted[100:105, 100:105] = 90
    specks_of(ArraySource(Decoded(spotted, srgb(), "PNG", b"")))
