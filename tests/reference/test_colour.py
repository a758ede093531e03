"""Colour against published sources and the libraries that implement them."""

from __future__ import annotations

import io
import struct
import warnings

import numpy as np
import pytest
from PIL import Image, ImageCms

from fern_ticket.core.balance import exposure, white_balance
from fern_ticket.core.balance.illuminant import (
    D65_XY,
    planckian_uv,
    temperature_and_tint,
    uv_to_xy,
    white_xy,
    xy_to_uv,
    xy_to_xyz,
)
from fern_ticket.core.balance.light import ColourMatrix
from fern_ticket.core.errors import LedgerError
from fern_ticket.core.inspect.colour_difference import cast, ciede2000
from fern_ticket.core.inspect.files import read_linear
from fern_ticket.core.pictures.decode import decode
from fern_ticket.core.pictures.lab import linear_to_lab
from fern_ticket.core.pictures.profiles import (
    D65_XYZ,
    SRGB_TO_XYZ_D65,
    adaptation,
    matrix_icc,
    read_profile,
    srgb,
    srgb_decode,
    srgb_encode,
    srgb_icc,
)
from fern_ticket.core.render.light import LightChain, Where
from tests import pictures


def develop(window, space, matrix, depth):
    return LightChain(space, [ColourMatrix(matrix)] if not np.array_equal(matrix, np.eye(3)) else []).develop(
        window, Where(np.eye(3)), depth
    )


with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    import colour
    from colour.temperature import CCT_to_uv_Planck1900


def test_srgb_transfer_function():
    """IEC 61966-2-1, as colour-science computes it."""
    values = np.linspace(0, 1, 4001)
    assert np.abs(srgb_decode(values) - colour.eotf(values, "sRGB")).max() < 1e-9
    assert np.abs(srgb_encode(values) - colour.eotf_inverse(values, "sRGB")).max() < 1e-7


def test_srgb_matrix():
    """IEC 61966-2-1: the matrix of the standard, rounded there to four places."""
    ours = SRGB_TO_XYZ_D65
    assert np.abs(ours - colour.RGB_COLOURSPACES["sRGB"].matrix_RGB_to_XYZ).max() < 1e-6


def test_bradford_adaptation():
    """Lam 1985 through colour-science, D65 to D50 and to illuminant A."""
    for name in ("D50", "A"):
        target = colour.xy_to_XYZ(colour.CCS_ILLUMINANTS["CIE 1931 2 Degree Standard Observer"][name])
        expected = colour.adaptation.matrix_chromatic_adaptation_VonKries(D65_XYZ, target, transform="Bradford")
        assert np.abs(adaptation(D65_XYZ, target) - expected).max() < 1e-6


def test_bradford_d65_to_d50_of_the_icc():
    """The matrix printed in ICC.1 (Annex E) for D65, from memory to four places."""
    printed = [[1.0479, 0.0229, -0.0502], [0.0296, 0.9904, -0.0171], [-0.0092, 0.0151, 0.7519]]
    d50 = np.array([0.9642, 1.0, 0.8249])
    assert np.abs(adaptation(np.array([0.9504, 1.0, 1.0889]), d50) - printed).max() < 4e-4


def test_cielab():
    """CIE 15, through colour-science."""
    linear = np.random.default_rng(2).random((500, 3))
    xyz = linear @ SRGB_TO_XYZ_D65.T
    white = D65_XYZ / D65_XYZ.sum()
    assert np.abs(linear_to_lab(linear) - colour.XYZ_to_Lab(xyz, white[:2])).max() < 1e-3


