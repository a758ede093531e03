"""Delivery of 24 megapixels: time and memory against bare decoding and encoding."""

from __future__ import annotations

import json
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

from benchmarks.figures import Figure, large_photo

_WORK = """
import json, resource, sys, time
import numpy as np, simplejpeg
from pathlib import Path
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.pictures.decode import decode_file
from fern_ticket.core.pictures.encode import Encoding, encode
from fern_ticket.core.pictures.pyramid import TiledSource, write_pyramid
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture
from fern_ticket.core.render.warming import warm_kernels

warm_kernels()
path, folder, kind = Path(sys.argv[1]), Path(sys.argv[2]), sys.argv[3]
if kind == "prepare":
    write_pyramid(decode_file(path), folder)
if kind == "bare":
    start = time.perf_counter()
    pixels = simplejpeg.decode_jpeg(path.read_bytes(), "RGB")
    simplejpeg.encode_jpeg(pixels, 92, "RGB", colorsubsampling="444")
if kind == "deliver":
    steps = [{"op": "exposure", "params": {"ev": 0.1}} for _ in range(8)]
    steps += [{"op": "white_balance", "params": {"temperature": 5200, "tint": 4}}]
    steps += [{"op": "crop", "params": {"left": 0, "top": 0, "width": 6000, "height": 4000}}]
    start = time.perf_counter()
    picture = LedgerPicture(TiledSource(folder), "b", read_steps(steps), ByteCache(1 << 27))
    encode(picture.deliver(np.uint8), Encoding("JPEG", 92))
taken = time.perf_counter() - start if kind != "prepare" else 0
own = int(Path("/proc/self/status").read_text().split("VmHWM:")[1].split()[0]) / 1024
print(json.dumps([taken, own]))
"""


def run(folder: Path) -> Iterator[Figure]:
    photo = large_photo(folder)
    pyramid = folder / "pyramid"

    def work(kind: str) -> tuple[float, float]:
        """Best seconds of three, and the most megabytes, in processes of their own."""
        said = []
        for _ in range(1 if kind == "prepare" else 3):
            command = [sys.executable, "-c", _WORK, str(photo), str(pyramid), kind]
            said.append(json.loads(subprocess.run(command, check=True, capture_output=True).stdout))
        return min(s[0] for s in said), max(s[1] for s in said)

    _, memory = work("prepare")
    yield Figure("prepare 24 MP, memory", round(memory), "MB", "the whole process", 600)
    bare, _ = work("bare")
    deliver, memory = work("deliver")
    against = f"bare decode and encode, {bare:.2f} s"
    yield Figure("deliver 24 MP with ten steps", round(deliver / bare, 2), "×", against, 4)
    yield Figure("deliver 24 MP, memory", round(memory), "MB", "the whole process, the mapped pyramid included", 600)
