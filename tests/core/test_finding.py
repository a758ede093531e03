"""What is found for a cover: a subject, a sky, edges that a brush stops at, and an edge refined to hair."""

from __future__ import annotations

import json
from pathlib import Path

import cv2
import numpy as np
import pytest
from pymatting import estimate_alpha_cf

from fern_ticket.cli import main
from fern_ticket.core.cutting.beside import ColoursBeside, redrawn
from fern_ticket.core.cutting.boundary import off_the_border
from fern_ticket.core.cutting.closed_form import band_of, solved
from fern_ticket.core.cutting.counts import ColourCounts
from fern_ticket.core.cutting.dividing import borders_of
from fern_ticket.core.cutting.edge_colours import edge_colours
from fern_ticket.core.cutting.fine_edge import band_along, fine_edge, guided
from fern_ticket.core.cutting.inside import inside_of
from fern_ticket.core.cutting.saliency import features_of
from fern_ticket.core.cutting.subject import led, small_of
from fern_ticket.core.ledger.covers import Cover
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture, View
from tests import pictures
from tests.quality import by_grabcut, loose_around, overlap

PICTURES = Path(__file__).parents[2] / "demo" / "pictures"


def disc(rows, columns, middle, radius):
    y, x = np.mgrid[0:rows, 0:columns] + 0.5
    return np.clip(radius - np.hypot(x - middle[0], y - middle[1]) + 0.5, 0, 1).astype(np.float32)


def laid(front, back, share):
    return np.round(back + share[..., None] * (front.astype(np.float32) - back)).astype(np.uint8)


def bowl():
    """A grained orange bowl on grey cloth, and where it is."""
    share = disc(240, 360, (190, 120), 70)
    front, back = pictures.texture(240, 360, 1, (205, 120, 50)), pictures.texture(240, 360, 2, (120, 125, 130))
    return laid(front, back, share), share > 0.5


def opened(pixels, background=False):
    return LedgerPicture(pictures.source(pixels), "p", [], ByteCache(1 << 27), background=background)


def cover(*parts, **more):
    return Cover.model_validate({"parts": [one if "shape" in one else {"shape": one} for one in parts], **more})


def test_a_subject_is_found_without_a_stroke():
    pixels, truth = bowl()
    assert overlap(opened(pixels).covered(cover({"kind": "subject"})), truth) > 0.95


def test_another_take_is_another_subject_and_after_the_last_comes_the_first():
    pixels, truth = bowl()
    other = disc(240, 360, (70, 70), 45)
    picture = opened(laid(pictures.texture(240, 360, 5, (60, 140, 190)), pixels, other))
    places = truth, other > 0.5, truth | (other > 0.5)
    takes = [picture.covered(cover({"kind": "subject", "take": take})) > 0.5 for take in range(4)]
    # among the first two are two of: the one, the other, both
    assert all(max(overlap(take, place) for place in places) > 0.9 for take in takes[:2])
    assert (takes[0] & takes[1]).sum() / (takes[0] | takes[1]).sum() < 0.8
    different = {take.tobytes() for take in takes}
    assert takes[len(different) % 4].tobytes() == takes[0].tobytes()


def test_what_reaches_the_border_stands_off_it():
    """A subject that the picture's lower edge cuts, which all of the border's looks would call ground."""
    share = disc(240, 360, (180, 215), 90)
    pixels = laid(pictures.texture(240, 360, 1, (205, 120, 50)), pictures.texture(240, 360, 2, (120, 125, 130)), share)
    off = off_the_border(features_of(pixels))
    truth = cv2.resize(share, off.shape[::-1], interpolation=cv2.INTER_AREA) > 0.5
    assert off.min() >= 0
    assert off.max() <= 1
    assert off[truth].mean() > 0.8
    assert off[~truth].mean() < 0.1


