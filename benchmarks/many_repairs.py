"""A thousand repairs on a 24-megapixel photo, beside the same photo with none, through the whole application."""

from __future__ import annotations

import random
import time
from collections.abc import Iterator
from pathlib import Path
from statistics import median
from typing import Any

import httpx

from benchmarks.bench_speed import Bench, bring, demo_application
from benchmarks.figures import Figure, large_photo
from tests.application import Application

COUNT = 1000
_RULERS: list[dict[str, Any]] = [
    {"id": "w", "op": "white_balance", "params": {"temperature": 5600, "tint": 2}},
    {"id": "h", "op": "highlights_shadows", "params": {"highlights": -20, "shadows": 20}},
    {"id": "c", "op": "contrast", "params": {"amount": 8}},
]


def run(folder: Path) -> Iterator[Figure]:
    with demo_application() as application:
        yield from _figures(application, large_photo(folder))


class _Hand:
    """A person at a bench, whose every gesture is timed."""

    def __init__(self, application: Application, client: httpx.Client, photo: str) -> None:
        self._client, self._photo = client, photo
        self._random = random.Random(7)
        start = time.perf_counter()
        self.revision = client.get(f"/api/photos/{photo}/bench").json()["ledger"]["revision"]
        self._bench = Bench(application, photo, client.cookies["fern_session"])
        self._bench.frame(self.revision)
        self.opened = 1000 * (time.perf_counter() - start)

    def dab(self, x: float, y: float) -> dict[str, Any]:
        mask = {"kind": "strokes", "strokes": [{"points": [[x, y, 1]], "size": 24}]}
        return {"kind": "put", "step": {"op": "dab", "mask": mask}}

    def anywhere(self) -> dict[str, Any]:
        return self.dab(self._random.uniform(60, 5900), self._random.uniform(60, 3900))

    def post(self, *changes: dict[str, Any]) -> float:
        start = time.perf_counter()
        body = {"expected": self.revision, "summary": "e", "changes": changes}
        answer = self._client.post(f"/api/photos/{self._photo}/changes", json=body)
        answer.raise_for_status()
        self.revision = answer.json()["revision"]
        return 1000 * (time.perf_counter() - start)

    def posting(self) -> float:
        """A ruler put where it was let go."""
        return median(
            self.post({"kind": "put", "step": {"id": "e", "op": "exposure", "params": {"ev": step / 50}}})
            for step in range(15)
        )

    def click(self) -> float:
        """A dab: saved, and shown fine."""
        taken = []
        for _ in range(15):
            start = time.perf_counter()
            self.post(self.anywhere())
            self._bench.frame(self.revision)
            taken.append(1000 * (time.perf_counter() - start))
        return median(taken)

    def drag(self) -> float:
        taken = []
        for step in range(40):
            draft = {"id": "e", "op": "exposure", "params": {"ev": round(step / 40, 3)}}
            taken.append(self._bench.frame(self.revision, draft=draft, fine=False)[0])
        return median(taken)

    def look(self) -> None:
        self._bench.frame(self.revision)


def _figures(application: Application, path: Path) -> Iterator[Figure]:
    with application.client() as client:
        photo = bring(client, path)
        _restart(application)
        hand = _Hand(application, client, photo)
        hand.post(*({"kind": "put", "step": step} for step in _RULERS))
        opened, posting, drag, click = hand.opened, hand.posting(), hand.drag(), hand.click()
        before = _memory(application)

        start = time.perf_counter()
        for _ in range(COUNT // 200):
            hand.post(*(hand.anywhere() for _ in range(200)))
        yield Figure("posting 200 dabs", round((time.perf_counter() - start) / (COUNT // 200), 2), "s", "alone", 4)
        hand.look()
        after = _memory(application)
        yield Figure(f"memory of {COUNT} patches", round(after - before), "MB", f"{before:.0f} MB before", 300)

        bytes_before = _stored(application, photo)
        hand.post(hand.anywhere())
        yield Figure(
            f"storage of one more dab at {COUNT}", _stored(application, photo) - bytes_before, "bytes", "rows", 2048
        )

        yield _times(f"a ruler posted with {COUNT} dabs", hand.posting(), posting, 1.3)
        yield _times(f"balance drag with {COUNT} dabs", hand.drag(), drag, 1.1)
        yield _times(f"a dab, click to fine frame, with {COUNT} dabs", hand.click(), click, 1.3)
        _restart(application)
        yield _times(
            f"first frame with {COUNT} dabs, opened again", _Hand(application, client, photo).opened, opened, 1.5
        )


def _times(name: str, figure: float, without: float, most: float) -> Figure:
    return Figure(name, round(figure / without, 2), "×", f"{without:.1f} ms with none", most)


def _restart(application: Application) -> None:
    application.kill_server()
    application.start_server()


def _memory(application: Application) -> float:
    """Anonymous memory of the server, MB."""
    assert application.server is not None
    status = Path(f"/proc/{application.server.pid}/status").read_text()
    return int(status.split("RssAnon:")[1].split()[0]) / 1024


def _stored(application: Application, photo: str) -> int:
    """Bytes of the photo's revisions and steps, as rows."""
    query = (
        "select (select coalesce(sum(pg_column_size(r.*)), 0) from revisions r where photo = %s)"
        " + (select coalesce(sum(pg_column_size(s.*)), 0) from steps s where photo = %s)"
    )
    (row,) = application.rows(query, photo, photo)
    return int(str(row[0]))