#: Sharma, Wu, Dalal 2005, table 1 (doi:10.1002/col.20070): pairs chosen because implementations fail on them.
#: From memory; the test below checks the same function against scikit-image too.
SHARMA = [
    ((50.0, 2.6772, -79.7751), (50.0, 0.0, -82.7485), 2.0425),
    ((50.0, 3.1571, -77.2803), (50.0, 0.0, -82.7485), 2.8615),
    ((50.0, 2.8361, -74.0200), (50.0, 0.0, -82.7485), 3.4412),
    ((50.0, -1.3802, -84.2814), (50.0, 0.0, -82.7485), 1.0000),
    ((50.0, 0.0, 0.0), (50.0, -1.0, 2.0), 2.3669),
    ((50.0, 2.4900, -0.0010), (50.0, -2.4900, 0.0009), 7.1792),
    ((50.0, 2.4900, -0.0010), (50.0, -2.4900, 0.0011), 7.2195),
    ((50.0, -0.0010, 2.4900), (50.0, 0.0009, -2.4900), 4.8045),
    ((50.0, -0.0010, 2.4900), (50.0, 0.0011, -2.4900), 4.7461),
    ((50.0, 2.5, 0.0), (73.0, 25.0, -18.0), 27.1492),
    ((50.0, 2.5, 0.0), (61.0, -5.0, 29.0), 22.8977),
    ((60.2574, -34.0099, 36.2677), (60.4626, -34.1751, 39.4387), 1.2644),
    ((22.7233, 20.0904, -46.6940), (23.0331, 14.9730, -42.5619), 2.0373),
    ((90.8027, -2.0831, 1.4410), (91.1528, -1.6435, 0.0447), 1.4441),
    ((2.0776, 0.0795, -1.1350), (0.9033, -0.0636, -0.5514), 0.9082),
]


@pytest.mark.parametrize(("first", "second", "difference"), SHARMA)
def test_ciede2000_on_the_published_pairs(first, second, difference):
    assert ciede2000(np.array(first), np.array(second)) == pytest.approx(difference, abs=1e-4)
    assert ciede2000(np.array(second), np.array(first)) == pytest.approx(difference, abs=1e-4)


def test_ciede2000_like_scikit_image():
    from skimage.color import deltaE_ciede2000

    random = np.random.default_rng(5)
    first, second = (random.uniform((0, -90, -90), (100, 90, 90), (4000, 3)) for _ in range(2))
    assert np.abs(ciede2000(first, second) - deltaE_ciede2000(first, second)).max() < 1e-9


def test_a_grey_has_no_cast_and_a_cast_grows_with_the_gain():
    greys = np.linspace(0.01, 1, 30)[:, None] * np.ones(3)
    assert cast(greys).max() < 0.05
    strength = [float(cast(np.array([0.3 * g, 0.3, 0.3]))) for g in (1.02, 1.1, 1.3)]
    assert strength == sorted(strength)


@pytest.mark.parametrize("kelvin", [1700, 2856, 4000, 5500, 6504, 9000, 14000])
def test_planckian_locus(kelvin):
    """Krystek 1985 against Planck's law integrated over the CIE 1931 observer (CIE 15), by colour-science."""
    assert np.abs(np.array(planckian_uv(kelvin)) - CCT_to_uv_Planck1900(kelvin)).max() < 2.5e-4


def test_uv_and_xy_are_inverse():
    assert uv_to_xy(*xy_to_uv(0.31, 0.33)) == pytest.approx((0.31, 0.33))
    assert xy_to_uv(0.3127, 0.3290) == pytest.approx(tuple(colour.xy_to_UCS_uv([0.3127, 0.3290])), abs=1e-9)


@pytest.mark.parametrize("name", ["D50", "D55", "D75", "A", "FL2"])
def test_temperature_of_standard_illuminants(name):
    """CIE 15 illuminants; temperature and distance by Ohno 2013 in colour-science, an independent method."""
    xy = colour.CCS_ILLUMINANTS["CIE 1931 2 Degree Standard Observer"][name]
    kelvin, duv = colour.temperature.uv_to_CCT_Ohno2013(colour.xy_to_UCS_uv(xy))
    _, daylight = colour.temperature.uv_to_CCT_Ohno2013(colour.xy_to_UCS_uv(D65_XY))
    ours, tint = temperature_and_tint(tuple(xy))
    assert ours == pytest.approx(kelvin, rel=0.004)
    # counted from daylight's own locus, below 4000 K from the black body's, between from what lies between
    part = np.clip((kelvin - 4000) / 1000, 0, 1)
    assert tint == pytest.approx(1000 * (duv - daylight * part**2 * (3 - 2 * part)), abs=0.25)


