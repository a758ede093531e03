"""The demo pictures are what they say: large, tagged, and pairs that differ only where the mask says."""

from __future__ import annotations

from functools import cache

import cv2
import numpy as np
import pytest
from PIL import Image, ImageCms

from fern_ticket.core.balance import white_balance
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.pictures.decode import decode_file
from fern_ticket.core.pictures.values import over_channels
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
    named = {path for path in PICTURES.iterdir() if path.suffix in (".jpg", ".tiff")}
    known = set()
    for truth in TRUTHS:
        known |= {truth.path, truth.clean_path, truth.darker_path, truth.sixteen_path, *(f.path for f in truth.series)}
    assert named == known - {None}
    assert sum(path.stat().st_size for path in PICTURES.iterdir()) < 150e6


@pytest.mark.parametrize("truth", PAIRS, ids=name)
def test_a_pair_differs_only_where_its_mask_says(truth):
    """Outside the mask both are the same picture but for JPEG's rounding; inside they really differ."""
    assert truth.pixels.shape == truth.clean.shape
    assert truth.mask.shape == truth.pixels.shape[:2]
    assert 0.00005 < truth.mask.mean() < 0.1
    difference = over_channels(np.maximum, cv2.absdiff(truth.pixels, truth.clean))
    away = np.bincount(difference[~grown(truth.mask, 24)], minlength=256)
    assert away[4:].sum() <= 0.0001 * away.sum()
    assert np.quantile(difference[truth.mask], 0.75) > 6


def grown(mask, by):
    return cv2.dilate(mask.astype(np.uint8), np.ones((2 * by + 1, 2 * by + 1), np.uint8)) > 0


@pytest.mark.parametrize("truth", TRUTHS, ids=name)
def test_the_known_cast_is_one_that_the_picker_takes_out(truth):
    """A grey under the picture's gains, picked, is grey again within half a per cent."""
    grey = 0.4 * np.array([truth.gains])
    temperature, tint = white_balance.measured(grey)
    balanced = white_balance.matrix(white_balance.WhiteBalance(temperature=temperature, tint=tint)) @ grey[0]
    assert np.ptp(balanced) / balanced.mean() < 0.01


@cache
def small_faults(truth):
    """Left, top, width and height of places that differ visibly, are small, and have no edge beside them (C2)."""
    found = []
    count, _, stats, _ = cv2.connectedComponentsWithStats(truth.mask.astype(np.uint8))
    for left, top, width, height, _ in sorted(stats[1:count], key=lambda s: s[4]):
        inside = (slice(top, top + height), slice(left, left + width))
        visible = np.abs(truth.pixels[inside].astype(float) - truth.clean[inside]).mean() > 6
        reach = 20 + max(width, height) // 2
        around = truth.clean[max(0, top - reach) : top + height + reach, max(0, left - reach) : left + width + reach]
        broad = cv2.GaussianBlur(around.mean(axis=-1), (0, 0), 4)
        if visible and max(width, height) < 260 and np.ptp(broad) < 40:
            found.append((int(left), int(top), int(width), int(height)))
    return found


def test_most_pairs_have_small_faults_to_heal():
    assert sum(bool(small_faults(truth)) for truth in PAIRS) >= 5


@pytest.mark.parametrize("truth", PAIRS, ids=name)
def test_repairs_bring_small_faults_nearer_to_the_truth(truth):
    """Heal the small faults that one sees; what is left of the difference includes the ground's own grain, which no
    repair can guess: on rough ground that alone can be as much as a faint speck was."""
    shares = [error_left(truth, *place) for place in small_faults(truth)]
    if not shares:
        pytest.skip("its faults are large, or lie across edges")
    assert np.median(shares) < 0.95
    assert min(shares) < 0.55


