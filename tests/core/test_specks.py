"""Specks: spots and fibres that stand alone on their ground are found, and nothing besides."""

import cv2
import numpy as np
import pytest
from skimage import data

from fern_ticket.core.inspect import specks
from fern_ticket.core.inspect.specks import alone, open_ones, specks_of
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture
from fern_ticket.core.slips.live import specks_in
from tests import pictures
from tests.dust import GROUNDS, dusty
from tests.quality import noisy, sky, specked


def on(pixels, **limits):
    return specks_of(pictures.source(np.ascontiguousarray(pixels)), **limits)


def with_spots(pixels, *spots):
    steps = read_steps([{"op": "specks", "params": {"spots": list(spots)}}])
    return LedgerPicture(pictures.source(pixels), "s", steps, ByteCache(1 << 26))


def near(speck, x, y, within):
    return np.hypot(speck.x - x, speck.y - y) < within


def disc(pixels, x, y, radius, colour):
    cv2.circle(pixels, (round(16 * x), round(16 * y)), round(16 * radius), colour, -1, cv2.LINE_AA, 4)
    return pixels


def test_made_specks_are_found_and_none_besides():
    pixels, placed = specked(sky(500, 700)[0], 25, 12)
    found = on(pixels)
    assert all(any(near(s, x, y, size) for s in found) for x, y, size in placed)
    assert len(found) == len(placed)
    assert on(sky(500, 700)[0]) == []


@pytest.mark.parametrize("ground", GROUNDS)
@pytest.mark.parametrize(("grain", "quality"), [(0, 85), (4, None)])
def test_dark_bright_soft_spots_and_fibres_are_found_in_grain(ground, grain, quality):
    pixels, put = dusty(ground, grain, seed=5, quality=quality)
    found = alone(on(pixels))
    clear = [spot for spot in put if spot.stands_out >= 9 and spot.contrast >= 5]
    seen = [any(near(one, spot.x, spot.y, max(3, spot.reach)) for one in found) for spot in clear]
    assert len(seen) >= 6
    assert seen.count(False) <= 2
    false = [one for one in found if not any(near(one, spot.x, spot.y, max(3, spot.reach)) for spot in put)]
    assert len(false) <= 1


def test_size_and_contrast_are_told():
    for radius, depth in ((2, 60), (5, 20), (12, 10)):
        pixels = disc(noisy(np.full((600, 800, 3), 180, np.uint8), 1), 400, 300, radius, (180 - depth,) * 3)
        (found,) = on(pixels)
        assert near(found, 400, 300, 1.5)
        assert found.size == pytest.approx(2 * radius, rel=0.35)
        assert found.contrast == pytest.approx(depth, rel=0.35)


def test_a_fibre_is_covered_whole():
    pixels = noisy(np.full((200, 300, 3), 200, np.uint8), 1)
    cv2.line(pixels, (140, 100), (160, 104), (120, 120, 120), 2, cv2.LINE_AA)
    (found,) = on(pixels)
    assert near(found, 150, 102, 2)
    assert found.size > 15


def test_limits_leave_out_what_is_weaker_smaller_or_larger():
    pixels = noisy(np.full((300, 400, 3), 180, np.uint8), 1)
    for x, radius, depth in ((60, 2, 60), (160, 8, 60), (300, 4, 15)):
        disc(pixels, x, 150, radius, (180 - depth,) * 3)
    assert len(on(pixels)) == 3
    assert len(on(pixels, contrast=30)) == 2
    assert len(on(pixels, least=6)) == 2
    assert len(on(pixels, largest=12)) == 2


def test_texture_edges_and_lines_are_no_specks():
    pixels = pictures.texture(300, 600, 4)
    pixels[:, :300] //= 3
    cv2.line(pixels, (350, 20), (560, 260), (20, 20, 20), 3, cv2.LINE_AA)
    assert on(pixels, contrast=20) == []
    assert alone(on(pixels)) == []
    for name in ("grass", "gravel", "brick"):
        texture = np.asarray(getattr(data, name)())
        assert alone(on(np.stack([texture] * 3, axis=2))) == []


def test_where_a_thing_ends_is_no_speck():
    pixels = noisy(np.full((300, 300, 3), 210, np.uint8), 1)
    cv2.rectangle(pixels, (146, 150), (154, 299), (60, 60, 60), -1)
    cv2.fillConvexPoly(pixels, np.array([(20, 299), (60, 90), (100, 299)]), (90, 60, 60), cv2.LINE_AA)
    assert on(pixels) == []


def test_a_light_on_uneven_ground_is_no_speck_however_strong():
    """Glints and lamps are strong; what is around them is uneven by more levels than around dust."""
    plain = np.full((300, 300, 3), 90, np.uint8)
    across = np.arange(300)[None, :, None]
    uneven = (plain + 16 * np.sin(across / 2.6)).astype(np.uint8)
    assert [near(one, 150, 150, 2) for one in on(disc(plain.copy(), 150, 150, 3, (250,) * 3))] == [True]
    assert on(disc(uneven, 150, 150, 3, (250,) * 3)) == []


