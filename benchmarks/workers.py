"""Sixty photos taken in by one worker, and by two, each of one thread: whether a second one halves the time."""

from __future__ import annotations

import signal
import time
from collections.abc import Iterator
from pathlib import Path

from benchmarks.figures import Figure
from tests import pictures
from tests.application import Application, ready_photos, until
from tests.conftest import running_on_its_own

_PHOTOS, _ROUNDS = 60, 3


def run(_: Path) -> Iterator[Figure]:
    photos = [pictures.file(pictures.texture(2000, 3000, seed), "JPEG", quality=90) for seed in range(_PHOTOS)]
    with running_on_its_own(threads=1) as application:
        application.start_server()
        application.start_worker()
        application.small_ticket("FT-0900", 2)
        one = min(_taken_in(application, f"FT-1{k:03}", photos) for k in range(_ROUNDS))
        application.start_another_worker()
        application.small_ticket("FT-0901", 4)
        two = min(_taken_in(application, f"FT-2{k:03}", photos) for k in range(_ROUNDS))
    against = f"one worker {one:.1f} s, two {two:.1f} s; best of {_ROUNDS}"
    yield Figure(f"workers: {_PHOTOS} photos of 6 MP by two", round(two / one, 3), "×", against, 0.55)


def _taken_in(application: Application, number: str, photos: list[bytes]) -> float:
    """Seconds from when the workers may begin, all photos having come, to the last that is ready."""
    application.add_ticket(number, {"name": "W", "name_pattern": "{number}", "lines": [_LINE]})
    with application.client() as client:
        application.workers_rest(signal.SIGSTOP)
        for at, photo in enumerate(photos):
            # each is another file, as one that is known is not prepared again
            files = [("files", (f"{at}.jpg", photo + number.encode()))]
            client.post(f"/api/tickets/{number}/photos", files=files).raise_for_status()
        began = time.perf_counter()
        application.workers_rest(signal.SIGCONT)
        until("the photos to be ready", lambda: len(ready_photos(client, number) or ()) == len(photos), 600)
        return time.perf_counter() - began


_LINE = {"requirement": "long_side", "pixels": 3000}
