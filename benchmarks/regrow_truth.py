"""Regrow beside a compiled PatchMatch and OpenCV's inpainting, on places whose truth is known.

Places are of three kinds: what was taken out of the demo's pairs; open ground with things near by, of their clean
pictures; and parts of photographs by others. A third is kept out of tuning and told apart.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import cv2
import numpy as np
import patchmatch
from numpy.typing import NDArray
from skimage import data

from benchmarks.figures import Figure
from fern_ticket.core.clean.regrow import Regrow, repair
from fern_ticket.core.clean.repair import Ground
from fern_ticket.core.ledger.masks import BitmapMask
from tests.quality import filling, layout_error
from tests.truth import all_truths

Picture = NDArray[np.uint8]
Bits = NDArray[np.bool_]

#: Places of open ground on pictures of 640 x 427: x, y, radii.
_OPEN = {
    "enamel-ware": [(330, 345, 34, 26), (120, 392, 40, 22), (575, 270, 40, 36), (140, 150, 60, 50)],
    "breakfast": [(50, 150, 36, 30), (470, 265, 40, 34), (470, 380, 50, 26), (285, 285, 30, 26)],
    "elm-stool": [(470, 90, 60, 40), (120, 340, 50, 40), (520, 190, 44, 40), (420, 270, 40, 30)],
    "path-tortoise": [(60, 300, 44, 34), (560, 110, 44, 36), (480, 370, 40, 30)],
    "ginger-cavy": [(560, 330, 44, 36), (90, 380, 44, 28), (330, 60, 50, 34)],
    "quay-cottage": [(330, 390, 60, 24), (600, 240, 30, 34), (380, 200, 24, 30), (240, 110, 40, 24)],
    "whipped-curd": [(80, 360, 44, 30), (560, 60, 44, 34)],
    "long-room": [(320, 380, 60, 30), (150, 250, 34, 30), (520, 160, 34, 40)],
}
_OTHERS = ("coffee", "chelsea", "astronaut", "rocket", "motorcycle")
_REST = 0.33


@dataclass(frozen=True)
class Place:
    """A picture with a hole, and what is behind it."""

    name: str
    pixels: Picture
    truth: Picture
    hole: Bits

    @property
    def held_out(self) -> bool:
        """Whether it is kept out of tuning: by its name, so that nobody chooses."""
        return hashlib.sha256(self.name.encode()).digest()[0] < _REST * 256


@cache
def places() -> list[Place]:
    return [*_pairs(), *_open_ground(), *_of_others()]


def _pairs() -> Iterator[Place]:
    for truth in all_truths():
        if truth.clean_path is None or truth.kind == "panorama":
            continue
        size = (truth.mask.shape[1] // 2, truth.mask.shape[0] // 2)
        pixels, clean = (
            np.asarray(cv2.resize(np.asarray(one[..., :3], np.uint8), size, interpolation=cv2.INTER_AREA))
            for one in (truth.pixels, truth.clean)
        )
        drawn = cv2.resize(truth.mask.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST)
        drawn = cv2.dilate(drawn, np.ones((7, 7), np.uint8))
        _, labels, stats, _ = cv2.connectedComponentsWithStats(drawn)
        for number in sorted(range(1, len(stats)), key=lambda one: -stats[one, cv2.CC_STAT_AREA])[:3]:
            if stats[number, cv2.CC_STAT_AREA] > 1500:
                yield _cropped(f"{truth.name} {number}", pixels, clean, labels == number)


def _open_ground() -> Iterator[Place]:
    for truth in all_truths():
        for number, (x, y, across, down) in enumerate(_OPEN.get(truth.name, ())):
            clean = np.asarray(truth.clean[..., :3], np.uint8)
            half = np.asarray(cv2.resize(clean, (2160, 1440), interpolation=cv2.INTER_AREA))
            yield _cropped(f"{truth.name} ground {number}", half, half, _oval(half, 3.375, (x, y, across, down)))


def _of_others() -> Iterator[Place]:
    for name in _OTHERS:
        loaded = data.stereo_motorcycle()[0] if name == "motorcycle" else getattr(data, name)()
        pixels = np.ascontiguousarray(loaded[..., :3])
        random = np.random.default_rng(len(name))
        rows, columns = pixels.shape[:2]
        for number in range(4):
            x, y = random.uniform(0.15, 0.85) * columns, random.uniform(0.15, 0.85) * rows
            across, down = random.uniform(0.04, 0.09, 2) * max(rows, columns)
            yield _cropped(f"{name} {number}", pixels, pixels, _oval(pixels, 1, (x, y, across, down)))


def _oval(pixels: Picture, scale: float, at: tuple[float, float, float, float]) -> Bits:
    x, y, across, down = (round(scale * one) for one in at)
    drawn = np.zeros(pixels.shape[:2], np.uint8)
    cv2.ellipse(drawn, (x, y), (across, down), 0, 0, 360, 1, -1)
    return drawn > 0


def _cropped(name: str, pixels: Picture, clean: Picture, hole: Bits) -> Place:
    """With as much around as any of the ways looks at."""
    left, top, width, height = cv2.boundingRect(hole.astype(np.uint8))
    reach = max(80, round(0.8 * max(width, height)))
    part = np.s_[max(0, top - reach) : top + height + reach, max(0, left - reach) : left + width + reach]
    own = hole[part]
    shown = clean[part].copy()
    shown[own] = pixels[part][own]
    return Place(name, np.ascontiguousarray(shown), np.ascontiguousarray(clean[part]), np.ascontiguousarray(own))


def regrown(place: Place, take: int = 0) -> Picture:
    mask = BitmapMask(file="hole")
    mask._pixels = place.hole.astype(np.uint8) * 255
    size = (place.hole.shape[1], place.hole.shape[0])

    def read(box: object) -> Picture:
        return place.pixels[box.rows, box.columns]  # type: ignore[attr-defined]

    patch = repair(Regrow(take=take), mask, Ground(size, read, read))
    out = place.pixels.copy()
    patch.lay_on(out, Ground(size, read, read).whole, 1.0)
    return out


def baselines(place: Place) -> dict[str, Picture]:
    drawn = place.hole.astype(np.uint8)
    patchmatch.set_random_seed(1)
    return {
        "Telea": np.asarray(cv2.inpaint(place.pixels, drawn, 5, cv2.INPAINT_TELEA), np.uint8),
        "Navier-Stokes": np.asarray(cv2.inpaint(place.pixels, drawn, 5, cv2.INPAINT_NS), np.uint8),
        "pypatchmatch": np.asarray(patchmatch.inpaint(place.pixels, drawn * 255, patch_size=3), np.uint8),
    }


def run(folder: Path) -> Iterator[Figure]:
    del folder
    for place in places():
        others = {name: layout_error(made, place.truth, place.hole) for name, made in baselines(place).items()}
        made = regrown(place)
        found = filling(made, place.truth, place.hole)
        against = ", ".join(f"{name} {error:.2f}" for name, error in others.items())
        name = f"regrow {place.name}{' (held out)' if place.held_out else ''}"
        away = f"deviation {found.deviation:.2f}, energy {found.energy:.2f}, rim {found.rim:.2f}"
        own = layout_error(made, place.truth, place.hole)
        yield Figure(f"{name}: layout error; {away}", round(own, 2), "Lab", against, round(min(others.values()), 2))
