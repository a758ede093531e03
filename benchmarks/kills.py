"""Fifty kills without a word, of server, worker, database or all, while somebody saves and hands over.

What was answered as saved has to be there, each hand-over has to end once, and all has to go on within a minute.
"""

from __future__ import annotations

import random
import threading
import time
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

import httpx

from benchmarks.figures import Figure
from tests.application import Application, until
from tests.conftest import running_on_its_own

_ROUNDS, _VICTIMS = 50, (("server",), ("worker",), ("database",), ("server", "worker", "database"))
#: Seconds of work before a kill, at most; and within which all has to go on.
_BEFORE, _SETTLED = 2.0, 60.0
_LINE = """
with recursive line as (
    select revisions.id, parent from photos join revisions on revisions.id = head where photos.id = %s
    union all
    select revisions.id, revisions.parent from line join revisions on revisions.id = line.parent
)
select id from line
"""
#: Every so many changes a photo is handed over; there are so many.
_HANDED_OVER, _PHOTOS = 24, 60


@dataclass
class Told:
    """What the server said is so."""

    #: Photo, revision and exposure of each change that was answered as saved, in their order.
    saved: list[tuple[str, int, float]] = field(default_factory=list)
    unanswered: int = 0


def run(_: Path) -> Iterator[Figure]:
    by_lot = random.Random(5)
    with running_on_its_own() as application:
        application.start_server()
        application.start_worker()
        photos = [str(photo["id"]) for photo in application.small_ticket("FT-0901", _PHOTOS)]
        told, stop = Told(), threading.Event()
        hand = threading.Thread(target=_work, args=(application, photos, told, stop))
        hand.start()
        slowest = 0.0
        for victims in by_lot.choices(_VICTIMS, k=_ROUNDS):
            time.sleep(by_lot.uniform(0, _BEFORE))
            slowest = max(slowest, _killed(application, victims, told))
        stop.set()
        hand.join()
        lost = sum(_lost(application, photo, told) for photo in photos)
        states = until("the hand-overs to end", application.ended_hand_overs, 2 * _SETTLED)
        kept = len(application.kept_by_the_desk())
        halves = len(list(application.data.rglob("*.part")))
    against = f"{_ROUNDS} kills, {len(told.saved)} changes answered, {told.unanswered} requests not"
    yield Figure("kills: changes answered as saved and lost", lost, "changes", against, 0)
    against = f"{len(states)} hand-overs, each of a photo of its own"
    yield Figure("kills: hand-overs that ended without the desk", states.count("failed"), "hand-overs", against, 0)
    yield Figure("kills: deliveries more or fewer than hand-overs", abs(kept - len(states)), "files", against, 0)
    yield Figure("kills: files left half written", halves, "files", "in the data folder", 0)
    yield Figure("kills: until the next change was answered, longest", round(slowest, 1), "s", "", _SETTLED)


def _work(application: Application, photos: list[str], told: Told, stop: threading.Event) -> None:
    """Save one exposure after the other, whatever dies; now and then hand the photo over, and go on with the next."""
    number, waiting = 0, list(photos)
    while not stop.is_set():
        try:
            with application.client() as client:
                while not stop.is_set():
                    number += 1
                    _save(client, waiting[0], number / 1000, told)
                    if number % _HANDED_OVER == 0 and len(waiting) > 1:
                        # not asked for again where the answer is lost: it may have come through
                        body = {"expected": told.saved[-1][1]}
                        client.post(f"/api/photos/{waiting.pop(0)}/hand-overs", json=body).raise_for_status()
        except httpx.HTTPError:
            told.unanswered += 1
            time.sleep(0.2)


def _save(client: httpx.Client, photo: str, exposure: float, told: Told) -> None:
    revision = client.get(f"/api/photos/{photo}/ledger").raise_for_status().json()["revision"]
    step = {"id": "exposure", "op": "exposure", "params": {"ev": exposure}}
    body = {"expected": revision, "summary": "Exposure", "changes": [{"kind": "put", "step": step}]}
    answer = client.post(f"/api/photos/{photo}/changes", json=body).raise_for_status()
    told.saved.append((photo, answer.json()["revision"], exposure))


def _killed(application: Application, victims: tuple[str, ...], told: Told) -> float:
    """Kill and start again; gives the seconds until a change is answered after that."""
    application.restart(*victims)
    back, before = time.monotonic(), len(told.saved)
    until("a change to be answered", lambda: len(told.saved) > before or None, 2 * _SETTLED)
    return time.monotonic() - back


def _lost(application: Application, photo: str, told: Told) -> int:
    """Changes that were answered as saved and do not stand in the line that led to what the photo is now."""
    own = [(revision, exposure) for other, revision, exposure in told.saved if other == photo]
    if not own:
        return 0
    line = {int(str(row[0])) for row in application.rows(_LINE, photo)}
    missing = sum(revision not in line for revision, _ in own)
    with application.client() as client:
        now = client.get(f"/api/photos/{photo}/ledger").json()
    # one whose answer was lost may have come after the last that was answered
    newest, exposure = own[-1]
    return missing + int(now["revision"] == newest and now["steps"][0]["step"]["params"]["ev"] != exposure)
