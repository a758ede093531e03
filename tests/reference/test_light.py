"""Light and colour against published formulas and other libraries."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from scipy.interpolate import PchipInterpolator
from skimage import data

from fern_ticket.core.balance import base
from fern_ticket.core.balance.curve import through
from fern_ticket.core.balance.haze import Haze, _unveil, transform, veil
from fern_ticket.core.balance.light import Overview, Position
from fern_ticket.core.balance.overlay_self import OverlaySelf, blend
from fern_ticket.core.balance.overlay_self import transform as overlay
from fern_ticket.core.pictures.profiles import srgb_decode
from tests.levels import LEVELLED, levelled, turned_by, without_level


@pytest.mark.parametrize(
    ("mode", "below", "above", "expected"),
    [
        # worked by hand from the formulas of W3C Compositing and Blending Level 1, section 10.1
        ("multiply", 0.4, 0.5, 0.2),
        ("screen", 0.4, 0.5, 0.7),
        ("overlay", 0.4, 0.5, 0.4),
        ("overlay", 0.8, 0.3, 0.72),
        ("darken", 0.4, 0.5, 0.4),
        ("lighten", 0.4, 0.5, 0.5),
        ("color-dodge", 0.4, 0.5, 0.8),
        ("color-dodge", 0.0, 1.0, 0.0),
        ("color-burn", 0.7, 0.5, 0.4),
        ("color-burn", 1.0, 0.0, 1.0),
        ("hard-light", 0.4, 0.25, 0.2),
        ("hard-light", 0.4, 0.75, 0.7),
        ("soft-light", 0.36, 0.75, 0.48),
        ("soft-light", 0.5, 0.25, 0.375),
        ("difference", 0.4, 0.5, 0.1),
        ("exclusion", 0.4, 0.5, 0.5),
        ("plus", 0.7, 0.5, 1.0),
    ],
)
def test_blend_modes_follow_the_document(mode, below, above, expected):
    assert float(blend(mode, np.array(below), np.array(above))) == pytest.approx(expected)


def test_multiply_over_itself_makes_ink_dense_and_plus_makes_paper_bright():
    """B9 at 65 % and 10 % (common practice, no source): what the formulas give for ink and for paper."""
    dense = overlay(OverlaySelf(mode="multiply", opacity=65), None)
    assert dense.table[0][round(0.3 * 4096)] == pytest.approx(0.3 * 0.35 + 0.65 * 0.09, abs=1e-3)
    bright = overlay(OverlaySelf(mode="plus", opacity=10), None)
    assert bright.table[0][round(0.9 * 4096)] == pytest.approx(0.99, abs=1e-3)


def test_the_curve_is_the_monotone_cubic_of_fritsch_and_carlson():
    """Fritsch, Carlson 1980, as scipy's PchipInterpolator computes it; and it never turns back."""
    rng = np.random.default_rng(2)
    for _ in range(20):
        at = np.sort(rng.choice(np.arange(1, 63), 4, replace=False)) / 64
        value = np.sort(rng.uniform(0, 1, 4))
        points = [(float(a), float(v)) for a, v in zip(at, value, strict=True)]
        x = np.linspace(0, 1, 500)
        ours = through(points, x)
        inside = (x >= at[0]) & (x <= at[-1])
        assert np.allclose(ours[inside], PchipInterpolator(at, value)(x[inside]))
        assert (np.diff(ours) >= -1e-12).all()


def test_the_guided_filter_is_opencvs():
    """He, Sun, Tang 2010, against OpenCV's ximgproc."""
    rng = np.random.default_rng(3)
    guide = cv2.GaussianBlur(rng.random((120, 160)).astype(np.float32), (0, 0), 2)
    values = rng.random((120, 160)).astype(np.float32)
    a, b = base.guided(guide, values, 6, 0.02)
    theirs = cv2.ximgproc.guidedFilter(guide, values, 6, 0.02)
    inside = (slice(14, -14), slice(14, -14))
    assert np.abs(a * guide + b - theirs)[inside].max() < 2e-4


def test_the_fast_logarithm_is_within_a_ten_thousandth():
    light = np.geomspace(2.0**-12, 30, 5000).astype(np.float32).reshape(1, -1)
    planes = np.stack([light] * 3)
    out = np.empty_like(light)
    base._log2_luminance(planes, out, out.view(np.int32))
    assert np.abs(out - np.log2(light)).max() < 1e-4


def hazy(rows=240, columns=320):
    """A textured view whose distance grows to the right, with air of a known colour before it."""
    rng = np.random.default_rng(5)
    clear = np.clip(rng.gamma(1.2, 0.16, (3, rows, columns)), 0, 0.9).astype(np.float32)
    clear *= cv2.GaussianBlur((rng.random((rows, columns)) > 0.5).astype(np.float32), (0, 0), 3)[None] > 0.5
    through_air = np.exp(-np.linspace(0.1, 1.6, columns))[None, :] * np.ones((rows, 1))
    air = np.array([0.75, 0.80, 0.88], np.float32)
    return clear, clear * through_air + air[:, None, None] * (1 - through_air), through_air, air


def test_haze_of_known_depth_is_found_and_taken_off():
    """He, Sun, Tang 2009: the air's colour, the share that comes through, and the clear view again."""
    clear, seen, through_air, air = hazy()
    found_air, found = veil(seen.astype(np.float32))
    assert np.abs(found_air / air - 1).max() < 0.25
    assert np.corrcoef(found.mean(axis=0), through_air[0])[0, 1] > 0.97

    class Around:
        def kept(self, _, measure):
            return measure(Overview(seen.astype(np.float32), 1.0))

    planes = seen.astype(np.float32).copy()
    transform(Haze(amount=100), Around()).work(planes, Position(np.eye(3), np.eye(3), 1.0))
    far = (slice(None), slice(None), slice(220, 300))
    assert np.abs(planes - clear)[far].mean() < 0.5 * np.abs(seen - clear)[far].mean()
    assert planes[far].std() > 1.6 * seen[far].std()


