"""Repairs: gone without a trace, the same every time, and refused clearly where they make no sense."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from fern_ticket.core.clean.healing import kept_inside
from fern_ticket.core.clean.membrane import fill_membrane
from fern_ticket.core.errors import LedgerError
from fern_ticket.core.ledger.masks import Stroke, StrokesMask
from fern_ticket.core.ledger.steps import Step, read_steps
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture
from fern_ticket.core.settling import settle
from tests import pictures


def mask(points, size=36.0, **more):
    return {"kind": "strokes", "strokes": [{"points": points, "size": size, **more}]}


def repaired(pixels, steps):
    return LedgerPicture(pictures.source(pixels), "t", read_steps(steps), ByteCache(1 << 26)).deliver(np.uint8)


def blemished(seed=3):
    """Textured ground, and the same with a dark spot at (200, 150)."""
    clean = pictures.texture(300, 400, seed)
    spotted = clean.copy()
    cv2.circle(spotted, (200, 150), 12, (40, 30, 25), -1, cv2.LINE_AA)
    return clean, spotted


def test_a_dab_takes_a_blemish_out_and_leaves_the_ground_as_rough_as_it_is():
    _, spotted = blemished()
    result = repaired(spotted, [{"op": "dab", "mask": mask([[200, 150, 1]])}])
    place = result[138:162, 188:212].astype(float)
    around = result[100:200, 240:340].astype(float)
    assert abs(place.mean() - around.mean()) < 4
    assert 0.7 < place.std() / around.std() < 1.4
    untouched = np.ones(result.shape[:2], bool)
    untouched[130:170, 180:220] = False
    assert np.array_equal(result[untouched], spotted[untouched])


def test_a_dab_follows_a_gradient_of_light():
    pixels = pictures.ramp(240, 320)
    spotted = pixels.copy()
    cv2.circle(spotted, (160, 120), 9, (0, 0, 0), -1)
    result = repaired(spotted, [{"op": "dab", "mask": mask([[160, 120, 1]], 32)}])
    assert np.abs(result.astype(int) - pixels)[100:140, 140:180].max() <= 2


def test_a_heal_takes_its_texture_from_the_source_and_its_colour_from_the_place():
    left = pictures.texture(200, 200, 1, (90, 90, 90))
    right = np.full((200, 200, 3), (180, 150, 120), np.uint8)
    pixels = np.concatenate([left, right], axis=1)
    step = {
        "op": "heal",
        "params": {"source": {"dx": -200, "dy": 0}},
        "mask": mask([[300, 100, 1]], 60, hardness=1),
    }
    place = repaired(pixels, [step])[85:115, 285:315].astype(float)
    assert np.abs(place.mean(axis=(0, 1)) - (180, 150, 120)).max() < 4
    texture = left[85:115, 85:115].astype(float)
    again = np.corrcoef((place - place.mean((0, 1)))[..., 0].ravel(), (texture - texture.mean((0, 1)))[..., 0].ravel())
    assert again[0, 1] > 0.95


def test_a_proposed_source_keeps_off_the_edge_and_off_the_blemish_itself():
    """Smooth wall, a strong edge to one side: nothing of the edge may be carried in."""
    pixels = pictures.texture(300, 500, 5)
    pixels[:, 330:] = (30, 35, 60)
    spotted = pixels.copy()
    cv2.circle(spotted, (270, 150), 14, (20, 20, 20), -1)
    step = settle(
        pictures.source(spotted),
        "t",
        [],
        Step.model_validate({"op": "heal", "mask": mask([[270, 150, 1]], 44)}),
        ByteCache(1 << 24),
    )
    dx, dy = step.params["source"]["dx"], step.params["source"]["dy"]
    assert 270 + dx + 22 < 330
    assert np.hypot(dx, dy) > 30
    result = repaired(spotted, read_to_json([step]))
    assert result[130:170, 250:290].min() > 80


def read_to_json(steps):
    return [s.model_dump(mode="json", exclude_none=True) for s in steps]


def test_the_same_ledger_gives_the_same_pixels():
    _, spotted = blemished()
    steps = [{"op": "heal", "mask": mask([[190, 150, 1], [215, 152, 0.7]])}]
    assert np.array_equal(repaired(spotted, steps), repaired(spotted, steps))


def test_several_places_in_one_mask_are_each_healed():
    _, pixels = blemished()
    cv2.circle(pixels, (80, 90), 10, (250, 250, 250), -1)
    strokes = [*mask([[200, 150, 1]])["strokes"], *mask([[80, 90, 1]])["strokes"]]
    result = repaired(pixels, [{"op": "heal", "mask": {"kind": "strokes", "strokes": strokes}}]).astype(float)
    for y, x in ((150, 200), (90, 80)):
        assert abs(result[y - 8 : y + 8, x - 8 : x + 8].mean() - 137) < 6


def test_a_later_repair_sees_the_earlier_one():
    _, spotted = blemished()
    first = {"op": "dab", "mask": mask([[200, 150, 1]])}
    second = {"op": "heal", "params": {"source": {"dx": 100, "dy": 0}}, "mask": mask([[100, 150, 1]], 30)}
    both = repaired(spotted, [first, second])
    alone = repaired(spotted, [second])
    assert both[140:160, 90:110].mean() > alone[140:160, 90:110].mean() + 10


def test_strength_mixes_with_what_was_there():
    _, spotted = blemished()
    step = {"op": "dab", "mask": mask([[200, 150, 1]])}
    whole, half = repaired(spotted, [step]), repaired(spotted, [{**step, "strength": 0.5}])
    middle = (spotted.astype(float) + whole) / 2
    assert np.abs(half - middle).max() <= 1


@pytest.mark.parametrize("place", [(0, 0), (399, 299), (0, 150), (200, 299)])
def test_repairs_work_at_the_very_border(place):
    pixels = pictures.texture(300, 400, 8)
    result = repaired(pixels, [{"op": "dab", "mask": mask([[*place, 1]], 50)}])
    assert abs(float(result.mean()) - float(pixels.mean())) < 1


def test_a_mask_over_everything_is_refused_with_a_hint():
    pixels = pictures.texture(60, 80)
    with pytest.raises(LedgerError, match="whole picture"):
        repaired(pixels, [{"op": "heal", "mask": mask([[40, 30, 1]], 400, hardness=1)}])


def test_a_mask_off_the_picture_does_nothing():
    pixels = pictures.texture(60, 80)
    assert np.array_equal(repaired(pixels, [{"op": "dab", "mask": mask([[500, 500, 1]])}]), pixels)


def test_a_repair_without_a_place_is_refused():
    with pytest.raises(LedgerError, match="needs a place"):
        repaired(pictures.texture(60, 80), [{"op": "dab"}])


def test_sixteen_bit_pictures_are_healed_at_sixteen_bits():
    pixels = (pictures.ramp(120, 160).astype(np.uint16) << 8) + 37
    picture = LedgerPicture(
        pictures.source(pixels),
        "t",
        read_steps([{"op": "dab", "mask": mask([[80, 60, 1]], 20)}]),
        ByteCache(1 << 22),
    )
    result = picture.deliver(np.uint16)
    assert result.dtype == np.uint16
    assert len(np.unique(result[50:70, 70:90] & 0xFF)) > 8


def test_a_source_is_kept_inside_the_picture():
    assert kept_inside(Box(10, 10, 30, 30), (-50, 500), (100, 80)) == (-10, 50)


def test_pressure_and_hardness_shape_a_stroke():
    soft = StrokesMask(strokes=[Stroke(points=[(20, 20, 1.0)], size=20, hardness=0.0)]).alpha(Box(0, 0, 40, 40))
    hard = StrokesMask(strokes=[Stroke(points=[(20, 20, 1.0)], size=20, hardness=1.0)]).alpha(Box(0, 0, 40, 40))
    light = StrokesMask(strokes=[Stroke(points=[(20, 20, 0.5)], size=20, hardness=1.0)]).alpha(Box(0, 0, 40, 40))
    assert hard.sum() == pytest.approx(np.pi * 100, rel=0.02)
    assert light.sum() == pytest.approx(np.pi * 25, rel=0.05)
    assert soft[20, 20] > 0.9 > soft[20, 26] > 0 == soft[20, 31]


def test_a_stroke_does_not_build_up_on_itself():
    back_and_forth = StrokesMask(
        strokes=[Stroke(points=[(10, 20, 1), (30, 20, 1), (10, 20, 1)], size=12, hardness=0.3, opacity=0.5)]
    )
    assert back_and_forth.alpha(Box(0, 0, 40, 40)).max() == pytest.approx(0.5)


def test_a_membrane_with_nothing_known_around_it_does_not_fail():
    values = np.ones((8, 8, 3), np.float32)
    everything = np.ones((8, 8), bool)
    assert np.isfinite(fill_membrane(values, everything, ~everything)).all()
    hole = np.zeros((8, 8), bool)
    hole[2:4, 2:4] = True
    islands = fill_membrane(values, hole, np.eye(8, dtype=bool) & ~hole)
    assert np.allclose(islands[hole], 1, atol=1e-3)