@pytest.mark.parametrize("kelvin", [2000, 2500, 2856, 3200, 3900])
def test_light_of_lamps_is_neutral_at_its_temperature_without_tint(kelvin):
    """Planck's law over the CIE 1931 observer by colour-science; CIEDE2000 of a white under it from the grey."""
    lamp = colour.UCS_uv_to_xy(CCT_to_uv_Planck1900(kelvin))
    light = np.linalg.inv(SRGB_TO_XYZ_D65) @ xy_to_xyz(*lamp)
    balanced = white_balance.matrix(white_balance.WhiteBalance(temperature=kelvin, tint=0)) @ light
    assert cast(balanced / balanced[1] * 0.8) < 1


def test_daylight_leaves_everything_as_it_is():
    assert np.array_equal(white_balance.matrix(white_balance.WhiteBalance()), np.eye(3))
    assert temperature_and_tint(D65_XY)[1] == pytest.approx(0, abs=1e-6)


@pytest.mark.parametrize(("temperature", "tint"), [(2900, 0), (4200, 12), (5000, -8), (9000, 5), (18000, -20)])
def test_the_named_light_becomes_neutral(temperature, tint):
    light = np.linalg.inv(SRGB_TO_XYZ_D65) @ xy_to_xyz(*white_xy(temperature, tint))
    balanced = white_balance.matrix(white_balance.WhiteBalance(temperature=temperature, tint=tint)) @ light
    assert np.ptp(balanced) / balanced.mean() < 2e-3
    assert temperature_and_tint(white_xy(temperature, tint)) == pytest.approx((temperature, tint), rel=1e-4)


@pytest.mark.parametrize(
    "gains", [(1.13, 1.0, 0.8), (0.85, 1.0, 1.2), (1.0, 0.92, 1.0), (1.25, 1.05, 0.7), (0.8, 1.0, 1.3)]
)
def test_a_picked_neutral_becomes_neutral_on_the_chart(gains):
    """The grey patches of the 24-patch chart (values as colour-science ships them) under casts of known gains.

    CHECKS: the picker leaves at most 2 degrees of angle where a neutral exists; picked on one grey, all six are judged.
    """
    chart = colour.CCS_COLOURCHECKERS["ColorChecker 2005"]
    patches = [colour.xyY_to_XYZ(chart.data[name]) for name in list(chart.data)[18:]]
    to_d65 = adaptation(colour.xy_to_XYZ(chart.illuminant), D65_XYZ)
    linear = np.array(patches) @ to_d65.T @ np.linalg.inv(SRGB_TO_XYZ_D65).T * np.array(gains)
    temperature, tint = white_balance.measured(linear[2:3])
    balanced = linear @ white_balance.matrix(white_balance.WhiteBalance(temperature=temperature, tint=tint)).T
    grey = np.ones(3) / np.sqrt(3)
    angles = np.degrees(np.arccos(np.clip(balanced @ grey / np.linalg.norm(balanced, axis=1), -1, 1)))
    assert angles.max() < 2
    assert cast(balanced[2]) < 0.5


def test_black_cannot_be_measured():
    with pytest.raises(LedgerError, match="too dark"):
        white_balance.measured(np.zeros((1, 3)))


def test_exposure_is_stops():
    assert np.allclose(exposure.transform(exposure.Exposure(ev=1), None).matrix, 2 * np.eye(3))
    pixels = np.full((4, 4, 3), 20000, np.uint16)
    brighter = develop(pixels, srgb(), exposure.transform(exposure.Exposure(ev=0.5), None).matrix, np.uint16)
    expected = srgb_encode(srgb_decode(np.array(20000 / 65535)) * 2**0.5) * 65535
    assert abs(int(brighter[0, 0, 0]) - float(expected)) <= 1


