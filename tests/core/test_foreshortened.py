"""Strokes that are round in a plane of the scene, against the plane's own perspective."""

from __future__ import annotations

import math

import numpy as np
import pytest

from fern_ticket.core.clean.foreshortened import Foreshortened, place_of
from fern_ticket.core.ledger.charts import CornersChart, ViewChart
from fern_ticket.core.ledger.masks import OutlineMask, Stroke, StrokesMask
from fern_ticket.core.pictures.plane import mapped
from fern_ticket.core.pictures.regions import Box

SIZE = (1200, 900)
#: A level floor under an eye that looks level: places (across, ahead) of it in units of the eye's height.
FOCAL, MIDDLE = 900.0, (600.0, 450.0)
FLOOR = np.array([[FOCAL, MIDDLE[0], 0], [0, MIDDLE[1], FOCAL], [0, 1, 0]], np.float64)


def on_picture(across, ahead):
    x, y = mapped(FLOOR, np.array(across, np.float64), np.array(ahead, np.float64))
    return float(x), float(y)


def floor_chart(focal=FOCAL):
    """Seen straight on: of its sides two stay parallel, so that only the lens tells its shape."""
    corners = tuple(on_picture(*place) for place in ((-1, 6), (1, 6), (1, 3), (-1, 3)))
    return CornersChart(corners=corners, focal=focal)


def painted(*places, size=60.0, **more):
    points = [(*on_picture(*place), 1.0) for place in places]
    return StrokesMask(strokes=[Stroke(points=points, size=size, hardness=1)], round_in="plane", **more)


def covered(place):
    """The area of what is covered, its middle, and how it is spread along rows and columns."""
    box = place.box(SIZE)
    alpha = place.alpha(box).astype(np.float64)
    rows, columns = np.mgrid[box.top : box.bottom, box.left : box.right] + 0.5
    area = alpha.sum()
    middle = (alpha * columns).sum() / area, (alpha * rows).sum() / area
    axes = zip((columns, rows), middle, strict=True)
    spread = [math.sqrt((alpha * (axis - at) ** 2).sum() / area) for axis, at in axes]
    return area, middle, spread


def true_disc(ahead, radius):
    """What a disc on the floor covers of the picture, by casting a ray through each of 4 × 4 places in a pixel."""
    y, x = np.mgrid[0 : 4 * SIZE[1], 0 : 4 * SIZE[0]] / 4 + 1 / 8
    below = np.maximum(y - MIDDLE[1], 1e-6)
    across, away = (x - MIDDLE[0]) / below, FOCAL / below
    inside = np.hypot(across, away - ahead) <= radius
    return inside.reshape(SIZE[1], 4, SIZE[0], 4).mean(axis=(1, 3))


def test_a_touch_covers_what_a_disc_on_the_floor_covers():
    place = place_of(painted((0, 4)), floor_chart(), SIZE)
    # a tip as large as its size says where it is: scales across and along are f / z and f / z ** 2
    radius = 30 / math.sqrt(FOCAL / 4 * FOCAL / 16)
    found, truth = place.alpha(Box(0, 0, *SIZE)), true_disc(4, radius)
    assert truth.sum() == pytest.approx(math.pi * 30**2, rel=0.02)
    assert np.abs(found - truth).sum() / truth.sum() < 0.03
    assert found[0].max() == 0
    assert found[place.box(SIZE).rows, place.box(SIZE).columns].sum() == pytest.approx(found.sum())


def test_a_stroke_shrinks_with_the_distance():
    place = place_of(painted((-0.5, 3.2), (-0.5, 3.2001), size=40), floor_chart(), SIZE)
    near = covered(place)[0]
    both = place_of(painted((-0.5, 3.2), (-0.5, 5.8), size=40), floor_chart(), SIZE)
    alpha = both.alpha(Box(0, 0, *SIZE))
    widths = []
    for ahead in (3.6, 5.4):
        x, y = on_picture(-0.5, ahead)
        widths.append(alpha[int(y), int(x) - 80 : int(x) + 80].sum())
    assert near == pytest.approx(math.pi * 20**2, rel=0.03)
    assert widths[0] / widths[1] == pytest.approx(5.4 / 3.6, rel=0.04)


def test_a_tip_is_flat_on_a_floor_and_round_on_what_is_seen_straight():
    _, _, (across, down) = covered(place_of(painted((0, 4)), floor_chart(), SIZE))
    # a circle's image is FOCAL / z wide where it is FOCAL / z² high
    assert across / down == pytest.approx(4, rel=0.03)
    _, _, (across, down) = covered(place_of(painted((0, 4)), floor_chart(focal=None), SIZE))
    # a usual lens is assumed, where this one is a wide one (26 mm on full frame)
    assert across / down == pytest.approx(4 * 35 / 26, rel=0.03)
    straight = CornersChart(corners=((100, 100), (700, 100), (700, 500), (100, 500)))
    _, _, (across, down) = covered(place_of(painted((0, 4)), straight, SIZE))
    assert across / down == pytest.approx(1, rel=0.01)


def test_without_a_plane_or_as_an_outline_a_place_stays_what_it_was():
    mask = painted((0, 4))
    assert place_of(mask, None, SIZE) is mask
    view = ViewChart(heading=0, pitch=-60, field=70, size=(400, 400))
    assert place_of(mask, view, SIZE) is mask
    plain = mask.model_copy(update={"round_in": None})
    assert place_of(plain, floor_chart(), SIZE) is plain
    outline = OutlineMask(points=[(10, 10), (50, 10), (30, 60)])
    assert place_of(outline, floor_chart(), SIZE) is outline


def test_what_lies_above_the_horizon_is_left_out_and_a_stroke_wholly_there_stays_round():
    x, y = on_picture(0, 4)
    both = StrokesMask(strokes=[Stroke(points=[(x, y, 1), (x, 100, 1)], size=40)], round_in="plane")
    place = place_of(both, floor_chart(), SIZE)
    assert isinstance(place, Foreshortened)
    assert place.box(SIZE).top > MIDDLE[1]
    sky = StrokesMask(strokes=[Stroke(points=[(600, 100, 1)], size=40)], round_in="plane")
    assert place_of(sky, floor_chart(), SIZE) is sky


def test_in_a_view_s_plane_a_tip_painted_over_the_seam_is_whole():
    panorama = (2000, 1000)
    seen = {"heading": 180, "pitch": -50, "field": 90, "size": (600, 500), "sphere": (2000, 1000, 0, 0)}
    view = ViewChart(**seen)
    spec = CornersChart(corners=((200, 150), (400, 150), (450, 400), (150, 400)), view=view)
    stroke = Stroke(points=[(300, 280, 1)], size=50, hardness=1)
    mask = StrokesMask(strokes=[stroke], view=view, round_in="plane")
    place, round_one = place_of(mask, spec, panorama), mask.model_copy(update={"round_in": None})
    whole = Box(0, 0, *panorama)
    found = place.alpha(whole)
    assert found[:, 0].max() == found[:, -1].max() == pytest.approx(1, abs=0.01)
    assert found.sum() == pytest.approx(round_one.alpha(whole).sum(), rel=0.06)


def test_its_key_follows_its_plane():
    mask, spec = painted((0, 4)), floor_chart()
    moved = CornersChart(corners=((400, 600), (800, 600), (1000, 800), (200, 800)))
    assert place_of(mask, spec, SIZE).key() != place_of(mask, moved, SIZE).key()
    assert place_of(mask, spec, SIZE).key() == place_of(painted((0, 4)), floor_chart(), SIZE).key()
