"""What is found of a sky: clouds, evenings and what wires part belong to it; hills, white houses and the sea do not."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from fern_ticket.core.cutting.clouds import BESIDE, SKY, paled, unlike_sky
from fern_ticket.core.cutting.straight_borders import straight_borders
from fern_ticket.core.ledger.covers import Cover
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture
from tests import pictures
from tests.quality import overlap
from tests.skies import outdoors

#: Least overlap with the truth. Hills meet clouds that are as grey.
LEAST = {"clouds": 0.93, "evening": 0.99, "sea": 0.99, "house": 0.97, "wires": 0.99, "sun": 0.99}


def sky_of(pixels, led=()):
    cover = Cover.model_validate({"parts": [{"shape": {"kind": "sky", "led": list(led)}}]})
    return LedgerPicture(pictures.source(pixels), "p", [], ByteCache(1 << 27), background=False).covered(cover)


@pytest.mark.parametrize("kind", LEAST)
def test_a_sky_is_all_of_it_and_nothing_else(kind):
    pixels, sky = outdoors(kind, 1)
    assert overlap(sky_of(pixels), sky) > LEAST[kind]


def test_where_there_is_no_ground_it_goes_down_to_the_foot_around_what_flies_there():
    down = np.linspace(0, 1, 300)[:, None, None]
    pixels = np.random.default_rng(7).normal((1 - down) * (70, 120, 180) + down * (120, 160, 205), 1.2, (300, 400, 3))
    bird = np.zeros((300, 400), np.uint8)
    cv2.fillPoly(bird, [np.array([(150, 120), (190, 140), (240, 118), (196, 156)])], 1)
    pixels[bird > 0] = (40, 35, 30)
    found = sky_of(np.clip(pixels, 0, 255).astype(np.uint8))
    assert overlap(found, bird == 0) > 0.99


def test_what_lies_under_a_horizon_is_none_of_it_not_even_a_little():
    pixels, sky = outdoors("sea", 2)
    foot = int(np.flatnonzero(sky[:, 0])[-1]) + 3
    assert sky_of(pixels)[foot : foot + 40].max() == 0


def test_a_stroke_changes_a_sky_where_it_is_drawn_and_leaves_what_shows_between_leaves():
    pixels, sky = outdoors("wires", 0)
    leaves = cv2.GaussianBlur(np.random.default_rng(3).normal(0, 1, sky.shape), (0, 0), 2)
    hedge = (leaves < 0.5 * leaves.std()) & (np.mgrid[: sky.shape[0], : sky.shape[1]][1] > 480) & sky
    pixels[hedge] = pixels[hedge] * 0.1 + np.array([30, 60, 20])
    out = {"inside": False, "stroke": {"points": [[40, 40, 1], [120, 60, 1]], "size": 60}}
    before, after = sky_of(pixels), sky_of(pixels, [out])
    assert before[50, 80] > 0.99
    assert after[50, 80] == 0
    assert np.array_equal(before[:, 500:], after[:, 500:])
    # between the leaves, not over them
    gaps = sky & ~hedge
    assert after[60:200, 500:][gaps[60:200, 500:]].mean() > 0.85
    assert after[60:200, 500:][hedge[60:200, 500:]].mean() < 0.15


def test_a_clouds_white_is_near_to_a_clear_sky_and_a_yellow_wall_or_a_dark_bird_is_not():
    clear = np.full((1, 4, 3), (50, 2, -38), np.float32)
    colours = np.array([[(97, 0, 0), (73, 1, -19), (80, 8, 40), (20, 0, 0)]], np.float32)
    off = np.linalg.norm(paled(colours, clear), axis=2)[0]
    # white and half way to it lie on the one line
    assert off[0] == pytest.approx(0.12 * np.linalg.norm(colours[0, 0] - clear[0, 0]), rel=1e-4)
    assert off[1] < 4
    assert off[2] > 40
    assert off[3] == pytest.approx(np.linalg.norm(colours[0, 3] - clear[0, 3]), rel=1e-4)
    # in the sky both count, right beside it what lies between both colours, elsewhere the colour near it alone
    near = np.linalg.norm(colours - clear - 5, axis=2)[0]
    told = [unlike_sky(colours, clear + 5, clear, np.full((1, 4), one, np.uint8))[0] for one in (0, BESIDE, SKY)]
    assert told[0] == pytest.approx(near, rel=1e-4)
    assert (told[1] <= np.minimum(near, np.linalg.norm(colours - clear, axis=2)[0]) + 1e-3).all()
    assert told[1][0] > 30
    assert told[2] == pytest.approx(np.minimum(told[1], off), rel=1e-4)


def test_a_straight_edge_parts_two_grounds_and_neither_a_wire_nor_a_gradient_does():
    ground = np.zeros((200, 300, 3), np.float32)
    ground[..., 0] = np.linspace(40, 90, 200)[:, None]
    wire, wall = ground.copy(), ground.copy()
    cv2.line(wire, (0, 60), (299, 90), (20, 0, 0), 2)
    wall[100:, 150:, 0] -= 20
    assert not straight_borders(ground, ground).any()
    assert not straight_borders(wire, ground).any()
    drawn = straight_borders(wall, wall)
    assert drawn[100, 160:290].all()
    assert drawn[110:190, 150].all()
    assert not drawn[:70].any()
    # an edge that something hides for a while goes on behind it
    hidden = wall.copy()
    hidden[90:110, 210:240, 0] = 60
    assert straight_borders(hidden, hidden)[100, 160:290].mean() > 0.95
