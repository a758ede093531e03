"""A thousand repairs on a 24-megapixel photo, beside the same photo with none, through the whole application."""

from __future__ import annotations

import random
import subprocess
import sys
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


_SCRIPT = """
import random, sys
from pathlib import Path
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.pictures.preparing import prepare
from fern_ticket.core.pictures.pyramid import TiledSource
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture
from fern_ticket.core.warming import warm_kernels

def memory():
    return int(Path("/proc/self/status").read_text().split("RssAnon:")[1].split()[0]) / 1024

photo, folder, count = Path(sys.argv[1]), Path(sys.argv[2]), int(sys.argv[3])
prepare(photo, folder)
warm_kernels()
dice = random.Random(7)
dabs = [
    {"op": "dab", "mask": {"kind": "strokes", "strokes": [
        {"points": [[dice.uniform(60, 5900), dice.uniform(60, 3900), 1]], "size": dice.choice([16, 24, 80])}]}}
    for _ in range(count)
]
source, cache = TiledSource(folder), ByteCache(1 << 30)
before = memory()
picture = LedgerPicture(source, "m", read_steps(dabs), cache)
assert len(picture.repaired.laid_repairs()) == count
print(memory() - before)
"""


def run(folder: Path) -> Iterator[Figure]:
    photo = large_photo(folder)
    command = [sys.executable, "-c", _SCRIPT, str(photo), str(folder / "pyramid-many"), str(COUNT)]
    said = subprocess.run(command, check=True, capture_output=True, text=True).stdout
    yield Figure(f"memory of {COUNT} patches", round(float(said)), "MB", "the process before", 300)
    with demo_application() as application:
        yield from _figures(application, photo)


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
        _Hand(application, client, photo).post(*({"kind": "put", "step": step} for step in _RULERS))
        _restart(application)
        hand = _Hand(application, client, photo)
        opened, posting, drag, click = hand.opened, hand.posting(), hand.drag(), hand.click()
        batches = [hand.post(*(hand.anywhere() for _ in range(200))) for _ in range(COUNT // 200)]
        yield _times("posting 200 dabs after 800, beside after none", batches[-1], batches[0], 1.3)
        hand.look()

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


def _stored(application: Application, photo: str) -> int:
    """Bytes of the photo's revisions and steps, as rows."""
    query = (
        "select (select coalesce(sum(pg_column_size(r.*)), 0) from revisions r where photo = %s)"
        " + (select coalesce(sum(pg_column_size(s.*)), 0) from steps s where photo = %s)"
    )
    (row,) = application.rows(query, photo, photo)
    return int(str(row[0]))
