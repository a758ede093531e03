"""Panoramas: looking around, turning the sphere, repairs drawn in a view, faces, what is upright."""

from __future__ import annotations

import math

import cv2
import numpy as np
import pytest

from fern_ticket.core.clean.charting import chart_of
from fern_ticket.core.errors import LedgerError
from fern_ticket.core.inspect.seam import seam_step, sides_meet
from fern_ticket.core.ledger.charts import ViewChart
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.operations import decided_of
from fern_ticket.core.panorama.covering import covering
from fern_ticket.core.panorama.uprights import uprights
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.pictures.sphere import Sphere, angles_of, turned_by
from fern_ticket.core.render.around import Look, looked
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture, View
from fern_ticket.core.settling import settle
from tests import pictures, spheres

WIDTH = 1024
SIZE = (WIDTH, WIDTH // 2)
SPHERE = Sphere.whole(SIZE)
GREY = (119, 119, 119)


def picture(pixels, steps=()):
    return LedgerPicture(pictures.source(pixels), "pano", read_steps(list(steps)), ByteCache(1 << 27))


def seen(shown, look, fine=True):
    return looked(look.chart(SIZE, SPHERE), shown.developed, shown.repaired.levels, GREY, fine=fine)


def in_view(look, size=None):
    """The view as steps name it."""
    return {
        "kind": "view",
        "heading": look.heading,
        "pitch": look.pitch,
        "field": look.field,
        "size": [look.width, look.height],
        "sphere": [*SIZE, 0, 0],
    }


LOOKS = [
    Look(20, -10, 90, 320, 200),
    Look(180, 0, 70, 300, 300),
    Look(0, -90, 120, 320, 320),
    Look(-140, 88, 60, 200, 100, roll=12),
]


@pytest.mark.parametrize("look", LOOKS, ids=lambda look: f"{look.heading} {look.pitch}")
@pytest.mark.parametrize("fine", [True, False])
def test_a_view_shows_what_lies_in_its_direction(look, fine):
    """Against the scene rendered directly in the view: at the seam and at the poles as anywhere."""
    shown = picture(spheres.smooth(WIDTH))
    chart = look.chart(SIZE, SPHERE)
    x, y = np.meshgrid(np.arange(look.width) + 0.5, np.arange(look.height) + 0.5)
    rays = np.tensordot(chart.plane, np.stack([x, y, np.ones_like(x)]), axes=1)
    _, down, ahead = rays / np.linalg.norm(rays, axis=0)
    truth = 128 + 60 * np.sin(9 * down - 5 * ahead)
    error = seen(shown, look, fine)[..., 1] - truth
    assert np.sqrt(np.mean(error**2)) < (1.0 if fine else 2.5)


def test_a_view_is_that_of_the_reference():
    """py360convert 1.0.4, whose pixels have their corners at whole numbers as ours do."""
    import py360convert

    pixels = spheres.smooth(WIDTH)
    look = Look(35, -20, 90, 240, 240)
    other = py360convert.e2p(pixels, (90, 90), 35, -20, (240, 240))
    error = seen(picture(pixels), look).astype(int) - other
    assert np.abs(error).mean() < 1.0


def test_edges_drawn_through_one_view_are_where_another_view_sees_them():
    """A chequer on a wall of the view, written back to the flat picture and read through another: within 0.2 px."""
    width = 4096
    size, sphere = (width, width // 2), Sphere.whole((width, width // 2))
    rays = spheres.directions(width)
    wall = Look(30, 12, 60, 700, 700).chart(size, sphere)
    x, y, depth = np.tensordot(np.linalg.inv(wall.plane), rays, axes=1)
    on_wall = depth > 0
    x, y = np.where(on_wall, x / depth, -1), np.where(on_wall, y / depth, -1)
    soft = np.tanh(np.sin(x * math.pi / 70) * 9) * np.tanh(np.sin(y * math.pi / 70) * 9)
    pixels = np.repeat((128 + 100 * soft)[..., None], 3, axis=2).astype(np.uint8)
    other = Look(34, 8, 50, 900, 900).chart(size, sphere)
    levels = [pixels]
    frame = looked(other, lambda level, box: levels[level][box.rows, box.columns], 1, GREY, fine=True)
    u, v = np.meshgrid(np.arange(900) + 0.5, np.arange(900) + 0.5)
    back = np.linalg.inv(wall.plane) @ other.plane
    px, py, pd = (row[0] * u + row[1] * v + row[2] for row in back)
    px, py = px / pd, py / pd
    inside = (px > 40) & (px < 660) & (py > 40) & (py < 660)
    truth = 128 + 100 * np.tanh(np.sin(px * math.pi / 70) * 9) * np.tanh(np.sin(py * math.pi / 70) * 9)
    slope = np.hypot(*np.gradient(truth))
    edge = inside & (slope > 10)
    shift = np.abs(frame[..., 0] - truth)[edge] / slope[edge]
    assert np.median(shift) < 0.2
    assert np.percentile(shift, 90) < 0.35


def test_views_that_cover_a_sphere_leave_nothing_out():
    rays = spheres.directions(256).reshape(3, -1)
    for field, ratio, most in ((60, 1.0, 90), (80, 1.0, 50), (100, 0.625, 90)):
        covered = np.zeros(rays.shape[1], bool)
        for view in covering(field, ratio, most):
            chart = Look(view.heading, view.pitch, field, 200, round(200 * ratio)).chart(SIZE, SPHERE)
            x, y, depth = np.linalg.inv(chart.plane) @ rays
            front = depth > 1e-9
            x, y = x[front] / depth[front], y[front] / depth[front]
            covered[np.flatnonzero(front)] |= (x >= 0) & (x <= 200) & (y >= 0) & (y <= round(200 * ratio))
        wanted = np.abs(np.degrees(np.arcsin(rays[1]))) <= most
        assert covered[wanted].all()


def test_angles_and_turns_undo_each_other():
    random = np.random.default_rng(1)
    for heading, pitch, roll in random.uniform((-180, -89, -179), (180, 89, 179), (50, 3)):
        assert np.allclose(turned_by(*angles_of(turned_by(heading, pitch, roll))), turned_by(heading, pitch, roll))
    for pitch in (90.0, -90.0):
        turn = turned_by(40, pitch)
        assert np.allclose(turned_by(*angles_of(turn)), turn, atol=1e-9)


# ------------------------------------------------------------------------------------------ turning the sphere


def test_turned_round_by_whole_pixels_every_pixel_is_kept():
    pixels = pictures.noise(256, 512)
    turned = picture(pixels, [{"op": "horizon", "params": {"pitch": 0, "roll": 0, "heading": 45}}])
    assert np.array_equal(turned.deliver(np.uint8), np.roll(pixels, -64, axis=1))


@pytest.mark.parametrize(("pitch", "roll"), [(4, -3), (-12, 8)])
def test_a_leaning_camera_is_levelled(pitch, roll):
    """Against the scene rendered level: pole and seam like the rest."""
    leaning = spheres.smooth(WIDTH, turned_by(0, pitch, roll))
    level = picture(leaning, [{"op": "horizon", "params": {"pitch": pitch, "roll": roll}}]).deliver(np.uint8)
    error = level.astype(float) - spheres.smooth(WIDTH)
    assert np.sqrt(np.mean(error**2)) < 0.8
    assert seam_step(level) < 1.6


def test_the_bench_shows_a_turned_panorama_as_it_is_delivered():
    steps = [
        {"op": "exposure", "params": {"ev": 0.3}},
        {"op": "horizon", "params": {"pitch": 3, "roll": -5, "heading": 20}},
        {"op": "crop", "params": {"left": 0, "top": 100, "width": 1024, "height": 300}},
    ]
    turned = picture(spheres.smooth(WIDTH), steps)
    view = turned.view(View(200, 50, 1.0, 300, 200), GREY, fine=True)
    assert np.abs(view.astype(int) - turned.deliver(np.uint8)[50:250, 200:500]).max() <= 2


def test_the_cover_of_a_step_lies_where_the_turned_panorama_shows_its_light():
    points = [[300, 150], [420, 150], [420, 260], [300, 260]]
    cover = {"parts": [{"shape": {"kind": "outline", "points": points}}]}
    darkened = {"op": "exposure", "id": "dark", "params": {"ev": -3}, "cover": cover}
    horizon = {"op": "horizon", "params": {"pitch": 3, "roll": -5, "heading": 60}}
    turned, plain = (picture(spheres.smooth(WIDTH), steps) for steps in ([darkened, horizon], [horizon]))
    view = View(0, 0, 0.5, WIDTH // 2, WIDTH // 4)
    found = turned.cover_of("dark", view)
    assert found is not None
    darker = turned.view(view, GREY, fine=True).mean(axis=2) < 0.6 * plain.view(view, GREY, fine=True).mean(axis=2)
    assert darker.sum() > 1000
    assert ((found[0] > 0.5) == darker).mean() > 0.995


def test_two_marks_on_the_horizon_level_it():
    turn = turned_by(0, 6, -4)
    pixels = spheres.smooth(WIDTH, turn)
    rays = turn @ np.array([[0.0, 1.0], [0.0, 0.0], [1.0, 0.0]])
    marks = SPHERE.of_direction(*rays).T.tolist()
    source = pictures.source(pixels)
    (step,) = read_steps([{"op": "horizon", "params": {"marks": marks}}])
    settled = settle(source, "p", [], step, ByteCache(1 << 20))
    assert (settled.params["pitch"], settled.params["roll"]) == pytest.approx((6, -4), abs=0.01)
    near = [marks[0], [marks[0][0] + 4, marks[0][1]]]
    (step,) = read_steps([{"op": "horizon", "params": {"marks": near}}])
    with pytest.raises(LedgerError, match="near"):
        settle(source, "p", [], step, ByteCache(1 << 20))


@pytest.mark.parametrize(("pitch", "roll"), [(0, 0), (5, -7), (-11, 2)])
def test_upright_edges_tell_which_way_is_up(pitch, roll):
    width = 1536
    turn = turned_by(0, pitch, roll)
    shown = picture(spheres.room(width, turn))
    size, sphere = (width, width // 2), Sphere.whole((width, width // 2))
    found = uprights(lambda chart: looked(chart, shown.developed, shown.repaired.levels, GREY, fine=True), size, sphere)
    assert found is not None
    up = turned_by(0, found.pitch, found.roll) @ (0, -1, 0)
    assert spheres.angle_between(up, turn @ (0, -1, 0)) < 0.2


def test_without_edges_nothing_tells_which_way_is_up():
    shown = picture(spheres.smooth(WIDTH))
    view = lambda chart: looked(chart, shown.developed, shown.repaired.levels, GREY, fine=True)  # noqa: E731
    assert uprights(view, SIZE, SPHERE) is None


def test_what_leans_together_in_one_corner_does_not_tell_which_way_is_up():
    leaning, ground = spheres.room(WIDTH, turned_by(0, 0, 24)), spheres.smooth(WIDTH)
    away = np.abs(np.linspace(-180, 180, WIDTH))[None, :, None]

    def up_of(degrees):
        share = np.clip((degrees - away) / 6, 0, 1)
        shown = picture(np.asarray(leaning * share + ground * (1 - share), np.uint8))
        view = lambda chart: looked(chart, shown.developed, shown.repaired.levels, GREY, fine=True)  # noqa: E731
        return uprights(view, SIZE, SPHERE)

    assert up_of(22) is None
    found = up_of(140)
    assert found is not None
    assert found.roll == pytest.approx(24, abs=0.5)


def test_sides_that_do_not_meet_are_a_views():
    assert sides_meet(spheres.smooth(WIDTH))
    ramp = np.repeat(np.linspace(20, 220, 400).astype(np.uint8)[None], 200, axis=0)
    assert not sides_meet(np.repeat(ramp[..., None], 3, axis=2))


# ------------------------------------------------------------------------------------- drawn and done in a view


def round_mask(look, x, y, size, hardness=1.0):
    stroke = {"points": [[x, y, 1]], "size": size, "hardness": hardness}
    return {"kind": "strokes", "strokes": [stroke], "view": in_view(look)}


@pytest.mark.parametrize("look", LOOKS, ids=lambda look: f"{look.heading} {look.pitch}")
def test_what_is_drawn_in_a_view_is_round_in_it_and_nowhere_else(look):
    """A dot's share of the sphere is that of a cone; pixels outside its mask keep every bit after a repair."""
    dot = round_mask(look, look.width / 2, look.height / 2, 40)
    (step,) = read_steps([{"op": "calm", "mask": dot, "chart": in_view(look)}])
    whole = Box(0, 0, *SIZE)
    cover = step.mask.alpha(whole)
    rows = np.cos((np.arange(SIZE[1]) + 0.5 - SIZE[1] / 2) * math.pi / SIZE[1])
    sphere_share = float((cover * rows[:, None]).sum() / (rows.sum() * SIZE[0]))
    focal = look.width / 2 / math.tan(math.radians(look.field) / 2)
    assert sphere_share == pytest.approx((1 - math.cos(math.atan(20 / focal))) / 2, rel=0.08)
    box = step.mask.box(SIZE)
    outside = np.ones(cover.shape, bool)
    outside[box.rows, box.columns] = False
    assert not cover[outside].any()
    pixels = pictures.noise(SIZE[1], SIZE[0])
    made = LedgerPicture(pictures.source(pixels), "p", [step], ByteCache(1 << 27)).deliver(np.uint8)
    assert np.array_equal(made[cover == 0], pixels[cover == 0])
    assert not np.array_equal(made[cover == 1], pixels[cover == 1])


def test_a_clone_in_a_view_lays_what_it_was_given_where_it_was_asked():
    """Inside, against the same content rendered directly: at least 50 dB for what the view resolves."""
    width = 2048
    size = (width, width // 2)
    pixels = spheres.smooth(width)
    look = Look(180, -70, 100, 760, 760)
    view = {**in_view(look), "sphere": [*size, 0, 0]}
    chart = ViewChart.model_validate(view).chart(size)
    at, source = (300.0, 400.0), (420.0, 380.0)
    x, y = chart.to_source(*np.array([at, source]).T)
    stroke = {"points": [[*at, 1]], "size": 120, "hardness": 1}
    params = {"source": {"dx": float(x[1] - x[0]), "dy": float(y[1] - y[0])}}
    mask = {"kind": "strokes", "strokes": [stroke], "view": view}
    (step,) = read_steps([{"op": "clone", "params": params, "mask": mask, "chart": view}])
    made = LedgerPicture(pictures.source(pixels), "p", [step], ByteCache(1 << 27)).deliver(np.uint8)
    covered = step.mask.alpha(Box(0, 0, *size)) == 1
    rays = spheres.directions(width)
    px, py, depth = np.tensordot(np.linalg.inv(chart.plane), rays, axes=1)
    moved = np.stack([px / depth + (source[0] - at[0]), py / depth + (source[1] - at[1]), np.ones_like(px)])
    right, down, ahead = np.tensordot(chart.plane, moved, axes=1)
    length = np.sqrt(right**2 + down**2 + ahead**2)
    truth = 128 + 60 * np.sin(9 * down / length - 5 * ahead / length)
    error = made[..., 1].astype(float) - truth
    assert 10 * math.log10(255**2 / np.mean(error[covered] ** 2)) > 50


def test_a_line_is_found_and_taken_out_in_a_view_and_pixels_are_pushed_there():
    """A wire that is straight in the view, and so bent on the flat picture."""
    look = Look(30, -50, 80, 640, 480)
    view = in_view(look)
    chart = look.chart(SIZE, SPHERE)
    rays = spheres.directions(WIDTH)
    x, y, depth = np.tensordot(np.linalg.inv(chart.plane), rays, axes=1)
    with np.errstate(divide="ignore", invalid="ignore"):
        x, y = np.where(depth > 0, x / depth, -99), np.where(depth > 0, y / depth, -99)
    pixels = spheres.smooth(WIDTH)
    wire = (np.abs(y - 250) < 2.5) & (x > 100) & (x < 540)
    spoiled = pixels.copy()
    spoiled[wire] = (20, 20, 24)
    stroke = {"points": [[120, 253, 1], [520, 248, 1]], "size": 24, "hardness": 1}
    mask = {"kind": "strokes", "strokes": [stroke], "view": view}
    (step,) = read_steps([{"op": "unthread", "mask": mask, "chart": view, "params": {"grain": 0}}])
    source = pictures.source(spoiled)
    settled = settle(source, "w", [], step, ByteCache(1 << 26))
    assert 3 < settled.params["width"] < 9
    assert settled.mask.view == step.mask.view
    made = LedgerPicture(source, "w", [settled], ByteCache(1 << 26)).deliver(np.uint8)
    inner = wire & (x > 130) & (x < 510)
    off = np.abs(made.astype(float) - pixels)[inner].mean()
    assert off < 0.2 * np.abs(spoiled.astype(float) - pixels)[inner].mean()
    push = {"points": [[300, 250, 1], [300, 275, 1]], "size": 90, "hardness": 0.5}
    mask = {"kind": "strokes", "strokes": [push], "view": view}
    nudged = picture(spoiled, [{"op": "nudge", "mask": mask, "chart": view}])
    seen_there = seen(nudged, look)[:, 300].astype(float).sum(axis=1)
    before = seen(picture(spoiled), look)[:, 300].astype(float).sum(axis=1)
    assert abs(int(np.argmin(before)) - 250) < 4
    assert 8 < int(np.argmin(seen_there)) - 250 < 30
    with pytest.raises(LedgerError, match="follows strokes"):
        picture(spoiled, [{"op": "nudge", "mask": mask}]).deliver(np.uint8)


def test_a_cover_drawn_in_a_view_follows_it():
    look = Look(0, -90, 100, 400, 400)
    part = {"shape": round_mask(look, 200, 200, 120)}
    lit = picture(
        np.full((SIZE[1], SIZE[0], 3), 90, np.uint8),
        [{"op": "exposure", "params": {"ev": 1}, "cover": {"parts": [part]}}],
    ).deliver(np.uint8)
    angle = math.degrees(math.atan(60 / (200 / math.tan(math.radians(50)))))
    first = round(SIZE[1] * (1 - angle / 180))
    assert (lit[first + 6 :] > 110).all()
    assert (lit[: first - 6] == 90).all()


# ------------------------------------------------------------------------------------------- planes by their name


def test_a_step_follows_the_plane_that_it_names():
    """Re-tuned, the plane takes what was done in it along; taken away, the step works in the photo's own."""
    pixels = pictures.noise(240, 320)
    corners = [[60, 40], [260, 60], [300, 220], [20, 200]]
    square = [[140, 110], [170, 110], [170, 140], [140, 140]]
    mask = {"kind": "outline", "points": square}
    source = {"source": {"dx": 40, "dy": 0}}

    def made(chart, *before):
        step = {"op": "clone", "mask": mask, "params": source, **({"chart": chart} if chart else {})}
        return picture(pixels, [*before, step]).deliver(np.uint8)

    def plane(where):
        return {"id": "floor", "op": "plane", "params": {"corners": where}}

    other = [[40, 40], [280, 20], [300, 220], [20, 200]]
    named = {"step": "floor"}
    assert np.array_equal(made(named, plane(corners)), made({"corners": corners}))
    assert np.array_equal(made(named, plane(other)), made({"corners": other}))
    assert not np.array_equal(made(named, plane(corners)), made(named, plane(other)))
    assert np.array_equal(made(named), made(None))


def test_a_floor_set_in_a_view_is_a_plane_of_the_room():
    """Tiles of a floor, seen at a slant: in the plane by their four corners they are squares of one size."""
    width = 2048
    size = (width, width // 2)
    look = Look(40, -45, 90, 800, 600)
    chart = look.chart(size, Sphere.whole(size))
    tile = 0.4
    floor = np.array([[0.8, 0.8], [2.0, 0.8], [2.0, 2.0], [0.8, 2.0]])
    rays = np.stack([floor[:, 0], np.full(4, 1.3), floor[:, 1]])
    u, v, depth = np.linalg.inv(chart.plane) @ rays
    order = [3, 2, 1, 0]
    corners = np.stack([u / depth, v / depth], axis=1)[order].tolist()
    spec = {"corners": corners, "view": {**in_view(look), "sphere": [*size, 0, 0]}}
    (step,) = read_steps(
        [
            {
                "op": "regrow",
                "chart": spec,
                "mask": {"kind": "strokes", "strokes": [{"points": [[1300, 800, 1]], "size": 20}]},
            }
        ]
    )
    found = chart_of(step.chart, size, step.mask.box(size))
    flat = found.read(lambda box: spheres.room(width)[box.rows, box.columns], found.whole)[..., 0]
    across, below = found.from_source(*chart.to_source(u / depth, v / depth))
    sides = [math.dist((across[i], below[i]), (across[(i + 1) % 4], below[(i + 1) % 4])) for i in range(4)]
    assert max(sides) / min(sides) == pytest.approx(1.0, abs=0.02)
    period = max(sides) / (1.2 / tile)
    left, top = round(min(across)), round(min(below))
    side = round(min(sides))
    tiles = flat[top : top + side, left : left + side]
    shifted = round(2 * period)
    same = np.corrcoef(tiles[:, shifted:].ravel(), tiles[:, :-shifted].ravel())[0, 1]
    assert same > 0.8


# ------------------------------------------------------------------------------------------- faces and mirrors


def test_faces_are_hidden_where_somebody_said_so_and_counted():
    pixels = pictures.noise(SIZE[1], SIZE[0])
    places = [
        {"x": 1020.0, "y": 200.0, "size": 40.0, "hidden": True},
        {"x": 300.0, "y": 480.0, "size": 40.0, "hidden": False},
        {"x": 600.0, "y": 250.0, "size": 40.0},
    ]
    step = {"op": "faces", "params": {"places": places, "sphere": [*SIZE, 0, 0]}}
    made = picture(pixels, [step]).deliver(np.uint8)
    changed = (made != pixels).any(axis=2)
    assert changed[190:210, :12].any()  # over the seam
    assert changed[190:210, -12:].any()
    assert not changed[:, 100:900].any()
    assert made[195:205, :8].std() < 0.4 * pixels[195:205, :8].std()
    assert decided_of(read_steps([step])) == {"faces": (2, 3)}
    mirrors = {"op": "mirrors", "params": {"places": [{"x": 5, "y": 5, "looked": True}, {"x": 9, "y": 9}]}}
    assert decided_of(read_steps([mirrors])) == {"mirrors": (1, 2)}
    assert np.array_equal(picture(pixels, [mirrors]).deliver(np.uint8), pixels)


def test_faces_are_found_wherever_on_the_sphere_they_are_and_not_when_they_are_hidden():
    """CenterFace 2019 on scikit-image's astronaut, laid into a panorama through the projection."""
    from skimage.data import astronaut

    from fern_ticket.core.panorama.faces import faces_in
    from fern_ticket.core.panorama.spotting import spotted_around

    width = 2048
    size, sphere = (width, width // 2), Sphere.whole((width, width // 2))
    pixels = cv2.GaussianBlur(spheres.smooth(width), (0, 0), 3)
    portrait = cv2.resize(astronaut()[0:220, 120:340], (110, 110), interpolation=cv2.INTER_AREA)
    middles = []
    for heading, pitch in [(180, 0), (60, -45), (-90, 50)]:
        chart = Look(heading, pitch, 110 * 360 / width, 110, 110).chart(size, sphere)
        x, y, depth = np.tensordot(np.linalg.inv(chart.plane), spheres.directions(width), axes=1)
        x, y = np.where(depth > 0, x / depth, -9), np.where(depth > 0, y / depth, -9)
        there = (x > 1) & (y > 1) & (x < 109) & (y < 109)
        laid = cv2.remap(portrait, (x - 0.5).astype(np.float32), (y - 0.5).astype(np.float32), cv2.INTER_LINEAR)
        pixels[there] = laid[there]
        middles.append((*(float(one) for one in chart.to_source(np.array(55.0), np.array(55.0))), pitch))

    def found(steps):
        shown = picture(pixels, steps)
        return spotted_around(
            faces_in, lambda view: looked(view, shown.developed, shown.repaired.levels, GREY, fine=True), size, sphere
        )

    def away(face, x, y, pitch):
        across = abs((face.x - x + width / 2) % width - width / 2) * math.cos(math.radians(pitch))
        return max(across, abs(face.y - y))

    faces = found([])
    assert len(faces) == 3
    assert all(min(away(face, *middle) for face in faces) < 25 for middle in middles)
    places = [{"x": face.x, "y": face.y, "size": face.size, "hidden": True} for face in faces]
    assert found([{"op": "faces", "params": {"places": places, "sphere": [*size, 0, 0]}}]) == []
