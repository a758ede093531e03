"""The working picture lent to another program and taken back."""

from __future__ import annotations

import io

import numpy as np
import pytest
import tifffile
from PIL import Image

from fern_ticket.core.errors import PictureError
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.pictures.decode import decode, read_header
from fern_ticket.core.pictures.profiles import matrix_icc, read_profile
from fern_ticket.core.pictures.pyramid import ArraySource
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.lending import Mark, changed, lent_file, mark_of, marked, mask_file
from fern_ticket.core.render.picture import LedgerPicture
from tests import pictures

PHOTO = "0b6f3c1e-7d9a-4a52-9d28-3f6c1c2f6a11"
MARK = Mark(PHOTO, 12)
GROUND = pictures.texture(240, 320, 3, (120, 130, 140))
CLONE = {
    "op": "clone",
    "params": {"source": {"dx": 60, "dy": 30}},
    "mask": {"kind": "strokes", "strokes": [{"points": [[100, 90, 1]], "size": 30, "hardness": 1}]},
}
LIGHT = [
    {"op": "exposure", "params": {"ev": 0.3}},
    {"op": "crop", "params": {"left": 20, "top": 10, "width": 280, "height": 200}},
]


def opened(*steps, source=None, others=None):
    return LedgerPicture(
        source or pictures.source(GROUND), "l", read_steps(list(steps)), ByteCache(1 << 27), (others or {}).get
    )


def lent(*steps, source=None):
    return lent_file(opened(*steps, source=source).repaired, MARK)


def laid_back(size):
    return {
        "op": "piece",
        "params": {
            "picture": "back",
            "at": [size[0] / 2, size[1] / 2],
            "scale": 1,
            "cover": {"parts": [{"shape": {"kind": "bitmap", "file": "mask"}}]},
        },
    }


def test_what_is_lent_is_the_repaired_photo_before_light_and_frame():
    """Read by tifffile, which did not write it."""
    data = lent(CLONE, *LIGHT)
    with tifffile.TiffFile(io.BytesIO(data)) as file:
        pixels = file.asarray()
        assert 34675 in file.pages[0].tags  # a profile
    assert pixels.dtype == np.uint16
    assert np.array_equal(pixels, opened(CLONE).deliver(np.uint8).astype(np.uint16) * 257)


def test_it_is_known_again_by_its_mark_however_that_is_written():
    assert mark_of(read_header(lent()).xmp) == MARK
    elements = (
        b'<x xmlns:lent="urn:fern-ticket:lent"><lent:photo>' + PHOTO.encode() + b"</lent:photo>\n"
        b"<lent:revision>12</lent:revision></x>"
    )
    assert mark_of(elements) == MARK
    assert mark_of(marked(MARK).replace(b"revision", b"other")) is None
    assert mark_of(b"") is mark_of(b"<x/>") is None
    with Image.open(io.BytesIO(lent())) as image:
        packet = image.info["xmp"]
    assert mark_of(packet if isinstance(packet, bytes) else packet.encode()) == MARK


@pytest.mark.parametrize("wide", [False, True], ids=["srgb", "wide gamut"])
def test_what_was_changed_comes_back_there_alone_bit_by_bit(wide):
    to_d50 = np.array([[0.6734, 0.1656, 0.1251], [0.2790, 0.6753, 0.0456], [-0.0019, 0.0300, 0.7968]])
    space = read_profile(matrix_icc("wide", to_d50, 2.0)) if wide else None
    source = pictures.source(GROUND, space)
    back = decode(lent(CLONE, source=source))
    assert changed(opened(CLONE, source=source).repaired, ArraySource(back)) is None
    edited = back.pixels.copy()
    edited[60:100, 200:260] = (12_345, 40_000, 777)
    after = ArraySource(type(back)(edited, back.space, back.format, b""))
    share = changed(opened(CLONE, source=source).repaired, after)
    assert share[80, 230] == 255
    assert share[20, 20] == share[90, 100] == 0
    mask = ArraySource(decode(mask_file(share)))
    others = {"back": after, "mask": mask}
    steps = [CLONE, laid_back((320, 240))]
    shown = opened(*steps, source=source, others=others).repaired.read(0, Box(0, 0, 320, 240))
    assert np.array_equal(shown[62:98, 202:258], edited[62:98, 202:258])
    beside = np.ones(shown.shape[:2], bool)
    beside[50:110, 190:270] = False
    assert np.array_equal(shown[beside], back.pixels[beside])
    # with light and another crop since: the same as before but there
    without = opened(CLONE, *LIGHT, source=source).deliver(np.uint8)
    result = opened(*steps, *LIGHT, source=source, others=others).deliver(np.uint8)
    assert (result != without).any(axis=2).mean() < 0.07


def test_a_program_that_kept_eight_bits_changed_nothing():
    back = decode(lent())
    rounded = (np.round(back.pixels / 257).astype(np.uint16) * 257).astype(np.uint16)
    assert changed(opened().repaired, ArraySource(type(back)(rounded, back.space, "TIFF", b""))) is None


def test_another_size_or_profile_is_refused_in_words():
    back = decode(lent())
    smaller = ArraySource(type(back)(back.pixels[:-2], back.space, "TIFF", b""))
    with pytest.raises(PictureError, match="320 × 238 pixels; 320 × 240 were lent"):
        changed(opened().repaired, smaller)
    to_d50 = np.array([[0.6734, 0.1656, 0.1251], [0.2790, 0.6753, 0.0456], [-0.0019, 0.0300, 0.7968]])
    other = pictures.source(GROUND, read_profile(matrix_icc("wide", to_d50, 2.0)))
    with pytest.raises(PictureError, match="profile"):
        changed(opened().repaired, other)
