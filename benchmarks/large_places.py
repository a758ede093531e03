"""A place of a megapixel in a photo of 24, grown shut: when there is something to look at, when it is done, in what
memory, and how near it comes to what was there, beside OpenCV's inpainting."""

from __future__ import annotations

import json
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from benchmarks.figures import DEMO, Figure
from fern_ticket.core.pictures.decode import decode_file
from tests.quality import layout_error

#: Middle and radii of a place of a megapixel, on pictures enlarged to 6000 x 4000.
_PLACES = {"elm-stool": (4300, 860, 640, 500), "quay-cottage": (2200, 1000, 640, 500)}
#: In a process of its own, whose memory is its own.
_GROWN = """
import json, resource, sys, time
import numpy as np
from fern_ticket.core.clean.regrow import Regrow, repair
from fern_ticket.core.clean.repair import Ground
from fern_ticket.core.ledger.masks import BitmapMask
pixels, drawn = np.load(sys.argv[1]), np.load(sys.argv[2])
mask = BitmapMask(file="hole")
mask._pixels = drawn
read = lambda box: pixels[box.rows, box.columns]
size = (pixels.shape[1], pixels.shape[0])
small = np.zeros_like(drawn); small[:60, :60] = 255
warm = BitmapMask(file="hole"); warm._pixels = small
repair(Regrow(), warm, Ground(size, read, read))
held, began, shown = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss, time.perf_counter(), []
patch = repair(Regrow(), mask, Ground(size, read, read, show=lambda _: shown.append(time.perf_counter() - began)))
taken, most = time.perf_counter() - began, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
patch.lay_on(pixels, Ground(size, read, read).whole, 1.0)
np.save(sys.argv[3], pixels)
print(json.dumps([shown[0], taken, (most - held) / 1024]))
"""


def run(folder: Path) -> Iterator[Figure]:
    for name, (x, y, across, down) in _PLACES.items():
        pixels = decode_file(DEMO / f"{name}.clean.jpg").pixels
        photo = np.asarray(cv2.resize(pixels, (6000, 4000), interpolation=cv2.INTER_CUBIC), np.uint8)
        drawn = np.zeros(photo.shape[:2], np.uint8)
        cv2.ellipse(drawn, (x, y), (across, down), 0, 0, 360, 255, -1)
        made, first, taken, memory = _grown(folder, photo, drawn)
        yield Figure(f"{name}, something to look at after", round(first, 2), "s", "stands alone", 1)
        part = np.s_[max(0, y - 1000) : y + 1000, max(0, x - 1200) : x + 1200]
        near, hole = photo[part], np.ascontiguousarray(drawn[part])
        start = time.perf_counter()
        flat = np.asarray(cv2.inpaint(np.ascontiguousarray(near), hole, 5, cv2.INPAINT_TELEA), np.uint8)
        against = f"OpenCV's Telea, {time.perf_counter() - start:.1f} s"
        yield Figure(f"{name}, a place of 1 MP grown", round(taken, 1), "s", against, 5)
        yield Figure(f"{name}, memory beyond the photo's", round(memory), "MB", "stands alone", 1000)
        error = layout_error(flat, near, hole > 0)
        against = f"OpenCV's Telea, {error:.2f}"
        ours = layout_error(made[part], near, hole > 0)
        yield Figure(f"{name}, layout error", round(ours, 2), "Lab", against, error)


def _grown(
    folder: Path, photo: NDArray[np.uint8], drawn: NDArray[np.uint8]
) -> tuple[NDArray[np.uint8], float, float, float]:
    """The photo with its place grown shut, seconds to the first look and in all, megabytes."""
    files = [folder / name for name in ("photo.npy", "drawn.npy", "made.npy")]
    np.save(files[0], photo)
    np.save(files[1], drawn)
    command = [sys.executable, "-c", _GROWN, *map(str, files)]
    done = subprocess.run(command, check=True, capture_output=True, text=True)
    first, taken, memory = json.loads(done.stdout)
    return np.load(files[2]), first, taken, memory
