"""The nearest descriptors, beside OpenCV's brute-force matcher."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from fern_ticket.core.inspect.nearest import nearest
from tests import pictures


def descriptors(rows, columns):
    grey = cv2.cvtColor(pictures.texture(rows, columns), cv2.COLOR_RGB2GRAY)
    return cv2.SIFT.create(contrastThreshold=0.004).detectAndCompute(grey, None)[1]


def test_they_are_those_that_a_brute_force_matcher_finds_at_the_same_distances():
    found = descriptors(120, 160)
    assert 500 < len(found) < 5000
    indices, distances = nearest(found, 4)
    matches = cv2.BFMatcher(cv2.NORM_L2).knnMatch(found, found, k=4)
    assert np.array_equal(distances, np.array([[one.distance for one in row] for row in matches], np.float32))
    # of equal ones either may come first
    alike = indices == np.array([[one.trainIdx for one in row] for row in matches])
    assert alike.mean() > 0.99


def test_those_that_are_asked_for_have_the_same_nearest_among_all():
    found = descriptors(120, 160)
    asked = np.array([3, 40, 41, 200])
    for every, some in zip(nearest(found, 4), nearest(found, 4, found[asked]), strict=True):
        assert np.array_equal(every[asked], some)


def test_of_equal_ones_the_first_comes_first_and_itself_is_at_no_distance():
    found = np.array([[3, 4], [0, 0], [3, 4], [6, 8]], np.float32)
    indices, distances = nearest(found, 3)
    assert indices.tolist() == [[0, 2, 1], [1, 0, 2], [0, 2, 1], [3, 0, 2]]
    assert distances == pytest.approx(np.array([[0, 0, 5], [0, 5, 5], [0, 0, 5], [0, 5, 5]]))
