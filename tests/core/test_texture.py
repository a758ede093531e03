"""Texture as it is compared and grown: what it tells of a ground, and that a rough one stays rough beside a smooth."""

import cv2
import numpy as np
import pytest

from fern_ticket.core.clean import synthesis
from fern_ticket.core.clean.synthesis import synthesise
from fern_ticket.core.clean.texture import texture_of

SIZE = (160, 240)


def planks(strength=14.0):
    """Grain that runs aslant in the lower half, under a smooth ground of the same colours."""
    noise = np.random.default_rng(4).normal(0, 1, (2 * SIZE[1], 2 * SIZE[1])).astype(np.float32)
    grain = cv2.GaussianBlur(noise, (0, 0), sigmaX=9, sigmaY=0.8)
    turned = cv2.warpAffine(grain, cv2.getRotationMatrix2D((SIZE[1], SIZE[1]), 20, 1), grain.shape)
    part = turned[SIZE[1] - 80 : SIZE[1] + 80, SIZE[1] - 120 : SIZE[1] + 120]
    rows = np.clip((np.arange(SIZE[0]) - 60) / 12, 0, 1)[:, None]
    plane = 150 + rows * strength * part / part.std() + np.random.default_rng(5).normal(0, 0.5, SIZE)
    return np.repeat(plane[..., None], 3, axis=2).astype(np.float32)


def hole_in_planks():
    hole = np.zeros(SIZE, np.bool_)
    hole[70:130, 80:160] = True
    return hole


def roughness(values, where):
    fine = values[..., 0] - cv2.GaussianBlur(values[..., 0], (0, 0), 3)
    return float(fine[where].std())


def test_a_plain_ground_has_no_texture_and_a_rough_one_the_more_the_rougher():
    known = np.ones(SIZE, np.bool_)
    plain = texture_of(np.full((*SIZE, 3), 90, np.float32), known)
    assert float(plain.max()) == 0
    once, twice = (texture_of(planks(strength), known)[100:].mean() for strength in (4.0, 8.0))
    assert 1.7 < twice / once < 2.1
    smooth = texture_of(planks(8.0), known)[:40].mean()
    assert smooth < 0.2 * twice


def test_what_is_not_known_says_nothing():
    ground, hole = planks(), hole_in_planks()
    told = texture_of(ground, ~hole)
    other = ground.copy()
    other[hole] = np.random.default_rng(1).uniform(0, 255, (int(hole.sum()), 3))
    np.testing.assert_array_equal(texture_of(other, ~hole), told)
    assert told[128, 80:160].mean() == pytest.approx(told[136, 80:160].mean(), rel=0.3)  # by the rim as beyond it
    assert not texture_of(ground, np.zeros(SIZE, np.bool_)).any()


def test_a_rough_ground_grows_on_rough_beside_a_smooth_one_of_its_colour(monkeypatch):
    ground, hole = planks(), hole_in_planks()
    deep = hole & (np.arange(SIZE[0]) > 85)[:, None]
    asked = ground, hole, ~hole, ~hole
    grown = [roughness(synthesise(*asked, seed=seed), deep) / roughness(ground, deep) for seed in (1, 2)]
    monkeypatch.setattr(synthesis, "texture_of", lambda _, known: np.zeros(known.shape, np.float32))
    without = [roughness(synthesise(*asked, seed=seed), deep) / roughness(ground, deep) for seed in (1, 2)]
    assert min(grown) > 0.77
    assert max(without) < min(grown)
