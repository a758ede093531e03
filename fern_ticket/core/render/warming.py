"""Compile or load every kernel once, so that no one's first drag waits for it."""

from __future__ import annotations

import numpy as np

from fern_ticket.core.ledger.steps import Step, read_steps
from fern_ticket.core.pictures.decode import Decoded, Pixels
from fern_ticket.core.pictures.profiles import srgb
from fern_ticket.core.pictures.pyramid import ArraySource
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.develop import reaching
from fern_ticket.core.render.picture import LedgerPicture, View


def _steps() -> list[Step]:
    stroke = {"points": [[60, 60, 1], [70, 64, 1]], "size": 14}
    return read_steps(
        [
            {"op": "heal", "mask": {"kind": "strokes", "strokes": [stroke]}},
            {"op": "exposure", "params": {"ev": 0.1}},
        ]
    )


def warm_kernels() -> None:
    """Takes a second when the compiled kernels are on disk, half a minute when they are not."""
    random = np.random.default_rng(1)
    straighten = read_steps([{"op": "straighten", "params": {"angle": 1.0}}])
    for depth in (np.uint8, np.uint16):
        pixels: Pixels = random.integers(0, 200, (300, 300, 3)).astype(depth)
        source = ArraySource(Decoded(pixels, srgb(), "PNG", b""))
        cache = ByteCache(1 << 24)
        for steps in ([], _steps(), [*_steps(), *straighten]):
            picture = LedgerPicture(source, "warm", steps, cache)
            picture.view(View(0, 0, 0.3, 64, 64), (0, 0, 0), fine=True)
            picture.deliver(depth)
            reaching(picture.samples((40, 40)), source.space, picture.plan.light, 0.9)
