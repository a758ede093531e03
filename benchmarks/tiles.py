"""What lossless compression of a pyramid's tiles would save on disk, and cost where they are read."""

from __future__ import annotations

import tempfile
import time
import zlib
from collections.abc import Callable, Iterator
from pathlib import Path
from statistics import median
from typing import Any

import numpy as np
from numpy.typing import NDArray

from benchmarks.figures import DEMO, Figure
from fern_ticket.core.pictures.decode import decode_file
from fern_ticket.core.pictures.pyramid import TILE, TiledSource, write_pyramid
from fern_ticket.core.pictures.regions import Box

Tile = NDArray[np.uint8]
_PHOTOS = ("breakfast", "ginger-cavy", "quay-cottage", "race-and-reeds")
#: Tiles that a frame of 1280 × 800 meets at 100 %.
_OF_FRAME = 9


def run(folder: Path) -> Iterator[Figure]:
    """Differences from the pixel before, plane by plane, by zlib at its fastest."""
    saved, packing, unpacking, reading = [], [], [], []
    for name in _PHOTOS:
        with tempfile.TemporaryDirectory(dir=folder) as place:
            write_pyramid(decode_file(DEMO / f"{name}.jpg"), Path(place) / "pyramid")
            source = TiledSource(Path(place) / "pyramid")
            for left, top in ((0, 0), (TILE, TILE), (3 * TILE, 2 * TILE), (5 * TILE, 3 * TILE)):
                box = Box(left, top, left + TILE, top + TILE)
                tile = np.asarray(source.read(0, box), np.uint8)
                packed, took = _timed(lambda tile=tile: zlib.compress(_differences(tile).tobytes(), 1))
                saved.append(len(packed) / tile.nbytes)
                packing.append(took)
                again, took = _timed(lambda packed=packed, shape=tile.shape: _undone(zlib.decompress(packed), shape))
                assert np.array_equal(again, tile)
                unpacking.append(took)
                reading.append(_timed(lambda box=box, source=source: source.read(0, box))[1])
    read, unpacked = median(reading), median(unpacking)
    frame = f"for the {_OF_FRAME} of a frame at 100 % {_OF_FRAME * unpacked:.0f} ms"
    against = f"of packing {median(packing):.1f} ms, of unpacking {unpacked:.1f} ms, {frame}"
    yield Figure("a tile read as it lies, of one that is unpacked", round(read / unpacked, 3), "×", against, 0.25)
    yield Figure("a tile's size as it lies, of one that is packed", round(1 / float(np.mean(saved)), 2), "×", "zlib", 4)


def _timed(work: Callable[[], Any]) -> tuple[Any, float]:
    """What it gives, and milliseconds, the best of three."""
    taken = []
    for _ in range(3):
        began = time.perf_counter()
        made = work()
        taken.append(1000 * (time.perf_counter() - began))
    return made, min(taken)


def _differences(tile: Tile) -> Tile:
    planes = np.ascontiguousarray(np.moveaxis(tile, 2, 0))
    found = planes.copy()
    found[..., 1:] -= planes[..., :-1]
    return found


def _undone(packed: bytes, shape: tuple[int, ...]) -> Tile:
    rows, columns, channels = shape
    found = np.frombuffer(packed, np.uint8).reshape(channels, rows, columns)
    return np.ascontiguousarray(np.moveaxis(np.cumsum(found, axis=2, dtype=np.uint8), 0, 2))
