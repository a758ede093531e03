"""What a lens has in focus, and the subject that it tells."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from fern_ticket.core.cutting.focus import in_focus
from fern_ticket.core.cutting.proposing import Proposals
from fern_ticket.core.cutting.subject import small_of
from tests import pictures
from tests.quality import overlap

ROWS, COLUMNS = 480, 720


def scene(blur: float, noise: float = 1.5) -> tuple[np.ndarray, np.ndarray]:
    """A brown thing before a bright one and a busy ground, which lie farther off; and where it is."""
    ground = pictures.texture(ROWS, COLUMNS, 3, (70, 95, 60)).astype(np.float32)
    ground += 40 * np.sin(np.mgrid[:ROWS, :COLUMNS][1] / 17)[..., None]
    cv2.circle(ground, (200, 170), 90, (245, 190, 40), -1)
    cv2.circle(ground, (610, 120), 60, (240, 120, 60), -1)
    thing = np.zeros((ROWS, COLUMNS), np.uint8)
    cv2.ellipse(thing, (430, 300), (120, 95), 20, 0, 360, 1, -1)
    cv2.rectangle(thing, (415, 120), (445, 300), 1, -1)
    wood = pictures.texture(ROWS, COLUMNS, 5, (125, 90, 70)).astype(np.float32)
    far = cv2.GaussianBlur(ground, (0, 0), blur) if blur else ground
    out = np.where(thing[..., None] > 0, wood, far)
    out += np.random.default_rng(9).normal(0, noise, out.shape)
    return np.clip(cv2.GaussianBlur(out, (0, 0), 0.7), 0, 255).astype(np.uint8), thing > 0


@pytest.mark.parametrize(("blur", "noise"), [(5, 1.5), (9, 1.5), (9, 5)])
def test_what_is_sharp_before_blurred_things_is_in_focus(blur, noise):
    pixels, thing = scene(blur, noise)
    found = in_focus(pixels, (COLUMNS, ROWS))
    assert found is not None
    inside = cv2.erode(thing.astype(np.uint8), np.ones((15, 15), np.uint8)) > 0
    outside = cv2.dilate(thing.astype(np.uint8), np.ones((41, 41), np.uint8)) == 0
    assert found[inside].mean() > 0.6
    assert found[outside].mean() < 0.2


def test_a_lens_that_has_all_in_focus_or_a_plain_ground_tells_nothing():
    assert in_focus(scene(0)[0], (COLUMNS, ROWS)) is None
    pixels, thing = scene(0)
    pixels[~thing] = (205, 203, 200)
    assert in_focus(pixels, (COLUMNS, ROWS)) is None
    assert in_focus(np.full((9, 14, 3), 90, np.uint8), (14, 9)) is None


@pytest.mark.parametrize("blur", [5, 9])
def test_the_subject_is_what_is_in_focus_and_nothing_bright_behind_it(blur):
    pixels, thing = scene(blur)
    small = small_of(pixels)
    size = (small.pixels.shape[1], small.pixels.shape[0])
    truth = cv2.resize(thing.astype(np.uint8), size, interpolation=cv2.INTER_AREA) > 0
    assert overlap(Proposals(small).first, truth) > 0.93
