"""What a mirror in a panorama should show: against a made room whose walls are known."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest

from fern_ticket.core.inspect.mirrored import Hangs, camera_in, hangs, should_show
from fern_ticket.core.pictures.decode import decode
from fern_ticket.core.pictures.pyramid import ArraySource
from fern_ticket.core.pictures.sphere import Sphere, angles_towards, turned_by
from fern_ticket.core.render.around import looked
from tests import pictures, spheres

WIDTH = 2048
SIZE = (WIDTH, WIDTH // 2)
SPHERE = Sphere.whole(SIZE)
GREY = (119, 119, 119)
DEMO = Path(__file__).parents[2] / "demo" / "pictures"


def seen_of(source):
    return lambda chart: looked(chart, source.read, source.levels, GREY, fine=True)


def room(turned: float) -> np.ndarray:
    """Four brick walls, 2 units off, the first ahead before it is turned; drawn at twice the size and averaged."""
    right, down, ahead = spheres.directions(2 * WIDTH, turned_by(turned, 0))
    off = 2 / np.maximum(np.abs(right), np.abs(ahead))
    across, below = np.where(np.abs(right) > np.abs(ahead), ahead, right) * off, down * off
    course, brick = below / 0.25, across / 0.6 + np.floor(below / 0.25) / 2
    joint = (np.abs(course - np.round(course)) < 0.06) | (np.abs(brick - np.round(brick)) < 0.03)
    tone = 110 + 12 * np.sin(np.floor(course) * 12.9 + np.floor(brick) * 7.7)
    grey = np.where(np.abs(below) > 1.5, 160, np.where(joint, 190, tone))
    grey = grey.reshape(WIDTH // 2, 2, WIDTH, 2).mean(axis=(1, 3))
    return np.repeat(grey[..., None], 3, axis=2).astype(np.uint8)


def place_at(heading, pitch=0.0):
    return ((heading / 360 + 0.5) * WIDTH, (0.5 - pitch / 180) * WIDTH / 2)


@pytest.mark.parametrize(("turned", "aside"), [(0, 10), (25, -20), (-38, 30), (70, 0)])
def test_the_lines_of_its_wall_tell_how_a_mirror_hangs(turned, aside):
    source = pictures.source(room(turned))
    found = hangs(seen_of(source), SIZE, SPHERE, place_at(turned + aside, 3))
    assert found.told
    assert (found.heading - turned + 180) % 360 - 180 == pytest.approx(0, abs=1.5)
    assert found.pitch == pytest.approx(0, abs=1.5)


def test_in_the_demo_s_potting_house_it_is_the_near_wall():
    """Its heading is told by the scene: 40° from the wall behind the camera."""
    source = ArraySource(decode((DEMO / "potting-house.jpg").read_bytes()))
    sphere = Sphere.whole(source.size)
    found = hangs(seen_of(source), source.size, sphere, (1020, 2020))
    assert found.told
    assert found.heading == pytest.approx(-140, abs=1.5)
    camera, *_ = camera_in(found, sphere)
    # where the tripod's head shows in it
    assert math.dist(camera, (906, 2044)) < 40


def test_with_no_lines_it_is_taken_to_face_the_camera():
    source = pictures.source(np.full((SIZE[1], SIZE[0], 3), 128, np.uint8))
    found = hangs(seen_of(source), SIZE, SPHERE, place_at(50, 20))
    assert found == Hangs(pytest.approx(50), 0.0, told=False)


def test_camera_and_stand_show_below_where_its_plane_is_met_at_a_right_angle():
    line = camera_in(Hangs(30, 0, told=True), SPHERE)
    headings, pitches = zip(*(angles_towards(SPHERE, *point) for point in line), strict=True)
    assert headings == pytest.approx([30] * len(line))
    assert pitches[0] == pytest.approx(0)
    assert pitches[-1] == pytest.approx(-40)
    seam = [x for x, _ in camera_in(Hangs(179.9, 8, told=True), SPHERE)]
    assert max(seam) - min(seam) < 20


def test_it_shows_what_lies_behind_the_camera_with_left_and_right_exchanged():
    degrees = (np.arange(WIDTH) + 0.5) / WIDTH * 360
    across, down = np.meshgrid(degrees - 180, 90 - degrees[: WIDTH // 2])
    # red tells the heading behind the camera, green the height
    pixels = np.stack([128 + (across % 360 - 180), 128 + down, np.full(across.shape, 128)], axis=2).clip(0, 255)
    seen = seen_of(pictures.source(pixels.astype(np.uint8)))
    chart = should_show(Hangs(0, 0, told=True), SIZE, SPHERE, place_at(0), (300, 200))
    shown = seen(chart)[..., :2].astype(float) - 128
    assert shown[100, 150] == pytest.approx([0, 0], abs=1.5)
    # to the right in a mirror lies what is to the right of the camera: to the left of who looks behind
    assert shown[100, 225][0] == pytest.approx(-math.degrees(math.atan(math.tan(math.radians(40)) / 2)), abs=1.5)
    assert shown[50, 150][1] > 10
    # turned by ten degrees it reflects what lies twenty aside
    turned = seen(should_show(Hangs(10, 0, told=True), SIZE, SPHERE, place_at(0), (300, 200)))
    assert turned[100, 150, 0] - 128 == pytest.approx(20, abs=1.5)
