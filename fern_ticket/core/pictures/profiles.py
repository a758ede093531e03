"""Colour profiles: what the stored values of a picture mean.

Pictures keep the values of their file. A `ColourSpace` says how to take them to linear light (one tone
response per channel) and to CIE XYZ relative to D50 (one matrix): the matrix/TRC model of ICC.1. Profiles
that need tables instead (printers, some scanners) are converted to sRGB once, at intake, by lcms2.

| quantity | domain |
| --- | --- |
| encoded | 0-1, as in the file |
| linear  | 0-1, may leave it when gamuts differ |
| XYZ     | Y = 1 for white, D50 adapted (ICC.1 profile connection space) |
"""

from __future__ import annotations

import io
import struct
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import ImageCms

from fern_ticket.core.errors import PictureError

Matrix = NDArray[np.float64]
Curve = NDArray[np.float32]

#: Linear sRGB to XYZ, D65 white (IEC 61966-2-1, Amendment 1).
SRGB_TO_XYZ_D65: Matrix = np.array(
    [[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]], dtype=np.float64
)
#: White of sRGB, CIE 1931 2-degree observer, and the connection space's white (ICC.1).
D65_XYZ = SRGB_TO_XYZ_D65.sum(axis=1)
D50_XYZ = np.array([0.9642, 1.0, 0.8249])
#: Bradford cone responses (Lam 1985; ICC.1 Annex E).
BRADFORD: Matrix = np.array(
    [[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]], dtype=np.float64
)

CURVE_SIZE = 65536


def adaptation(white_from: NDArray[np.float64], white_to: NDArray[np.float64]) -> Matrix:
    """Bradford chromatic adaptation of XYZ from one white to another (Lam 1985; ICC.1).

    Parameters
    ----------
    white_from, white_to
        XYZ of the two whites, shape (3,), any common scale.

    Returns
    -------
    Matrix of shape (3, 3); `matrix @ white_from` is `white_to`.
    """
    gain = (BRADFORD @ white_to) / (BRADFORD @ white_from)
    return np.linalg.inv(BRADFORD) @ np.diag(gain) @ BRADFORD


def srgb_decode(encoded: NDArray[np.floating[Any]]) -> NDArray[np.float64]:
    """sRGB encoded 0-1 to linear 0-1 (IEC 61966-2-1)."""
    value = np.asarray(encoded, np.float64)
    return np.where(value <= 0.04045, value / 12.92, ((np.maximum(value, 0) + 0.055) / 1.055) ** 2.4)


def srgb_encode(linear: NDArray[np.floating[Any]]) -> NDArray[np.float64]:
    """Linear 0-1 to sRGB encoded 0-1 (IEC 61966-2-1)."""
    value = np.asarray(linear, np.float64)
    return np.where(value <= 0.0031308, value * 12.92, 1.055 * np.maximum(value, 1e-12) ** (1 / 2.4) - 0.055)


@dataclass(frozen=True)
class ColourSpace:
    """How to read a picture's stored values.

    Attributes
    ----------
    name
        What the profile calls itself.
    to_srgb
        Linear values of this space to linear sRGB, shape (3, 3). Wide-gamut colours leave 0-1; nothing clips.
    curves
        Linear value of each of 65536 evenly spaced encoded values, shape (3, 65536), float32.
    icc
        The profile itself, for writing back. Empty for an untagged picture.
    is_srgb
        True when values may pass through untouched.
    """

    name: str
    to_srgb: Matrix
    curves: Curve
    icc: bytes = field(repr=False, default=b"")
    is_srgb: bool = False

    def means_the_same(self, other: ColourSpace) -> bool:
        """Whether equal values are equal colours, whatever the profiles are called."""
        if self.is_srgb and other.is_srgb:
            return True
        return np.allclose(self.to_srgb, other.to_srgb, atol=1e-4) and np.allclose(self.curves, other.curves, atol=1e-4)


