"""Raw files: a DNG written here, developed with its highlights."""

from __future__ import annotations

import io
import warnings

import numpy as np
import pytest
import tifffile

from fern_ticket.core.errors import PictureError
from fern_ticket.core.pictures.decode import decode, read_header
from fern_ticket.core.pictures.profiles import SRGB_TO_XYZ_D65
from fern_ticket.core.pictures.raw import BT2020_TO_XYZ, is_raw

#: How bright the camera sees red, green and blue of white light.
NEUTRAL = np.array([0.5, 1.0, 0.7])
WHITE = 4095


def rational(values) -> list[int]:
    return [part for value in values for part in (round(float(value) * 10000), 10000)]


def dng(scene: np.ndarray) -> bytes:
    """A 12-bit DNG (DNG 1.4) of linear sRGB light, shape (rows, columns, 3), seen through an RGGB mosaic.

    The camera's own primaries are sRGB's; its sensor clips at `WHITE`, whatever comes.
    """
    rows, columns = scene.shape[:2]
    seen = scene * NEUTRAL
    mosaic = np.empty((rows, columns))
    for y, x, channel in ((0, 0, 0), (0, 1, 1), (1, 0, 1), (1, 1, 2)):
        mosaic[y::2, x::2] = seen[y::2, x::2, channel]
    values = np.clip(np.round(mosaic * WHITE), 0, WHITE).astype(np.uint16)
    matrix = np.linalg.inv(SRGB_TO_XYZ_D65).ravel()
    tags = [
        (50706, 1, 4, (1, 4, 0, 0), True),  # DNGVersion
        (50707, 1, 4, (1, 1, 0, 0), True),  # DNGBackwardVersion
        (271, 2, 0, "Orrery", True),
        (272, 2, 0, "M3", True),
        (50708, 2, 0, "Orrery M3", True),  # UniqueCameraModel
        (33421, 3, 2, (2, 2), True),  # CFARepeatPatternDim
        (33422, 1, 4, (0, 1, 1, 2), True),  # CFAPattern
        (50714, 3, 1, 0, True),  # BlackLevel
        (50717, 4, 1, WHITE, True),  # WhiteLevel
        (50721, 10, 9, rational(matrix), True),  # ColorMatrix1
        (50728, 5, 3, rational(NEUTRAL), True),  # AsShotNeutral
        (50778, 3, 1, 21, True),  # CalibrationIlluminant1: D65
    ]
    out = io.BytesIO()
    tifffile.imwrite(out, values, photometric=32803, extratags=tags, metadata=None, software=False)
    return out.getvalue()


def linear(decoded) -> np.ndarray:
    """Linear sRGB of what was decoded."""
    curves = decoded.space.curves
    light = np.stack([curves[c][decoded.pixels[..., c]] for c in range(3)], axis=-1)
    return light @ decoded.space.to_srgb.T


@pytest.fixture(scope="module")
def patches() -> np.ndarray:
    scene = np.zeros((240, 360, 3))
    colours = [(0.2, 0.2, 0.2), (0.3, 0.1, 0.1), (0.1, 0.25, 0.12), (0.1, 0.12, 0.3), (0.45, 0.4, 0.3), (0.05,) * 3]
    for index, value in enumerate(colours):
        scene[:, index * 60 : index * 60 + 60] = value
    return scene


def test_a_raw_file_is_known_by_its_tags(patches):
    data = dng(patches)
    assert is_raw(data)
    header = read_header(data)
    assert (header.format, header.width, header.height, header.bits) == ("RAW", 360, 240, 16)
    plain = io.BytesIO()
    tifffile.imwrite(plain, np.zeros((32, 32, 3), np.uint8), photometric="rgb")
    assert not is_raw(plain.getvalue())


def test_developed_colours_are_the_scene_s(patches):
    """The camera's white and matrix undone, but for one factor: the headroom that is kept above white."""
    decoded = decode(dng(patches))
    assert decoded.pixels.dtype == np.uint16
    light = linear(decoded)
    middles = np.array([light[60:180, k * 60 + 20 : k * 60 + 40].mean(axis=(0, 1)) for k in range(6)])
    scene = patches[0, 30::60]
    factor = middles[0].mean() / scene[0].mean()
    assert factor == pytest.approx(0.5, rel=0.05)  # red needs twice the gain of green
    assert middles / factor == pytest.approx(scene, abs=0.012)
    assert "EV below its white" in decoded.notes[0]


def test_highlights_above_the_white_of_one_channel_are_kept():
    """Light rises to 1.6 times what clips green; red and blue still tell it apart there."""
    ramp = np.linspace(0.2, 1.6, 400)[None, :, None] * np.ones((120, 1, 3))
    light = linear(decode(dng(ramp)))[30:90].mean(axis=(0, 2))
    at = np.searchsorted(np.linspace(0.2, 1.6, 400), (1.05, 1.35))
    assert light[at[1]] > light[at[0]] * 1.08
    assert light.max() <= 1.0


def test_a_damaged_raw_file_says_what_to_do(patches):
    with pytest.raises(PictureError, match=r"raw file|damaged"):
        decode(dng(patches)[:2000])


def test_the_wide_space_has_the_published_primaries():
    """ITU-R BT.2020, by colour-science's table."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        import colour
    theirs = colour.RGB_COLOURSPACES["ITU-R BT.2020"].matrix_RGB_to_XYZ
    assert pytest.approx(theirs, abs=1e-5) == BT2020_TO_XYZ
