"""Healing's solver on one core, beside a direct sparse solution and OpenCV's seamlessClone."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from benchmarks.figures import Figure, milliseconds
from fern_ticket.core.clean.membrane import fill_membrane
from tests.reference.test_pixels import exact_membrane

#: Side of the hole's box and the milliseconds that filling it may take.
_SIZES = ((64, 10), (256, 50), (1024, 600))


def run(folder: Path) -> Iterator[Figure]:
    del folder
    random = np.random.default_rng(0)
    threads = cv2.getNumThreads()
    cv2.setNumThreads(1)
    for side, most in _SIZES:
        hole = _hole(side)
        values = cv2.GaussianBlur(random.random((side, side, 3)).astype(np.float32) * 255, (0, 0), 3)
        values = np.asarray(values, np.float32)
        ours = milliseconds(lambda values=values, hole=hole: fill_membrane(values, hole, ~hole), 5)
        theirs = milliseconds(lambda values=values, hole=hole: _seamless(values, hole), 3)
        yield Figure(f"membrane {side} px", round(ours, 1), "ms", "stands alone", most)
        if side > 64:
            against = f"seamlessClone, {theirs:.0f} ms"
            yield Figure(f"membrane {side} px, of seamlessClone's time", round(ours / theirs, 3), "×", against, 1)
        start = time.perf_counter()
        exact = exact_membrane(values, hole, ~hole)
        direct = 1000 * (time.perf_counter() - start)
        error = float(np.abs(fill_membrane(values, hole, ~hole) - exact)[hole].max())
        against = f"scipy's direct sparse solution, {direct:.0f} ms"
        yield Figure(f"membrane {side} px, largest error", round(error, 4), "of 255", against, 0.5)
    cv2.setNumThreads(threads)


def _hole(side: int) -> NDArray[np.bool_]:
    drawn = np.zeros((side, side), np.uint8)
    cv2.ellipse(drawn, (side // 2, side // 2), (int(side * 0.45), int(side * 0.3)), 20, 0, 360, 1, -1)
    return drawn > 0


def _seamless(values: NDArray[np.float32], hole: NDArray[np.bool_]) -> object:
    ground = np.pad(values.astype(np.uint8), ((40, 40), (40, 40), (0, 0)), mode="reflect")
    middle = (ground.shape[1] // 2, ground.shape[0] // 2)
    source = np.ascontiguousarray(values[::-1].astype(np.uint8))
    return cv2.seamlessClone(source, ground, hole.astype(np.uint8) * 255, middle, cv2.NORMAL_CLONE)
