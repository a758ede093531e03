"""Raw files: a DNG written here, developed with its highlights."""

from __future__ import annotations

import io
import warnings

import numpy as np
import pytest
import tifffile

from fern_ticket.core.errors import PictureError
from fern_ticket.core.pictures.decode import decode, read_header
from fern_ticket.core.pictures.raw import BT2020_TO_XYZ, is_raw
from tests.raw_files import dng


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
