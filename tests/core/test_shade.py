"""Shadows rebuilt: soft and hard, painted or cast, with the grain of the ground kept."""

from __future__ import annotations

import numpy as np
import pytest
from skimage.color import rgb2lab

from fern_ticket.core.errors import LedgerError
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture, View
from tests import pictures

GROUND = pictures.texture(160, 240, 3, (200, 196, 190))
BLOB = {"parts": [{"shape": {"kind": "round", "middle": [120, 80], "radii": [40, 24], "soft": 0}}]}
POST = {"parts": [{"shape": {"kind": "outline", "points": [[100, 40], [110, 40], [110, 100], [100, 100]]}}]}


def opened(strength=1, **params):
    step = {"op": "shade", "params": {"cover": BLOB, "soft_blur": 8, "hard_blur": 2, **params}, "strength": strength}
    return LedgerPicture(pictures.source(GROUND), "s", read_steps([step]), ByteCache(1 << 26))


def darker(picture):
    """Share of the linear light that is left."""
    values = np.arange(256) / 255
    linear = np.where(values <= 0.04045, values / 12.92, ((values + 0.055) / 1.055) ** 2.4)
    return linear[picture.deliver(np.uint8)].mean(axis=2) / linear[GROUND].mean(axis=2)


def test_both_parts_take_light_and_only_where_they_lie():
    left = darker(opened(soft_density=30, hard_density=25))
    assert left[80, 120] == pytest.approx(0.7 * 0.75, abs=0.02)
    assert left[5, 5] == pytest.approx(1, abs=0.001)
    # the soft part reaches farther than the hard one
    soft, hard = darker(opened(hard_density=0)), darker(opened(soft_density=0))
    assert (soft < 0.99).sum() > 1.2 * (hard < 0.99).sum()


def test_strength_weakens_the_whole_and_none_is_no_shadow():
    assert darker(opened(strength=0.5))[80, 120] == pytest.approx((1 + 0.7) / 2 * (1 + 0.75) / 2, abs=0.02)
    assert np.array_equal(opened(soft_density=0, hard_density=0).deliver(np.uint8), GROUND)
    assert np.array_equal(opened(cover={"parts": []}).deliver(np.uint8), GROUND)


def test_the_ground_keeps_its_grain():
    inside = np.s_[70:90, 105:135, 1]
    out = opened().deliver(np.uint8)
    grain = GROUND[inside].std() / GROUND[inside].mean()
    assert out[inside].std() / out[inside].mean() == pytest.approx(grain, rel=0.12)


def test_a_shadow_takes_the_colour_of_another():
    blue = rgb2lab(opened(colour=[70, 84, 120]).deliver(np.uint8))[80, 120]
    grey = rgb2lab(opened().deliver(np.uint8))[80, 120]
    assert blue[2] < grey[2] - 4
    assert blue[0] == pytest.approx(grey[0], abs=3)


def test_a_thing_casts_its_shadow_from_where_it_stands():
    cast = {"ground": 100, "angle": 0, "length": 1}
    left = darker(opened(cover=POST, cast={**cast, "angle": 30}, soft_density=0, hard_density=60, hard_blur=0.5))
    # a post of 60 px, to the right and toward the eye: its head falls 52 px across and 30 px down
    assert left[100 + 14, 105 + 26] < 0.6
    assert left[100 + 29, 105 + 50] < 0.8
    assert left[100 + 40, 105 + 70] > 0.98
    # nothing on the thing itself, nor behind it
    assert left[50:98, 101:109].min() > 0.98
    assert left[60, 60] > 0.99
    assert left[80, 150] > 0.98


def test_a_shadow_falls_on_a_slanting_ground_from_where_each_foot_stands():
    slanting = [[0, 80], [200, 120]]
    two = {"parts": [{"shape": {"kind": "outline", "points": [[x, 60], [x + 8, 60], [x + 8, y], [x, y]]}}
                     for x, y in ((46, 90), (146, 110))]}  # fmt: skip
    dark = {"soft_density": 0, "hard_density": 60, "hard_blur": 0.5}
    left = darker(opened(cover=two, cast={"ground": slanting, "angle": 60, "length": 0.5}, **dark))
    for foot, high in (((50, 90), 30), ((150, 110), 50)):
        # (cos 60°, sin 60°) × 0.5 × the height, half of it up
        x, y = foot[0] + 0.25 * high / 2, foot[1] + 0.433 * high / 2
        assert left[round(y), round(x)] < 0.6
    level = darker(opened(cover=POST, cast={"ground": 100, "angle": 60}, **dark))
    same = darker(opened(cover=POST, cast={"ground": [[20, 100], [220, 100]], "angle": 60}, **dark))
    assert np.array_equal(level, same)


def test_a_ground_line_that_runs_down_the_picture_is_refused_and_a_shadow_along_it_is_none_too_thin():
    with pytest.raises(LedgerError, match="runs across"):
        opened(cover=POST, cast={"ground": [[100, 0], [100, 90]]}).deliver(np.uint8)
    along = opened(cover=POST, cast={"ground": [[0, 100], [240, 100]], "angle": 0})
    assert np.isfinite(darker(along)).all()


def test_the_contact_shadow_lies_just_under_what_stands_there():
    left = darker(opened(cover=POST, soft_density=0, hard_density=0, contact=60, contact_blur=3))
    assert left[101:105, 103:107].mean() < 0.75
    assert left[120, 105] > 0.99
    assert left[60, 105] > 0.99


def test_a_view_of_a_cast_shadow_is_what_is_delivered():
    picture = opened(cover=POST, cast={"ground": 100, "angle": 40})
    frame = picture.view(View(80, 60, 1, 100, 80), (0, 0, 0), fine=True)
    assert np.abs(frame.astype(int) - picture.deliver(np.uint8)[60:140, 80:180]).max() <= 1