@pytest.mark.parametrize("depth", [np.uint8, np.uint16])
def test_developing_is_exact_to_rounding(depth):
    """The one-pass kernel against the formulas in double precision."""
    top = np.iinfo(depth).max
    window = np.random.default_rng(3).integers(0, 65536, (64, 64, 3)).astype(np.uint16)
    light = white_balance.matrix(white_balance.WhiteBalance(temperature=4300, tint=7)) * 1.3
    exact = srgb_encode(np.clip(srgb_decode(window / 65535) @ light.T, 0, 1)) * top
    assert np.abs(develop(window, srgb(), light, depth) - exact).max() <= 0.5 + (0.02 if depth is np.uint8 else 1.0)


def _wide_profile(name: str, gamma: float) -> tuple[bytes, object]:
    """An ICC matrix profile of a wide-gamut space, from the space's published primaries. lcms2 reads it too."""
    space = colour.RGB_COLOURSPACES[name]
    to_d50 = adaptation(colour.xy_to_XYZ(space.whitepoint), np.array([0.9642, 1.0, 0.8249])) @ space.matrix_RGB_to_XYZ
    return matrix_icc(name, to_d50, gamma), space


@pytest.mark.parametrize("name", ["Adobe RGB (1998)", "Display P3", "ITU-R BT.2020"])
def test_wide_gamut_profiles_like_lcms(name):
    """ICC.1 matrix/TRC profiles: our reading against lcms2's own conversion, in-gamut colours, 8 bits."""
    icc, _ = _wide_profile(name, 2.2)
    space = read_profile(icc)
    assert space is not None
    assert not space.is_srgb
    pixels = np.random.default_rng(1).integers(90, 170, (32, 32, 3)).astype(np.uint8)
    ours = develop(pixels.astype(np.uint16) * 257, space, np.eye(3), np.uint8)
    theirs = ImageCms.profileToProfile(
        Image.fromarray(pixels),
        ImageCms.ImageCmsProfile(io.BytesIO(icc)),
        ImageCms.ImageCmsProfile(io.BytesIO(srgb_icc())),
        renderingIntent=ImageCms.Intent.RELATIVE_COLORIMETRIC,
    )
    inside = (ours > 2).all(-1) & (ours < 253).all(-1)
    assert inside.mean() > 0.5
    assert np.abs(ours.astype(int) - np.asarray(theirs))[inside].max() <= 2


def test_the_srgb_profile_is_recognised_as_srgb():
    assert read_profile(srgb_icc()).is_srgb
    assert read_profile(b"").is_srgb


def test_wide_gamut_colours_are_not_clipped_before_the_end():
    """A green outside sRGB, made darker: its negative red must survive until encoding."""
    icc, _ = _wide_profile("ITU-R BT.2020", 2.2)
    space = read_profile(icc)
    green = np.zeros((1, 1, 3), np.uint16)
    green[..., 1] = 60000
    toward = np.eye(3) + 0.8 * (np.ones((3, 3)) / 3 - np.eye(3))
    kept = develop(green, space, toward, np.uint8).astype(int)
    clipped = develop(develop(green, space, np.eye(3), np.uint16), srgb(), toward, np.uint8).astype(int)
    assert kept[0, 0, 0] < clipped[0, 0, 0] - 5


def test_a_pngs_primaries_count():
    """The optional space's, computed by colour-science from the same primaries."""
    places = (0.3127, 0.3290, 0.64, 0.33, 0.21, 0.71, 0.15, 0.06)
    chunk = struct.pack(">8I", *(round(100_000 * one) for one in places))
    pixels = np.zeros((16, 16, 3), np.uint8)
    pixels[..., 1] = 255
    found = decode(pictures.png_saying(pixels, (b"cHRM", chunk)))
    wide = colour.RGB_COLOURSPACES["Adobe RGB (1998)"]
    expected = colour.RGB_to_RGB([0, 1, 0], wide, "sRGB", chromatic_adaptation_transform=None)
    assert read_linear(found)[0, 0] == pytest.approx(expected, abs=4e-3)