def test_grain_that_a_jpeg_lets_through_in_places_is_no_speck():
    for seed in range(3):
        grey = noisy(np.full((900, 1200, 3), 150, np.uint8), 2.5, seed)
        _, coded = cv2.imencode(".jpg", grey, [cv2.IMWRITE_JPEG_QUALITY, 80])
        assert len(on(cv2.imdecode(coded, cv2.IMREAD_COLOR))) <= 2


def test_what_stands_among_many_like_it_is_told_apart():
    random = np.random.default_rng(2)
    pixels = noisy(np.full((600, 900, 3), 190, np.uint8), 1)
    for x, y in random.uniform(20, 380, (90, 2)):
        disc(pixels, x, y + 100, 2.5, (110, 90, 80))
    disc(pixels, 750, 300, 2.5, (110, 90, 80))
    found = on(pixels)
    assert len(found) > 50
    assert all(one.part_of_thing for one in found if one.x < 400 and not near(one, 750, 300, 5))
    (dust,) = alone(found)
    assert near(dust, 750, 300, 2)


def test_a_spot_that_weaker_ones_keep_company_on_all_sides_is_told_apart_and_one_beside_a_thing_is_not(monkeypatch):
    random = np.random.default_rng(3)
    plain = noisy(np.full((500, 500, 3), 150, np.uint8), 2)

    def scattered(span):
        """Stalks that are weaker, as in grass; and one spot in the middle."""
        drawn = plain.astype(np.float32)
        for x, y in random.uniform(*span, (240, 2)):
            if np.hypot(x - 250, y - 250) < 26:
                continue
            turn, depth = random.uniform(0, np.pi), random.uniform(10, 20)
            ends = [(round(x + way * 9 * np.cos(turn)), round(y + way * 9 * np.sin(turn))) for way in (-1, 1)]
            stalk = cv2.line(np.zeros((500, 500), np.float32), *ends, float(depth), 2)
            drawn -= cv2.GaussianBlur(stalk, (0, 0), 0.8)[..., None]
        return disc(np.clip(np.rint(drawn), 0, 255).astype(np.uint8), 250, 250, 2, (90, 90, 90))

    def spot(pixels):
        (found,) = [one for one in on(pixels) if near(one, 250, 250, 3)]
        return found

    grass, beside = scattered(((150, 150), (350, 350))), scattered(((290, 150), (350, 350)))
    assert spot(grass).part_of_thing
    assert not spot(beside).part_of_thing
    assert not spot(disc(plain.copy(), 250, 250, 2, (90, 90, 90))).part_of_thing
    monkeypatch.setattr(specks, "_COMPANY", 10_000)
    assert not spot(grass).part_of_thing


def test_a_strip_is_as_the_whole(monkeypatch):
    pixels, _ = dusty("paper", 2, seed=6)
    whole = on(pixels)
    assert len(whole) > 8
    monkeypatch.setattr("fern_ticket.core.inspect.specks._ROWS", 256)
    for one, other in zip(on(pixels), whole, strict=True):
        assert near(one, other.x, other.y, 0.01)
        assert (one.size, one.contrast) == pytest.approx((other.size, other.contrast), rel=1e-4)


def test_after_a_repair_only_rows_near_it_are_looked_at_anew(monkeypatch):
    monkeypatch.setattr("fern_ticket.core.inspect.specks._ROWS", 64)
    pixels, placed = specked(sky(700, 400)[0], 12, 12)
    x, y, size = placed[0]
    mask = {"kind": "strokes", "strokes": [{"points": [[x, y, 1]], "size": size + 6, "hardness": 1}]}
    source, cache, looked = pictures.source(pixels), ByteCache(1 << 27), []
    real = specks._looked_at
    monkeypatch.setattr(specks, "_looked_at", lambda *rest: looked.append(rest) or real(*rest))
    before = specks_in(LedgerPicture(source, "s", [], cache))
    all_rows = len(looked)
    looked.clear()
    steps = read_steps([{"op": "dab", "mask": mask}])
    after = specks_in(LedgerPicture(source, "s", steps, cache))
    assert 0 < len(looked) < all_rows / 2
    assert after == specks_in(LedgerPicture(source, "s", steps, ByteCache(1 << 27)))
    assert len(after) == len(before) - 1


def test_what_a_person_refused_counts_no_more():
    pixels, placed = specked(sky(300, 400)[0], 3, 40)
    (x, y, size), (ax, ay, asize), _ = placed
    refused, accepted = {"x": x, "y": y, "size": size, "accepted": False}, {"x": ax, "y": ay, "size": asize}
    assert len(specks_in(with_spots(pixels, accepted, refused))) == 1
    assert len(specks_in(with_spots(pixels, accepted))) == 2
    assert open_ones(on(pixels), [(x, y, size)]) == [one for one in on(pixels) if not near(one, x, y, size)]


def test_accepted_specks_go_and_refused_ones_stay():
    pixels, placed = specked(sky(300, 400)[0], 2, 30)
    spots = [{"x": x, "y": y, "size": size, "accepted": bool(k)} for k, (x, y, size) in enumerate(placed)]
    result = with_spots(pixels, *spots).deliver(np.uint8)
    (ax, ay, _), (bx, by, _) = placed
    assert np.array_equal(result[int(ay), int(ax)], pixels[int(ay), int(ax)])
    clean = sky(300, 400)[0][int(by), int(bx)].astype(int)
    assert np.abs(result[int(by), int(bx)].astype(int) - clean).max() < 8
