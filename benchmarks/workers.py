"""Sixty photos taken in and handed over by one worker, and by two, each of one thread: whether a second halves it.

They are handed over into a folder: what a receiver does with them, it does elsewhere. The database and the server work
on the same cores; how much of these was idle while two worked tells what is left to be had. Cores that share a memory
and their units do not do twice as much: what two processes gain that only read and write the same JPEG files is
measured in the same run.
"""

from __future__ import annotations

import multiprocessing
import os
import signal
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import NamedTuple

import cv2
import numpy as np

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
    gain = _gain_of_cores(photos)
    yield Figure("workers: the same files only read and written by two processes", gain, "×", "one process", 1)
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
        against = (
            f"one worker {by_one.seconds:.1f} s with {by_one.busy:.0%} of the cores, two {by_two.seconds:.1f} s with "
            f"{by_two.busy:.0%}; best of {_ROUNDS}"
        )
        figure = round(by_two.seconds / by_one.seconds, 3)
        yield Figure(f"workers: {_PHOTOS} photos of 6 MP {what} by two", figure, "×", against, 0.55)


def _gain_of_cores(photos: list[bytes]) -> float:
    """Time of two processes that share the photos, over that of one that has them all; best of the rounds."""
    with multiprocessing.get_context("spawn").Pool(2) as processes:
        processes.map(_read_and_written, [photos[:1]] * 4, chunksize=1)
        best = [np.inf, np.inf]
        for _ in range(_ROUNDS):
            for shares in (1, 2):
                began = time.perf_counter()
                processes.map(_read_and_written, [photos[k::shares] for k in range(shares)], chunksize=1)
                best[shares - 1] = min(best[shares - 1], time.perf_counter() - began)
    return round(best[1] / best[0], 3)


def _read_and_written(photos: list[bytes]) -> None:
    cv2.setNumThreads(1)
    for photo in photos:
        cv2.imencode(".jpg", cv2.imdecode(np.frombuffer(photo, np.uint8), cv2.IMREAD_COLOR))


class _Done(NamedTuple):
    """How long something took, and how much of all cores was busy meanwhile."""

    seconds: float
    busy: float


def _taken(application: Application, number: str, photos: list[bytes]) -> tuple[_Done, _Done]:
    """The photos taken in, and then handed over."""
    folder = application.data.parent / "given"
    folder.mkdir(exist_ok=True)
    application.add_ticket(number, _SLIP, way={"kind": "folder", "address": str(folder)}, answers="arrival")
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


def _until_done(application: Application, done: Callable[[], bool]) -> _Done:
    """From when the workers may go on, with all of the work there."""
    began, idle = time.perf_counter(), _idle_seconds()
    application.workers_rest(signal.SIGCONT)
    until("the work to be done", done, 600)
    seconds = time.perf_counter() - began
    return _Done(seconds, 1 - (_idle_seconds() - idle) / (seconds * (os.cpu_count() or 1)))


def _idle_seconds() -> float:
    """Of all cores, since the machine was started; what other machines took of them counts as busy."""
    _, _, _, idle, waiting, *_ = map(int, Path("/proc/stat").read_text().split("\n", 1)[0].split()[1:])
    return (idle + waiting) / os.sysconf("SC_CLK_TCK")


def _made(application: Application, number: str) -> bool:
    left = application.rows(
        "select count(*) from hand_overs join photos on photos.id = hand_overs.photo "
        "join tickets on tickets.id = photos.ticket where number = %s and hand_overs.blob is null",
        number,
    )
    return left[0][0] == 0
