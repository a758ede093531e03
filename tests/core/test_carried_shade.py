"""The shadow that a piece carries: from its foot, as the ground's own darkening, wherever it is seen from."""

from __future__ import annotations

import numpy as np
import pytest
from PIL import Image

from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.operations import operation_of, parameters_of
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.pieces.carried import CarriedShade
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture, View
from tests import pictures

GROUND = pictures.texture(240, 320, 3, (200, 196, 190))
POST = np.full((80, 20, 3), (200, 60, 40), np.uint8)
#: As wide as the post and its ground, of which the middle is covered: a thing cut of a photo.
AMID = np.full((120, 60, 3), (200, 60, 40), np.uint8)
CUT = {"parts": [{"shape": {"kind": "outline", "points": [[20, 20], [40, 20], [40, 100], [20, 100]]}}]}
HARD = {"soft_density": 0, "hard_density": 60, "hard_blur": 0.5, "contact": 0}


def opened(shade, ground=GROUND, cache=None, space=None, picture="post", **params):
    step = {"op": "piece", "params": {"picture": picture, "at": [120, 110], "scale": 1, "shade": shade, **params}}
    others = {"post": pictures.source(POST), "amid": pictures.source(AMID)}
    return LedgerPicture(
        pictures.source(ground, space), "c", read_steps([step]), cache or ByteCache(1 << 27), others.get
    )


def light_left(picture):
    """Share of the ground's linear light at each pixel."""
    out = picture.deliver(np.uint8)
    return pictures.light(out).mean(axis=2) / pictures.light(GROUND).mean(axis=2)


def test_it_falls_from_where_the_piece_stands_as_far_as_that_is_high():
    left = light_left(opened({**HARD, "angle": 30, "length": 1}))
    # it stands at y 150 and is 80 high: its head falls 69 px across and 40 px down
    assert left[150 + 20, 120 + 35] == pytest.approx(0.4, abs=0.03)
    assert left[150 + 38, 120 + 66] == pytest.approx(0.4, abs=0.1)
    assert left[150 + 46, 120 + 80] > 0.98
    # none on the piece, none before or behind it
    assert np.array_equal(opened({**HARD}).deliver(np.uint8)[70:150, 110:130], POST)
    assert left[100:148, :105].min() > 0.98
    assert left[170, 80] > 0.98


@pytest.mark.parametrize("turn", [0, 90])
def test_it_stands_on_the_lowest_place_that_its_cover_covers(turn):
    at = [120, 110]
    cut = opened({**HARD, "angle": 90, "length": 0.5}, picture="amid", at=at, cover=CUT, turn=turn)
    low = 150 if turn == 0 else 120
    left = light_left(cut)
    assert left[low + 4, 120] == pytest.approx(0.4, abs=0.06)
    assert left[low + (44 if turn == 0 else 14), 120] > 0.98


def test_a_narrow_shadow_lies_where_it_touches_and_nowhere_farther_up():
    left = light_left(opened({"soft_density": 0, "hard_density": 0, "contact": 60, "contact_blur": 4}))
    assert left[153, 120] < 0.75
    assert left[175, 120] > 0.98
    assert np.delete(left[60:125], np.s_[110:130], axis=1).min() > 0.98


def test_it_follows_the_piece_and_is_weakened_with_it():
    there = light_left(opened({**HARD, "angle": 30}))
    moved = light_left(opened({**HARD, "angle": 30}, at=[150, 100]))
    assert np.abs(moved[140:180, 150:210] - there[150:190, 120:180]).max() < 0.03
    half = light_left(opened({**HARD, "angle": 30}, opacity=0.5))
    assert half[165, 145] == pytest.approx(0.7, abs=0.03)


def test_it_darkens_a_wide_photo_in_its_own_space_and_leaves_what_it_does_not_reach():
    picture = opened({**HARD, "angle": 30}, space=pictures.wide_space())
    window = picture.repaired.read(0, Box(0, 0, 320, 240))
    beside = window[:60]
    assert np.array_equal(beside, GROUND[:60].astype(np.uint16) * 257)
    dark, plain = window[165, 145].astype(float) / 65535, GROUND[165, 145] / 255
    assert dark**2 / plain**2 == pytest.approx(0.4, abs=0.03)


def test_frames_show_the_shadow_that_is_delivered():
    cache = ByteCache(1 << 27)
    shade = {"soft_blur": 30, "hard_blur": 3, "contact_blur": 5}
    out = opened(shade, cache=cache, turn=8).deliver(np.uint8)
    seen = opened(shade, cache=cache, turn=8).view(View(60, 100, 1, 200, 120), (0, 0, 0), fine=True)
    assert np.abs(seen.astype(int) - out[100:220, 60:260]).max() <= 1
    small = opened(shade, turn=8).view(View(0, 0, 0.25, 80, 60), (0, 0, 0), fine=True)
    wanted = pictures.resized(out, (80, 60), Image.Resampling.BOX)
    assert np.abs(small - wanted).mean() < 1.5


def test_its_boxes_hold_what_it_darkens():
    picture = opened({"soft_blur": 12, "angle": 30})
    (box,) = picture.repaired.laid.values()
    changed = np.argwhere((picture.deliver(np.uint8) != GROUND).any(axis=2))
    (top, left), (bottom, right) = changed.min(axis=0), changed.max(axis=0)
    assert box.left <= left
    assert box.top <= top
    assert right < box.right
    assert bottom < box.bottom


def test_it_is_as_soft_as_the_photo_is_large_until_that_is_said():
    """50, 10 and 6 px at full size (common practice, no source)."""
    operation = operation_of(read_steps([{"op": "piece", "params": {"picture": "post"}}])[0])
    (step,) = read_steps([{"op": "piece", "params": {"picture": "post", "shade": {"hard_blur": 3}}}])
    settled = operation.settle(parameters_of(step), lambda name: (100, 100) if name else (3000, 2000), (9, 9)).shade
    assert (settled.soft_blur, settled.hard_blur, settled.contact_blur) == (25, 3, 3)
    again = CarriedShade.model_validate(settled.model_dump()).suited((600, 400))
    assert again == settled