def test_strokes_lead_to_the_subject_that_is_meant():
    pixels, truth = bowl()
    other = disc(240, 360, (60, 60), 28)
    pixels = laid(pictures.texture(240, 360, 5, (60, 140, 190)), pixels, other)
    picture = opened(pixels)
    alone = picture.covered(cover({"kind": "subject"}))
    stroke = {"points": [[48, 60, 1], [72, 60, 1]], "size": 16}
    taken = [{"inside": True, "stroke": stroke}], [{"inside": False, "stroke": stroke}]
    with_it, without = (picture.covered(cover({"kind": "subject", "led": led})) for led in taken)
    assert overlap(with_it, truth | (other > 0.5)) > 0.93
    assert overlap(without, truth) > 0.93
    assert not np.array_equal(with_it, without)
    # the later stroke has the last word
    both = picture.covered(cover({"kind": "subject", "led": [*taken[0], *taken[1]]}))
    assert (both[52:68, 52:68] < 0.5).all()
    assert overlap(alone, truth | (other > 0.5)) > 0.6


def test_a_thin_stroke_takes_all_out_that_no_edge_parts_from_it():
    stand = np.zeros((224, 336), bool)
    stand[50:180, 90:250] = True
    gap = np.s_[70:160, 110:170]
    filled, nothing, struck = stand.copy(), np.zeros_like(stand), np.zeros_like(stand)
    stand[gap] = False
    wood, wall = pictures.texture(224, 336, 1, (150, 105, 70)), pictures.texture(224, 336, 2, (200, 192, 180))
    small = small_of(laid(wood, wall, stand.astype(np.float32)))
    struck[80:150, 135:145] = True
    assert overlap(led(small, filled, nothing, struck), stand) > 0.98 > overlap(filled, stand)


def test_a_stroke_on_white_before_white_changes_no_more_than_its_surroundings():
    white = pictures.texture(224, 336, 3, (232, 232, 230))
    jug = disc(224, 336, (120, 112), 60)
    small = small_of(laid(np.clip(white.astype(int) - 6, 0, 255).astype(np.uint8), white, jug))
    before, nothing, struck = jug > 0.5, np.zeros_like(jug, dtype=bool), np.zeros_like(jug, dtype=bool)
    before[100:130, 180:200] = True
    struck[108:122, 186:196] = True
    found = led(small, before, nothing, struck)
    assert not found[struck].any()
    assert np.count_nonzero(found != before) < 8 * np.count_nonzero(struck)


