"""Compile or load every kernel once, so that no one's first drag waits for it."""

from __future__ import annotations

from typing import Any

import numpy as np

from fern_ticket.core.clean.tracing import edges, trace
from fern_ticket.core.ledger.operation import Makes
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.operations import operations
from fern_ticket.core.pictures.decode import Decoded, Pixels
from fern_ticket.core.pictures.profiles import srgb
from fern_ticket.core.pictures.pyramid import ArraySource
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture, View


def _stroke(left: float, top: float, **more: Any) -> dict[str, Any]:
    points = [[left, top, 1], [left + 30, top + 14, 1]]
    return {"kind": "strokes", "strokes": [{"points": points, "size": 14, **more}]}


def repairs() -> list[dict[str, Any]]:
    """A step of each way of cleaning that has kernels of its own, for a picture of 300 × 300."""
    return [
        {"op": "heal", "mask": _stroke(60, 60)},
        {"op": "clone", "params": {"source": {"dx": 40, "dy": 9}}, "mask": _stroke(60, 120, flow=0.5)},
        {"op": "regrow", "mask": _stroke(150, 120)},
        {
            "op": "heal",
            "mask": _stroke(90, 180),
            "chart": {"corners": [[20, 20], [280, 40], [260, 280], [30, 260]]},
        },
        {"op": "calm", "mask": _stroke(150, 60)},
        {"op": "unthread", "params": {"width": 3}, "mask": _stroke(60, 220)},
    ]


def warm_kernels() -> None:
    """Takes seconds when the compiled kernels are on disk, half a minute when they are not."""
    random = np.random.default_rng(1)
    light = read_steps(
        [
            {"op": name, "params": dict(operation.example)}
            for name, operation in operations().items()
            if operation.makes is Makes.LIGHT
        ]
    )
    straighten = read_steps([{"op": "straighten", "params": {"angle": 1.0}}])
    for depth in (np.uint8, np.uint16):
        pixels: Pixels = random.integers(0, 200, (300, 300, 3)).astype(depth)
        source = ArraySource(Decoded(pixels, srgb(), "PNG", b""))
        cache = ByteCache(1 << 24)
        # repairs compute the same whatever the depth
        cleaned = read_steps(repairs()) if depth is np.uint8 else []
        for steps in ([], [*cleaned, *light], [*light, *straighten]):
            picture = LedgerPicture(source, "warm", steps, cache)
            picture.view(View(0, 0, 0.3, 64, 64), (0, 0, 0), fine=True)
            picture.deliver(depth)
            picture.light.linear(*picture.samples((40, 40)))
        trace([(60, 60), (200, 90)], 24, picture.repaired.ground(), edges)
