"""Sixty photos taken in and handed over by one worker, and by two, each of one thread: whether a second halves it."""

from __future__ import annotations

import signal
import time
from collections.abc import Callable, Iterator
from pathlib import Path

from benchmarks import load
from benchmarks.figures import Figure
from tests import pictures
from tests.application import Application, ready_photos, until
from tests.conftest import running_on_its_own

_PHOTOS, _ROUNDS = 60, 2
_SLIP: dict[str, object] = {
    "name": "Many",
    "name_pattern": "m_{number:03}",
    "lines": [{"requirement": "long_side", "pixels": 1600}, {"requirement": "format", "format": "JPEG", "quality": 92}],
}


def run(_: Path) -> Iterator[Figure]:
    photos = [pictures.file(pictures.texture(2000, 3000, seed), "JPEG", quality=90) for seed in range(_PHOTOS)]
    with running_on_its_own(threads=1) as application:
        application.start_server()
        application.start_worker()
        application.small_ticket("FT-0900", 2)
        one = [_taken(application, f"FT-1{k:03}", photos) for k in range(_ROUNDS)]
        application.start_another_worker()
        application.small_ticket("FT-0901", 8)
        two = [_taken(application, f"FT-2{k:03}", photos) for k in range(_ROUNDS)]
    for what, by_one, by_two in zip(
        ("taken in", "handed over"), map(min, zip(*one, strict=True)), map(min, zip(*two, strict=True)), strict=True
    ):
        against = f"one worker {by_one:.1f} s, two {by_two:.1f} s; best of {_ROUNDS}"
        yield Figure(f"workers: {_PHOTOS} photos of 6 MP {what} by two", round(by_two / by_one, 3), "×", against, 0.55)


def _taken(application: Application, number: str, photos: list[bytes]) -> tuple[float, float]:
    """Seconds in which the photos are taken in, and then handed over."""
    application.add_ticket(number, _SLIP, desk="tidewrack")
    with application.client() as client:
        application.workers_rest(signal.SIGSTOP)
        for at, photo in enumerate(photos):
            # each is another file, as one that is known is not prepared again
            files = [("files", (f"{at}.jpg", photo + number.encode()))]
            client.post(f"/api/tickets/{number}/photos", files=files).raise_for_status()
        taken_in = _until_done(application, lambda: len(ready_photos(client, number) or ()) == len(photos))
        for row in client.get(f"/api/tickets/{number}").json()["photos"]:
            load.changed(client, row["id"], row["head"], load.exposure(0.1))
        application.workers_rest(signal.SIGSTOP)
        client.post(f"/api/tickets/{number}/hand-overs", json={"photos": "worked_on"}).raise_for_status()
        return taken_in, _until_done(application, lambda: _made(application, number))


def _until_done(application: Application, done: Callable[[], bool]) -> float:
    """Seconds from when the workers may go on, with all of the work there."""
    began = time.perf_counter()
    application.workers_rest(signal.SIGCONT)
    until("the work to be done", done, 600)
    return time.perf_counter() - began


def _made(application: Application, number: str) -> bool:
    left = application.rows(
        "select count(*) from hand_overs join photos on photos.id = hand_overs.photo "
        "join tickets on tickets.id = photos.ticket where number = %s and hand_overs.blob is null",
        number,
    )
    return left[0][0] == 0