@lru_cache(maxsize=1)
def srgb_icc() -> bytes:
    """The sRGB profile that delivered files carry (made by lcms2, with its fixed date so that bytes repeat)."""
    data = bytearray(ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes())
    data[24:36] = struct.pack(">6H", 2026, 1, 1, 0, 0, 0)
    data[84:100] = bytes(16)
    return bytes(data)


@lru_cache(maxsize=1)
def srgb() -> ColourSpace:
    grid = srgb_decode(np.linspace(0, 1, CURVE_SIZE)).astype(np.float32)
    return ColourSpace("sRGB", np.eye(3), np.stack([grid] * 3), srgb_icc(), is_srgb=True)


@lru_cache(maxsize=32)
def read_profile(icc: bytes) -> ColourSpace | None:
    """The space an embedded profile describes, or None when it needs tables (then lcms2 converts).

    Raises
    ------
    PictureError
        When the profile is damaged.
    """
    if not icc:
        return srgb()
    try:
        name = ImageCms.getProfileDescription(ImageCms.ImageCmsProfile(io.BytesIO(icc))).strip()
    except (ImageCms.PyCMSError, OSError, ValueError) as error:
        raise _damaged() from error
    tags = _tags(icc)
    if icc[16:20] == b"GRAY" and b"kTRC" in tags:
        return _of_grey(name, tags[b"kTRC"])
    if icc[16:20] != b"RGB " or not {b"rXYZ", b"gXYZ", b"bXYZ", b"rTRC", b"gTRC", b"bTRC"} <= tags.keys():
        return None
    if b"A2B0" in tags:
        return None
    try:
        to_d50 = np.stack([_xyz(tags[key]) for key in (b"rXYZ", b"gXYZ", b"bXYZ")], axis=1)
        curves = np.stack([_curve(tags[key]) for key in (b"rTRC", b"gTRC", b"bTRC")])
    except (struct.error, ValueError, IndexError) as error:
        raise _damaged() from error
    matrix = np.linalg.inv(SRGB_TO_XYZ_D65) @ adaptation(D50_XYZ, D65_XYZ) @ to_d50
    close = np.abs(matrix - np.eye(3)).max() < 2e-3 and np.abs(curves - srgb().curves).max() < 2e-3
    if close:
        return ColourSpace("sRGB", np.eye(3), srgb().curves, icc, is_srgb=True)
    return ColourSpace(name or "unnamed profile", matrix, curves.astype(np.float32), icc)


def _damaged() -> PictureError:
    return PictureError("The picture's colour profile is damaged.", "Save it again with a valid profile, or with none.")


def _of_grey(name: str, curve: bytes) -> ColourSpace:
    """A profile of grey: its curve for all three channels, whose sum is white as it is."""
    try:
        curves = np.stack([_curve(curve)] * 3).astype(np.float32)
    except (struct.error, ValueError, IndexError) as error:
        raise _damaged() from error
    if np.abs(curves - srgb().curves).max() < 2e-3:
        return srgb()
    named = name or "unnamed grey profile"
    # it goes on with three channels, and so does its profile
    coloured = _display_profile(named, adaptation(D65_XYZ, D50_XYZ) @ SRGB_TO_XYZ_D65, curve)
    return ColourSpace(named, np.eye(3), curves, coloured)


def profile_said(icc: bytes, *, says_srgb: bool) -> str:
    """What a file says its values mean: its profile's name, sRGB where that or a tag says so, else "not said"."""
    if not icc:
        return "sRGB" if says_srgb else "not said"
    space = read_profile(icc)
    return "a profile with tables" if space is None else space.name


def matrix_icc(name: str, to_d50: NDArray[np.float64], gamma: float) -> bytes:
    """A display profile (ICC.1, version 2) of primaries and one exponent.

    Parameters
    ----------
    name
        ASCII.
    to_d50
        Linear values to XYZ adapted to D50, shape (3, 3).
    gamma
        Stored in steps of 1/256.
    """
    exponent = b"curv" + bytes(4) + struct.pack(">IH", 1, round(gamma * 256)) + bytes(2)
    return _display_profile(name, to_d50, exponent)


