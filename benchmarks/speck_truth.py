"""Specks that are known: put on made grounds, and photographs that have none; speed beside a bare band of the same."""

from __future__ import annotations

import time
from collections.abc import Iterator
from itertools import product
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from skimage import data

from benchmarks.figures import Figure, large_photo
from fern_ticket.core.inspect.specks import Speck, alone, specks_of
from fern_ticket.core.pictures.decode import Decoded, decode_file
from fern_ticket.core.pictures.profiles import srgb
from fern_ticket.core.pictures.pyramid import TiledSource, write_pyramid
from tests import pictures
from tests.dust import GROUNDS, Spot, dusty
from tests.quality import sky
from tests.truth import all_truths

Picture = NDArray[np.uint8]

#: Grain of the grounds; as they are and as JPEGs; seeds that were looked at while it was made, and others.
_GRAIN, _QUALITIES, _TUNED, _HELD_OUT = (0, 1, 2, 4, 6), (None, 85), (1, 2), (3,)
#: Least contrast of what counts, levels; and by how many deviations it stands out of its band's noise.
_CONTRAST, _DEVIATIONS = 5, ((4.0, 6.0), (6.0, 9.0), (9.0, 1e9))


def run(folder: Path) -> Iterator[Figure]:
    yield from _made(_TUNED, "tuned")
    yield from _made(_HELD_OUT, "held out")
    names = ("grass", "gravel", "brick", "coffee", "chelsea", "astronaut", "camera", "coins")
    yield _on_clean("scikit-image's photographs", (_coloured(np.asarray(getattr(data, one)())) for one in names))
    clean = (np.asarray(one.clean, np.uint8) for one in all_truths() if one.clean_path)
    yield _on_clean("the demo's pictures without their faults", clean)
    bright = cv2.resize(np.asarray(sky(1000, 1500)[0]), (6000, 4000), interpolation=cv2.INTER_CUBIC)
    yield _speed("a sky", np.asarray(bright, np.uint8), folder)
    yield _speed("a room", np.asarray(decode_file(large_photo(folder)).pixels, np.uint8), folder)


def _made(seeds: tuple[int, ...], which: str) -> Iterator[Figure]:
    hits: dict[tuple[float, float], list[bool]] = {span: [] for span in _DEVIATIONS}
    found, false = 0, 0
    for ground, grain, quality, seed in product(GROUNDS, _GRAIN, _QUALITIES, seeds):
        pixels, put = dusty(ground, grain, seed, quality)
        specks = alone(specks_of(pictures.source(pixels)))
        found += len(specks)
        false += sum(not any(_is(speck, spot) for spot in put) for speck in specks)
        for spot in put:
            for span in _DEVIATIONS:
                if spot.contrast >= _CONTRAST and span[0] <= spot.stands_out < span[1]:
                    hits[span].append(any(_is(speck, spot) for speck in specks))
    for (least, most), hit in hits.items():
        span_said = f"{least:g} deviations and more" if most > 1e6 else f"{least:g} to {most:g} deviations"
        missed = round(1 - float(np.mean(hit)), 3)
        yield Figure(f"specks of {span_said} missed, {which}", missed, "share", f"{len(hit)} spots", 0.05)
    yield Figure(f"specks: share found that are none, {which}", round(false / found, 4), "share", f"of {found}", 0.05)


def _is(speck: Speck, spot: Spot) -> bool:
    return bool(np.hypot(speck.x - spot.x, speck.y - spot.y) < max(3.0, spot.reach))


def _on_clean(what: str, photos: Iterator[Picture]) -> Figure:
    every, megapixels = [], 0.0
    for photo in photos:
        every += specks_of(pictures.source(photo))
        megapixels += photo.shape[0] * photo.shape[1] / 1e6
    own = len(alone(every))
    against = f"{megapixels:.1f} MP; {len(every) - own} offered apart"
    return Figure(f"specks in 10 MP of {what}", round(10 * own / megapixels, 1), "specks", against, 1)


def _coloured(pixels: Picture) -> Picture:
    return np.ascontiguousarray(np.stack([pixels] * 3, axis=2) if pixels.ndim == 2 else pixels[..., :3])


def _speed(what: str, photo: Picture, folder: Path) -> Figure:
    write_pyramid(Decoded(photo, srgb(), "PNG", b""), folder / f"specks of {what}")
    source = TiledSource(folder / f"specks of {what}")
    start = time.perf_counter()
    specks_of(source)
    taken = time.perf_counter() - start
    start = time.perf_counter()
    grey = np.asarray(cv2.cvtColor(photo, cv2.COLOR_RGB2GRAY), np.float32)
    np.subtract(cv2.GaussianBlur(grey, (0, 0), 1.1), cv2.GaussianBlur(grey, (0, 0), 1.8))
    bare = time.perf_counter() - start
    return Figure(f"specks on 24 MP of {what}", round(taken, 2), "s", f"one bare band: {bare:.2f} s", 5)
