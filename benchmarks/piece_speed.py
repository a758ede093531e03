"""Pieces on 24 megapixels: a drag of one of 12 megapixels at screen size, and delivery with five beside none."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path
from statistics import median
from typing import Any

from benchmarks.balance_speed import RULERS
from benchmarks.delivery_speed import worked
from benchmarks.figures import Figure, large_photo
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.pictures.preparing import prepare
from fern_ticket.core.pictures.pyramid import Source, TiledSource
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import SMALL_MOVING, LedgerPicture, View

DEMO = Path(__file__).parents[1] / "demo" / "pictures"
_VIEW = View(0, 0, 1280 / 6000, 1280, 853)
#: Places of five pieces: middle, scale, turn.
_FIVE = [
    ((1200, 900), 0.4, 5),
    ((4700, 1000), 0.35, -8),
    ((3000, 2000), 0.5, 0),
    ((1300, 3100), 0.3, 20),
    ((4800, 3000), 0.4, 0),
]


def run(folder: Path) -> Iterator[Figure]:
    file = large_photo(folder)
    prepare(file, folder / "photo")
    prepare(DEMO / "long-room.jpg", folder / "other")
    photo, other = TiledSource(folder / "photo"), TiledSource(folder / "other")
    yield from _drag(photo, other)
    yield from _delivery(file, folder / "photo")


def _piece(at: tuple[float, float], scale: float, turn: float) -> dict[str, Any]:
    return {"op": "piece", "params": {"picture": "other", "at": at, "scale": scale, "turn": turn}}


def _drag(photo: Source, other: Source) -> Iterator[Figure]:
    cache = ByteCache(1 << 30)
    for turn in (0.0, 12.0):
        taken = []
        for number in range(20):
            steps = read_steps([{**_piece((2400 + 40 * number, 1900 + 11 * number), 0.9, turn), "id": "dragged"}])
            start = time.perf_counter()
            picture = LedgerPicture(photo, "photo", steps, cache, lambda _: other, SMALL_MOVING)
            picture.view(_VIEW, (0, 0, 0), fine=False)
            taken.append(1000 * (time.perf_counter() - start))
        said = f"12 MP dragged over 24 MP{', turned' if turn else ''}"
        yield Figure(said, round(median(taken[3:]), 1), "ms", "a frame of 1280 × 853", 100)


def _delivery(photo: Path, pyramid: Path) -> Iterator[Figure]:
    ten = RULERS[:10]
    with_five = [*ten, *(_piece(*one) for one in _FIVE)]
    # one after the other, several times: what else the machine does comes and goes
    pairs = [
        (worked(photo, pyramid, "deliver", 1, ten), worked(photo, pyramid, "deliver", 1, with_five)) for _ in range(9)
    ]
    bare = median(pair[0][0] for pair in pairs)
    as_long = median(pair[1][0] / pair[0][0] for pair in pairs)
    memory = max(pair[1][1] for pair in pairs)
    yield Figure("delivery with five pieces", round(as_long, 2), "×", f"the same ten steps without, {bare:.2f} s", 1.6)
    yield Figure("its memory", round(memory), "MB", "the process, mapped pyramids included", 700)
