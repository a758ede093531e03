"""Charts: repairs in a plane of the scene, and in a view into a panorama."""

from __future__ import annotations

import math

import cv2
import numpy as np
import pytest

from fern_ticket.core.clean.shift_map import repeats, shifted
from fern_ticket.core.errors import LedgerError
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.pictures.chart import flat_chart, sampled, view_chart
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture
from fern_ticket.core.settling import settle
from tests import pictures, spheres

SIZE = (900, 700)
CORNERS = [[260, 90], [660, 120], [860, 640], [40, 600]]
PLACE = Box(380, 300, 520, 420)


def wall(side: int = 900) -> np.ndarray:
    """Courses of brick, straight on, with grain."""
    random = np.random.default_rng(3)
    rows, width, joint = 44, 110, 6
    picture = np.full((side, side, 3), (150, 92, 70), np.float32)
    for number, top in enumerate(range(0, side, rows)):
        picture[top : top + joint] = (200, 192, 180)
        for left in range(-(width // 2) * (number % 2), side, width):
            tone = random.normal(0, 6)
            picture[top + joint : top + rows, max(left, 0) : left + width] += tone
            picture[top : top + rows, max(left, 0) : max(left + joint, 0)] = (200, 192, 180)
    picture += cv2.GaussianBlur(random.normal(0, 12, (side, side, 1)).astype(np.float32), (0, 0), 1.2)[..., None]
    return np.clip(picture, 0, 255).astype(np.uint8)


def slanted(flat: np.ndarray, corners=CORNERS, size=SIZE) -> tuple[np.ndarray, np.ndarray]:
    """A picture of something flat under a known homography, and that, flat to picture."""
    side = flat.shape[0]
    square = np.array([[0, 0], [side, 0], [side, side], [0, side]], np.float32)
    to_picture = cv2.getPerspectiveTransform(square, np.array(corners, np.float32))
    fine = np.diag([3, 3, 1.0]) @ to_picture
    large = cv2.warpPerspective(flat, fine, (3 * size[0], 3 * size[1]), flags=cv2.INTER_CUBIC)
    return cv2.resize(large, size, interpolation=cv2.INTER_AREA), to_picture


def square_mask(place=PLACE):
    points = [
        [place.left, place.top],
        [place.right, place.top],
        [place.right, place.bottom],
        [place.left, place.bottom],
    ]
    return {"kind": "outline", "points": points}


def result(pixels, steps, cache=None):
    picture = LedgerPicture(pictures.source(pixels), "t", read_steps(steps), cache or ByteCache(1 << 28))
    return picture.deliver(pixels.dtype.type)


@pytest.fixture(scope="module")
def scene():
    truth, to_picture = slanted(wall())
    spoiled = truth.copy()
    spoiled[PLACE.top + 6 : PLACE.bottom - 6, PLACE.left + 6 : PLACE.right - 6] = (20, 60, 200)
    return truth, spoiled, to_picture


def test_points_go_to_the_plane_and_back():
    chart = flat_chart(np.array(CORNERS, float), SIZE, PLACE)
    x, y = np.meshgrid(np.linspace(300, 600, 7), np.linspace(200, 500, 7))
    there = chart.from_source(x, y)
    np.testing.assert_allclose(chart.to_source(*there), np.stack([x, y]), atol=1e-6)
    # where the place lies, no chart pixel stands for more than one of the source
    for corner in ((PLACE.left, PLACE.top), (PLACE.right, PLACE.bottom)):
        inside = chart.from_source(np.array(float(corner[0])), np.array(float(corner[1])))
        assert chart.scales(*inside)[1] <= 1.02


def test_what_lies_behind_the_horizon_has_no_place_in_the_plane():
    chart = flat_chart(np.array([[400, 300], [500, 300], [800, 600], [100, 600]], float), SIZE, PLACE)
    x, y = chart.from_source(np.array([450.0, 450.0]), np.array([400.0, 100.0]))
    assert np.isfinite([x[0], y[0]]).all()
    assert np.isnan([x[1], y[1]]).all()


def test_a_chart_reads_the_flat_pattern(scene):
    """Against the pattern that the picture was made of: where it is not foreshortened away, it comes back."""
    truth, _, to_picture = scene
    chart = flat_chart(np.array(CORNERS, float), SIZE, PLACE)
    box = chart.place_of(PLACE)
    seen = chart.read(lambda b: truth[b.rows, b.columns], box)
    x, y = np.meshgrid(np.arange(box.left, box.right) + 0.5, np.arange(box.top, box.bottom) + 0.5)
    source = chart.to_source(x, y)
    flat = np.linalg.inv(to_picture) @ np.stack([source[0].ravel(), source[1].ravel(), np.ones(x.size)])
    wanted = sampled(
        cv2.GaussianBlur(wall(), (0, 0), 1.0).astype(np.float32),
        (flat[0] / flat[2]).reshape(x.shape),
        (flat[1] / flat[2]).reshape(x.shape),
    )
    assert np.abs(seen - wanted).mean() < 6


def test_a_hole_grown_in_its_plane_keeps_the_lines_of_the_pattern(scene):
    """Joints are found where the flat pattern has them: within 1.5 px of the picture."""
    truth, spoiled, to_picture = scene
    out = result(spoiled, [{"op": "regrow", "mask": square_mask(), "chart": {"corners": CORNERS}}])
    outside = np.ones(out.shape[:2], bool)
    outside[PLACE.top - 1 : PLACE.bottom + 1, PLACE.left - 1 : PLACE.right + 1] = False
    assert np.array_equal(out[outside], spoiled[outside])
    assert offset_of_joints(out, to_picture) < 1.5
    inside = np.s_[PLACE.top : PLACE.bottom, PLACE.left : PLACE.right]
    assert 0.7 < energy(out)[inside].mean() / energy(truth)[inside].mean() < 1.3


def test_without_the_plane_the_lines_do_not_run_on(scene):
    _, spoiled, to_picture = scene
    with_plane = result(spoiled, [{"op": "regrow", "mask": square_mask(), "chart": {"corners": CORNERS}}])
    without = result(spoiled, [{"op": "regrow", "params": {"edges": False}, "mask": square_mask()}])
    assert offset_of_joints(with_plane, to_picture) < 0.6 * offset_of_joints(without, to_picture)


def offset_of_joints(picture: np.ndarray, to_picture: np.ndarray) -> float:
    """How far the bright courses in the place lie from where the pattern has them, picture pixels, the 90th of 100."""
    side, rows, joint = 900, 44, 6
    grey = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY).astype(np.float32)
    off = []
    for top in range(0, side, rows):
        for across in np.linspace(0, side, 240):
            centre = to_picture @ (across, top + joint / 2, 1)
            x, y = centre[:2] / centre[2]
            if not (PLACE.left + 8 < x < PLACE.right - 8 and PLACE.top + 8 < y < PLACE.bottom - 8):
                continue
            reach = np.linspace(-9, 9, 73)
            line = cv2.remap(
                grey, np.full((73, 1), x - 0.5, np.float32), (y - 0.5 + reach)[:, None].astype(np.float32), 1
            )
            weight = np.maximum(line[:, 0] - np.percentile(line, 60), 0)
            off.append(9.0 if weight.sum() == 0 else abs(float((weight * reach).sum() / weight.sum())))
    assert len(off) > 20
    return float(np.percentile(off, 90))


def energy(picture: np.ndarray) -> np.ndarray:
    grey = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY).astype(np.float32)
    return cv2.Sobel(grey, cv2.CV_32F, 1, 0) ** 2 + cv2.Sobel(grey, cv2.CV_32F, 0, 1) ** 2


