"""The ways of cleaning beside dab and heal: what each promises, its limits, and what it refuses."""

from __future__ import annotations

import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import cv2
import numpy as np
import pytest
from skimage import data

from fern_ticket.core import threads
from fern_ticket.core.clean import regrow
from fern_ticket.core.clean.graining import make_grain, measure_grain
from fern_ticket.core.clean.limits import Fence
from fern_ticket.core.clean.repair import Painted
from fern_ticket.core.clean.scales import Scale
from fern_ticket.core.clean.synthesis import Unfillable, _pyramid, _searched, synthesise
from fern_ticket.core.clean.tracing import best_path
from fern_ticket.core.errors import LedgerError
from fern_ticket.core.inspect.methods import fitting_method
from fern_ticket.core.inspect.traces import traces
from fern_ticket.core.ledger.masks import BitmapMask, OutlineMask, Stroke, StrokesMask
from fern_ticket.core.ledger.steps import Step, read_steps
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture, View
from fern_ticket.core.render.plan import make_plan
from fern_ticket.core.settling import settle
from tests import pictures
from tests.quality import blob, filling, layout_error, noisy, sky
from tests.repairs import REPAIRS, outline, strokes
from tests.truth import all_truths


def picture(pixels, steps, **more):
    return LedgerPicture(pictures.source(pixels), "t", read_steps(steps), ByteCache(1 << 27), **more)


def made(pixels, *steps):
    return picture(pixels, list(steps)).deliver(pixels.dtype.type)


def settled(pixels, step, before=()):
    return settle(pictures.source(pixels), "t", read_steps(list(before)), Step.model_validate(step), ByteCache(1 << 26))


def json(step):
    return step.model_dump(mode="json", exclude_none=True)


# ------------------------------------------------------------------------------------------------ every method

CHANGES_NOTHING = ("fence", "avoid", "guide", "mirrors", "plane")


@pytest.mark.parametrize("depth", [np.uint8, np.uint16])
@pytest.mark.parametrize("step", [s for s in REPAIRS if s["op"] not in CHANGES_NOTHING], ids=lambda s: s["op"])
def test_a_repair_changes_nothing_outside_its_place_and_is_the_same_every_time(step, depth):
    pixels = (pictures.texture(430, 610).astype(depth)) * depth(1 if depth is np.uint8 else 257)
    once, again = made(pixels, step), made(pixels, step)
    assert once.dtype == depth
    assert np.array_equal(once, again)
    one = picture(pixels, [step])
    outside = np.ones(pixels.shape[:2], bool)
    for box in one.repaired.laid.values():
        outside[box.rows, box.columns] = False
    assert np.array_equal(once[outside], pixels[outside])
    if step["op"] not in ("redeye", "restore"):  # there is no red here to take out, and nothing to bring back
        assert not np.array_equal(once, pixels)