@pytest.mark.parametrize("inside", [True, False])
def test_who_takes_away_adds_nothing_and_who_adds_takes_nothing_away(inside):
    pixels, truth = bowl()
    small = small_of(pixels)
    rows, columns = small.borders.shape[1:]
    half = cv2.resize(truth.astype(np.uint8), (columns, rows), interpolation=cv2.INTER_NEAREST) > 0
    half[:, columns // 2 :] = False
    # what stands holds half of the bowl, and a piece of cloth
    before, struck, nothing = half.copy(), np.zeros_like(half), np.zeros_like(half)
    before[20:60, 20:80] = True
    struck[(slice(90, 110), slice(180, 210)) if inside else (slice(30, 50), slice(30, 70))] = True
    found = led(small, before, struck if inside else nothing, nothing if inside else struck)
    assert (found[struck] == inside).all()
    kept, got = (before, found) if inside else (found, before)
    assert not (kept & ~got).any()
    assert np.count_nonzero(found != before) >= np.count_nonzero(struck)


def crossed():
    """A grained ring, whose hole shows the ground, before a wall and a floor of other colours that both run into a
    loose outline; and where it is."""
    share = disc(260, 360, (180, 130), 80) * (1 - disc(260, 360, (180, 130), 40))
    wall, floor = pictures.texture(260, 360, 2, (150, 150, 165)), pictures.texture(260, 360, 3, (125, 95, 70))
    back = np.where((np.arange(260) < 140)[:, None, None], wall, floor)
    return laid(pictures.texture(260, 360, 1, (170, 120, 80)), back, share), share > 0.5


@pytest.mark.parametrize("wide", [0.03, 0.1, 0.25])
@pytest.mark.parametrize("scene", [bowl, crossed])
def test_a_loose_outline_goes_around_a_thing(scene, wide):
    pixels, truth = scene()
    small = small_of(pixels)
    loose, at_size = small_like(loose_around(truth, wide), small), small_like(truth, small)
    found = inside_of(small, ~loose)
    assert overlap(found, at_size) > 0.94
    assert not (found & ~loose).any()
    # the same outline told OpenCV's GrabCut
    assert overlap(found, at_size) > overlap(by_grabcut(small.pixels, loose), at_size) - 0.01


def small_like(bits, small):
    return cv2.resize(bits.astype(np.float32), small.pixels.shape[1::-1], interpolation=cv2.INTER_AREA) > 0.5


def test_an_outline_around_nothing_else_than_the_ground_is_meant_itself():
    small = small_of(pictures.texture(240, 360, 2, (120, 125, 130)))
    inside = small_like(disc(240, 360, (180, 120), 60) > 0.5, small)
    assert np.array_equal(inside_of(small, ~inside), inside)


def test_a_small_thing_in_a_large_photo_is_seen_as_large_as_one_that_fills_it():
    """Spokes of 7 px, of which a small copy of all of the photo shows nothing."""
    rows, columns, (x, y) = 1200, 1800, (1500, 300)
    truth = np.zeros((rows, columns), np.uint8)
    for turn in np.arange(0, np.pi, np.pi / 4):
        way = np.round(60 * np.array([np.cos(turn), np.sin(turn)])).astype(int)
        cv2.line(truth, (x - way[0], y - way[1]), (x + way[0], y + way[1]), 1, 7)
    front = pictures.texture(rows, columns, 1, (205, 120, 50))
    back = pictures.texture(rows, columns, 2, (120, 125, 130))
    photo = opened(laid(front, back, truth.astype(np.float32)))
    around = [[x + 80 * np.cos(turn), y + 80 * np.sin(turn)] for turn in np.linspace(0, 2 * np.pi, 30)]
    led = {"inside": False, "stroke": {"points": [[x + 72, y, 1]], "size": 6}}
    for strokes in ([], [led]):
        found = photo.covered(cover({"kind": "subject", "around": around, "led": strokes}))
        assert overlap(found, truth > 0) > 0.8
    assert not found[:, : x - 90].any()


def test_counts_of_colours_know_what_is_rare_on_either_side():
    colours = np.zeros((40, 60, 3), np.float32)
    colours[..., 0] = 50
    colours[:, :30, 1] = 40
    colours[:4, 30:, 1] = 40
    left = np.zeros((40, 60), np.float32)
    left[:, :30] = 1
    said = ColourCounts(colours).more_often(left, 1 - left)
    # red is 1 of 1 at the left and 1 of 10 at the right; colours near by count too, so that it is a little less
    assert said[10, 5] == pytest.approx(np.log(10), abs=0.05)
    assert said[2, 40] == said[10, 5]
    assert said[20, 40] < -10


def test_an_edge_is_drawn_by_the_colours_beside_it_not_by_those_far_away():
    """Grey on white at the left and white on grey at the right: only the place tells which of them is meant."""
    rng = np.random.default_rng(5)
    truth = np.zeros((120, 240), bool)
    truth[40:80, 20:100] = truth[40:80, 140:220] = True
    colours = np.zeros((120, 240, 3), np.float32)
    colours[..., 0] = 60 + 30 * (truth ^ (np.arange(240) < 120)) + rng.normal(0, 2, truth.shape)
    shifted = np.roll(truth, (4, -4), (0, 1))
    beside, borders = ColoursBeside(colours), borders_of(colours)
    found = redrawn(beside, borders, shifted, np.zeros(truth.shape, np.float32))
    assert overlap(shifted, truth) < 0.8
    assert overlap(found, truth) > 0.99
    # what a stroke says stays
    fixed = np.zeros(truth.shape, np.float32)
    fixed[38:42, 50:60] = 1
    fixed[76:80, 160:170] = -1
    said = redrawn(beside, borders, shifted, fixed)
    assert said[fixed > 0].all()
    assert not said[fixed < 0].any()


def test_a_subject_is_the_same_on_every_opening():
    pixels, _ = bowl()
    asked = cover({"kind": "subject"})
    once, again = opened(pixels).covered(asked), opened(pixels).covered(asked)
    assert np.array_equal(once, again)


@pytest.mark.parametrize("value", [0, 128, 255])
def test_a_picture_of_nothing_has_a_subject_or_none_and_is_all_sky_or_has_none(value):
    plain = np.full((90, 120, 3), value, np.uint8)
    share = opened(plain).covered(cover({"kind": "subject"}))
    assert np.isfinite(share).all()
    sky = opened(plain).covered(cover({"kind": "sky"}))
    assert sky.min() == sky.max() == (value > 0)


def test_a_sky_hangs_from_the_top_and_shows_between_leaves():
    rows, columns = 240, 360
    sky = np.linspace([110, 160, 225], [200, 220, 240], rows)[:, None] + 0 * np.zeros((rows, columns, 3))
    ground = pictures.texture(rows, columns, 3, (70, 90, 40))
    roof = (np.mgrid[0:rows, 0:columns][0] > 130 + 30 * np.sin(np.arange(columns) / 40)).astype(np.float32)
    wall = pictures.texture(rows, columns, 4, (225, 222, 214))
    share = np.zeros((rows, columns), np.float32)
    share[150:, 100:260] = 1
    pixels = laid(wall, laid(ground, sky, roof), share)
    found = opened(pixels).covered(cover({"kind": "sky"}))
    assert overlap(found, (roof == 0) & (share == 0)) > 0.97
    # and there is none in a room
    assert opened(bowl()[0]).covered(cover({"kind": "sky"})).mean() < 0.75


def test_a_sky_is_followed_from_gap_to_gap_down_through_leaves():
    rows, columns = 480, 720
    down = np.linspace(0, 1, rows)[:, None]
    sky = np.stack([130 + 90 * down, 175 + 55 * down, 228 + 14 * down], axis=2) + np.zeros((rows, columns, 3))
    leaves = cv2.GaussianBlur(np.random.default_rng(3).normal(0, 1, (rows, columns)), (0, 0), 2.2)
    gaps = (leaves > 0.5 * leaves.std()) | (down < 0.4)
    hedge, wall = pictures.texture(rows, columns, 3, (60, 85, 35)), pictures.texture(rows, columns, 4, (236, 234, 228))
    pixels = laid(hedge, sky, 1 - gaps.astype(np.float32))
    house = np.zeros((rows, columns), np.float32)
    house[240:, 300:420] = 1
    pixels = laid(wall, pixels, house)
    found = opened(pixels).covered(cover({"kind": "sky"})) > 0.5
    low = np.s_[int(0.6 * rows) : int(0.85 * rows)]
    free = (house == 0)[low]
    assert 0.1 < gaps[low][free].mean() < 0.8
    assert found[low][free & gaps[low]].mean() > 0.85
    assert found[low][free & ~gaps[low]].mean() < 0.05
    assert found[house > 0].mean() < 0.02


def test_a_brush_stops_at_the_edge_that_it_runs_along():
    pixels, truth = bowl()
    # a wide tip along the bowl's inner rim, reaching over it by far
    path = [[190 + 58 * np.cos(a), 120 + 58 * np.sin(a), 1] for a in np.linspace(0, 2 * np.pi, 60)]
    stroke = {"points": path, "size": 60, "hardness": 1}
    share = opened(pixels).covered(cover({"kind": "edged", "strokes": [stroke], "hold": 0.6}))
    plain = opened(pixels).covered(cover({"kind": "strokes", "strokes": [stroke]}))
    assert share[~truth].sum() < 0.05 * plain[~truth].sum()
    assert share[truth & (plain > 0.9)].mean() > 0.9
    loose = opened(pixels).covered(cover({"kind": "edged", "strokes": [stroke], "hold": 0}))
    assert loose[~truth].sum() > 5 * share[~truth].sum()


def test_a_part_that_is_switched_off_is_as_if_it_were_not_there():
    pixels, _ = bowl()
    hole = {"kind": "round", "middle": [190, 120], "radii": [20, 20]}
    with_it = cover({"kind": "subject"}, {"shape": hole, "mode": "subtract", "enabled": False})
    assert np.array_equal(opened(pixels).covered(with_it), opened(pixels).covered(cover({"kind": "subject"})))
    assert (opened(pixels).covered(cover({"shape": hole, "enabled": False})) == 1).all()


# ------------------------------------------------------------------------------------------------ the fine edge


def hairy(ground_seed, rough):
    """A disc with hairs of a pixel or two over a ground, and how far it covers each pixel."""
    rows, columns, fine = 160, 200, 6
    drawn = np.zeros((rows * fine, columns * fine), np.uint8)
    cv2.circle(drawn, (100 * fine, 80 * fine), 38 * fine, 255, -1)
    rng = np.random.default_rng(8)
    for _ in range(420):
        a, bend, long = rng.uniform(0, 2 * np.pi), rng.normal(0, 0.5), rng.uniform(6, 16)
        t = np.linspace(0, 1, 8)
        r = 36 + long * t
        line = np.stack([100 + r * np.cos(a + bend * t * 0.2), 80 + r * np.sin(a + bend * t * 0.2)], 1)
        cv2.polylines(drawn, [np.round(line * fine).astype(np.int32).reshape(-1, 1, 2)], False, 255, 5, cv2.LINE_AA)
    share = cv2.resize(drawn, (columns, rows), interpolation=cv2.INTER_AREA).astype(np.float32) / 255
    # no two grains of one colour, as of fur and grass
    front = pictures.texture(rows, columns, 3, (190, 150, 110)) + rng.normal(0, 9, (rows, columns, 3))
    back = pictures.texture(rows, columns, ground_seed, (70, 110, 60)) + rng.normal(0, 9, (rows, columns, 3))
    if rough:
        blades = cv2.GaussianBlur(rng.normal(0, 1, (rows, columns, 3)), (0, 0), 1.5, sigmaY=5)
        back += 40 * blades / blades.std()
    return laid(np.clip(front, 0, 255), np.clip(back, 0, 255), share), share


def error(found, truth, band):
    return float(np.square(found - truth)[band].mean())


def fur(rows, columns):
    """A part of the demo's furry animal at a quarter of its size, and how far it covers each pixel, as rendered."""
    photo = cv2.imread(str(PICTURES / "ginger-cavy.jpg"))[..., ::-1]
    truth = cv2.imread(str(PICTURES / "ginger-cavy.cover.png"), cv2.IMREAD_GRAYSCALE).astype(np.float32) / 255
    small = cv2.resize(photo, truth.shape[::-1], interpolation=cv2.INTER_AREA)
    return np.ascontiguousarray(small[rows, columns]), np.ascontiguousarray(truth[rows, columns])


def test_fur_is_nearer_to_the_truth_than_by_closed_form_or_by_a_guided_filter_alone():
    # Levin, Lischinski, Weiss 2008, as PyMatting solves it; He, Sun, Tang 2013, as OpenCV has it
    pixels, truth = fur(np.s_[150:660], np.s_[420:960])
    crisp = (truth > 0.5).astype(np.float32)
    band = band_along(crisp, 24)
    marks = np.where(band, 0.5, crisp).astype(np.float64)
    closed = error(estimate_alpha_cf(pixels / 255.0, marks), truth, band)
    filtered = min(error(guided(pixels, crisp, r), truth, band) for r in (1, 2, 4, 8))
    own = error(fine_edge(pixels, crisp, 24), truth, band)
    assert own < 0.75 * closed
    assert own < filtered


def test_hair_that_a_crisp_edge_loses_is_found():
    pixels, truth = hairy(4, rough=False)
    crisp = (truth > 0.5).astype(np.float32)
    band = band_along(crisp, 24)
    lost = error(crisp, truth, band)
    assert error(fine_edge(pixels, crisp, 24), truth, band) < 0.5 * lost


def test_the_closed_form_alone_is_that_of_the_paper():
    pixels, truth = hairy(4, rough=False)
    crisp = (truth > 0.5).astype(np.float32)
    unknown = band_along(crisp, 14)
    marks = np.where(unknown, 0.5, crisp).astype(np.float64)
    known = estimate_alpha_cf(pixels / 255.0, marks, laplacian_kwargs={"epsilon": 1e-5})
    band = band_of(pixels.astype(np.float32) / 255, unknown)
    start = crisp[band.number >= 0]
    nothing = np.zeros_like(start)
    found = solved(band, start, nothing, nothing, most=3000)[band.unknown]
    assert np.abs(found - known[unknown]).mean() < 0.02


def test_beyond_the_band_a_fine_edge_changes_nothing():
    pixels, truth = hairy(4, rough=True)
    crisp = (truth > 0.5).astype(np.float32)
    fine = fine_edge(pixels, crisp, 12)
    outside = ~band_along(crisp, 12)
    assert np.array_equal(fine[outside], crisp[outside])
    assert ((fine > 0.05) & (fine < 0.95)).any()
    for plain in (np.zeros_like(crisp), np.ones_like(crisp)):
        assert np.array_equal(fine_edge(pixels, plain, 12), plain)


def test_a_fine_edge_is_made_beside_and_shown_when_it_is_there():
    pixels, truth = hairy(4, rough=False)
    asked = cover({"kind": "outline", "points": ring(), "feather": 0}, fine={"band": 30})
    picture = opened(pixels, background=True)
    before = picture.covered(asked)
    (pending,) = picture.pending
    pending.make(lambda _: None, lambda: None)
    after = picture.covered(asked)
    band = band_along(before, 30)
    assert error(after, truth, band) < 0.7 * error(before, truth, band)
    assert np.array_equal(after, opened(pixels).covered(asked))


def ring():
    return [[100 + 43 * np.cos(a), 80 + 43 * np.sin(a)] for a in np.linspace(0, 2 * np.pi, 90)[:-1]]


def test_a_view_of_a_fine_edge_is_that_of_the_whole():
    pixels, _ = hairy(4, rough=False)
    picture = opened(pixels)
    asked = cover({"kind": "outline", "points": ring()}, fine={"band": 24})
    whole = picture.covered(asked)
    step = {"op": "exposure", "params": {"ev": 1.0}, "cover": asked.model_dump()}
    lit = LedgerPicture(pictures.source(pixels), "p", read_steps([step]), ByteCache(1 << 27))
    frame = lit.view(View(0, 0, 1, 200, 160), (0, 0, 0), fine=True)
    assert np.array_equal(frame, lit.deliver(np.uint8))
    assert np.array_equal(frame[whole == 0], pixels[whole == 0])


def test_the_old_ground_is_taken_out_of_the_edge():
    # Germer 2020: a disc laid on a new ground by its estimated colours is near to one that was never on the old one
    truth = cv2.GaussianBlur(disc(120, 160, (80, 60), 34), (0, 0), 4)
    front, back = pictures.texture(120, 160, 1, (200, 60, 50)), pictures.texture(120, 160, 2, (40, 160, 60))
    new = pictures.texture(120, 160, 3, (60, 70, 190))
    pixels = laid(front, back, truth)
    soft = (truth > 0.1) & (truth < 0.9)
    wanted = laid(front, new, truth).astype(float)[soft]
    own, old = (laid(one, new, truth).astype(float)[soft] for one in (edge_colours(pixels, truth), pixels))
    assert np.abs(own - wanted).mean() < 0.3 * np.abs(old - wanted).mean()
    assert np.array_equal(edge_colours(pixels, truth)[truth == 1], pixels[truth == 1])


def test_a_fine_cover_and_its_colours_are_written_from_the_command_line(tmp_path):
    pixels, truth = hairy(4, rough=False)
    photo, said, out, colours = (tmp_path / name for name in ("photo.png", "cover.json", "share.png", "colours.png"))
    cv2.imwrite(str(photo), pixels[..., ::-1])
    said.write_text(json.dumps({"parts": [{"shape": {"kind": "outline", "points": ring()}}], "fine": {"band": 31}}))
    assert main(["cover", str(photo), str(out), "--cover", str(said), "--colours", str(colours)]) == 0
    share = cv2.imread(str(out), cv2.IMREAD_UNCHANGED)[..., 0].astype(np.float32) / 65535
    assert error(share, truth, band_along((truth > 0.5).astype(np.float32), 24)) < 0.06
    own = cv2.imread(str(colours), cv2.IMREAD_UNCHANGED)
    assert own.shape == pixels.shape
    # hair is no longer green
    hair = (share > 0.2) & (share < 0.7)
    assert (own[hair][:, 2] > own[hair][:, 1]).mean() > (pixels[hair][:, 0] > pixels[hair][:, 1]).mean()