def test_a_clone_in_a_plane_lands_on_the_pattern(scene):
    """The source is named in source pixels, from where the stroke begins; the copy follows the perspective."""
    truth, _, to_picture = scene
    start, source = (to_picture @ (x, y, 1) for x, y in ((440, 390), (440 + 2 * 110, 390 + 2 * 44)))
    start, source = start[:2] / start[2], source[:2] / source[2]
    x, y = (int(v) for v in start)
    spoiled = truth.copy()
    cv2.circle(spoiled, (x, y), 24, (0, 0, 0), -1)
    mask = {"kind": "strokes", "strokes": [{"points": [[*start, 1]], "size": 60, "hardness": 0.9}]}
    params = {"source": {"dx": source[0] - start[0], "dy": source[1] - start[1]}}
    step = {"op": "clone", "mask": mask, "params": params}
    inside = np.s_[y - 22 : y + 22, x - 22 : x + 22]

    def error(out):
        return np.abs(out[inside].astype(float) - truth[inside]).mean()

    assert error(result(spoiled, [{**step, "chart": {"corners": CORNERS}}])) < 0.6 * error(result(spoiled, [step]))


@pytest.mark.parametrize("chart", [None, {"corners": CORNERS}], ids=["picture", "plane"])
def test_a_source_off_the_pattern_is_brought_onto_it(scene, chart):
    """Both on the picture and in a plane: bricks are 110 by 44, every other course half a brick along."""
    picture, to_flat = (scene[0], np.linalg.inv(scene[2])) if chart else (wall()[:700], np.eye(3))

    def on_flat(x, y):
        u, v, w = to_flat @ (x, y, 1)
        return np.array([u / w, v / w])

    for start, off in (((440, 390), (9, -7)), ((420, 360), (-11, 6)), ((465, 402), (5, 12))):
        begin, end = (np.linalg.inv(to_flat) @ (*place, 1) for place in (start, np.add(start, (110, 88)) + off))
        (x, y), source = begin[:2] / begin[2], end[:2] / end[2] - begin[:2] / begin[2]
        spoiled = picture.copy()
        cv2.circle(spoiled, (int(x), int(y)), 24, (0, 0, 0), -1)
        mask = {"kind": "strokes", "strokes": [{"points": [[x, y, 1]], "size": 64, "hardness": 0.9}]}
        given = {"source": {"dx": source[0], "dy": source[1]}}
        landed = []
        for params in (given, {**given, "snap": False}):
            (step,) = read_steps(
                [{"op": "clone", "mask": mask, "params": params, **({"chart": chart} if chart else {})}]
            )
            settled = settle(pictures.source(spoiled), "t", [], step, ByteCache(1 << 26)).params["source"]
            landed.append(on_flat(x + settled["dx"], y + settled["dy"]) - on_flat(x, y))
        # by how much the copy is off whole courses, and off whole bricks of its course
        (across, down), (asked, _) = landed
        course = round(down / 44)
        assert abs(down - 44 * course) < 1.5
        assert abs((across - 55 * (course % 2) + 55) % 110 - 55) < 1.5
        assert asked - 110 == pytest.approx(off[0], abs=0.5)


