"""Levelling where the level is known: made scenes, the demo's pictures turned further, and scenes that have none."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from skimage import data

from benchmarks.figures import Figure
from fern_ticket.core.inspect.levelling import level_angle
from tests.levels import LEVELLED, levelled, turned_by, without_level
from tests.truth import all_truths

Grey = NDArray[np.float32]

#: Degrees off that count as right, and by which scenes are turned; the demo's are turned so much further.
_RIGHT, _TURNS, _FURTHER = 0.15, (-12, -7, -1.85, 0, 3.4, 9, 12), (0, -4.5, 6)
_LONG_SIDE = 900


def run(folder: Path) -> Iterator[Figure]:
    del folder
    yield from _told("made horizons, sheets and fronts", [(levelled(k, d), d) for k in LEVELLED for d in _TURNS])
    yield from _told("the demo's pictures", list(_of_the_demo()))
    scenes = [*(scene for seed in range(10, 20) for scene in without_level(seed)), *_without_cue()]
    claims = sum(level_angle(scene) is not None for scene in scenes)
    yield Figure("level: claims where nothing tells", round(claims / len(scenes), 3), "share", f"{len(scenes)}", 0.05)


def _told(what: str, scenes: list[tuple[Grey, float]]) -> Iterator[Figure]:
    found = [(level_angle(scene), right) for scene, right in scenes]
    wrong = sum(one is not None and abs(one - right) > _RIGHT for one, right in found)
    silent = sum(one is None for one, _ in found)
    against = f"of {len(found)}, {silent} of them not told"
    yield Figure(f"level of {what}: wrong by more than {_RIGHT}\u00b0", wrong, "scenes", against, 0)


def _of_the_demo() -> Iterator[tuple[Grey, float]]:
    for truth in all_truths():
        if truth.kind != "panorama":
            for further in _FURTHER:
                small = _small(np.asarray(truth.pixels[..., :3], np.uint8))
                yield turned_by(small, further), truth.straighten + further


def _without_cue() -> Iterator[Grey]:
    for name in ("grass", "gravel", "coffee", "chelsea", "hubble_deep_field", "coins", "moon"):
        yield _small(np.asarray(getattr(data, name)(), np.uint8))


def _small(pixels: NDArray[np.uint8]) -> Grey:
    scale = _LONG_SIDE / max(pixels.shape[:2])
    small = cv2.resize(pixels, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    grey = small if small.ndim == 2 else cv2.cvtColor(small, cv2.COLOR_RGB2GRAY)
    return np.asarray(grey, np.float32) / np.float32(255)
