"""The demo pictures are what they say: large, tagged, and pairs that differ only where the mask says."""

from __future__ import annotations

import numpy as np
import pytest
from PIL import Image, ImageCms

from fern_ticket.core.balance import white_balance
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.pictures.decode import decode_file
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture
from tests import pictures
from tests.truth import PICTURES, Truth, all_truths

TRUTHS = all_truths()
PAIRS = [truth for truth in TRUTHS if truth.clean_path is not None]


def name(truth: Truth) -> str:
    return truth.name


@pytest.mark.parametrize("truth", TRUTHS, ids=name)
def test_each_is_large_tagged_and_light_enough_for_a_repository(truth):
    image = Image.open(truth.path)
    assert image.width * image.height >= 12e6
    assert truth.path.stat().st_size < 4 << 20
    assert image.getexif()[0x010F] == "Orrery"
    assert image.getexif().get_ifd(0x8769)[0x8827] > 0
    decoded = decode_file(truth.path)
    assert decoded.space.is_srgb
    assert ImageCms.ImageCmsProfile(__import__("io").BytesIO(image.info["icc_profile"]))


def test_every_picture_has_its_truth():
    photos = {path.stem for path in PICTURES.glob("*.jpg") if not path.stem.endswith(".clean")}
    assert photos == {truth.name for truth in TRUTHS}
    assert sum(path.stat().st_size for path in PICTURES.iterdir()) < 150e6


@pytest.mark.parametrize("truth", PAIRS, ids=name)
def test_a_pair_differs_only_where_its_mask_says(truth):
    """Outside the mask both are the same picture but for JPEG's rounding; inside they really differ."""
    assert truth.pixels.shape == truth.clean.shape
    assert truth.mask.shape == truth.pixels.shape[:2]
    assert 0.00005 < truth.mask.mean() < 0.1
    difference = np.abs(truth.pixels.astype(np.int16) - truth.clean).max(axis=-1)
    away = difference[~grown(truth.mask, 24)]
    assert np.quantile(away, 0.9999) <= 3
    assert np.quantile(difference[truth.mask], 0.75) > 6


def grown(mask, by):
    import cv2

    return cv2.dilate(mask.astype(np.uint8), np.ones((2 * by + 1, 2 * by + 1), np.uint8)) > 0


@pytest.mark.parametrize("truth", TRUTHS, ids=name)
def test_the_known_cast_is_one_that_the_picker_takes_out(truth):
    """A grey under the picture's gains, picked, is grey again within half a per cent."""
    grey = 0.4 * np.array([truth.gains])
    temperature, tint = white_balance.measured(grey)
    balanced = white_balance.matrix(white_balance.WhiteBalance(temperature=temperature, tint=tint)) @ grey[0]
    assert np.ptp(balanced) / balanced.mean() < 0.01


@pytest.mark.parametrize("truth", PAIRS, ids=name)
def test_repairs_bring_a_small_place_nearer_to_the_truth(truth):
    """Heal the pair's smallest places: the error against the clean picture falls by a quarter, grain included."""
    import cv2

    count, _, stats, _ = cv2.connectedComponentsWithStats(truth.mask.astype(np.uint8))
    places = sorted((s for s in stats[1:count] if s[4] > 60), key=lambda s: s[4])[:4]
    assert places
    before, after = [], []
    for left, top, width, height, _ in places:
        reach = 2 * max(width, height) + 100
        rows = slice(max(0, top - reach), top + height + reach)
        columns = slice(max(0, left - reach), left + width + reach)
        part, clean = truth.pixels[rows, columns], truth.clean[rows, columns].astype(float)
        x, y = left + width / 2 - columns.start, top + height / 2 - rows.start
        stroke = {"points": [[x, y, 1]], "size": float(1.5 * max(width, height) + 8), "hardness": 0.8}
        steps = read_steps([{"op": "heal", "mask": {"kind": "strokes", "strokes": [stroke]}}])
        healed = LedgerPicture(pictures.source(part), "t", steps, ByteCache(1 << 26)).deliver(np.uint8)
        x0, y0 = left - columns.start, top - rows.start
        inside = (slice(y0, y0 + height), slice(x0, x0 + width))
        before.append(np.abs(part[inside] - clean[inside]).mean())
        after.append(np.abs(healed[inside] - clean[inside]).mean())
    assert np.median(after) < 0.75 * np.median(before)