def test_a_source_stays_where_it_was_put_on_ground_without_a_pattern():
    pixels = pictures.texture(400, 500, 3)
    mask = {"kind": "strokes", "strokes": [{"points": [[200, 200, 1]], "size": 60, "hardness": 0.9}]}
    (step,) = read_steps([{"op": "clone", "mask": mask, "params": {"source": {"dx": 90, "dy": 40}}}])
    assert settle(pictures.source(pixels), "t", [], step, ByteCache(1 << 26)).params["source"] == {"dx": 90, "dy": 40}


@pytest.mark.parametrize("op", ["heal", "patch", "calm", "dab", "grain"])
@pytest.mark.parametrize("depth", [np.uint8, np.uint16])
def test_repairs_in_a_plane_leave_every_other_pixel_as_it_is(scene, op, depth):
    _, spoiled, _ = scene
    pixels = spoiled if depth == np.uint8 else spoiled.astype(np.uint16) * 257 + 31
    out = result(pixels, [{"op": op, "mask": square_mask(), "chart": {"corners": CORNERS}}])
    outside = np.ones(out.shape[:2], bool)
    outside[PLACE.top - 1 : PLACE.bottom + 1, PLACE.left - 1 : PLACE.right + 1] = False
    assert np.array_equal(out[outside], pixels[outside])
    assert not np.array_equal(out, pixels)


