"""Delivery of 24 and 128 megapixels: time and memory against bare decoding and encoding."""

from __future__ import annotations

import json
import subprocess
import sys
from collections.abc import Iterator, Sequence
from pathlib import Path

from benchmarks.balance_speed import RULERS
from benchmarks.figures import Figure, large_photo

_SCRIPT = """
import json, resource, sys, time
import numpy as np, simplejpeg
from pathlib import Path
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.pictures.preparing import prepare
from fern_ticket.core.pictures.encode import Encoding, encode
from fern_ticket.core.pictures.pyramid import TiledSource
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture
from fern_ticket.core.warming import warm_kernels

warm_kernels()
path, folder, kind = Path(sys.argv[1]), Path(sys.argv[2]), sys.argv[3]
if kind == "prepare":
    prepare(path, folder)
if kind == "bare":
    start = time.perf_counter()
    pixels = simplejpeg.decode_jpeg(path.read_bytes(), "RGB")
    simplejpeg.encode_jpeg(pixels, 92, "RGB", colorsubsampling="444")
if kind == "deliver":
    steps = read_steps(json.loads(sys.argv[4]))
    start = time.perf_counter()
    other = lambda name: TiledSource(folder.parent / name)
    picture = LedgerPicture(TiledSource(folder), "b", steps, ByteCache(1 << 27), other)
    encode(picture.deliver(np.uint8), Encoding("JPEG", 92))
taken = time.perf_counter() - start if kind != "prepare" else 0
own = int(Path("/proc/self/status").read_text().split("VmHWM:")[1].split()[0]) / 1024
child = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024
own = max(own, child)
print(json.dumps([taken, own]))
"""


def run(folder: Path) -> Iterator[Figure]:
    seconds = {}
    for megapixels, size in ((24, (6000, 4000)), (128, (13860, 9240))):
        photo, pyramid = large_photo(folder, *size), folder / f"pyramid-{megapixels}"
        _, memory = worked(photo, pyramid, "prepare", 1)
        yield Figure(f"prepare {megapixels} MP, memory", round(memory), "MB", "the larger of worker and its child", 600)
        tries = 3 if megapixels == 24 else 1
        bare, _ = worked(photo, pyramid, "bare", tries)
        seconds[megapixels], memory = worked(photo, pyramid, "deliver", tries)
        against = f"bare decode and encode, {bare:.2f} s"
        yield Figure(f"deliver {megapixels} MP with ten steps", round(seconds[megapixels] / bare, 2), "×", against, 4)
        if megapixels == 24:
            yield Figure("deliver 24 MP, memory", round(memory), "MB", "the process, mapped pyramid included", 600)
    linear = seconds[24] * (13860 * 9240) / (6000 * 4000)
    against = f"24 MP and as much more as there are more pixels, {linear:.1f} s"
    yield Figure("deliver 128 MP, growth", round(seconds[128] / linear, 2), "×", against, 1.3)


def worked(
    photo: Path, pyramid: Path, kind: str, tries: int, steps: Sequence[object] = RULERS[:10]
) -> tuple[float, float]:
    """Best seconds of some tries, and the most megabytes, in processes of their own.

    Steps may name pyramids that lie beside.
    """
    said = []
    for _ in range(tries):
        command = [sys.executable, "-c", _SCRIPT, str(photo), str(pyramid), kind, json.dumps(list(steps))]
        said.append(json.loads(subprocess.run(command, check=True, capture_output=True).stdout))
    return min(s[0] for s in said), max(s[1] for s in said)
