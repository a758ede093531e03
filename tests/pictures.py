"""The one library of small pictures that tests use."""

from __future__ import annotations

import io
import struct
import zlib

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from fern_ticket.core.pictures.decode import Decoded, Pixels
from fern_ticket.core.pictures.profiles import ColourSpace, matrix_icc, read_profile, srgb, srgb_decode, srgb_encode
from fern_ticket.core.pictures.pyramid import ArraySource


def noise(rows: int, columns: int, seed: int = 0, depth: type[np.uint8] | type[np.uint16] = np.uint8) -> Pixels:
    """Every value of the depth, at random."""
    return np.random.default_rng(seed).integers(0, np.iinfo(depth).max + 1, (rows, columns, 3)).astype(depth)


def texture(rows: int, columns: int, seed: int = 0, tone: tuple[int, int, int] = (150, 140, 120)) -> NDArray[np.uint8]:
    """Soft-grained ground of one tone, like cloth or plaster."""
    grain = np.random.default_rng(seed).standard_normal((rows, columns)).astype(np.float32)
    grain = cv2.GaussianBlur(grain, (0, 0), 1.2)
    grain *= 9 / grain.std()
    return np.clip(np.array(tone) + grain[..., None], 0, 255).astype(np.uint8)


def ramp(rows: int, columns: int) -> NDArray[np.uint8]:
    """Light from left to right, colour from top to bottom."""
    x = np.linspace(20, 220, columns)[None, :, None]
    y = np.linspace(0, 30, rows)[:, None, None]
    return np.clip(x + y * np.array([1, 0, -1]), 0, 255).round().astype(np.uint8)


def edge(rows: int, columns: int, degrees: float) -> NDArray[np.uint8]:
    """Dark above, light below an anti-aliased line through the middle, turned clockwise by `degrees` from level."""
    y, x = np.mgrid[0:rows, 0:columns] + 0.5
    a = np.radians(degrees)
    distance = (y - rows / 2) * np.cos(a) - (x - columns / 2) * np.sin(a)
    value = 60 + 140 * np.clip(distance + 0.5, 0, 1)
    return np.repeat(value.round().astype(np.uint8)[..., None], 3, axis=2)


def light(pixels: Pixels) -> NDArray[np.float32]:
    """Linear light 0-1 of sRGB values (IEC 61966-2-1)."""
    return srgb_decode(pixels / np.iinfo(pixels.dtype).max).astype(np.float32)


def resized(pixels: Pixels, size: tuple[int, int], kernel: Image.Resampling) -> NDArray[np.float64]:
    """Pillow's filter on each channel's linear light; sRGB encoded again, 0-255."""
    channels = [np.ascontiguousarray(one) for one in np.moveaxis(light(pixels), 2, 0)]
    filtered = [np.asarray(Image.fromarray(one).resize(size, kernel)) for one in channels]
    return 255 * srgb_encode(np.clip(np.stack(filtered, axis=2), 0, 1))


def source(pixels: Pixels, space: ColourSpace | None = None) -> ArraySource:
    return ArraySource(Decoded(pixels, space or srgb(), "PNG", b""))


def wide_space() -> ColourSpace:
    """Wider primaries (those of ITU-R BT.2020, adapted to D50) with a plain gamma."""
    to_d50 = np.array([[0.6734, 0.1656, 0.1251], [0.2790, 0.6753, 0.0456], [-0.0019, 0.0300, 0.7968]])
    return read_profile(matrix_icc("wide", to_d50, 2.0))


def file(pixels: Pixels, kind: str = "JPEG", **options: object) -> bytes:
    """A file of 8-bit pixels written by Pillow, an encoder that is not ours."""
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, kind, **options)
    return out.getvalue()


def exif_with_place() -> bytes:
    """An EXIF block that tells where it was taken: 52° 30' N."""
    exif = Image.Exif()
    exif[0x0110] = "Test camera"
    exif[0x8769] = {0x9003: "2026:10:06 16:40:02", 0xA434: "Test lens", 0x829A: 0.125}
    exif[0x8825] = {1: "N", 2: (52.0, 30.0, 0.0), 3: "E", 4: (13.0, 20.0, 0.0)}
    return exif.tobytes()


def png_saying(pixels, *chunks):
    """A PNG with chunks of its own before its pixels: (kind, content)."""
    _, data = cv2.imencode(".png", pixels[..., ::-1] if pixels.ndim == 3 else pixels)
    plain = data.tobytes()
    said = b"".join(
        struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body)) for kind, body in chunks
    )
    return plain[:33] + said + plain[33:]
