"""Files that were damaged by lot: each is read, or refused in a sentence."""

from __future__ import annotations

import io
import random

import cv2
import numpy as np
import pillow_heif
import pytest
from PIL import Image

from fern_ticket.core.errors import PictureError
from fern_ticket.core.inspect.series import panorama_of, taken
from fern_ticket.core.pictures.decode import decode, read_header
from fern_ticket.core.pictures.metadata import read_metadata
from tests import pictures
from tests.raw_files import dng

#: As many of each kind.
EACH = 100


def _saved(kind: str, mode: str = "RGB", **options: object) -> bytes:
    out = io.BytesIO()
    Image.fromarray(pictures.ramp(48, 64)).convert(mode).save(out, kind, **options)
    return out.getvalue()


def _deep(kind: str) -> bytes:
    return cv2.imencode(kind, pictures.ramp(48, 64).astype(np.uint16) * 257)[1].tobytes()


def _heif() -> bytes:
    out = io.BytesIO()
    pillow_heif.from_pillow(Image.fromarray(pictures.ramp(48, 64))).save(out)
    return out.getvalue()


KINDS = {
    "JPEG with EXIF": lambda: _saved("JPEG", exif=pictures.exif_with_place(), quality=90),
    "JPEG in CMYK": lambda: _saved("JPEG", "CMYK"),
    "PNG": lambda: _saved("PNG"),
    "PNG of 16 bits": lambda: _deep(".png"),
    "TIFF, packed": lambda: _saved("TIFF", compression="tiff_lzw"),
    "TIFF of 16 bits": lambda: _deep(".tiff"),
    "WebP": lambda: _saved("WEBP"),
    "HEIF": _heif,
    "AVIF": lambda: _saved("AVIF"),
    "raw": lambda: dng(pictures.ramp(48, 64) / 255),
}


def _damaged(whole: bytes, seed: int) -> bytes:
    """Bytes turned, cut off, put in, taken out, or a number made as large as it goes."""
    lot = random.Random(seed)
    data = bytearray(whole)
    head, at = min(len(data), 600), lot.randrange(len(data))
    match seed % 5:
        case 0:
            for _ in range(lot.randint(1, 8)):
                data[lot.randrange(head)] = lot.randrange(256)
        case 1:
            del data[at:]
        case 2:
            data[at:at] = lot.randbytes(lot.randint(1, 40))
        case 3:
            at = lot.randrange(head)
            data[at : at + 4] = lot.choice([b"\xff" * 4, b"\0" * 4, b"\x7f\xff\xff\xff", b"\xff\xff\xff\x7f"])
        case _:
            del data[at : at + lot.randint(1, 200)]
    return bytes(data)


@pytest.mark.parametrize("kind", KINDS)
def test_a_damaged_file_is_read_or_refused_in_a_sentence(kind):
    whole = KINDS[kind]()
    assert decode(whole).pixels.shape == (48, 64, 3)
    refused = []
    for seed in range(EACH):
        data = _damaged(whole, seed)
        try:
            read_header(data)
            pixels = decode(data).pixels
        except PictureError as error:
            refused.append(error)
        else:
            assert pixels.ndim == 3
            assert pixels.dtype in (np.uint8, np.uint16)
            # what a file says of itself beside its pixels never keeps it out
            read_metadata(data)
            panorama_of(data, pixels.shape[1], pixels.shape[0])
            taken(data)
    assert refused
    assert all(error.sentence.endswith(".") and error.hint.endswith(".") for error in refused)
