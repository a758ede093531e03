"""The membrane solver against a direct sparse solution, on one core."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path

import cv2
import numpy as np

from benchmarks.figures import Figure, milliseconds
from fern_ticket.core.clean.membrane import fill_membrane
from tests.reference.test_pixels import exact_membrane


def run(folder: Path) -> Iterator[Figure]:
    del folder
    random = np.random.default_rng(0)
    for side, target in ((64, 0.5), (256, 0.5)):
        mask = np.zeros((side, side), np.uint8)
        cv2.ellipse(mask, (side // 2, side // 2), (int(side * 0.45), int(side * 0.3)), 20, 0, 360, 1, -1)
        hole = mask > 0
        values = random.random((side, side, 3)).astype(np.float32) * 255
        start = time.perf_counter()
        exact = exact_membrane(values, hole, ~hole)
        direct = 1000 * (time.perf_counter() - start)
        ours = milliseconds(lambda values=values, hole=hole: fill_membrane(values, hole, ~hole), 5)
        against = f"scipy's direct sparse solution, {direct:.0f} ms; ours {ours:.1f} ms"
        yield Figure(f"membrane {side} px", round(ours / direct, 3), "×", against, target)
        error = float(np.abs(fill_membrane(values, hole, ~hole) - exact)[hole].max())
        yield Figure(f"membrane {side} px, largest error", round(error, 4), "of 255", "the same", 0.5)
