"""Colours that a file states in other ways than by a profile: a PNG's gAMA and cHRM, EXIF's interoperability R03."""

from __future__ import annotations

import struct
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from fern_ticket.core.pictures.exif import DETAIL
from fern_ticket.core.pictures.profiles import D50_XYZ, adaptation, matrix_icc

#: Primaries and white, CIE 1931 xy: of sRGB (IEC 61966-2-1) and of the optional space of DCF (IEC 61966-2-5).
_SRGB = ((0.64, 0.33), (0.30, 0.60), (0.15, 0.06), (0.3127, 0.3290))
_OPTIONAL = ((0.64, 0.33), (0.21, 0.71), (0.15, 0.06), (0.3127, 0.3290))
#: Exponent of the optional space (IEC 61966-2-5), and of what a PNG means by sRGB (PNG, third edition, 4.3).
_OPTIONAL_GAMMA, _SRGB_GAMMA = 563 / 256, 1 / 0.45455
#: Nearer than these, a PNG's numbers are those of sRGB.
_SAME_GAMMA, _SAME_PLACE = 0.02, 0.003
#: EXIF (CIPA DC-008): the directory of interoperability, its index, and the tag of the colour space.
INTEROPERABILITY, _INDEX, COLOUR_SPACE = 0xA005, 1, 0xA001
#: Exponents beyond these are no display's.
_LEAST_GAMMA, _MOST_GAMMA = 0.5, 4.0

Primaries = tuple[tuple[float, float], ...]


def stated_profile(image: Image.Image, exif: Image.Exif) -> bytes:
    """A profile of what an opened file says of its colours; empty where it says nothing, or sRGB.

    A PNG's sRGB chunk stands above its gAMA and cHRM, as the PNG specification asks.
    """
    if image.format == "PNG" and "srgb" not in image.info:
        return _of_png(image.info)
    interoperability = exif.get_ifd(INTEROPERABILITY) if exif else {}
    if str(interoperability.get(_INDEX, "")).startswith("R03"):
        return _profile("optional RGB (EXIF R03)", _OPTIONAL, _OPTIONAL_GAMMA)
    return b""


def says_srgb(image: Image.Image, exif: Image.Exif) -> bool:
    """Whether a chunk or a tag says that it is sRGB."""
    return "srgb" in image.info or bool(exif and exif.get_ifd(DETAIL).get(COLOUR_SPACE) == 1)


def _of_png(info: dict[Any, Any]) -> bytes:
    gamma = 1 / info["gamma"] if info.get("gamma") else _SRGB_GAMMA
    # in a PNG the white stands first
    values = info.get("chromaticity") or ()
    places = tuple(zip(values[0::2], values[1::2], strict=True))
    primaries: Primaries = (*places[1:], places[0]) if len(places) == 4 else _SRGB
    off = np.abs(np.array(primaries) - np.array(_SRGB)).max()
    if abs(gamma / _SRGB_GAMMA - 1) < _SAME_GAMMA and off < _SAME_PLACE:
        return b""
    return _profile("stated in the PNG", primaries, gamma)


def _profile(name: str, primaries: Primaries, gamma: float) -> bytes:
    if not _LEAST_GAMMA < gamma < _MOST_GAMMA:
        return b""
    try:
        return matrix_icc(name, _to_d50(primaries), gamma)
    except (np.linalg.LinAlgError, ZeroDivisionError, OverflowError, ValueError, struct.error):
        return b""  # numbers that no colours have say nothing


def _to_d50(primaries: Primaries) -> NDArray[np.float64]:
    """Linear values to XYZ adapted to D50: each primary as strong as white asks for."""
    xyz = np.array([(x / y, 1.0, (1 - x - y) / y) for x, y in primaries]).T
    strengths = np.linalg.solve(xyz[:, :3], xyz[:, 3])
    return np.asarray(adaptation(xyz[:, 3], D50_XYZ) @ (xyz[:, :3] * strengths))
