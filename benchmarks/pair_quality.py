"""Healing on the demo pairs, against the clean picture, beside OpenCV's inpainting on the same places."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from statistics import median

import cv2
import numpy as np
from numpy.typing import NDArray

from benchmarks.figures import Figure
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.pictures.decode import Decoded
from fern_ticket.core.pictures.profiles import srgb
from fern_ticket.core.pictures.pyramid import ArraySource
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture
from tests.truth import Truth, all_truths

#: Places larger than this are work for a fill, not for a heal.
_LARGEST = 12_000


def run(folder: Path) -> Iterator[Figure]:
    del folder
    for truth in all_truths():
        if truth.clean_path is not None:
            yield from _of(truth)


def _of(truth: Truth) -> Iterator[Figure]:
    ours, theirs, rough, smooth = [], [], [], []
    for part, clean, mask in _places(truth):
        healed = _heal(part, mask)
        painted = cv2.inpaint(part, mask.astype(np.uint8), 3, cv2.INPAINT_TELEA)
        ours.append(_error(healed, clean, mask))
        theirs.append(_error(painted, clean, mask))
        grain = _roughness(clean, mask)
        rough.append(_roughness(healed, mask) / grain)
        smooth.append(_roughness(np.asarray(painted), mask) / grain)
    if not ours:
        return
    name, count = truth.name, len(ours)
    against = f"OpenCV inpaint on the same {count} places: {median(theirs):.2f}"
    yield Figure(
        f"{name}: error after healing", round(median(ours), 2), "of 255", against, round(1.5 * median(theirs), 2)
    )
    away = abs(median(rough) - 1)
    against = f"OpenCV inpaint is {abs(median(smooth) - 1):.2f} away"
    yield Figure(f"{name}: roughness away from the truth's", round(away, 2), "share", against, 0.35)


def _places(truth: Truth) -> Iterator[tuple[NDArray[np.uint8], NDArray[np.uint8], NDArray[np.bool_]]]:
    """Surroundings, clean surroundings and mask of each place that a heal is for."""
    count, labels, stats, _ = cv2.connectedComponentsWithStats(truth.mask.astype(np.uint8))
    for label in range(1, count):
        left, top, width, height, area = (int(v) for v in stats[label])
        if not 30 <= area <= _LARGEST:
            continue
        reach = 2 * max(width, height) + 100
        rows = slice(max(0, top - reach), top + height + reach)
        columns = slice(max(0, left - reach), left + width + reach)
        mask = cv2.dilate((labels[rows, columns] == label).astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
        yield np.asarray(truth.pixels[rows, columns], np.uint8), np.asarray(truth.clean[rows, columns], np.uint8), mask


def _heal(part: NDArray[np.uint8], mask: NDArray[np.bool_]) -> NDArray[np.uint8]:
    step = {"op": "heal", "mask": {"kind": "bitmap", "file": "mask"}}
    steps = read_steps([step])
    bitmap = steps[0].mask
    bitmap._pixels = mask.astype(np.uint8) * 255  # type: ignore[union-attr]
    source = ArraySource(Decoded(part, srgb(), "PNG", b""))
    return np.asarray(LedgerPicture(source, "pair", steps, ByteCache(1 << 26)).deliver(np.uint8), np.uint8)


def _error(pixels: NDArray[np.uint8], clean: NDArray[np.uint8], mask: NDArray[np.bool_]) -> float:
    return float(np.abs(pixels.astype(float) - clean)[mask].mean())


def _roughness(pixels: NDArray[np.uint8], mask: NDArray[np.bool_]) -> float:
    """Deviation of what is finer than four pixels."""
    grey = cv2.cvtColor(pixels, cv2.COLOR_RGB2GRAY).astype(np.float32)
    return float((grey - cv2.GaussianBlur(grey, (0, 0), 2))[mask].std()) + 1e-6