@pytest.mark.parametrize("step", [s for s in REPAIRS if "mask" in s], ids=lambda s: s["op"])
@pytest.mark.parametrize(
    "mask",
    [
        strokes((1e5, 1e5)),
        strokes((0, 0), (238, 0), (238, 168), (0, 168), size=8),
        strokes((119, 77), size=1),
        strokes((-20, 77), (260, 81), size=12),
        outline(-100, -100, 900, 900),
        outline(10, 10, 10.4, 10.4),
        {
            "kind": "strokes",
            # side by side, so that they are a few places: hundreds apart would only be the same hundreds of times
            "strokes": [{"points": [[k % 100, k // 100 * 30, 1]], "size": 2} for k in range(400)],
        },
    ],
    ids=["outside", "all borders", "one pixel", "beyond both sides", "everything", "less than a pixel", "400 strokes"],
)
def test_a_senseless_place_gives_a_sensible_picture_or_a_refusal_in_words(step, mask):
    pixels = pictures.texture(168, 238)
    refused = None
    try:
        result = made(pixels, {**step, "mask": mask})
    except LedgerError as error:
        refused = error
    if refused is None:
        # what it may change is where it lies; everything else is as it was
        (repair,) = make_plan(read_steps([{**step, "mask": mask}]), (238, 168)).repairs
        outside = np.ones(pixels.shape[:2], np.bool_)
        outside[repair.box.rows, repair.box.columns] = False
        assert np.array_equal(result[outside], pixels[outside])
    else:
        assert refused.sentence.endswith(".")
        assert refused.hint


def test_changing_one_of_many_repairs_makes_only_what_overlaps_it_anew(monkeypatch):
    from fern_ticket.core.clean import calm

    pixels = pictures.texture(700, 980)
    steps = [
        {"id": f"c{k}", "op": "calm", "mask": strokes((70 + 140 * (k % 7), 70 + 140 * (k // 7)), size=14)}
        for k in range(35)
    ]
    source, cache = pictures.source(pixels), ByteCache(1 << 27)
    LedgerPicture(source, "t", read_steps(steps), cache).deliver(np.uint8)
    solved = []
    real = calm.surface
    monkeypatch.setattr(calm, "surface", lambda *rest: solved.append(1) or real(*rest))
    steps[17]["params"] = {"grain": 50}
    LedgerPicture(source, "t", read_steps(steps), cache).deliver(np.uint8)
    assert len(solved) == 1


# ------------------------------------------------------------------------------------------------------- masks


def test_flow_builds_up_to_the_opacity_and_never_past_it():
    box = Box(0, 0, 60, 60)
    points = [(10.0, 30.0, 1.0), (50.0, 30.0, 1.0)]

    def middle(**more):
        return StrokesMask(strokes=[Stroke(points=points, size=20, **more)]).alpha(box)[30, 30]

    assert middle() == 1
    assert 0.2 < middle(flow=0.1) < 0.9
    assert middle(flow=0.1, spacing=0.05) > middle(flow=0.1, spacing=0.4)
    assert middle(flow=0.9, opacity=0.5) == pytest.approx(0.5, abs=0.01)


def test_a_flat_tip_is_long_along_its_angle_and_thin_across():
    touch = StrokesMask(strokes=[Stroke(points=[(40, 40, 1)], size=40, roundness=0.25, angle=0, hardness=1)])
    cover = touch.alpha(Box(0, 0, 80, 80)) > 0.5
    rows, columns = np.nonzero(cover)
    assert np.ptp(columns) == pytest.approx(40, abs=3)
    assert np.ptp(rows) == pytest.approx(10, abs=3)
    turned = StrokesMask(strokes=[Stroke(points=[(40, 40, 1)], size=40, roundness=0.25, angle=90, hardness=1)])
    assert np.ptp(np.nonzero(turned.alpha(Box(0, 0, 80, 80)) > 0.5)[0]) == pytest.approx(40, abs=3)


def test_an_outline_covers_its_inside_exactly_and_a_feather_is_centred_on_it():
    square = OutlineMask(points=[(10, 10), (30, 10), (30, 30), (10, 30)])
    cover = square.alpha(Box(0, 0, 40, 40))
    assert cover[10:30, 10:30].mean() > 0.95
    assert cover.sum() == pytest.approx(400, rel=0.06)
    soft = OutlineMask(points=[(10, 10), (30, 10), (30, 30), (10, 30)], feather=8).alpha(Box(0, 0, 40, 40))
    assert soft[20, 9:11].mean() == pytest.approx(0.5, abs=0.12)
    assert soft[20, 5] < 0.03 < 0.97 < soft[20, 15]


# ------------------------------------------------------------------------------------------------------- clone


def test_a_clone_is_an_exact_copy():
    pixels = pictures.noise(200, 300)
    step = {"op": "clone", "params": {"source": {"dx": 120, "dy": -30}}, "mask": outline(40, 80, 80, 120)}
    assert np.array_equal(made(pixels, step)[80:120, 40:80], pixels[50:90, 160:200])


@pytest.mark.parametrize("mirror", ["none", "across", "down"])
def test_a_turned_and_mirrored_source_lands_as_numpy_turns_it(mirror):
    pixels = cv2.GaussianBlur(pictures.noise(201, 301), (0, 0), 2)
    # about the middle of pixel (60, 100); the source's middle is pixel (200, 100)
    step = {
        "op": "clone",
        "params": {"source": {"dx": 140, "dy": 0}, "turn": 90, "mirror": mirror},
        "mask": strokes((60.5, 100.5), size=50, hardness=1),
    }
    place = made(pixels, step)[90:111, 50:71].astype(int)
    source = pixels[90:111, 190:211]
    source = {"none": source, "across": source[:, ::-1], "down": source[::-1]}[mirror]
    assert np.abs(place - np.rot90(source, -1)).max() <= 1


def test_a_clone_whose_source_leaves_the_picture_copies_what_is_there_and_leaves_the_rest():
    pixels = pictures.noise(100, 200)
    step = {"op": "clone", "params": {"source": {"dx": -60, "dy": 0}}, "mask": outline(40, 40, 80, 60)}
    result = made(pixels, step)
    assert np.array_equal(result[40:60, 60:80], pixels[40:60, 0:20])
    assert np.array_equal(result[40:60, 40:60], pixels[40:60, 40:60])


# ------------------------------------------------------------------------------------------------ tight strokes


def blemished(radius, grain=1.5):
    """Ground that slopes, the same with a dark soft-edged spot in its middle, and how far pixels are from that."""
    y, x = np.mgrid[:240, :300]
    slope = 150 + 0.1 * x + 0.05 * y
    ground = noisy(np.repeat(slope[..., None], 3, axis=2), grain)
    away = np.hypot(y + 0.5 - 120, x + 0.5 - 150)
    share = 1 / (1 + np.exp(np.clip((away - radius) / 0.4, -50, 50)))[..., None]
    return ground, (ground * (1 - share) + 45 * share).astype(np.uint8), away


@pytest.mark.parametrize("hardness", [0, 0.3, 0.7, 1])
@pytest.mark.parametrize("radius", [4, 14])
def test_nothing_of_a_blemish_shines_through_the_soft_rim_of_a_tight_stroke(radius, hardness):
    ground, pixels, away = blemished(radius)
    step = {"op": "heal", "mask": strokes((150, 120), size=2 * radius + 5, hardness=hardness)}
    healed = made(pixels, json(settled(pixels, step)))
    off = cv2.GaussianBlur(healed.astype(np.float32) - ground, (0, 0), 2)[away < radius + 2]
    assert np.abs(off).mean() < 1.5


def test_a_blemish_that_reaches_beyond_its_stroke_does_not_flow_in():
    ground, pixels, away = blemished(14)
    step = {"op": "heal", "mask": strokes((150, 120), size=28, hardness=1)}
    healed = made(pixels, json(settled(pixels, step)))
    off = cv2.GaussianBlur(healed.astype(np.float32) - ground, (0, 0), 2)[away < 8]
    assert np.abs(off).mean() < 2


def test_a_weak_stroke_stays_weak():
    _, pixels, away = blemished(14)
    step = {"op": "heal", "mask": strokes((150, 120), size=40, hardness=0.3, opacity=0.25)}
    healed = made(pixels, json(settled(pixels, step))).astype(float)
    inside = away < 10
    assert healed[inside].mean() - pixels[inside].mean() == pytest.approx(0.25 * (171 - 45), abs=6)


def test_where_nothing_shows_a_soft_rim_stays_soft():
    ground, _, away = blemished(14)
    step = {"op": "heal", "params": {"source": {"dx": 70, "dy": 0}}, "mask": strokes((150, 120), size=60, hardness=0)}
    changed = np.abs(made(ground, step).astype(int) - ground).mean(axis=2)
    assert 0 < changed[(away > 24) & (away < 29)].mean() < 0.5 * changed[away < 12].mean()


# ------------------------------------------------------------------------------------------------ fence and avoid


def two_grounds():
    """Dark ground left of x = 300, light right of it, both textured."""
    pixels = pictures.texture(300, 600, 4)
    pixels[:, :300] = pixels[:, :300] // 3
    return pixels


WALL = {"op": "fence", "params": {"points": [[300, 0], [300, 300]], "snap": 0}}


@pytest.mark.parametrize("op", ["heal", "regrow", "calm", "clone"])
def test_nothing_crosses_a_fence(op):
    """A stroke over the border: only the side where it began is touched, and no light comes in."""
    pixels = two_grounds()
    cv2.circle(pixels, (285, 150), 9, (250, 40, 40), -1)
    step = {"op": op, "mask": strokes((270, 150), (330, 150), size=40, hardness=1)}
    result = made(pixels, WALL, step)
    assert np.array_equal(result[:, 301:], pixels[:, 301:])
    assert result[135:165, 265:299].max() < 95


def test_without_the_fence_the_same_stroke_does_cross():
    pixels = two_grounds()
    result = made(pixels, {"op": "calm", "mask": strokes((270, 150), (330, 150), size=40, hardness=1)})
    assert not np.array_equal(result[:, 301:], pixels[:, 301:])


def test_a_source_is_not_proposed_across_a_fence():
    pixels = pictures.texture(300, 600, 4)
    step = {"op": "heal", "mask": strokes((330, 150), size=30)}
    for side in (-1, 1):
        wall = {"op": "fence", "params": {"points": [[330 + 40 * side, 0], [330 + 40 * side, 300]], "snap": 0}}
        dx = settled(pixels, step, [wall]).params["source"]["dx"]
        assert side * dx < 40 - 14


def test_a_fence_bends_to_the_edge_it_was_drawn_along():
    pixels = np.full((300, 400, 3), 200, np.uint8)
    curve = [(int(200 + 18 * np.sin(y / 40)), y) for y in range(300)]
    for x, y in curve:
        pixels[y, :x] = 70
    step = settled(pixels, {"op": "fence", "params": {"points": [[204, 10], [198, 290]]}})
    off = [abs(x - (200 + 18 * np.sin(y / 40))) for x, y in step.params["points"]]
    assert np.median(off) < 1.5
    assert step.params["snap"] == 0


def test_a_fence_hides_what_lies_behind_it_and_nothing_else():
    hidden = Fence(((50, 20), (50, 80))).hidden(Box(0, 0, 100, 100), (10, 50))
    assert hidden[50, 60]
    assert hidden[50, 99]
    assert not hidden[50, 40]
    assert not hidden[2, 55]


def test_avoided_places_are_not_copied_from():
    pixels = pictures.texture(240, 500, 2)
    pixels[:, 330:] = (200, 60, 40)  # what must not turn up
    pixels[90:150, 200:260] = (10, 10, 10)
    hole = {"op": "regrow", "mask": outline(190, 80, 270, 160)}
    avoid = {"op": "avoid", "mask": outline(320, 0, 500, 240)}
    result = made(pixels, avoid, hole)[80:160, 190:270].astype(int)
    assert (result[..., 0] - result[..., 2]).max() < 80


# ----------------------------------------------------------------------------------------------- patch, relocate


def test_a_patch_takes_texture_from_its_source_and_its_rim_from_its_place():
    pixels = pictures.texture(300, 500, 3)
    pixels = np.clip(pixels.astype(int) + (np.arange(500) // 10)[None, :, None], 0, 255).astype(np.uint8)
    step = {"op": "patch", "params": {"source": {"dx": 200, "dy": 0}}, "mask": outline(80, 100, 160, 180)}
    place = made(pixels, step)[100:180, 80:160].astype(float)
    assert abs(place.mean() - pixels[100:180, 80:160].mean()) < 4
    from_there = pixels[100:180, 280:360].astype(float)
    flat = [a[..., 0] - cv2.blur(a[..., 0], (31, 31)) for a in (place, from_there)]
    assert np.corrcoef(flat[0][20:60, 20:60].ravel(), flat[1][20:60, 20:60].ravel())[0, 1] > 0.97


def test_a_subject_is_moved_and_its_old_place_grows_shut():
    pixels = pictures.texture(300, 500, 3)
    cv2.circle(pixels, (120, 150), 20, (30, 60, 160), -1)
    step = {"op": "relocate", "params": {"dx": 200, "dy": 10}, "mask": outline(90, 120, 150, 180)}
    result = made(pixels, step)
    assert np.abs(result[150:170, 310:330].astype(int).mean((0, 1)) - (30, 60, 160)).max() < 12
    assert result[130:170, 100:140, 2].mean() < 140
    twice = made(pixels, {**step, "params": {**step["params"], "clean": False}})
    assert np.array_equal(twice[120:180, 90:150], pixels[120:180, 90:150])
    assert twice[150:170, 310:330, 0].mean() < 60


def _thing_with_a_shadow():
    """A speckled ball with its shadow on grained ground, a bar close beside it; and the same without the ball."""
    random = np.random.default_rng(4)
    ground = np.clip(150 + random.normal(0, 5, (320, 520, 3)), 0, 255)
    ground[:, 196:206] = (40, 60, 150)
    with_ball = ground.copy()
    y, x = np.mgrid[:320, :520]
    shade = np.clip(1.6 - np.hypot((x - 128) / 42, (y - 196) / 16), 0, 1)[..., None]
    with_ball *= 1 - 0.5 * shade
    ball = np.hypot(x - 120, y - 160) < 34
    with_ball[ball] = random.normal((200, 60, 40), 12, (int(ball.sum()), 3))
    return tuple(np.clip(one, 0, 255).astype(np.uint8) for one in (with_ball, ground)), ball


def test_only_the_subject_of_a_loose_outline_moves_and_its_shadow_comes_with_it():
    (pixels, ground), ball = _thing_with_a_shadow()
    turn = np.linspace(0, 2 * np.pi, 40, endpoint=False)
    loose = {"kind": "outline", "points": [[122 + 66 * np.cos(t), 166 + 62 * np.sin(t)] for t in turn]}
    step = {"op": "relocate", "params": {"dx": 130, "dy": 0}, "mask": loose}
    result = made(pixels, step).astype(int)
    moved = np.roll(ball, 130, axis=1)
    assert np.abs(result[moved] - pixels[ball].astype(int)).mean() < 4
    bar = np.s_[100:120, 196:206]
    assert np.array_equal(result[bar], ground[bar]), "the ground inside the outline does not go along"
    beneath = np.s_[194:200, 250:266]
    assert result[beneath].mean() < 0.75 * ground[beneath].mean()
    old = result[200:210, 90:150]
    assert abs(old.mean() - ground[200:210, 90:150].mean()) < 8, "no shadow stays where it was"


@pytest.mark.parametrize(("unrest", "lighter"), [(3, 1.25), (60, 1.0)])
def test_a_subject_takes_on_the_light_of_its_new_place_where_the_ground_tells_it(unrest, lighter):
    """On a plain wall it does; where the ground varies much in itself, as foliage does, there is nothing to tell."""
    patches = cv2.resize(np.random.default_rng(2).normal(0, unrest, (40, 80, 1)), (400, 200))[..., None]
    light = np.where(np.arange(400)[None, :, None] < 200, 100, 130)
    pixels = np.clip(light + patches + np.zeros(3), 0, 255).astype(np.uint8)
    cv2.circle(pixels, (100, 100), 34, (150, 40, 60), -1)
    turn = np.linspace(0, 2 * np.pi, 40, endpoint=False)
    loose = {"kind": "outline", "points": [[100 + 46 * np.cos(t), 100 + 46 * np.sin(t)] for t in turn]}
    result = made(pixels, {"op": "relocate", "params": {"dx": 200, "dy": 0, "clean": False}, "mask": loose})
    landed = result[90:110, 290:310].reshape(-1, 3).mean(axis=0)
    assert landed / (150, 40, 60) == pytest.approx(np.full(3, lighter), abs=0.07)


def test_all_of_an_outlines_inside_moves_where_that_is_asked():
    pixels = pictures.texture(200, 400, 3)
    params = {"dx": 150, "cut": False, "clean": False, "match": False}
    step = {"op": "relocate", "params": params, "mask": outline(40, 60, 100, 120)}
    result = made(pixels, step)
    assert np.array_equal(result[62:118, 192:248], pixels[62:118, 42:98])


def test_a_subject_moved_half_out_of_the_picture_is_cut_at_its_side():
    pixels = pictures.texture(200, 300)
    pixels[60:120, 40:100] = (200, 20, 20)
    params = {"dx": -60, "dy": 0, "match": False, "cut": False}
    step = {"op": "relocate", "params": params, "mask": outline(40, 60, 100, 120)}
    result = made(pixels, step)
    assert np.array_equal(result[70:110, :38], pixels[70:110, 60:98])
    assert result[70:110, 50:90, 1].mean() > 80


# --------------------------------------------------------------------------------------------- nudge, restore, eyes


def test_a_nudge_pushes_pixels_along_the_stroke_and_holds_those_beside_it():
    pixels = np.full((200, 300, 3), 200, np.uint8)
    pixels[:, 148:152] = 20
    result = made(pixels, {"op": "nudge", "mask": strokes((140, 100), (160, 100), size=60, hardness=0.5)})
    row = np.nonzero(result[100, :, 0] < 110)[0]
    assert row.mean() > 155
    assert np.array_equal(result[10:50], pixels[10:50])
    assert np.array_equal(result[180:], pixels[180:])


def test_restore_paints_back_what_came_before_every_repair():
    pixels = pictures.texture(200, 300)
    cover = {"op": "calm", "mask": outline(50, 50, 150, 150)}
    back = {"op": "restore", "mask": outline(80, 80, 120, 120)}
    result = made(pixels, cover, back)
    assert np.array_equal(result[82:118, 82:118], pixels[82:118, 82:118])
    assert not np.array_equal(result[55:75, 55:145], pixels[55:75, 55:145])


def test_red_goes_from_a_pupil_and_its_highlight_and_the_skin_stay():
    pixels = np.full((120, 160, 3), (205, 165, 145), np.uint8)
    cv2.circle(pixels, (80, 60), 18, (190, 40, 45), -1)
    cv2.circle(pixels, (86, 54), 3, (250, 250, 250), -1)
    result = made(pixels, {"op": "redeye", "mask": strokes((80, 60), size=60, hardness=1)})
    pupil = result[66, 76].astype(int)
    assert pupil[0] - pupil[1:].max() < 12
    assert pupil.max() < 80
    assert np.abs(result[54, 86].astype(int) - 250).max() < 10
    assert np.abs(result[60, 106].astype(int) - (205, 165, 145)).max() <= 2


def test_a_face_in_warm_light_stays_red_beside_its_pupil_unless_one_reaches_for_less():
    skin = (236, 140, 76)
    pixels = np.full((120, 160, 3), skin, np.uint8)
    cv2.circle(pixels, (80, 60), 14, (200, 40, 30), -1)
    step = {"op": "redeye", "mask": strokes((80, 60), size=60, hardness=1)}
    result = made(pixels, step)
    assert np.array_equal(result[60, 100], skin)
    assert result[60, 80, 0] <= result[60, 80, 1] + 2
    further = made(pixels, {**step, "params": {"reach": 100}})
    assert further[60, 100, 0] < 110


# --------------------------------------------------------------------------------------------------- calm, grain


def test_calm_runs_a_gradient_on_with_grain_like_its_ring():
    pixels, pure = sky(300, 400)
    spoiled = pixels.copy()
    hole = blob(300, 400, 110)
    spoiled[hole] = 20
    step = {"op": "calm", "mask": outline(130, 90, 270, 210)}
    calm = made(spoiled, step).astype(float)
    inner = np.zeros(hole.shape, bool)
    inner[95:205, 135:265] = True
    assert np.sqrt(((cv2.GaussianBlur(calm - pure, (0, 0), 4))[inner] ** 2).mean()) < 1
    assert (calm - pure)[inner].std() == pytest.approx((pixels - pure)[~inner].std(), rel=0.1)
    still = made(spoiled, {**step, "params": {"grain": 0}}).astype(float)
    assert (still - pure)[inner].std() < 0.6


def test_made_grain_measures_as_the_grain_it_was_made_from():
    random = np.random.default_rng(2)
    mix = np.array([[1.0, 0.5, 0.1], [0, 0.8, 0.2], [0, 0, 0.6]])
    noise = cv2.GaussianBlur(random.standard_normal((240, 240, 3)).astype(np.float32), (0, 0), 0.8) @ mix.astype(
        np.float32
    )
    everywhere = np.ones((240, 240), bool)
    wanted = measure_grain(noise, everywhere)
    found = measure_grain(make_grain((240, 240), wanted, 7), everywhere)
    for one, other in zip(wanted.covariances, found.covariances, strict=True):
        assert np.allclose(one, other, rtol=0.2, atol=0.02 * np.trace(one))


def test_grain_adds_what_an_airbrushed_place_lacks_and_nothing_where_none_is_missing():
    pixels, _ = sky(300, 400, 2.0)
    smooth = pixels.copy()
    smooth[100:200, 150:250] = cv2.GaussianBlur(pixels, (0, 0), 4)[100:200, 150:250]
    step = {"op": "grain", "mask": outline(150, 100, 250, 200)}
    fine = [a.astype(float) - cv2.GaussianBlur(a.astype(float), (0, 0), 2) for a in (made(smooth, step), pixels)]
    assert fine[0][110:190, 160:240].std() == pytest.approx(fine[1][110:190, 160:240].std(), rel=0.2)
    assert np.abs(made(pixels, step).astype(int) - pixels).max() <= 2


# -------------------------------------------------------------------------------------------------------- regrow


def test_takes_differ_and_each_is_repeatable():
    pixels = pictures.texture(260, 340, 8)
    takes = [
        made(pixels, {"op": "regrow", "params": {"take": k}, "mask": outline(130, 90, 165, 125)}) for k in (0, 1, 0)
    ]
    assert np.array_equal(takes[0], takes[2])
    assert not np.array_equal(takes[0], takes[1])


def test_places_near_one_another_are_grown_together_and_none_copies_from_another():
    """A thing and its duplicate, both painted: neither comes back."""
    pixels = pictures.texture(300, 420, 6)
    for x in (140, 230):
        cv2.circle(pixels, (x, 150), 14, (220, 40, 40), -1)
    mask = {"kind": "strokes", "strokes": [strokes((x, 150), size=46)["strokes"][0] for x in (140, 230)]}
    result = made(pixels, {"op": "regrow", "mask": mask}).astype(int)
    assert (result[..., 0] - result[..., 1]).max() < 60


def test_crumbs_on_cloth_painted_in_one_run_are_each_grown_from_the_cloth_around_them():
    """The breakfast's cloth is sharp on one side and out of focus on the other, with knife and leaf between."""
    truth = next(truth for truth in all_truths() if truth.name == "breakfast")
    part = np.s_[1900:2400, 2900:3600]
    pixels, clean = (np.ascontiguousarray(whole[part]) for whole in (truth.pixels, truth.clean))
    hole = cv2.dilate(truth.mask[part].astype(np.uint8), np.ones((7, 7), np.uint8))
    count, labels, stats, _ = cv2.connectedComponentsWithStats(hole)
    bitmap = BitmapMask(file="mask")
    bitmap._pixels = hole * 255
    step = Step(op="regrow", mask=bitmap)
    grown = LedgerPicture(pictures.source(pixels), "crumbs", [step], ByteCache(1 << 28)).deliver(np.uint8)
    found = [
        filling(np.asarray(grown, np.uint8), clean, labels == label)
        for label in range(1, count)
        if 5_000 < stats[label][cv2.CC_STAT_AREA] < 30_000
    ]
    assert len(found) >= 4
    for place in found:
        assert 0.65 < place.deviation < 1.3
        assert 0.4 < place.energy < 1.9


@pytest.mark.parametrize(
    ("name", "x", "y", "across", "down", "most"),
    [
        ("enamel-ware", 1114, 1164, 115, 88, 2.5),
        ("breakfast", 1586, 1282, 169, 88, 2.5),
        ("elm-stool", 1755, 641, 134, 130, 4),
    ],
)
def test_open_ground_is_filled_with_ground_and_not_with_the_things_beside_it(name, x, y, across, down, most):
    """On the demo's clean pictures at half their size, whose truth is what lies there."""
    truth = next(truth for truth in all_truths() if truth.name == name)
    half = np.asarray(cv2.resize(truth.clean[..., :3], (2160, 1440), interpolation=cv2.INTER_AREA), np.uint8)
    pixels = np.ascontiguousarray(half[y - 3 * down : y + 3 * down, x - 3 * across : x + 3 * across])
    hole = np.zeros(pixels.shape[:2], np.uint8)
    cv2.ellipse(hole, (3 * across, 3 * down), (across, down), 0, 0, 360, 1, -1)
    mask = BitmapMask(file="mask")
    mask._pixels = hole * 255
    spoiled = np.where(hole[..., None] > 0, np.uint8(40), pixels)
    steps = [Step(op="regrow", mask=mask)]
    grown = np.asarray(LedgerPicture(pictures.source(spoiled), name, steps, ByteCache(1 << 28)).deliver(np.uint8))
    assert layout_error(grown, pixels, hole > 0) < most


def painted(*middles, size=40.0):
    mask = {"kind": "strokes", "strokes": [strokes(at, size=size)["strokes"][0] for at in middles]}
    ground = picture(pictures.texture(300, 500), []).repaired.ground()
    return Painted.of(StrokesMask.model_validate(mask), ground, "Regrow")


def test_places_are_apart_by_more_than_twice_what_is_allowed_between_them():
    # two discs of 40 px whose rims are 10 px from one another, and a third far away
    found = painted((100, 150), (150, 150), (400, 150))
    assert len(list(found.places())) == 3
    assert len(list(found.places(3))) == 3
    assert len(list(found.places(6))) == 2


@pytest.mark.parametrize("apart", [0, 2, 6, 40])
def test_places_together_cover_just_what_was_painted(apart):
    found = painted((40, 40), (80, 60), (300, 200), (340, 205))
    covered = np.zeros((300, 500), np.float32)
    for place, cover in found.places(apart):
        assert cover.shape == (place.height, place.width)
        # the box is as small as can be
        assert all(cover.max(axis=axis)[end] > 0 for axis in (0, 1) for end in (0, -1))
        covered[place.rows, place.columns] += cover
    whole = np.zeros_like(covered)
    whole[found.box.rows, found.box.columns] = found.alpha
    assert np.array_equal(covered, whole)


def test_nothing_painted_has_no_places():
    ground = picture(pictures.texture(60, 60), []).repaired.ground()
    with pytest.raises(LedgerError):
        Painted.of(StrokesMask.model_validate(strokes((-400, -400))), ground, "Regrow")


@pytest.fixture
def seeds(monkeypatch):
    """The seeds that growing is asked with; each try fills with one grey, the third with the ground's own texture."""
    asked = []

    def grow(values, hole, usable, seen, seed, carry_on, **_):
        carry_on(0.5)
        asked.append(seed)
        out = values.copy()
        out[hole] = values[::-1, ::-1][hole] if len(asked) == 3 else 128
        return out

    monkeypatch.setattr(regrow, "synthesise", grow)
    return asked


def test_a_small_place_on_even_ground_is_grown_several_times_and_the_truest_kept(seeds):
    pixels = pictures.texture(260, 340, 8)
    result = made(pixels, {"op": "regrow", "mask": strokes((170, 130), size=50)})
    assert len(seeds) == len(set(seeds)) == 6
    place = np.s_[120:140, 160:180]
    assert result[place].std() == pytest.approx(pixels[place].std(), rel=0.5)


def test_a_large_place_is_grown_once_and_so_is_one_on_uneven_ground(seeds):
    made(pictures.texture(500, 600, 8), {"op": "regrow", "mask": outline(150, 100, 450, 400)})
    assert len(seeds) == 1
    uneven = pictures.texture(260, 340, 8)
    uneven[:, 170:] = 90
    made(uneven, {"op": "regrow", "mask": strokes((170, 130), size=50)})
    assert len(seeds) == 2


def test_takes_are_grown_with_seeds_that_no_other_take_tries(seeds):
    for take in (0, 1):
        made(pictures.texture(260, 340, 8), {"op": "regrow", "params": {"take": take}, "mask": strokes((170, 130))})
    assert len(set(seeds)) == len(seeds) == 12


def test_how_far_several_tries_are_never_goes_back():
    told = []
    ground = picture(pictures.texture(260, 340, 8), []).repaired.ground()
    mask = StrokesMask.model_validate(strokes((170, 130), size=50))
    regrow.repair(regrow.Regrow(), mask, replace(ground, carry_on=told.append))
    assert told == sorted(told)
    assert told[-1] > 0.8


def test_a_hole_that_leaves_nothing_whole_to_copy_is_filled_smoothly():
    pixels = pictures.texture(40, 60)
    result = made(pixels, {"op": "regrow", "mask": outline(3, 3, 57, 37)})
    assert np.abs(result.astype(int).mean() - pixels.mean()) < 12
    hole = np.ones((40, 60), bool)
    hole[:2] = False
    with pytest.raises(Unfillable):
        synthesise(pixels.astype(np.float32), hole, ~hole, ~hole, 1)


def test_growing_tells_how_far_it_is_and_stops_when_told():
    pixels = pictures.texture(200, 200).astype(np.float32)
    hole = blob(200, 200, 80)
    told = []
    synthesise(pixels, hole, ~hole, ~hole, 1, told.append)
    assert all(0 <= share <= 1 for share in told)
    assert told == sorted(told)

    class Enough(Exception):
        pass

    def stop(share):
        if share > 0.2:
            raise Enough

    with pytest.raises(Enough):
        synthesise(pixels, hole, ~hole, ~hole, 1, stop)


def test_a_process_keeps_to_the_cores_that_it_was_told():
    """In a process of its own, as this one has its threads already."""
    said = (
        "import cv2, threading; from fern_ticket.core import threads; threads.keep_to(1); seen = set(); "
        "threads.by_rows(640, lambda _: seen.add(threading.current_thread().name)); "
        "print(threads.cores(), len(seen), cv2.getNumThreads())"
    )
    done = subprocess.run([sys.executable, "-c", said], capture_output=True, text=True, check=True)
    assert done.stdout.split() == ["1", "1", "1"]


@pytest.mark.parametrize("op", ["regrow", "heal", "calm", "unthread"])
def test_the_pixels_do_not_depend_on_the_number_of_threads(op, monkeypatch):
    pixels = pictures.texture(260, 340, 8)
    step = {"op": op, "mask": strokes((100, 60), (130, 190), size=24)}
    opencv_s, results = cv2.getNumThreads(), []
    for count in (1, 4):
        cv2.setNumThreads(count)
        with ThreadPoolExecutor(count) as pool:
            monkeypatch.setattr(threads, "_threads", lambda pool=pool: pool)
            results.append(made(pixels, json(settled(pixels, step))))
    cv2.setNumThreads(opencv_s)
    assert np.array_equal(*results)


def test_a_slow_repair_is_left_out_until_it_is_made_beside():
    pixels = pictures.texture(260, 340, 8)
    steps = read_steps([{"id": "g", "op": "regrow", "mask": outline(130, 90, 200, 160)}])
    source, cache = pictures.source(pixels), ByteCache(1 << 26)
    early = LedgerPicture(source, "t", steps, cache, background=True)
    view = View(0, 0, 1, 340, 260)
    assert np.array_equal(early.view(view, (0, 0, 0), fine=True), pixels)
    (pending,) = early.repaired.pending
    assert pending.step == "g"
    pending.make(lambda _: None, lambda: None)
    late = LedgerPicture(source, "t", steps, cache, background=True)
    assert late.repaired.pending == []
    assert np.array_equal(
        late.view(view, (0, 0, 0), fine=True), LedgerPicture(source, "t", steps, cache).deliver(np.uint8)
    )


def test_a_large_repair_shows_what_it_has_so_far_ever_nearer_to_what_it_will_be():
    pixels = pictures.texture(520, 640, 8) // 2 + 100
    slanted = {"kind": "outline", "points": [[150, 110], [470, 70], [490, 390], [190, 430]]}
    steps = read_steps([{"id": "g", "op": "regrow", "mask": slanted}])
    source, cache = pictures.source(pixels), ByteCache(1 << 27)
    view = View(0, 0, 1, 640, 520)
    seen = []

    def look():
        seen.append(LedgerPicture(source, "t", steps, cache, background=True).view(view, (0, 0, 0), fine=True))

    (pending,) = LedgerPicture(source, "t", steps, cache, background=True).repaired.pending
    pending.make(lambda _: None, look)
    look()
    assert len(seen) > 3
    assert np.array_equal(seen[-1], LedgerPicture(source, "t", steps, cache).deliver(np.uint8))
    place = np.s_[150:360, 200:430]
    soft = [cv2.GaussianBlur(one[place].astype(np.float32), (0, 0), 6) for one in seen]
    off = [float(np.abs(one - soft[-1]).mean()) for one in soft]
    assert off[0] > off[-2] > 0
    assert min(one.min() for one in seen) > 80  # nothing black at the rim, where pixels are half of the hole
    assert all(np.array_equal(one[:60], pixels[:60]) for one in seen)


def test_a_large_hole_is_searched_on_the_smallest_copy_that_shows_all_of_it():
    pixels = pictures.texture(520, 640, 8).astype(np.float32)
    block = np.zeros((520, 640), bool)
    block[100:450, 150:520] = True
    spurred = block.copy()
    spurred[280:283, 520:620] = True  # three pixels wide
    hair = block.copy()
    hair[280:281, 520:620] = True

    def first(hole):
        return _searched(_pyramid(Scale(pixels, hole, ~hole, ~hole, pixels[..., 0])))[0].number

    assert (first(block), first(spurred), first(hair)) == (1, 1, 0)
    assert first(block & (np.arange(640) < 300)) == 0  # small enough at full size


def test_what_a_repair_had_so_far_is_forgotten_when_it_is_stopped():
    pixels = pictures.texture(520, 640, 8)
    steps = read_steps([{"id": "g", "op": "regrow", "mask": outline(150, 110, 480, 400)}])
    source, cache = pictures.source(pixels), ByteCache(1 << 27)
    (pending,) = LedgerPicture(source, "t", steps, cache, background=True).repaired.pending
    shown = []

    def stop(share):
        if shown:
            raise InterruptedError

    with pytest.raises(InterruptedError):
        pending.make(stop, lambda: shown.append(1))
    after = LedgerPicture(source, "t", steps, cache, background=True)
    assert np.array_equal(after.view(View(0, 0, 1, 640, 520), (0, 0, 0), fine=True), pixels)
    assert [one.key for one in after.repaired.pending] == [pending.key]


# ------------------------------------------------------------------------------------------------------ unthread


def wired(ground, width=4):
    pixels = ground.copy()
    cv2.line(pixels, (20, 140), (380, 175), (25, 28, 30), width, cv2.LINE_AA)
    return pixels


def test_unthread_finds_the_line_under_two_rough_clicks_and_measures_it():
    pixels = wired(sky(300, 400)[0])
    step = settled(pixels, {"op": "unthread", "mask": strokes((24, 146), (376, 170), size=20)})
    stroke = step.mask.strokes[0]
    off = [abs(y - (140 + (x - 20) * 35 / 360 + 0.5)) for x, y, _ in stroke.points]
    assert np.median(off) < 1
    assert step.params["width"] == pytest.approx(5, abs=2)
    # about four times the line's width: common practice, no source
    assert stroke.size == pytest.approx(4 * step.params["width"], rel=0.3)


def test_an_unthreaded_line_is_gone_and_its_ground_as_grainy_as_before():
    ground = sky(300, 400)[0]
    step = settled(wired(ground), {"op": "unthread", "mask": strokes((24, 143), (376, 173), size=20)})
    result = made(wired(ground), json(step)).astype(float)
    assert np.abs(cv2.GaussianBlur(result - ground, (0, 0), 3))[:, 40:360].max() < 3
    band = (slice(150, 165), slice(60, 340))
    fine = [a - cv2.GaussianBlur(a, (0, 0), 2) for a in (result, ground.astype(float))]
    assert fine[0][band].std() == pytest.approx(fine[1][band].std(), rel=0.25)


def unthreaded(pixels, *points, size):
    step = settled(pixels, {"op": "unthread", "mask": strokes(*points, size=size)})
    return made(pixels, json(step)).astype(float)


def test_a_tube_goes_with_its_dark_side():
    """A round bar lit from above: below a bright edge it differs from the sky by 0.4 of that."""
    ground = noisy(np.full((300, 400, 3), (110, 140, 190), np.uint8), 1.5)
    pixels = ground.copy()
    for row in range(26):
        share = 1.0 if row < 6 else 0.4
        colour = [round(base + share * (240 - base)) for base in (110, 140, 190)]
        cv2.line(pixels, (0, 120 + row), (400, 140 + row), colour, 1)
    result = unthreaded(pixels, (20, 128), (380, 150), size=70)
    assert np.abs(cv2.GaussianBlur(result - ground, (0, 0), 3))[:, 40:360].max() < 4


@pytest.mark.parametrize("ends", [((20, 50), (280, 90)), ((-50, -50), (-20, -40))])
def test_where_there_is_no_line_nothing_changes(ends):
    plain = np.full((200, 300, 3), 120, np.uint8)
    assert np.array_equal(unthreaded(plain, *ends, size=20), plain)


def two_pairs(ground):
    pixels = ground.copy()
    for y in (100, 110, 140, 150):
        cv2.line(pixels, (0, y), (ground.shape[1], y + 20), (25, 28, 30), 3, cv2.LINE_AA)
    return pixels


def test_wires_that_lie_under_the_stroke_go_together():
    ground = sky(300, 400)[0]
    result = unthreaded(two_pairs(ground), (20, 126), (380, 144), size=90)
    assert np.abs(cv2.GaussianBlur(result - ground, (0, 0), 3))[:, 60:340].max() < 6


@pytest.mark.parametrize("begins", [118, 121, 127])
def test_under_a_narrow_stroke_the_others_keep_every_bit(begins):
    """Clicked between the pairs: it stays on the one that it is on."""
    pixels = two_pairs(sky(300, 900)[0])
    result = unthreaded(pixels, (20, begins), (880, begins + 18), size=30)
    y, x = np.indices((300, 900))
    upper, lower = (np.abs(y - x / 45 - middle) < 8 for middle in (105, 145))
    kept, gone = (upper, lower) if begins > 125 else (lower, upper)
    inside = (x > 40) & (x < 860)
    assert np.array_equal(result[kept & inside], pixels[kept & inside])
    assert np.abs(result - sky(300, 900)[0])[gone & inside].max() < 12


def test_edges_that_the_line_crosses_run_on():
    y, x = np.mgrid[0:300, 0:400]
    ground = np.where((x + y // 2) // 26 % 2 == 0, 70, 180).astype(np.float32)
    ground = np.repeat(cv2.GaussianBlur(ground, (0, 0), 0.8)[..., None], 3, axis=2).astype(np.uint8)
    step = settled(wired(ground), {"op": "unthread", "mask": strokes((24, 143), (376, 173), size=20)})
    hole = np.zeros((300, 400), bool)
    box = step.mask.box((400, 300))
    hole[box.rows, box.columns] = step.mask.alpha(box) > 0
    hole[:, :30] = hole[:, 370:] = False
    found = filling(made(wired(ground), json(step)), ground, hole)
    assert found.energy > 0.6
    assert found.likeness > 18


def test_one_click_is_no_line():
    with pytest.raises(LedgerError, match="line"):
        settled(pictures.texture(100, 100), {"op": "unthread", "mask": strokes((50, 50))})


def test_the_best_path_gathers_most_and_keeps_its_ends():
    gains = np.zeros((9, 7), np.float32)
    way = [3, 4, 5, 5, 5, 4, 3, 3, 3]
    gains[np.arange(9), way] = 1
    assert best_path(gains, np.float32(0.2), 3).tolist() == way
    assert best_path(gains, np.float32(5), 3).tolist() == [3] * 9


# -------------------------------------------------------------------------------------------- hints, traces


@pytest.mark.parametrize(
    ("ground", "mask", "method"),
    [
        (lambda: sky(300, 400)[0], strokes((200, 150), size=40), "calm"),
        (lambda: pictures.texture(300, 400), strokes((200, 150), size=40), "heal"),
        (lambda: pictures.texture(600, 800), strokes((300, 300), (420, 340), size=160), "regrow"),
        (lambda: pictures.edge(300, 400, 90), strokes((215, 150), size=24), "clone"),
        (lambda: pictures.edge(300, 400, 90), strokes((200, 150), size=24), "regrow"),
        (lambda: wired(sky(300, 400)[0]), strokes((24, 140), (376, 174), size=14), "unthread"),
        (
            lambda: pictures.texture(600, 800),
            strokes(*[(x, 200 + 20 * k) for k in range(10) for x in ((240, 440) if k % 2 else (440, 240))], size=40),
            "regrow",
        ),
    ],
    ids=["smooth", "texture", "large", "edge beside", "edge through", "thin", "to and fro"],
)
def test_the_method_that_fits_a_place_is_proposed(ground, mask, method):
    """Common practice, no source."""
    one = picture(ground(), [])
    hint = fitting_method(StrokesMask.model_validate(mask), one.repaired.ground())
    assert hint.method == method
    assert hint.why


def test_where_an_edge_runs_through_regrowing_is_nearer_to_what_was_there():
    """Discs over edges of a photo that was kept out of tuning, against the photo: what is proposed is nearer than
    healing, by what is coarser than three pixels, on the mean of all."""
    pixels = np.ascontiguousarray(data.coffee())
    grey = cv2.GaussianBlur(cv2.cvtColor(pixels, cv2.COLOR_RGB2GRAY).astype(np.float32), (0, 0), 2)
    steep = np.hypot(cv2.Sobel(grey, cv2.CV_32F, 1, 0), cv2.Sobel(grey, cv2.CV_32F, 0, 1))[120:-120, 120:-120]
    at = np.argwhere(steep > np.percentile(steep, 95)) + 120
    off = {"heal": [], "regrow": []}
    for y, x in at[:: len(at) // 6]:
        part = np.ascontiguousarray(pixels[y - 120 : y + 120, x - 120 : x + 120])
        mask = strokes((120, 120), size=36)
        if not fitting_method(StrokesMask.model_validate(mask), picture(part, []).repaired.ground()).sure:
            continue
        inside = np.hypot(*(np.indices((240, 240)) - 120)) < 18
        dirty = np.where(inside[..., None], 255 - part, part)
        for op, found in off.items():
            out = picture(dirty, [{"op": op, "mask": mask}]).deliver(np.uint8)
            found.append(np.abs(cv2.GaussianBlur(out.astype(float) - part, (0, 0), 3))[inside].mean())
    assert len(off["heal"]) >= 4
    assert np.mean(off["regrow"]) < 0.85 * np.mean(off["heal"])


def test_a_hard_paste_shows_its_rim_and_a_heal_does_not():
    pixels = two_grounds()
    paste = {"op": "clone", "params": {"source": {"dx": 250, "dy": 0}}, "mask": outline(80, 100, 140, 160)}
    heal = {"op": "heal", "params": {"source": {"dx": 100, "dy": 0}}, "mask": outline(80, 100, 140, 160)}
    assert [t.kind for t in traces(picture(pixels, [paste]).repaired)] == ["join"]
    assert traces(picture(pixels, [heal]).repaired) == []


def test_a_place_without_grain_is_told_and_one_with_grain_is_not():
    pixels = sky(300, 400, 2.5)[0]
    for grain, kinds in ((0, ["grain"]), (100, [])):
        step = {"op": "calm", "params": {"grain": grain}, "mask": outline(150, 100, 250, 200)}
        assert [t.kind for t in traces(picture(pixels, [step]).repaired)] == kinds


def test_a_repair_from_before_the_fence_that_lies_across_it_is_told():
    heal = {"op": "heal", "mask": strokes((270, 150), (330, 150), size=40, hardness=1)}
    pixels = pictures.texture(300, 600, 4)
    assert "bleed" in [t.kind for t in traces(picture(pixels, [heal, WALL]).repaired)]
    assert "bleed" not in [t.kind for t in traces(picture(pixels, [WALL, heal]).repaired)]
