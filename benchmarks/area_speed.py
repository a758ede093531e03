"""Work inside an area of 24 megapixels at screen size.

A drag beside the same on the whole photo, and strokes over the socket.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from pathlib import Path
from statistics import median
from typing import Any

from benchmarks.balance_speed import RULERS
from benchmarks.bench_speed import Bench, bring, demo_application
from benchmarks.figures import Figure, large_photo
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.pictures.preparing import prepare
from fern_ticket.core.pictures.pyramid import Source, TiledSource
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import SMALL_MOVING, LedgerPicture, View

_VIEW = View(0, 0, 1280 / 6000, 1280, 853)
_COVER = {
    "parts": [
        {"shape": {"kind": "round", "middle": [3000, 2000], "radii": [2500, 1800]}},
        {
            "mode": "subtract",
            "feather": 60,
            "shape": {"kind": "strokes", "strokes": [{"points": [[100, 100, 1], [5000, 3000, 1]], "size": 500}]},
        },
        {"mode": "intersect", "shape": {"kind": "tones", "low": 20, "high": 90}},
    ]
}
_DRAGGED: dict[str, Callable[[int], dict[str, Any]]] = {
    "exposure": lambda step: {"ev": 0.1 + step / 100},
    "highlights_shadows": lambda step: {"highlights": -20 - step},
    "hue_bands": lambda step: {"bands": [{"hue": 120, "turn": -10 - step}]},
}


def run(folder: Path) -> Iterator[Figure]:
    prepare(large_photo(folder), folder / "pyramid-area")
    source, cache = TiledSource(folder / "pyramid-area"), ByteCache(1 << 30)
    for op, params in _DRAGGED.items():
        others = [step for step in RULERS if step["op"] != op]

        def steps(step: int, cover: Any, op: str = op, params: Any = params, others: Any = others) -> list[Any]:
            own = {"op": op, "params": params(step)}
            return [*others, own if cover is None else {"op": "area", "params": {"cover": cover, "steps": [own]}}]

        whole, covered, all_of_it = _drags(source, cache, steps, (None, _COVER, {"parts": []}))
        against = f"the same on the whole photo, {whole:.1f} ms"
        yield Figure(f"{op} dragged in an area of three parts", round(covered / whole, 2), "×", against, 1.25)
        yield Figure(f"{op} dragged in an area that covers all", round(all_of_it / whole, 2), "×", against, 1.25)


def strokes(folder: Path) -> Iterator[Figure]:
    """From a stroke's end to the frame that shows it: saved first, as the page does it."""
    with demo_application() as application, application.client() as client:
        photo = bring(client, large_photo(folder))
        revision = client.get(f"/api/photos/{photo}/bench").json()["ledger"]["revision"]
        bench = Bench(application, photo, client.cookies["fern_session"])
        bench.frame(revision)
        painted: list[dict[str, Any]] = []
        taken = []
        for number in range(14):
            across = [[800 + 300 * number + 12 * k, 1200 + 40 * number + 9 * (k % 7), 1] for k in range(40)]
            painted.append({"points": across, "size": 260, "hardness": 0.5, "flow": 0.4})
            parts = [{"shape": {"kind": "strokes", "strokes": painted}}]
            light = [{"id": "light", "op": "exposure", "params": {"ev": 0.6}}]
            step = {"id": "area", "op": "area", "params": {"cover": {"parts": parts}, "steps": light}}
            start = time.perf_counter()
            body = {"expected": revision, "summary": "Paint", "changes": [{"kind": "put", "step": step}]}
            revision = client.post(f"/api/photos/{photo}/changes", json=body).json()["revision"]
            bench.frame(revision, fine=False)
            taken.append(1000 * (time.perf_counter() - start))
        yield Figure("stroke in an area, saved, to its frame", round(median(taken[2:])), "ms", "24 MP", 100)


def _drags(source: Source, cache: ByteCache, steps: Callable[..., list[Any]], covers: tuple[Any, ...]) -> list[float]:
    """Milliseconds a frame under each cover, by turns, so that all see the same machine."""
    taken: list[list[float]] = [[] for _ in covers]
    for number in range(24):
        for own, cover in zip(taken, covers, strict=True):
            start = time.perf_counter()
            picture = LedgerPicture(source, "area", read_steps(steps(number, cover)), cache, small=SMALL_MOVING)
            picture.view(_VIEW, (0, 0, 0), fine=False)
            own.append(1000 * (time.perf_counter() - start))
    return [median(own[4:]) for own in taken]
