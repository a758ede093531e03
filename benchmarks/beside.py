"""What one person can do to all others: the worst things that were found, again and again, beside somebody at work.

The other signs in, saves and drags; each is timed with nobody else there, and beside each of the worst.
"""

from __future__ import annotations

import contextlib
import json
import multiprocessing
import os
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from statistics import median

import httpx
from websockets.exceptions import ConnectionClosed
from websockets.sync.client import connect

from benchmarks import load
from benchmarks.bench_speed import Bench, demo_application
from benchmarks.figures import Figure, memory_of
from fern_ticket.web.routes.sessions import DEMO_PASSWORD
from tests.application import Application

#: Times that each is done and timed; sockets that ask at once; points of their masks.
_TIMES, _SOCKETS, _POINTS = 15, 7, 20_000
_OTHER = "jonas"
Timed = dict[str, float]


def run(_: Path) -> Iterator[Figure]:
    with demo_application() as application:
        photos = load.photos_on_benches(application)
        with application.client() as worst, application.client(_OTHER) as other:
            mine, theirs = photos[0], photos[1 : 1 + _SOCKETS]
            _times(application, other, mine)
            alone = _times(application, other, mine)
            token = worst.cookies["fern_session"]
            revisions = [worst.get(f"/api/photos/{photo}/ledger").json()["revision"] for photo in theirs]
            asked = Asked(application.url, token, list(zip(theirs, revisions, strict=True)))
            for name, thing in _THINGS.items():
                beside, memory = _beside(application, thing, asked, lambda: _times(application, other, mine))
                for what, taken in beside.items():
                    against = f"alone {1000 * alone[what]:.0f} ms, beside {1000 * taken:.0f} ms"
                    yield Figure(f"beside {name}: {what}", round(taken / alone[what], 2), "×", against, 2)
                yield Figure(f"beside {name}: memory of the server", memory >> 20, "MB", "at most", 2000)


@dataclass(frozen=True)
class Asked:
    """What somebody needs to ask too much: the application, their session, photos and their revisions."""

    url: str
    token: str
    photos: list[tuple[str, int]]


def _beside(application: Application, thing: Thing, asked: Asked, times: Callable[[], Timed]) -> tuple[Timed, int]:
    """What is timed while a thing is done again and again, and the most memory that the server had."""
    assert application.server is not None
    over, server, most = threading.Event(), application.server.pid, 0

    def watches() -> None:
        nonlocal most
        while not over.wait(0.1):
            most = max(most, memory_of(server))

    watching = threading.Thread(target=watches)
    # a process of its own: whoever is timed does not share an interpreter with it
    process = multiprocessing.get_context("spawn").Process(target=_again, args=(thing, asked), daemon=True)
    watching.start()
    process.start()
    time.sleep(2)
    try:
        return times(), most
    finally:
        over.set()
        process.kill()
        process.join()
        watching.join()


def _again(thing: Thing, asked: Asked) -> None:
    os.nice(10)  # as if it came from another machine
    while True:
        thing(asked)


def _times(application: Application, client: httpx.Client, photo: str) -> Timed:
    """Medians of signing in, of a change's answer and of a frame under the hand, seconds."""
    bench = Bench(application, photo, client.cookies["fern_session"])
    revision = client.get(f"/api/photos/{photo}/ledger").json()["revision"]
    signing, saving, dragging = [], [], []
    for at in range(_TIMES):
        with application.visitor() as visitor:
            visitor.headers["Origin"] = application.url
            began = time.perf_counter()
            visitor.post("/api/session", json={"sign_in": _OTHER, "password": DEMO_PASSWORD}).raise_for_status()
            signing.append(time.perf_counter() - began)
        for _ in range(4):
            step = load.exposure(at / _TIMES)
            dragging.append(bench.frame(revision, view=load.VIEW, fine=False, draft=step)[0] / 1000)
        began = time.perf_counter()
        revision = load.changed(client, photo, revision, load.exposure(at / _TIMES))
        saving.append(time.perf_counter() - began)
    bench.socket.close()
    return {"signing in": median(signing), "a change": median(saving), "a frame under the hand": median(dragging)}


def _example(asked: Asked) -> None:
    slip = {"name": "S", "name_pattern": "{number:300000000}", "lines": []}
    headers, cookies = {"Origin": asked.url}, {"fern_session": asked.token}
    httpx.post(f"{asked.url}/api/slips/example", json=slip, headers=headers, cookies=cookies, timeout=60)


def _within(asked: Asked) -> None:
    _looks(asked, _LARGE)


def _beyond(asked: Asked) -> None:
    _looks(asked, _BEYOND)


def _looks(asked: Asked, draft: str) -> None:
    """Ask for frames with a mask that covers all, and go away before they come."""
    sockets = []
    for photo, _ in asked.photos:
        where = f"ws{asked.url.removeprefix('http')}/api/photos/{photo}/socket"
        headers = {"Cookie": f"fern_session={asked.token}"}
        sockets.append(connect(where, additional_headers=headers, origin=asked.url, max_size=None))
    for socket, (_, revision) in zip(sockets, asked.photos, strict=True):
        look = json.dumps({"type": "look", "serial": 1, "revision": revision, "view": load.VIEW, "fine": False})
        with contextlib.suppress(ConnectionClosed):
            socket.send(f'{look[:-1]}, "draft": {draft}}}')
    for socket in sockets:
        socket.close()


def _draft(points: list[list[float]]) -> str:
    stroke = {"points": points, "size": 3000}
    return json.dumps({"op": "heal", "mask": {"kind": "strokes", "strokes": [stroke]}})


_LARGE = _draft([[(k * 7919) % 3000, k % 2000, 1] for k in range(_POINTS)])
_BEYOND = _draft([[(k * 7919) % 2_000_000 - 1e6, k % 2000, 1] for k in range(_POINTS)])


def _body(asked: Asked) -> None:
    """As bytes that come without a length, so that whoever counts has to count."""
    chunk = b'"' + b"x" * (1 << 20)

    def much() -> Iterator[bytes]:
        for _ in range(300):
            yield chunk

    with contextlib.suppress(httpx.HTTPError):
        httpx.post(f"{asked.url}/api/session", content=much(), headers={"Origin": asked.url}, timeout=30)


Thing = Callable[[Asked], None]
_THINGS: dict[str, Thing] = {
    "a slip's example of 300 million digits": _example,
    "seven looks with a large mask, left at once": _within,
    "a mask over all of a million pixels": _beyond,
    "300 MB of JSON to the sign-in": _body,
}
