"""The bench on a 24-megapixel photo: over the socket, through the whole application."""

from __future__ import annotations

import io
import json
import struct
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from statistics import median

import httpx
import numpy as np
import simplejpeg
from PIL import Image
from websockets.sync.client import connect

from benchmarks.figures import Figure, large_photo, milliseconds
from tests.application import Application, until
from tests.conftest import running_on_its_own

VIEW = {"left": 0, "top": 0, "scale": 1280 / 6000, "width": 1280, "height": 800, "whole": False}


class Bench:
    """A page's side of the socket, without the page."""

    def __init__(self, application: Application, photo: str, cookie: str) -> None:
        where = f"ws://127.0.0.1:{application.port}/api/photos/{photo}/socket"
        headers = {"Cookie": f"fern_session={cookie}"}
        self.socket = connect(where, additional_headers=headers, origin=application.url, max_size=None)
        self.serial = 0

    def frame(self, revision: int, **more: object) -> tuple[float, dict[str, object], bytes]:
        """Look, and wait for the frame: milliseconds, its head, its JPEG."""
        self.serial += 1
        look = {"type": "look", "serial": self.serial, "revision": revision, "view": VIEW, "fine": True, **more}
        start = time.perf_counter()
        self.socket.send(json.dumps(look))
        while True:
            said = self.socket.recv(timeout=30)
            if isinstance(said, bytes):
                taken = 1000 * (time.perf_counter() - start)
                (length,) = struct.unpack(">I", said[:4])
                head = json.loads(said[4 : 4 + length])
                if head["serial"] == self.serial:
                    return taken, head, said[4 + length :]


@contextmanager
def demo_application() -> Iterator[Application]:
    """The application with one demo ticket."""
    with running_on_its_own() as application:
        application.start_server()
        application.start_worker()
        application.load_demo("FT-0201")
        yield application


def bring(client: httpx.Client, photo: Path) -> str:
    """Bring a photo onto the demo ticket and wait until it is ready; its id."""
    sent = client.post("/api/tickets/FT-0201/photos", files=[("files", (photo.name, photo.read_bytes()))])

    def ready() -> bool:
        photos = client.get("/api/tickets/FT-0201").json()["photos"]
        return all(p["state"] == "ready" for p in photos)

    until("the photo to be ready", ready)
    return str(sent.json()[0]["photo"])


def run(folder: Path) -> Iterator[Figure]:
    with demo_application() as application:
        yield from _figures(application, large_photo(folder))


def _figures(application: Application, photo: Path) -> Iterator[Figure]:
    with application.client() as client:
        identity = bring(client, photo)
        start = time.perf_counter()
        page = client.get(f"/api/photos/{identity}/bench").json()
        revision = page["ledger"]["revision"]
        bench = Bench(application, identity, client.cookies["fern_session"])
        _, _, jpeg = bench.frame(revision)
        opening = 1000 * (time.perf_counter() - start)
        yield Figure("open 24 MP, to the first frame", round(opening), "ms", "nothing cached", 400)

        pixels = np.ascontiguousarray(np.asarray(Image.open(io.BytesIO(jpeg)).convert("RGB")))
        floor = milliseconds(lambda: simplejpeg.encode_jpeg(pixels, 82, "RGB", colorsubsampling="420"))
        times, renders = [], []
        for step in range(40):
            draft = {"id": "e", "op": "exposure", "params": {"ev": round(step / 40, 3)}}
            taken, head, _ = bench.frame(revision, draft=draft, fine=False)
            times.append(taken)
            renders.append(head["milliseconds"]["render"])
        against = f"bare JPEG encoding of the frame, {floor:.1f} ms"
        yield Figure("exposure drag, look to frame", round(median(times), 1), "ms", against, 150)
        yield Figure("exposure drag, render only", round(median(renders) / floor, 2), "×", against, 8)
        turning = []
        for step in range(12):
            draft = {"id": "s", "op": "straighten", "params": {"angle": round(1 + step / 20, 3)}}
            turning.append(bench.frame(revision, draft=draft, fine=False)[0])
        yield Figure("straighten drag, look to frame", round(median(turning), 1), "ms", against, 150)

        dabs = []
        for step in range(9):
            stroke = {"points": [[1400 + 90 * step, 900, 1]], "size": 70}
            put = {"kind": "put", "step": {"op": "dab", "mask": {"kind": "strokes", "strokes": [stroke]}}}
            start = time.perf_counter()
            body = {"expected": revision, "summary": "Dab", "changes": [put]}
            revision = client.post(f"/api/photos/{identity}/changes", json=body).json()["revision"]
            bench.frame(revision)
            dabs.append(1000 * (time.perf_counter() - start))
        yield Figure("dab, click to fine frame, saved", round(median(dabs)), "ms", against, 300)
