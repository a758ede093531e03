"""An hour of one editor at work: whether the server's memory settles, and its cache keeps within its budget.

The editor takes photo after photo of a ticket: drags, heals, regrows, masks an area, turns lamps on, takes back, saves,
and goes on to the next.
"""

from __future__ import annotations

import random
import re
import threading
import time
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from statistics import median
from typing import Any

import httpx

from benchmarks import load
from benchmarks.bench_speed import Bench, demo_application
from benchmarks.figures import Figure, memory_of
from tests.application import Application

_MINUTES, _PHOTOS = 60, 24
#: Seconds between one thing done and the next.
_REST = (0.2, 1.5)


@dataclass
class Hour:
    """What was done, what went wrong, and by the second anonymous memory and the cache's fill, bytes."""

    done: int = 0
    wrong: list[str] = field(default_factory=list)
    memory: list[tuple[float, int]] = field(default_factory=list)
    cache: list[int] = field(default_factory=list)
    budget: int = 0

    def held(self, first: float, last: float) -> float:
        """Median of memory between two minutes, megabytes."""
        return median(held for at, held in self.memory if first * 60 <= at < last * 60) / (1 << 20)


def run(_: Path) -> Iterator[Figure]:
    with demo_application() as application:
        photos = load.photos_on_benches(application, [(2000 + 80 * k, 3000 + 120 * k) for k in range(_PHOTOS)])
        hour = Hour()
        over = threading.Event()
        watching = threading.Thread(target=_watch, args=(application, hour, over))
        watching.start()
        try:
            _work(application, photos, hour)
        finally:
            over.set()
            watching.join()
    second, last = hour.held(10, 20), hour.held(_MINUTES - 10, _MINUTES)
    against = f"{_MINUTES} min, {hour.done} things done; second ten minutes {second:.0f} MB, last ten {last:.0f} MB"
    yield Figure("soak: anonymous memory, last ten minutes", round(last / second, 3), "×", against, 1.1)
    most = f"of a budget of {hour.budget >> 20} MB"
    yield Figure("soak: the cache's fill at most", max(hour.cache) >> 20, "MB", most, hour.budget >> 20)
    said = "; ".join(sorted(set(hour.wrong)))[:200] or "nothing went wrong"
    yield Figure("soak: what went wrong", len(hour.wrong), "answers", said, 0)


def _watch(application: Application, hour: Hour, over: threading.Event) -> None:
    assert application.server is not None
    began = time.monotonic()
    with application.client() as client:
        while not over.wait(2):
            hour.memory.append((time.monotonic() - began, memory_of(application.server.pid, "RssAnon")))
            told = client.get("/api/metrics").text
            held, budget = (float(_gauge(told, f'fern_cache_bytes{{of="{of}"}}')) for of in ("held", "budget"))
            hour.cache.append(int(held))
            hour.budget = int(budget)


def _gauge(told: str, name: str) -> str:
    found = re.search(rf"^{re.escape(name)} (\S+)$", told, re.MULTILINE)
    assert found, f"no {name}"
    return found[1]


def _work(application: Application, photos: list[str], hour: Hour) -> None:
    by_chance = random.Random(7)
    ends = time.monotonic() + 60 * _MINUTES
    with application.client() as client:
        while time.monotonic() < ends:
            photo = by_chance.choice(photos)
            bench = Bench(application, photo, client.cookies["fern_session"])
            editor = _Editor(client, bench, photo, by_chance, hour)
            for _ in range(by_chance.randint(4, 12)):
                if time.monotonic() < ends:
                    editor.does_something()
            bench.socket.close()


class _Editor:
    """A hand at one photo."""

    def __init__(self, client: httpx.Client, bench: Bench, photo: str, by_chance: random.Random, hour: Hour) -> None:
        self._client, self._bench, self._photo, self._by_chance, self._hour = client, bench, photo, by_chance, hour
        page = client.get(f"/api/photos/{photo}/bench").raise_for_status().json()
        self._revision = page["ledger"]["revision"]

    def does_something(self) -> None:
        does = self._by_chance.choice(
            [self._drags, self._repairs, self._repairs, self._covers, self._looks, self._undoes]
        )
        try:
            does()
        except (httpx.HTTPError, TimeoutError, OSError) as error:
            self._hour.wrong.append(f"{does.__name__}: {type(error).__name__}")
        self._hour.done += 1
        time.sleep(self._by_chance.uniform(*_REST))

    def _drags(self) -> None:
        op, most = self._by_chance.choice([("exposure", 1.0), ("contrast", 40.0), ("saturation", 40.0)])
        name = "ev" if op == "exposure" else "amount"
        step: dict[str, Any] = {"id": op, "op": op}
        for _ in range(12):
            step["params"] = {name: round(self._by_chance.uniform(-most, most), 2)}
            self._bench.frame(self._revision, draft=step, fine=False)
        self._put(step)

    def _repairs(self) -> None:
        x, y = self._by_chance.uniform(200, 2800), self._by_chance.uniform(200, 1800)
        points = [[x + 20 * k, y + self._by_chance.uniform(-15, 15), 1] for k in range(4)]
        mask = {"kind": "strokes", "strokes": [{"points": points, "size": self._by_chance.uniform(20, 90)}]}
        self._put({"op": self._by_chance.choice(["dab", "heal", "regrow"]), "mask": mask})

    def _covers(self) -> None:
        stroke = {"points": [[800, 900, 1], [1500, 1100, 1]], "size": 400}
        shape = self._by_chance.choice([{"kind": "subject"}, {"kind": "strokes", "strokes": [stroke]}])
        steps = [{"op": "exposure", "params": {"ev": round(self._by_chance.uniform(-1, 1), 2)}}]
        cover = {"parts": [{"shape": shape}]}
        self._put({"id": "area", "op": "area", "params": {"cover": cover, "steps": steps}})

    def _looks(self) -> None:
        left, top = self._by_chance.uniform(0, 1500), self._by_chance.uniform(0, 1000)
        view = {"left": left, "top": top, "scale": 1, "width": 1280, "height": 800, "whole": False}
        self._bench.frame(self._revision, view=view)
        self._bench.frame(self._revision, original=True)

    def _undoes(self) -> None:
        self._settles(self._client.post(f"/api/photos/{self._photo}/undo", json={"expected": self._revision}))

    def _put(self, step: dict[str, Any]) -> None:
        body = load.change(self._revision, step)
        self._settles(self._client.post(f"/api/photos/{self._photo}/changes", json=body))

    def _settles(self, answer: httpx.Response) -> None:
        if answer.is_success:
            self._revision = answer.json()["revision"]
            self._bench.frame(self._revision)
        elif answer.status_code != 409:  # nothing is left to undo
            self._hour.wrong.append(f"{answer.status_code} {answer.text[:120]}")
