"""What a hole is expected to be like, and what patches cost that are not."""

import cv2
import numpy as np
import pytest
from skimage import data

from fern_ticket.core.clean.roughness import Pressure, Roughness, alike_around, deviation, due, ring_around, unlike
from fern_ticket.core.clean.search import SIDE
from fern_ticket.core.clean.synthesis import synthesise
from tests.quality import blob, filling


def _ground(left: float, right: float, rows: int = 160, columns: int = 200) -> np.ndarray:
    """Noise of one deviation in the left half and of another in the right."""
    noise = np.random.default_rng(3).normal(0, 1, (rows, columns, 1)).repeat(3, axis=2)
    noise[:, : columns // 2] *= left
    noise[:, columns // 2 :] *= right
    return (120 + noise).astype(np.float32)


def test_deviation_is_that_of_the_noise_that_was_put_in():
    found = deviation(_ground(8, 8), SIDE)
    assert found.mean() == pytest.approx(8, rel=0.05)


def test_what_is_expected_follows_the_ground_on_each_side():
    hole = blob(160, 200, 60)
    roughness = Roughness.around(_ground(4, 12), hole, ~hole, SIDE, 1.0)
    assert roughness.expected[80, 75] < 7 < 8 < roughness.expected[80, 125]


def test_one_thing_beside_the_hole_does_not_make_the_ground_uneven_but_another_ground_does():
    hole = blob(160, 200, 60)
    values = _ground(6, 6)
    assert alike_around(values, hole, ~hole, SIDE) == 1
    thing = values.copy()
    cv2.circle(thing, (150, 80), 12, (20, 20, 20), -1)
    assert alike_around(thing, hole, ~hole, SIDE) > 0.9
    assert alike_around(_ground(2, 12), hole, ~hole, SIDE) == 0


def test_a_thing_beside_uneven_ground_is_not_taken_for_its_texture():
    hole = blob(160, 200, 60)
    thing = _ground(6, 6)
    cv2.circle(thing, (150, 80), 18, (20, 20, 20), -1)
    tame = Roughness.around(thing, hole, ~hole, SIDE, 0.0).expected[hole].mean()
    assert tame < 7 < Roughness.around(thing, hole, ~hole, SIDE, 1.0).expected[hole].mean()


def test_smooth_patches_cost_what_they_lack_and_far_too_rough_ones_what_is_too_much():
    hole = blob(160, 200, 60)
    roughness = Roughness.around(_ground(6, 6), hole, ~hole, SIDE, 0.0)
    expected = float(roughness.expected[80, 100])
    unit = 3 * SIDE**2 * expected**2
    dues = roughness.dues(0.6)[80, 100]
    assert due(dues, np.float32(0)) == pytest.approx(0.6 * unit)
    assert due(dues, np.float32(expected / 2)) == pytest.approx(0.3 * unit, rel=0.01)
    assert due(dues, np.float32(1.5 * expected)) == 0
    assert due(dues, np.float32(3 * expected)) == pytest.approx(1.4 * unit, rel=0.01)


def test_a_few_edges_do_not_make_a_smear_rough():
    hole = blob(160, 200, 60)
    inside = np.argwhere(hole).astype(np.int32)
    roughness = Roughness.around(_ground(6, 6), hole, ~hole, SIDE, 0.0)
    roughness.rough[hole] = 0.2 * roughness.expected[hole]
    roughness.rough[tuple(inside[: len(inside) // 4].T)] = 10 * roughness.expected[hole].mean()
    assert roughness.found(inside, inside) == pytest.approx(0.2, abs=0.01)


def test_pressure_turns_up_for_what_is_too_smooth_down_for_what_is_too_rough_and_keeps_its_bounds():
    pressure = Pressure()
    begun = pressure.gain
    pressure.turn(0.7)
    assert pressure.gain > begun
    for _ in range(50):
        pressure.turn(0.5)
    most = pressure.gain
    assert begun < most <= 3
    for _ in range(50):
        pressure.turn(1.5)
    assert pressure.gain == 0


def test_a_filling_is_the_more_unlike_its_ring_the_more_it_is_blurred_and_the_harder_its_rim_is():
    ground = _ground(8, 8)
    hole = blob(160, 200, 60)
    ring = ring_around(hole, ~hole)
    found = []
    for filling_ in (ground, cv2.GaussianBlur(ground, (0, 0), 0.6), cv2.GaussianBlur(ground, (0, 0), 2)):
        filled = ground.copy()
        filled[hole] = filling_[hole]
        found.append(unlike(filled, hole, ring, SIDE))
    assert found[0] < 0.15
    assert found == sorted(found)
    stepped = ground.copy()
    stepped[hole] += 60
    assert unlike(stepped, hole, ring, SIDE) > found[0] + 0.5


@pytest.mark.parametrize("name", ["grass", "gravel", "hubble_deep_field"])
def test_grown_texture_is_as_rough_as_its_ring(name):
    pixels = np.asarray(getattr(data, name)())
    pixels = np.repeat(pixels[..., None], 3, axis=2) if pixels.ndim == 2 else pixels
    pixels = np.ascontiguousarray(pixels[30:430, 30:430])
    hole = blob(400, 400, 90)
    takes = [synthesise(pixels.astype(np.float32), hole, ~hole, ~hole, seed) for seed in (1, 1001, 2001)]
    found = [filling(np.clip(take + 0.5, 0, 255).astype(np.uint8), pixels, hole).deviation for take in takes]
    # by likeness alone, the best of hubble is below 0.7
    assert min(abs(deviation - 1) for deviation in found) < 0.2, found


@pytest.mark.parametrize("noise", [1.5, 4.0])
def test_noise_in_each_channel_of_a_plain_ground_does_not_add_up_to_blotches_of_colour(noise):
    """Between joints there is nothing but noise, and every pixel is copied from elsewhere."""
    grey = cv2.resize(data.brick(), (400, 272), interpolation=cv2.INTER_AREA).astype(np.float32)
    random = np.random.default_rng(5)
    truth = grey[..., None] * np.float32([1.1, 0.95, 0.8]) + random.normal(0, noise, (272, 400, 3)).astype(np.float32)
    hole = np.zeros((272, 400), np.bool_)
    hole[80:150, 90:160] = True
    made = synthesise(truth, hole, ~hole, ~hole, seed=1)

    def blotches(values):
        lab = cv2.cvtColor(np.clip(values / 255, 0, 1), cv2.COLOR_RGB2LAB)
        return cv2.GaussianBlur(lab[..., 1], (0, 0), 3)[85:145, 95:155].std()

    assert blotches(made) < 1.8 * blotches(truth)