def _display_profile(name: str, to_d50: NDArray[np.float64], curve: bytes) -> bytes:
    """The same with any curve, as a tag has it."""
    text = name.encode("ascii", "replace")
    curve += bytes(-len(curve) % 4)
    described = b"desc" + bytes(4) + struct.pack(">I", len(text) + 1) + text + bytes(1 + 12 + 67)
    body = {
        b"desc": described + bytes(-len(described) % 4),
        b"wtpt": _xyz_tag(D50_XYZ),
        b"cprt": b"text" + bytes(4) + b"none" + bytes(4),
        **{key: _xyz_tag(column) for key, column in zip((b"rXYZ", b"gXYZ", b"bXYZ"), to_d50.T, strict=True)},
        **dict.fromkeys((b"rTRC", b"gTRC", b"bTRC"), curve),
    }
    offset, table, data = 128 + 4 + 12 * len(body), struct.pack(">I", len(body)), b""
    for key, value in body.items():
        table += key + struct.pack(">II", offset + len(data), len(value))
        data += value
    size = 128 + len(table) + len(data)
    header = struct.pack(">I4sI4s4s4s", size, b"fern", 0x02400000, b"mntr", b"RGB ", b"XYZ ")
    header += struct.pack(">6H", 2026, 1, 1, 0, 0, 0) + b"acsp" + bytes(28) + struct.pack(">3i", 63190, 65536, 54061)
    return header + bytes(128 - len(header)) + table + data


def _xyz_tag(values: NDArray[np.float64]) -> bytes:
    return b"XYZ " + bytes(4) + b"".join(struct.pack(">i", round(float(value) * 65536)) for value in values)


def _tags(icc: bytes) -> dict[bytes, bytes]:
    (count,) = struct.unpack_from(">I", icc, 128)
    found = {}
    for index in range(min(count, 200)):
        signature, offset, size = struct.unpack_from(">4sII", icc, 132 + 12 * index)
        found[signature] = icc[offset : offset + size]
    return found


def _xyz(tag: bytes) -> NDArray[np.float64]:
    return np.array(struct.unpack_from(">3i", tag, 8), np.float64) / 65536


def _curve(tag: bytes) -> NDArray[np.float64]:
    """A curveType or parametricCurveType tag (ICC.1, 10.6 and 10.18), sampled."""
    grid: NDArray[np.float64] = np.linspace(0, 1, CURVE_SIZE)
    kind = tag[:4]
    if kind == b"curv":
        (count,) = struct.unpack_from(">I", tag, 8)
        if count == 0:
            return grid
        values = np.array(struct.unpack_from(f">{count}H", tag, 12), np.float64)
        if count == 1:
            return np.asarray(grid ** (float(values[0]) / 256))
        return np.interp(grid, np.linspace(0, 1, count), values / 65535)
    if kind != b"para":
        raise ValueError(f"unknown curve {kind!r}")
    (function,) = struct.unpack_from(">H", tag, 8)
    number = (1, 3, 4, 5, 7)[function]
    g, *rest = (float(v) / 65536 for v in struct.unpack_from(f">{number}i", tag, 12))
    a, b, c, d, e, f = (*rest, *(0.0,) * 6)[:6]
    if function == 0:
        return np.asarray(grid**g)
    if function == 1:
        return np.asarray(np.where(grid >= -b / a, np.maximum(a * grid + b, 0) ** g, 0.0))
    if function == 2:
        return np.asarray(np.where(grid >= -b / a, np.maximum(a * grid + b, 0) ** g + c, c))
    bent = np.maximum(a * grid + b, 0) ** g + (e if function == 4 else 0)
    return np.asarray(np.where(grid >= d, bent, c * grid + f))
