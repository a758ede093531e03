"""Copies that are mirrored or turned, on pictures of scikit-image."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from skimage import data

from fern_ticket.core.inspect.repeats import copied, features_of, repeats
from fern_ticket.core.inspect.turned_repeats import Motion, laid_over, mirrored, motions

SIDE = 64
PLACE, COPY = (117, 375), (380, 240)


def grey() -> np.ndarray:
    return cv2.cvtColor(data.astronaut(), cv2.COLOR_RGB2GRAY)


def with_copy(turn: np.ndarray) -> np.ndarray:
    """A place copied with a turn, from the copy's own pixels to the place's, about both middles."""
    out, middle = grey(), np.array([SIDE / 2 - 0.5] * 2)
    warp = np.column_stack([turn, np.array(PLACE) + middle - turn @ middle])
    flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
    x, y = COPY
    out[y : y + SIDE, x : x + SIDE] = cv2.warpAffine(grey(), warp, (SIDE, SIDE), flags=flags)
    return out


def asked_in(features, x, y):
    across, down = features.at.T
    return (across > x) & (across < x + SIDE) & (down > y) & (down < y + SIDE)


def rotation(degrees: float) -> np.ndarray:
    return cv2.getRotationMatrix2D((0, 0), degrees, 1)[:, :2]


def test_descriptors_of_a_mirrored_picture_are_the_same_numbers_in_another_order():
    """Against OpenCV's SIFT of the picture mirrored."""
    picture = cv2.GaussianBlur(grey(), (0, 0), 1)
    own, other = features_of(picture), features_of(np.ascontiguousarray(picture[:, ::-1]))
    turned = mirrored(own.looks).astype(float)
    places = np.column_stack([picture.shape[1] - 1 - other.at[:, 0], other.at[:, 1]])
    off, plain = [], []
    for at, looks, before in zip(own.at[:400], turned, own.looks.astype(float), strict=False):
        near = np.flatnonzero(np.linalg.norm(places - at, axis=1) < 1.2)
        if len(near):
            off.append(np.linalg.norm(other.looks[near] - looks, axis=1).min())
            plain.append(np.linalg.norm(other.looks[near] - before, axis=1).min())
    assert len(off) > 200
    assert np.median(off) < 60
    assert np.median(plain) > 300


@pytest.mark.parametrize(
    "turn",
    [np.diag([-1.0, 1.0]), np.diag([1.0, -1.0]), rotation(12), rotation(-20), rotation(10) @ np.diag([-1.0, 1.0])],
    ids=["across", "down", "by 12", "by -20", "across and by 10"],
)
def test_a_copy_is_found_that_is_mirrored_or_turned(turn):
    picture = with_copy(turn)
    features = features_of(picture)
    found = copied(picture, repeats(picture, features, asked_in(features, *COPY)))
    assert found
    ends = np.array([found[0].one, found[0].other])
    middles = np.array([PLACE, COPY]) + SIDE / 2
    for middle in middles:
        assert np.linalg.norm(ends - middle, axis=1).min() < SIDE / 2


def test_a_place_that_was_not_copied_has_none():
    picture = grey()
    features = features_of(picture)
    for place in (PLACE, COPY, (400, 60), (120, 40)):
        assert repeats(picture, features, asked_in(features, *place)) == []


def test_pairs_that_no_one_motion_explains_say_nothing():
    at = np.array([[100, 100], [300, 100], [120, 110], [300, 150]], float)
    angles = np.array([10, 20, 10, 20], float)
    pairs = np.array([[0, 1], [2, 3]])
    assert motions(at, angles, pairs, flipped=False) == []
    at[3] = at[1] + rotation(-10) @ (at[2] - at[0])
    (found,) = motions(at, angles, pairs, flipped=False)
    assert found.pairs == 2
    assert found.one == pytest.approx([110, 105])
    # turned as far as nobody turns a source, or not at all
    assert motions(at, np.array([10, 80, 10, 80], float), pairs, flipped=False) == []
    assert motions(at, np.array([10, 10, 10, 10], float), pairs, flipped=False) == []


def test_windows_that_leave_the_picture_are_not_compared():
    fine = grey().astype(np.float32)
    still = np.eye(2)
    assert laid_over(fine, Motion(still, np.array([5.0, 200]), np.array([200.0, 200]), 2)) is None
    assert laid_over(fine, Motion(still, np.array([200.0, 200]), np.array([511.0, 200]), 2)) is None
    one, other = laid_over(fine, Motion(still, np.array([250.0, 380]), np.array([250.0, 380]), 2))
    assert np.median(np.abs(one - other)) < 1