@pytest.mark.parametrize("share", [0.9, 0.5, 0.2])
def test_where_a_veil_is_taken_off_shadows_end_without_a_kink(share):
    ramp = np.linspace(0, 1, 4001, dtype=np.float32)
    planes = np.repeat(ramp[None, None], 3, axis=0)
    _unveil(planes, np.full((1, 4001), share, np.float32), np.array([0.75, 0.8, 0.88], np.float32), np.float32(1))
    for own, tones in zip((0.75, 0.8, 0.88), planes[:, 0].astype(float), strict=True):
        slopes = np.diff(tones[::4]) * 1000
        assert (slopes >= -1e-3).all()
        assert np.abs(np.diff(slopes)).max() < 0.35 / share
        line = (ramp - own) / share + own
        assert tones[line > 0.02] == pytest.approx(line[line > 0.02], abs=1e-5)
        assert tones[0] < 0.01
    untouched = np.repeat(ramp[None, None], 3, axis=0)
    _unveil(untouched, np.ones((1, 4001), np.float32), np.array([0.75, 0.8, 0.88], np.float32), np.float32(1))
    assert untouched[0, 0] == pytest.approx(ramp, abs=1e-6)


def test_middle_grey_is_eighteen_per_cent():
    assert float(srgb_decode(np.array(0.4613561))) == pytest.approx(0.18, abs=1e-5)


CASTS = ((1.25, 1.0, 0.7), (0.75, 1.0, 1.3), (1.1, 1.0, 0.9), (0.95, 1.12, 0.95), (1.08, 0.9, 1.1))


def angular_error(found, true):
    cosine = np.dot(found, true) / np.linalg.norm(found) / np.linalg.norm(true)
    return np.degrees(np.arccos(np.clip(cosine, -1, 1)))


def test_the_proposed_white_is_near_known_casts():
    """Known casts on scikit-image pictures: the light's own colour within 5 degrees in the median."""
    from skimage import data

    from fern_ticket.core.inspect.proposals import white_of

    ours, grey = [], []
    for name in ("astronaut", "coffee", "chelsea", "rocket", "immunohistochemistry", "hubble_deep_field"):
        linear = srgb_decode(getattr(data, name)() / 255.0).transpose(2, 0, 1)
        for cast in CASTS:
            seen = np.minimum(linear * np.array(cast)[:, None, None], 1).astype(np.float32)
            ours.append(angular_error(white_of(seen), cast))
            grey.append(angular_error(seen.mean(axis=(1, 2)), cast))
    assert np.median(ours) < 5
    assert np.median(ours) < np.median(grey)


@pytest.mark.parametrize("degrees", [-7, -3.3, -1.7, -0.4, 0.3, 2.0, 5.5])
@pytest.mark.parametrize("standing", [False, True])
def test_the_proposed_angle_levels_rendered_lines(degrees, standing):
    from fern_ticket.core.inspect.levelling import level_angle
    from tests import pictures

    lines = pictures.edge(520, 700, degrees)[..., 0].astype(np.float32) / 255
    if standing:
        lines = np.rot90(lines).copy()
    assert level_angle(lines) == pytest.approx(-degrees, abs=0.1)


def test_no_angle_is_proposed_where_nothing_is_level():
    from skimage import data

    from fern_ticket.core.inspect.levelling import level_angle

    for name in ("grass", "gravel", "hubble_deep_field", "chelsea"):
        grey = getattr(data, name)()
        grey = grey if grey.ndim == 2 else cv2.cvtColor(grey, cv2.COLOR_RGB2GRAY)
        assert level_angle(grey.astype(np.float32) / 255) is None
    assert level_angle(np.random.default_rng(0).random((400, 600)).astype(np.float32)) is None


@pytest.mark.parametrize("degrees", [-6, -1.85, 0, 3.4, 8])
@pytest.mark.parametrize("kind", LEVELLED)
def test_horizons_sheets_and_fronts_are_levelled(kind, degrees):
    from fern_ticket.core.inspect.levelling import level_angle

    assert level_angle(levelled(kind, degrees)) == pytest.approx(degrees, abs=0.15)


@pytest.mark.parametrize("seed", range(4))
def test_no_angle_is_proposed_for_dunes_bowls_and_things_lying_about(seed):
    from fern_ticket.core.inspect.levelling import level_angle

    for grey in without_level(seed):
        assert level_angle(grey) is None


def test_masts_tell_level_though_steel_leans_every_way_between_them():
    from fern_ticket.core.inspect.levelling import level_angle

    large = cv2.resize(data.rocket(), (900, 600), interpolation=cv2.INTER_AREA)
    grey = cv2.cvtColor(large, cv2.COLOR_RGB2GRAY).astype(np.float32) / 255
    upright = level_angle(grey)
    assert upright is not None
    assert abs(upright) < 0.5
    for degrees in (-2, 3):
        assert level_angle(turned_by(grey, degrees)) == pytest.approx(upright + degrees, abs=0.5)


def test_artworks_askew_on_their_sheet_get_their_angle():
    from fern_ticket.core.inspect.levelling import level_angle
    from tests.truth import all_truths

    for truth in all_truths():
        if truth.kind == "artwork":
            scale = 900 / max(truth.pixels.shape)
            small = cv2.resize(truth.pixels, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
            grey = cv2.cvtColor(small, cv2.COLOR_RGB2GRAY).astype(np.float32) / 255
            assert level_angle(grey) == pytest.approx(truth.straighten, abs=0.1)