def error_left(truth, left, top, width, height):
    """What share of a fault's difference from the clean picture is left after healing it."""
    reach = 2 * max(width, height) + 100
    rows = slice(max(0, top - reach), top + height + reach)
    columns = slice(max(0, left - reach), left + width + reach)
    part, clean = truth.pixels[rows, columns], truth.clean[rows, columns].astype(float)
    x0, y0 = left - columns.start, top - rows.start
    size = float(1.3 * max(width, height) + 8)
    stroke = {"points": [[x0 + width / 2, y0 + height / 2, 1]], "size": size, "hardness": 0.8}
    steps = read_steps([{"op": "heal", "mask": {"kind": "strokes", "strokes": [stroke]}}])
    healed = LedgerPicture(pictures.source(part), "t", steps, ByteCache(1 << 26)).deliver(np.uint8)
    inside = (slice(y0, y0 + height), slice(x0, x0 + width))
    return np.abs(healed[inside] - clean[inside]).mean() / np.abs(part[inside] - clean[inside]).mean()


def test_there_are_two_of_each_kind_and_most_are_pairs():
    kinds = [truth.kind for truth in TRUTHS]
    assert {kind: kinds.count(kind) for kind in kinds} == dict.fromkeys(
        ("property", "food", "product", "animal", "artwork", "panorama"), 2
    )
    assert len(PAIRS) >= 8


SERIES = [truth for truth in TRUTHS if truth.series]


@pytest.mark.parametrize("truth", SERIES, ids=name)
def test_a_series_differs_by_its_stops_and_by_the_hand(truth):
    """Where neither frame is near its ends, linear light differs by the stated EV; the shift is found again."""
    middle, darker = (linear(decode_file(f.path).pixels) for f in truth.series if f.ev <= 0)
    under = next(f for f in truth.series if f.ev < 0)
    rows, columns = middle.shape[:2]
    move = cv2.getRotationMatrix2D((columns / 2, rows / 2), under.turn, 1.0)
    move[:, 2] += under.shift
    moved = cv2.warpAffine(middle, move, (columns, rows), flags=cv2.INTER_LINEAR)
    inside = (slice(40, -40), slice(40, -40))
    grey = [cv2.GaussianBlur(over_channels(np.add, p[inside]) / 3, (0, 0), 3) for p in (moved, darker)]
    fair = (grey[0] > 0.15) & (grey[0] < 0.6)
    assert np.median(np.log2(grey[1][fair] / grey[0][fair])) == pytest.approx(under.ev, abs=0.06)
    left = slice(0, 1024), slice(0, 1024)
    shift, response = cv2.phaseCorrelate(np.log(grey[0][left] + 0.02), np.log(grey[1][left] + 0.02))
    assert response > 0.3
    assert np.hypot(*shift) < 0.6


@pytest.mark.parametrize("truth", [t for t in TRUTHS if t.darker_path], ids=name)
def test_the_darker_frame_holds_whites_that_the_other_lost(truth):
    lost = (over_channels(np.maximum, truth.pixels) >= 254).mean()
    held = (over_channels(np.maximum, decode_file(truth.darker_path).pixels) >= 254).mean()
    assert 0.0005 < lost < 0.15
    assert held < lost / 20


@pytest.mark.parametrize("truth", [t for t in TRUTHS if t.sixteen_path], ids=name)
def test_the_deep_file_has_the_depth_of_a_camera(truth):
    deep = decode_file(truth.sixteen_path).pixels
    assert deep.dtype == np.uint16
    assert len(np.unique(deep[::4, ::4])) > 1500
    assert (over_channels(np.maximum, deep) >= 65_000).mean() < 0.001


@pytest.mark.parametrize("truth", [t for t in TRUTHS if t.kind == "panorama"], ids=name)
def test_panoramas_are_flat_two_to_one_and_say_so(truth):
    """Photo Sphere XMP Metadata: the projection and the size of the whole."""
    image = Image.open(truth.path)
    packet = image.info["xmp"]
    assert image.width == 2 * image.height
    assert b'ProjectionType="equirectangular"' in packet
    assert f'FullPanoWidthPixels="{image.width}"'.encode() in packet
    assert truth.roll != 0
    # where both sides meet there is no more of a step than between columns elsewhere; grain is averaged out
    round_about = np.roll(truth.pixels, 200, axis=1)[:, :400].astype(np.float32)
    strips = cv2.blur(round_about, (8, 25))[:, 4::8]
    steps = np.abs(np.diff(strips, axis=1)).mean(axis=(0, 2))
    assert steps[24] < 2 * np.median(steps) + 0.3


def linear(pixels):
    encoded = pixels.astype(np.float32) / 255
    return np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4).astype(np.float32)
