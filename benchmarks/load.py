"""Twenty people at their benches at once: what saving and frames take, what goes wrong, what memory it wants.

Each drags exposure for two seconds, saves, looks at what was saved, rests a little, and goes on. All of them run on the
machine that the server runs on.
"""

from __future__ import annotations

import asyncio
import json
import random
import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path

import httpx
from websockets.asyncio.client import ClientConnection, connect

from benchmarks.bench_speed import demo_application
from benchmarks.figures import Figure, memory_of, percentile
from tests import pictures
from tests.application import Application, ready_photos, until

PEOPLE, _SECONDS = 20, 300.0
#: Seconds of a drag, between two moves of a hand, and of a rest at most.
_DRAG, _MOVE, _REST = 2.0, 0.05, 4.0
VIEW = {"left": 0, "top": 0, "scale": 0.3, "width": 1280, "height": 800, "whole": False}


@dataclass
class Seen:
    """Seconds that answers took, and what was answered in words that it went wrong."""

    saves: list[float] = field(default_factory=list)
    moving: list[float] = field(default_factory=list)
    fine: list[float] = field(default_factory=list)
    wrong: list[str] = field(default_factory=list)
    memory: list[int] = field(default_factory=list)


def run(_: Path) -> Iterator[Figure]:
    with demo_application() as application:
        photos = photos_on_benches(application)
        seen = asyncio.run(at_work(application, people(application), photos, _SECONDS))
    against = f"{PEOPLE} people for {_SECONDS:g} s, {len(seen.saves)} changes, {len(seen.moving)} frames under a hand"
    yield Figure("load: a change's answer, 95th percentile", round(percentile(seen.saves, 95), 1), "ms", against, 250)
    yield Figure("load: a change's answer, median", round(percentile(seen.saves, 50), 1), "ms", against, 100)
    yield Figure(
        "load: a frame under the hand, median", round(percentile(seen.moving, 50), 1), "ms", "sent when asked", 1000
    )
    yield Figure(
        "load: a fine frame, 95th percentile", round(percentile(seen.fine, 95), 1), "ms", "after a change", 5000
    )
    said = "; ".join(sorted(set(seen.wrong)))[:200] or "nothing went wrong"
    yield Figure("load: what went wrong", len(seen.wrong), "answers", said, 0)
    yield Figure("load: memory of the server", max(seen.memory) >> 20, "MB", "cache budget 768 MB", 2000)


def photos_on_benches(
    application: Application, sizes: Sequence[tuple[int, int]] = ((2000, 3000),) * PEOPLE
) -> list[str]:
    """The photos of a ticket of these sizes (rows, columns), ready; of six megapixels, one for each, if left out."""
    number, lines = "FT-0900", [{"requirement": "long_side", "pixels": 3000}]
    application.add_ticket(number, {"name": "Load", "name_pattern": "{number}", "lines": lines})
    with application.client() as client:
        for seed, size in enumerate(sizes):
            photo = pictures.file(pictures.texture(*size, seed), "JPEG", quality=92)
            files = [("files", (f"{seed}.jpg", photo))]
            client.post(f"/api/tickets/{number}/photos", files=files).raise_for_status()
        until("the photos to be ready", lambda: len(ready_photos(client, number) or ()) == len(sizes), 600)
        return [str(photo["id"]) for photo in ready_photos(client, number) or ()]


def people(application: Application) -> list[httpx.Client]:
    """Everybody, signed in."""
    names = [f"person-{number}" for number in range(PEOPLE)]
    for name in names:
        application.rows(
            "insert into users (sign_in, name, password_hash, role) "
            "select %s, %s, password_hash, role from users where sign_in = 'jonas' returning 1",
            name,
            name,
        )
    return [application.signed_in(name) for name in names]


async def at_work(application: Application, people: list[httpx.Client], photos: list[str], seconds: float) -> Seen:
    """All of them for so long, each at a photo of their own."""
    seen = Seen()
    ends = time.monotonic() + seconds
    work = [
        _person(application, dict(one.cookies), photo, ends, seen, random.Random(number))
        for number, (one, photo) in enumerate(zip(people, photos, strict=True))
    ]
    watching = asyncio.create_task(_watch(application, seen))
    await asyncio.gather(*work)
    watching.cancel()
    return seen


async def _watch(application: Application, seen: Seen) -> None:
    assert application.server is not None
    while True:
        seen.memory.append(memory_of(application.server.pid))
        await asyncio.sleep(1)


async def _person(
    application: Application, cookies: dict[str, str], photo: str, ends: float, seen: Seen, by_chance: random.Random
) -> None:
    cookie = "; ".join(f"{name}={value}" for name, value in cookies.items())
    where = f"ws://127.0.0.1:{application.port}/api/photos/{photo}/socket"
    headers = {"Origin": application.url}
    async with (
        httpx.AsyncClient(base_url=application.url, cookies=cookies, headers=headers, timeout=60) as client,
        connect(where, additional_headers={"Cookie": cookie}, origin=application.url, max_size=None) as socket,  # type: ignore[arg-type]
    ):
        revision = (await client.get(f"/api/photos/{photo}/ledger")).json()["revision"]
        serial = 0
        while time.monotonic() < ends:
            dragged = time.monotonic() + _DRAG
            step = exposure(0)
            while time.monotonic() < dragged:
                serial += 1
                step = exposure(by_chance.uniform(-1, 1))
                look = {"serial": serial, "revision": revision, "draft": step, "fine": False}
                seen.moving.append(await _framed(socket, look, seen))
                await asyncio.sleep(_MOVE)
            body = change(revision, step)
            began = time.perf_counter()
            try:
                answer = await client.post(f"/api/photos/{photo}/changes", json=body)
            except httpx.TransportError as error:
                seen.wrong.append(type(error).__name__)
                continue
            seen.saves.append(time.perf_counter() - began)
            if answer.is_success:
                revision = answer.json()["revision"]
            else:
                seen.wrong.append(f"{answer.status_code} {answer.text[:80]}")
            serial += 1
            seen.fine.append(await _framed(socket, {"serial": serial, "revision": revision, "fine": True}, seen))
            await asyncio.sleep(by_chance.uniform(0, _REST))


def exposure(ev: float) -> dict[str, object]:
    return {"id": "exposure", "op": "exposure", "params": {"ev": round(ev, 3)}, "enabled": True, "strength": 1}


def change(revision: int, step: dict[str, object]) -> dict[str, object]:
    return {"expected": revision, "summary": "Exposure", "changes": [{"kind": "put", "step": step}]}


def changed(client: httpx.Client, photo: str, revision: int, step: dict[str, object]) -> int:
    """The revision that a change makes."""
    answer = client.post(f"/api/photos/{photo}/changes", json=change(revision, step)).raise_for_status()
    return int(answer.json()["revision"])


async def _framed(socket: ClientConnection, look: dict[str, object], seen: Seen) -> float:
    """Seconds from a look to its frame."""
    began = time.perf_counter()
    await socket.send(json.dumps({"type": "look", "view": VIEW, **look}))
    while True:
        said = await asyncio.wait_for(socket.recv(), 60)
        if isinstance(said, bytes):
            return time.perf_counter() - began
        message = json.loads(said)
        if message["type"] == "problem":
            seen.wrong.append(message["sentence"])
            return time.perf_counter() - began
