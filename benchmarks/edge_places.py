"""Strokes that an edge runs through: healed, and by the method that is taken where it surely fits, beside inpainting.

Blemishes are laid over edges of whole photographs, which are the truth. A third of the photographs is kept out of
tuning and told apart.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from skimage import data

from benchmarks.figures import Figure
from fern_ticket.core.inspect.methods import fitting_method
from fern_ticket.core.ledger.masks import StrokesMask
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.pictures.decode import Decoded
from fern_ticket.core.pictures.profiles import srgb
from fern_ticket.core.pictures.pyramid import ArraySource
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture
from tests.truth import all_truths

Pixels = NDArray[np.uint8]

_TUNED = ("astronaut", "chelsea", "brick", "camera", "long-room", "breakfast", "enamel-ware", "potting-house")
_HELD_OUT = ("coffee", "rocket", "coins", "quay-cottage", "elm-stool")
#: Places of each photo, how much lies around each, and what is looked at of the demo's large ones, pixels.
_PLACES, _AROUND, _LOOKED_AT = 12, 200, (1000, 1400)
#: Errors of layout are told after a blur of so many pixels.
_COARSE = 3.0


def run(folder: Path) -> Iterator[Figure]:
    del folder
    for names, which in ((_TUNED, "tuned"), (_HELD_OUT, "held out")):
        found = np.array([row for seed, name in enumerate(names) for row in _errors(_photo(name), seed)])
        for at, said in enumerate(("error", "layout error")):
            healed, taken, painted = (float(mean) for mean in found[:, at].mean(axis=0))
            against = f"inpainted {painted:.1f}, healed {healed:.1f}, {len(found)} places"
            yield Figure(
                f"edges through strokes, {which}: {said} as it is taken",
                round(taken, 1),
                "of 255",
                against,
                round(painted, 1),
            )


def _photo(name: str) -> Pixels:
    known = {truth.name: truth for truth in all_truths()}
    pixels = np.asarray(known[name].clean if name in known else getattr(data, name)())
    if pixels.ndim == 2:
        pixels = np.repeat(pixels[..., None], 3, axis=2)
    rows, columns = (max(0, (whole - most) // 2) for whole, most in zip(pixels.shape, _LOOKED_AT, strict=False))
    looked_at = pixels[rows : rows + _LOOKED_AT[0], columns : columns + _LOOKED_AT[1], :3]
    return np.ascontiguousarray(looked_at, np.uint8)


def _errors(photo: Pixels, seed: int) -> Iterator[NDArray[np.float64]]:
    """For each place error and layout error, each healed, as it is taken, and inpainted."""
    by_chance = np.random.default_rng(seed)
    grey = cv2.GaussianBlur(cv2.cvtColor(photo, cv2.COLOR_RGB2GRAY).astype(np.float32), (0, 0), 2)
    steep = np.hypot(cv2.Sobel(grey, cv2.CV_32F, 1, 0), cv2.Sobel(grey, cv2.CV_32F, 0, 1))[60:-60, 60:-60]
    at_edges = np.argwhere(steep > np.percentile(steep, 93)) + 60
    for y, x in by_chance.choice(at_edges, _PLACES):
        top, left = max(0, y - _AROUND), max(0, x - _AROUND)
        part = np.ascontiguousarray(photo[top : y + _AROUND, left : x + _AROUND])
        size = int(by_chance.integers(16, 52))
        stroke = {"points": [[int(x - left), int(y - top), 1.0]], "size": size, "hardness": 1}
        mask = {"kind": "strokes", "strokes": [stroke]}
        covered = StrokesMask.model_validate(mask)
        box = covered.box((part.shape[1], part.shape[0]))
        hole = np.zeros(part.shape[:2], np.bool_)
        hole[box.rows, box.columns] = covered.alpha(box) > 0
        dirty = np.where(hole[..., None], 255 - part, part).astype(np.uint8)
        healed = _repaired(dirty, {"op": "heal", "mask": mask})
        hint = fitting_method(covered, _picture(dirty).repaired.ground())
        taken = _repaired(dirty, {"op": hint.method, "mask": mask}) if hint is not None and hint.sure else healed
        painted = np.asarray(cv2.inpaint(dirty, hole.astype(np.uint8), 3, cv2.INPAINT_TELEA), np.uint8)
        yield np.array([[_off(out, part, hole, blur) for out in (healed, taken, painted)] for blur in (0, _COARSE)])


def _repaired(pixels: Pixels, step: dict[str, object]) -> Pixels:
    return np.asarray(_picture(pixels, step).deliver(np.uint8), np.uint8)


def _picture(pixels: Pixels, *steps: dict[str, object]) -> LedgerPicture:
    source = ArraySource(Decoded(pixels, srgb(), "PNG", b""))
    return LedgerPicture(source, "edges", read_steps(list(steps)), ByteCache(1 << 26))


def _off(out: Pixels, truth: Pixels, hole: NDArray[np.bool_], blur: float) -> float:
    apart = out.astype(np.float32) - truth
    return float(np.abs(cv2.GaussianBlur(apart, (0, 0), blur) if blur else apart)[hole].mean())