def test_a_source_that_is_found_in_a_plane_is_kept_in_source_pixels(scene):
    _, spoiled, _ = scene
    (step,) = read_steps([{"op": "heal", "mask": square_mask(Box(400, 320, 430, 350)), "chart": {"corners": CORNERS}}])
    source = pictures.source(spoiled)
    settled = settle(source, "t", [], step, ByteCache(1 << 26))
    offset = settled.params["source"]
    assert math.hypot(offset["dx"], offset["dy"]) > 15
    one = LedgerPicture(source, "t", [settled], ByteCache(1 << 26)).deliver(np.uint8)
    two = LedgerPicture(source, "t", [step], ByteCache(1 << 26)).deliver(np.uint8)
    assert np.abs(one.astype(int) - two).max() <= 12


def test_a_fence_holds_in_a_plane(scene):
    """Nothing of what lies behind the fence is copied, though it is the best match."""
    _, spoiled, _ = scene
    pixels = spoiled.copy()
    pixels[:, 620:] = (240, 240, 20)
    fence = {"op": "fence", "params": {"points": [[600, 0], [600, 700]], "snap": 0}}
    grow = {"op": "regrow", "mask": square_mask(Box(480, 300, 590, 400)), "chart": {"corners": CORNERS}}
    out = result(pixels, [fence, grow])
    yellow = (out[300:400, 480:590, 2] < 60) & (out[300:400, 480:590, 0] > 200)
    assert not yellow.any()


@pytest.mark.parametrize(
    ("chart", "said"),
    [
        ({"corners": [[0, 0], [100, 100], [100, 0], [0, 100]]}, "corners cross"),
        ({"corners": [[0, 0], [100, 0], [100, 100]]}, "corners"),
        ({"heading": 0, "pitch": 120}, "pitch"),
        ({"kind": "cube"}, "cube"),
    ],
)
def test_charts_that_make_no_sense_are_refused_in_words(chart, said):
    with pytest.raises(LedgerError, match=said):
        read_steps([{"op": "heal", "mask": square_mask(), "chart": chart}])


def test_what_works_on_the_photo_itself_refuses_a_plane(scene):
    with pytest.raises(LedgerError, match="works on the photo itself"):
        result(scene[1], [{"op": "faces", "chart": {"corners": CORNERS}}])


def test_a_place_that_the_plane_does_not_show_is_refused(scene):
    behind = {"corners": [[400, 500], [500, 500], [800, 690], [100, 690]]}
    with pytest.raises(LedgerError, match="place"):
        result(scene[1], [{"op": "regrow", "mask": square_mask(Box(400, 20, 460, 80)), "chart": behind}])


def test_a_pattern_runs_on_through_a_take_of_whole_pieces():
    """Courses of brick behind a hole wider than three of them: joints are where the wall has them."""
    flat = wall(600)
    hole = np.zeros(flat.shape[:2], bool)
    hole[220:380, 200:400] = True
    grown = shifted(flat.astype(np.float32), hole, ~hole, ~hole, seed=1)
    assert grown is not None
    joints = (flat[..., 2] > 140) & hole
    found = (grown[..., 2] > 140) & hole
    rows = joints.sum(axis=1) > 150
    assert (found.sum(axis=1)[rows] > 150).mean() > 0.9
    assert np.array_equal(grown[~hole], flat[~hole])
    tiny = np.zeros_like(hole)
    tiny[300:310, 300:310] = True
    assert shifted(flat.astype(np.float32), tiny, ~tiny, ~tiny, seed=1) is None


