"""WebP, HEIC and AVIF, written by Pillow and libheif and read by us."""

from __future__ import annotations

import io

import numpy as np
import pillow_heif
import pytest
from PIL import Image

from fern_ticket.core.errors import PictureError
from fern_ticket.core.pictures.decode import decode, read_header
from fern_ticket.core.pictures.profiles import srgb_icc
from tests import pictures

pillow_heif.register_heif_opener()


@pytest.mark.parametrize(("kind", "said"), [("WEBP", "WEBP"), ("HEIF", "HEIF"), ("AVIF", "AVIF")])
def test_a_file_is_read_as_its_maker_reads_it(kind, said):
    pixels = pictures.ramp(120, 200)
    data = pictures.file(pixels, kind, quality=95, icc_profile=srgb_icc())
    header = read_header(data)
    assert (header.format, header.width, header.height) == (said, 200, 120)
    found = decode(data)
    assert found.format == said
    assert np.abs(found.pixels.astype(int) - pixels).max() <= 8
    np.testing.assert_array_equal(found.pixels, np.asarray(Image.open(io.BytesIO(data)).convert("RGB")))


@pytest.mark.parametrize("kind", ["WEBP", "AVIF"])
def test_transparency_is_laid_on_white(kind):
    pixels = np.zeros((64, 64, 4), np.uint8)
    pixels[:, 32:] = (10, 120, 40, 255)
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, kind, quality=95, lossless=kind == "WEBP")
    found = decode(out.getvalue())
    assert "transparency laid on white" in found.notes
    assert found.pixels[20, 4].min() >= 250
    assert np.abs(found.pixels[20, 60].astype(int) - (10, 120, 40)).max() <= 8


def test_ten_bits_of_a_heic_are_kept():
    deep = np.repeat(np.linspace(8000, 12000, 256).astype(np.uint16)[None, :, None], 64, axis=0).repeat(3, axis=2)
    image = pillow_heif.from_bytes("RGB;16", (256, 64), deep.tobytes())
    out = io.BytesIO()
    image.save(out, quality=-1)
    found = decode(out.getvalue())
    assert found.pixels.dtype == np.uint16
    assert len(np.unique(found.pixels[32, :, 1])) > 40  # 8 bits could tell 16 apart
    assert np.abs(found.pixels[..., 1].astype(int) - deep[..., 1]).mean() < 200


def test_a_cut_off_file_is_refused_in_words():
    for kind in ("WEBP", "HEIF", "AVIF"):
        data = pictures.file(pictures.noise(200, 200), kind)
        with pytest.raises(PictureError):
            decode(data[: len(data) // 2])
