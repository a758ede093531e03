"""Pieces against the truth: light matched to a photo that the piece was taken from, a thing cut out and laid back.

Half of the photos that light is matched on are the demo's, half come with scikit-image.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from skimage import data
from skimage.color import deltaE_ciede2000, rgb2lab

from benchmarks.figures import Figure
from fern_ticket.core.cutting.fine_edge import band_along
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.pictures.profiles import srgb_decode, srgb_encode
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture
from tests.pictures import source

Pixels = NDArray[np.uint8]

PICTURES = Path(__file__).parents[1] / "demo" / "pictures"
DEMO = ("long-room", "breakfast", "elm-stool", "quay-cottage", "path-tortoise", "drying-yard")
#: A band along a cut edge, pixels of a photo of 1600 on its long side.
_BAND = 16


def run(_: Path) -> Iterator[Figure]:
    yield from _matched()
    yield from _cut_out()


def _read(name: str, side: int) -> Pixels:
    photo = cv2.imread(str(PICTURES / name))[..., ::-1]
    scale = side / max(photo.shape[:2])
    return np.ascontiguousarray(cv2.resize(photo, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA), np.uint8)


def _laid(photo: Pixels, other: Pixels, params: dict[str, Any]) -> LedgerPicture:
    step = {"id": "laid", "op": "piece", "params": {"picture": "other", **params}}
    base, lent = source(photo), source(other)
    return LedgerPicture(base, "photo", read_steps([step]), ByteCache(1 << 28), lambda _: lent)


def _matched() -> Iterator[Figure]:
    """A disc of each photo, made lighter or darker and given a cast, laid where it was, and matched once."""
    photos = {name: _read(f"{name}.jpg", 1200) for name in DEMO}
    others = {"astronaut": data.astronaut(), "coffee": data.coffee(), "chelsea": data.chelsea()}
    chosen = np.random.default_rng(5)
    for said, some in (("the demo's photos", photos), ("other makers' photos", others)):
        off = [_one_match(photo, chosen) for photo in some.values() for _ in range(4)]
        yield Figure(f"light matched on {said}, mean", round(float(np.mean(off)), 2), "ΔE 2000", "the photo", 2.5)
        missed = float((np.array(off) > 2.5).mean())
        yield Figure(f"light matched on {said}, farther than 2.5", round(missed, 2), "of them", "the photo", 0.2)


def _one_match(photo: Pixels, chosen: np.random.Generator) -> float:
    rows, columns = photo.shape[:2]
    radius = 0.15 * rows
    x, y = chosen.uniform(0.25, 0.75) * columns, chosen.uniform(0.3, 0.7) * rows
    stops = chosen.uniform(-1, 0.6) + chosen.uniform(-0.35, 0.35, 3)
    other = np.round(255 * srgb_encode(np.clip(srgb_decode(photo / 255) * 2**stops, 0, 1))).astype(np.uint8)
    disc = {"kind": "round", "middle": [x, y], "radii": [radius, radius], "soft": 0.05}
    params = {"at": [columns / 2, rows / 2], "scale": 1, "cover": {"parts": [{"shape": disc}]}}
    pieced = _laid(photo, other, params).pieced
    assert pieced is not None
    out = _laid(photo, other, {**params, **pieced.match("laid")}).deliver(np.uint8)
    inside = np.hypot(*np.meshgrid(np.arange(columns) - x, np.arange(rows) - y)) < 0.95 * radius
    return float(deltaE_ciede2000(rgb2lab(out), rgb2lab(photo))[inside].mean())


def _cut_out() -> Iterator[Figure]:
    """What each scene holds beside its subject, cut by its rendered place and laid on the scene without it."""
    for name in ("path-tortoise", "elm-stool", "enamel-ware", "ginger-cavy"):
        photo, clean = _read(f"{name}.jpg", 1600), _read(f"{name}.clean.jpg", 1600)
        truth = cv2.imread(str(PICTURES / f"{name}.mask.png"))
        cover = np.asarray(cv2.resize(truth, photo.shape[1::-1], interpolation=cv2.INTER_AREA), np.uint8)
        sources = {"other": source(photo), "cover": source(cover)}
        params = {
            "picture": "other",
            "at": [photo.shape[1] / 2, photo.shape[0] / 2],
            "scale": 1,
            "cover": {"parts": [{"shape": {"kind": "bitmap", "file": "cover"}}]},
        }
        steps = read_steps([{"op": "piece", "params": params}])
        picture = LedgerPicture(source(clean), "clean", steps, ByteCache(1 << 28), sources.__getitem__)
        out = picture.deliver(np.uint8)
        band = band_along((cover[..., 0] > 127).astype(np.float32), _BAND)
        off = deltaE_ciede2000(rgb2lab(out), rgb2lab(photo))[band].mean()
        yield Figure(f"{name} cut out and laid back, in the band", round(float(off), 2), "ΔE 2000", "the photo", 1.5)