def test_a_pattern_is_told_from_what_only_runs_on_or_is_rough():
    hole = np.zeros((600, 600), bool)
    hole[220:380, 200:400] = True
    lines = np.repeat(90 + 60 * (np.arange(600) // 37 % 2), 600).reshape(600, 600, 1).repeat(3, axis=2)
    edge = np.where(np.arange(600) < 290, 60, 170)[None, :, None].repeat(600, axis=0).repeat(3, axis=2)
    rough = pictures.texture(600, 600, 4)
    noise = np.random.default_rng(3).normal(0, 3, (600, 600, 1))
    for picture, told in ((wall(600), True), (edge, False), (rough, False), (rough * 0 + 128, False)):
        assert repeats((picture + noise).astype(np.float32), hole, ~hole) == told
    half = rough.copy()
    half[:, 290:] = 90
    assert not repeats(half.astype(np.float32), hole, ~hole)
    # of lines alone nothing tells how far they run: any way along them will do
    assert repeats((lines + noise).astype(np.float32), hole, ~hole)
    tiny = np.zeros_like(hole)
    tiny[300:310, 300:310] = True
    assert not repeats(wall(600).astype(np.float32), tiny, ~tiny)


# ---------------------------------------------------------------------------------------- views into a panorama


def test_a_view_looks_where_it_says():
    """Snyder 1987, p. 90: in the equirectangular projection a degree is the same everywhere."""
    panorama = (1440, 720)
    for heading, pitch, where in (
        (0, 0, (720, 360)),
        (90, 0, (1080, 360)),
        (-90, 30, (360, 240)),
        (180, 0, (1440, 360)),
    ):
        chart = view_chart(heading, pitch, 90, (400, 300), panorama)
        x, y = chart.to_source(np.array(200.0), np.array(150.0))
        assert (float(x) % 1440, float(y)) == pytest.approx((where[0] % 1440, where[1]), abs=1e-6)
    right = view_chart(0, 0, 90, (400, 300), panorama).to_source(np.array(400.0), np.array(150.0))
    assert right == pytest.approx([900, 360], abs=1e-6)
    up = view_chart(0, 90, 90, (400, 400), panorama).to_source(np.array(200.0), np.array(200.0))
    assert up[1] == pytest.approx(0, abs=1e-6)


@pytest.mark.parametrize(("heading", "pitch"), [(0, 0), (180, 20), (30, 80), (-50, 90), (200, -90), (100, -65)])
def test_a_view_shows_what_lies_in_its_directions_at_the_poles_and_over_the_seam_too(heading, pitch):
    """Against colours that are known for every direction, without any flat picture between."""
    width, size = 1024, (300, 220)
    flat = spheres.smooth(width)
    chart = view_chart(heading, pitch, 90, size, (width, width // 2))
    seen = chart.read(lambda box: flat[box.rows, box.columns], chart.whole)
    x, y = np.meshgrid(np.arange(size[0]) + 0.5, np.arange(size[1]) + 0.5)
    right, down, ahead = np.tensordot(chart.plane, np.stack([x, y, np.ones_like(x)]), axes=1)
    long = np.sqrt(right**2 + down**2 + ahead**2)
    wanted = spheres.waves(right / long, down / long, ahead / long)
    assert np.abs(seen - wanted).max() < 1


def test_a_view_over_the_seam_lies_on_two_boxes():
    chart = view_chart(180, 0, 60, (200, 100), (1440, 720))
    left, right = sorted(chart.footprint(chart.whole), key=lambda box: box.left)
    assert left.left == 0
    assert right.right == 1440
    assert left.width + right.width < 300
    down = view_chart(0, -90, 90, (200, 200), (1440, 720))
    (all_round,) = down.footprint(down.whole)
    assert (all_round.left, all_round.right, all_round.bottom) == (0, 1440, 720)


@pytest.mark.parametrize(("heading", "pitch"), [(0, 0), (180, 10), (40, -90)])
def test_a_repair_in_a_view_is_written_back_to_the_flat_picture(heading, pitch):
    """At the seam and at the pole too: the mark goes, and every pixel outside the mask keeps its bits."""
    random = np.random.default_rng(2)
    flat = cv2.GaussianBlur(random.normal(128, 60, (360, 720, 3)).astype(np.float32), (0, 0), 2).clip(0, 255)
    pixels = flat.astype(np.uint8)
    view = view_chart(heading, pitch, 80, (300, 300), (720, 360))
    ring = [(150 + 26 * math.cos(t), 150 + 26 * math.sin(t)) for t in np.linspace(0, 2 * math.pi, 41)]
    x, y = view.to_source(*np.array(ring).T)
    middle = view.to_source(np.array(150.0), np.array(150.0))
    spot = {"points": [[float(middle[0]) % 720, float(np.clip(middle[1], 1, 359)), 1]], "size": 30, "hardness": 1}
    assert np.isfinite(x + y).all()
    mask = {"kind": "strokes", "strokes": [spot]}
    chart = {"heading": heading, "pitch": pitch, "field": 80, "size": [300, 300]}
    (step,) = read_steps([{"op": "heal", "mask": mask, "chart": chart, "params": {"source": {"dx": 30, "dy": -20}}}])
    spoiled = pixels.copy()
    covered = step.mask.alpha(Box(0, 0, 720, 360)) > 0
    spoiled[covered] = (255, 0, 255)
    picture = LedgerPicture(pictures.source(spoiled), "t", [step], ByteCache(1 << 26))
    out = picture.deliver(np.uint8)
    assert np.array_equal(out[~covered], spoiled[~covered])
    magenta = (out[..., 0] > 250) & (out[..., 1] < 5) & (out[..., 2] > 250)
    assert magenta.sum() < 0.35 * covered.sum()


@pytest.mark.parametrize(("heading", "pitch"), [(0, -20), (180, 0), (60, -90)])
def test_a_thing_is_moved_in_the_view_that_it_is_seen_in_over_the_seam_and_at_the_pole_too(heading, pitch):
    width, size = 1024, (300, 240)
    chart = view_chart(heading, pitch, 90, size, (width, width // 2))
    flat = np.full((width // 2, width, 3), (120, 140, 110), np.uint8)
    x, y = chart.from_source(*np.meshgrid(np.arange(width) + 0.5, np.arange(width // 2) + 0.5))
    disc = np.hypot(x - 110, y - 120) < 24
    flat[disc] = (200, 60, 40)
    ring = [(110 + 36 * math.cos(t), 120 + 36 * math.sin(t)) for t in np.linspace(0, 2 * math.pi, 33)[:-1]]
    sphere = [width, width // 2, 0, 0]
    view = {"heading": heading, "pitch": pitch, "field": 90, "size": list(size), "sphere": sphere}
    began, ends = (chart.to_source(np.array(ring[0][0] + by), np.array(ring[0][1])) for by in (0, 90))
    dx, dy = (ends - began).tolist()
    mask = {"kind": "outline", "points": ring, "view": view}
    step = {"op": "relocate", "mask": mask, "chart": view, "params": {"dx": dx, "dy": dy}}
    picture = LedgerPicture(pictures.source(flat), "t", read_steps([step]), ByteCache(1 << 27))
    out = picture.deliver(np.uint8)
    seen = chart.read(lambda box: out[box.rows, box.columns], chart.whole)
    across, below = np.meshgrid(np.arange(size[0]) + 0.5, np.arange(size[1]) + 0.5)
    new, old = np.hypot(across - 200, below - 120), np.hypot(across - 110, below - 120)
    assert np.abs(seen[new < 20] - (200, 60, 40)).max() < 12
    assert np.abs(seen[old < 30] - (120, 140, 110)).max() < 12
    beside = ~(np.minimum(np.hypot(x - 110, y - 120), np.hypot(x - 200, y - 120)) < 45)
    assert np.array_equal(out[beside], flat[beside])
