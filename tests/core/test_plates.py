"""Plates of vehicles: found in a photo and all round in a panorama, and not when they are hidden."""

from __future__ import annotations

import math

import cv2
import numpy as np

from fern_ticket.core.clean.faces import Faces, Found, parts
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.panorama.plates import plates_in
from fern_ticket.core.panorama.spotting import Spot, spotted_around, spotted_in
from fern_ticket.core.pictures.pyramid import ArraySource
from fern_ticket.core.pictures.sphere import Sphere
from fern_ticket.core.render.around import Look, looked
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture
from tests import pictures, plates, spheres

GREY = (119, 119, 119)


def street(rows: int, columns: int, seed: int = 2) -> np.ndarray:
    """Soft tones with grain, as of walls and cars out of focus."""
    random = np.random.default_rng(seed)
    soft = cv2.resize(random.uniform(60, 190, (rows // 60 + 2, columns // 60 + 2, 3)), (columns, rows))
    return np.clip(soft + random.normal(0, 4, soft.shape), 0, 255).astype(np.uint8)


def laid(pixels: np.ndarray, made: np.ndarray, left: int, top: int, high: int) -> None:
    small = cv2.resize(made, (round(high * plates.WIDE / plates.HIGH), high), interpolation=cv2.INTER_AREA)
    pixels[top : top + small.shape[0], left : left + small.shape[1]] = small


def source_of(pixels: np.ndarray) -> ArraySource:
    return pictures.source(pixels)


def test_plates_of_many_kinds_are_found_where_they_are_as_wide_as_they_are():
    random = np.random.default_rng(11)
    pixels, wanted = street(900, 1400), []
    for number, high in enumerate((16, 22, 30, 44, 60)):
        left, top = 100 + 120 * number, 60 + 160 * number
        laid(pixels, plates.plate(random), left, top, high)
        wanted.append((left + high * plates.WIDE / plates.HIGH / 2, top + high / 2, high))
    found = plates_in(pixels)
    assert len(found) == len(wanted)
    for x, y, high in wanted:
        one = min(found, key=lambda spot: math.hypot(spot.x - x, spot.y - y))
        assert math.hypot(one.x - x, one.y - y) < 0.3 * high
        assert 0.7 * high < one.size < 1.7 * high
        assert 2.4 < one.wide < 6
        assert abs(one.turn) < 4


def test_a_turned_plate_says_by_how_much():
    pixels = street(500, 700)
    made = plates.plate(np.random.default_rng(3))
    turn = cv2.getRotationMatrix2D((plates.WIDE / 2, plates.HIGH / 2), -15, 0.5)
    turn[:, 2] += (350 - plates.WIDE / 2, 250 - plates.HIGH / 2)
    cv2.warpAffine(made, turn, (700, 500), pixels, cv2.INTER_AREA, cv2.BORDER_TRANSPARENT)
    (found,) = plates_in(pixels)
    assert abs(found.turn - 15) < 3
    assert math.hypot(found.x - 350, found.y - 250) < 8


def test_what_is_no_plate_is_none():
    assert plates_in(street(400, 600)) == []
    bars = street(400, 600)
    bars[150:250:12] = 20
    bars[150:250, 100:500:9] = 230
    assert plates_in(bars) == []
    page = np.full((500, 900, 3), 235, np.uint8)
    for row in range(10):
        cv2.putText(
            page, "of all that stands here in long lines of words", (20, 40 + 45 * row), 0, 1.0, (20, 20, 20), 2
        )
    assert plates_in(page) == []


def test_a_large_photo_is_looked_at_in_tiles_and_what_two_of_them_show_is_one():
    pixels = street(1500, 3200)
    random = np.random.default_rng(5)
    # in the overlap of two tiles; near a corner; so large that only the look at the whole shows it
    for left, top, high in ((1650, 700, 24), (3020, 1430, 32), (150, 500, 260)):
        laid(pixels, plates.plate(random), left, top, high)
    source = source_of(pixels)
    found = spotted_in(plates_in, source.read, source)
    assert sorted(round(one.x / 100) for one in found) == [7, 17, 31]


def test_all_round_they_are_found_also_over_the_seam_and_not_when_they_are_hidden():
    width = 3072
    size, sphere = (width, width // 2), Sphere.whole((width, width // 2))
    pixels = cv2.GaussianBlur(spheres.smooth(width), (0, 0), 3)
    random, middles = np.random.default_rng(7), []
    for heading, pitch in ((180, -4), (50, -25), (-100, 8)):
        high = 30
        across = round(high * plates.WIDE / plates.HIGH)
        chart = Look(heading, pitch, across * 360 / width, across, high).chart(size, sphere)
        x, y, depth = np.tensordot(np.linalg.inv(chart.plane), spheres.directions(width), axes=1)
        on = (depth > 0) & (x > 0) & (y > 0) & (x < across * depth) & (y < high * depth)
        made = cv2.resize(plates.plate(random), (across, high), interpolation=cv2.INTER_AREA)
        maps = [np.where(on, one / np.where(depth > 0, depth, 1) - 0.5, -9).astype(np.float32) for one in (x, y)]
        pixels[on] = cv2.remap(made, *maps, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)[on]
        middle = chart.to_source(np.array(across / 2), np.array(high / 2))
        middles.append((float(middle[0]) % width, float(middle[1])))

    def spotted(steps) -> list[Spot]:
        shown = LedgerPicture(pictures.source(pixels), "street", read_steps(steps), ByteCache(1 << 27))
        return spotted_around(
            plates_in,
            lambda chart: looked(chart, shown.developed, shown.repaired.levels, GREY, fine=True),
            size,
            sphere,
        )

    found = spotted([])
    assert len(found) == 3
    for x, y in middles:
        assert any(abs((one.x - x + width / 2) % width - width / 2) < 12 and abs(one.y - y) < 12 for one in found)
    places = [
        {"x": one.x, "y": one.y, "size": one.size, "wide": one.wide, "turn": one.turn, "hidden": True} for one in found
    ]
    assert spotted([{"op": "faces", "params": {"places": places, "sphere": [*size, 0, 0]}}]) == []


def test_what_is_wide_is_hidden_along_its_width_and_no_farther():
    params = {"places": [Found(x=100, y=80, size=20, wide=4, turn=0, hidden=True)]}
    (part,) = parts(Faces(**params))
    box = part.mask.box((300, 200))
    assert (box.left, box.right) == (100 - 41, 100 + 41)
    assert (box.top, box.bottom) == (80 - 11, 80 + 11)
    (upright,) = parts(Faces(places=[Found(x=100, y=80, size=20, wide=4, turn=90, hidden=True)]))
    box = upright.mask.box((300, 200))
    assert box.width < 30
    assert box.height > 75
