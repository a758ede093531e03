"""Covers: where a change counts; areas and steps of light that are limited by one."""

from __future__ import annotations

import json

import numpy as np
import pytest
from PIL import Image
from skimage import data
from skimage.color import rgb2lab

from fern_ticket.cli import main
from fern_ticket.core.errors import LedgerError
from fern_ticket.core.ledger.covers import Cover
from fern_ticket.core.ledger.operation import Station
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.operations import operations
from fern_ticket.core.pictures.plane import scaling
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture, View
from fern_ticket.core.render.resample import widened
from tests import pictures
from tests.examples import EXAMPLES

ROUND = {"kind": "round", "middle": [100, 60], "radii": [40, 25], "soft": 0.5}
STROKES = {"kind": "strokes", "strokes": [{"points": [[20, 20, 1], [150, 90, 1]], "size": 24}]}
OUTLINE = {"kind": "outline", "points": [[30, 30], [120, 20], [140, 100], [40, 90]], "feather": 6}
BALANCE = {op: params for op, params in EXAMPLES.items() if operations()[op].station is Station.BALANCE}


def cover_of(*parts, pixels=None, stored=None):
    """Coverage of a 200 × 120 picture at full size; parts are shapes, or whole parts."""
    pixels = pictures.ramp(120, 200) if pixels is None else pixels
    whole = [part if "shape" in part else {"shape": part} for part in parts]
    other = (lambda name: stored[name]) if stored else None
    picture = LedgerPicture(pictures.source(pixels), "c", [], ByteCache(1 << 26), *([other] if other else []))
    return picture.covered(Cover.model_validate({"parts": whole}))


def result(pixels, *steps, depth=None):
    picture = LedgerPicture(pictures.source(pixels), "c", read_steps(list(steps)), ByteCache(1 << 27))
    return picture.deliver(depth or pixels.dtype.type)


def area(*steps, cover=None, **more):
    inner = [{"op": op, "params": params} for op, params in steps]
    return {"op": "area", "params": {"steps": inner, "cover": {"parts": cover or []}}, **more}


def test_without_parts_a_cover_is_the_whole_picture():
    assert (cover_of() == 1).all()


def test_a_straight_gradient_falls_from_start_to_end():
    share = cover_of({"kind": "straight", "start": [50, 0], "end": [150, 0]})
    assert (share[:, :50] > 0.999).all()
    assert (share[:, 150:] < 0.001).all()
    assert (np.diff(share[60]) <= 1e-6).all()
    assert share[60, 99:101].mean() == pytest.approx(0.5, abs=1e-4)


def test_a_round_gradient_lies_inside_its_radii_and_turns():
    share = cover_of(ROUND)
    assert share[60, 100] == 1
    assert share[60, 142] == share[87, 100] == 0
    crisp = cover_of({**ROUND, "soft": 0})
    assert crisp.sum() == pytest.approx(np.pi * 40 * 25, rel=0.01)
    upright = cover_of({**ROUND, "soft": 0, "angle": 90})
    assert upright[60 + 38, 100] == 1
    assert upright[60, 100 + 38] == 0


def test_tones_count_by_encoded_luminance():
    """Against the greys themselves: a tone of 60 % is the grey 153 of 255."""
    grey = np.repeat(np.arange(0, 256, dtype=np.uint8)[None, :, None], 16, axis=0).repeat(3, axis=2)
    share = cover_of({"kind": "tones", "low": 40, "high": 60, "soft": 10}, pixels=np.ascontiguousarray(grey))[8]
    assert (share[102:153] == 1).all()
    assert (share[:76] == 0).all()
    assert (share[180:] == 0).all()
    assert share[166] == pytest.approx(0.5, abs=0.1)


def test_colours_count_by_their_distance_in_lab():
    """Against scikit-image's CIELAB."""
    pixels = np.ascontiguousarray(data.astronaut()[300:420, 40:240])
    pick = (200, 90, 40)
    lab, picked = rgb2lab(pixels), rgb2lab(np.array([[pick]], np.uint8))[0, 0]
    away = np.sqrt((((lab - picked) * (0.5, 1, 1)) ** 2).sum(axis=2))
    share = cover_of({"kind": "colours", "picks": [pick], "tolerance": 30, "soft": 20}, pixels=pixels)
    assert (share[away < 29] == 1).all()
    assert (share[away > 51] == 0).all()
    assert 0.02 < share.mean() < 0.9


def test_a_stored_picture_counts_by_its_brightness():
    mask = np.zeros((120, 200, 3), np.uint8)
    mask[20:50, 60:90] = 255
    share = cover_of({"kind": "bitmap", "file": "m"}, stored={"m": pictures.source(mask)})
    assert np.array_equal(share, mask[..., 0] / 255)
    with pytest.raises(LedgerError, match="as large as the photo"):
        cover_of({"kind": "bitmap", "file": "m"}, stored={"m": pictures.source(mask[:50])})


def test_parts_join_as_sets_do():
    one, other = cover_of(ROUND), cover_of(STROKES)
    add = cover_of(ROUND, {"mode": "add", "shape": STROKES})
    subtract = cover_of(ROUND, {"mode": "subtract", "shape": STROKES})
    intersect = cover_of(ROUND, {"mode": "intersect", "shape": STROKES})
    np.testing.assert_allclose(add, np.maximum(one, other), atol=1e-6)
    np.testing.assert_allclose(subtract, np.minimum(one, 1 - other), atol=1e-6)
    np.testing.assert_allclose(intersect, np.minimum(one, other), atol=1e-6)
    np.testing.assert_allclose(cover_of({"shape": ROUND, "invert": True}), 1 - one, atol=1e-6)
    # what is left of the whole
    np.testing.assert_allclose(cover_of({"mode": "subtract", "shape": ROUND}), 1 - one, atol=1e-6)


@pytest.mark.parametrize(
    "shape", [{**ROUND, "soft": 0}, OUTLINE, STROKES, {"kind": "straight", "start": [99, 0], "end": [101, 0]}]
)
def test_a_feather_softens_an_edge_over_its_width(shape):
    crisp, soft = cover_of(shape), cover_of({"shape": shape, "feather": 20})
    assert soft.sum() == pytest.approx(crisp.sum(), rel=0.06)
    assert np.abs(np.diff(soft, axis=1)).max() < 0.5 * np.abs(np.diff(crisp, axis=1)).max()
    assert soft[crisp == 1].min() < 0.7
    assert soft[crisp == 0].max() > 0.3


@pytest.mark.parametrize("part", [ROUND, OUTLINE, STROKES, {"shape": {**ROUND, "soft": 0}, "feather": 24}])
def test_a_cover_is_the_same_at_every_scale(part):
    """A reduced view agrees with the mean of the full-size coverage that each of its pixels stands for."""
    part = part if "shape" in part else {"shape": part}
    pixels = pictures.ramp(512, 768)
    grown = json.loads(json.dumps(part))
    picture = LedgerPicture(pictures.source(pixels), "c", [], ByteCache(1 << 26))
    cover = Cover.model_validate({"parts": [grown]})
    full = picture.covered(cover)
    small = picture._coverage(cover)(widened(pixels[::4, ::4]), scaling(4, 4))
    mean = full.reshape(128, 4, 192, 4).mean(axis=(1, 3))
    assert np.abs(small - mean).max() < 0.2
    assert np.abs(small - mean).mean() < 0.002


@pytest.mark.parametrize("op", sorted(BALANCE))
def test_an_area_that_covers_everything_is_its_steps_on_the_whole(op):
    pixels = pictures.noise(60, 90, depth=np.uint16)
    step = {"op": op, "params": BALANCE[op]}
    whole = result(pixels, step).astype(int)
    assert np.abs(whole - result(pixels, area((op, BALANCE[op])))).max() <= 1
    white = [{"shape": {"kind": "tones", "low": 0, "high": 100}}]
    assert np.abs(whole - result(pixels, area((op, BALANCE[op]), cover=white))).max() <= 1
    assert np.abs(whole - result(pixels, {**step, "cover": {"parts": white}})).max() <= 1


def test_an_area_of_every_step_is_all_of_them_on_the_whole():
    pixels = np.ascontiguousarray(data.astronaut()[:160, :200]).astype(np.uint16) * 257 + 77
    steps = list(BALANCE.items())
    whole = result(pixels, *({"op": op, "params": params} for op, params in steps)).astype(int)
    assert np.abs(whole - result(pixels, area(*steps))).max() <= 1
    half = result(pixels, area(*steps, strength=0.5)).astype(int)
    assert not np.array_equal(half, whole)


def test_an_area_without_strength_changes_no_bit():
    pixels = pictures.noise(60, 90, depth=np.uint16)
    assert np.array_equal(result(pixels, area(*BALANCE.items(), strength=0)), pixels)
    assert np.array_equal(result(pixels, area(*BALANCE.items(), cover=[{"shape": ROUND}], enabled=False)), pixels)


def test_what_an_area_does_not_cover_keeps_every_bit():
    pixels = pictures.noise(120, 200, depth=np.uint16)
    share = cover_of(ROUND, STROKES, pixels=pixels)
    out = result(
        pixels,
        area(("exposure", {"ev": 1}), ("saturation", {"amount": 40}), cover=[{"shape": ROUND}, {"shape": STROKES}]),
    )
    assert np.array_equal(out[share == 0], pixels[share == 0])
    assert (out != pixels).any(axis=2)[share > 0.5].mean() > 0.95


def test_half_a_cover_mixes_in_the_domain_of_the_step():
    """Exposure in linear light: half of one stop up is 1.5 × the light. A curve in encoded values: half the way."""
    grey = np.full((32, 32, 3), 100, np.uint8)
    grey16 = grey.astype(np.uint16) * 257
    half = [{"shape": {"kind": "bitmap", "file": "half"}}]
    level = np.full((32, 32, 3), 32768, np.uint16)
    other = {"half": pictures.source(level)}.__getitem__

    def mixed(op, params):
        steps = read_steps([{"op": op, "params": params, "cover": {"parts": half}}])
        return int(
            LedgerPicture(pictures.source(grey16), "c", steps, ByteCache(1 << 24), other).deliver(np.uint16)[9, 9, 0]
        )

    linear = ((100 / 255 + 0.055) / 1.055) ** 2.4 * 1.5
    assert mixed("exposure", {"ev": 1}) == pytest.approx(65535 * (1.055 * linear ** (1 / 2.4) - 0.055), abs=12)
    whole = int(result(grey16, {"op": "contrast", "params": {"amount": 40}})[9, 9, 0])
    assert mixed("contrast", {"amount": 40}) == pytest.approx((whole + 25700) / 2, abs=3)


def test_light_that_looks_at_the_whole_picture_does_so_inside_an_area_too():
    pixels = np.ascontiguousarray(data.chelsea()[:160, :240])
    steps = [("exposure", {"ev": 0.4}), ("highlights_shadows", {"highlights": -60, "shadows": 60})]
    whole = result(pixels, *({"op": op, "params": params} for op, params in steps)).astype(int)
    inside = result(
        pixels, area(*steps, cover=[{"shape": {"kind": "round", "middle": [120, 80], "radii": [60, 40], "soft": 0.2}}])
    )
    assert np.abs(whole - inside)[76:84, 110:130].max() <= 1


def test_a_view_of_an_area_is_what_is_delivered():
    pixels = pictures.texture(300, 400)
    steps = read_steps([area(("exposure", {"ev": 0.8}), cover=[{"shape": ROUND}, {"shape": STROKES, "feather": 9}])])
    picture = LedgerPicture(pictures.source(pixels), "c", steps, ByteCache(1 << 26))
    seen = picture.view(View(40, 20, 1, 200, 120), (0, 0, 0), fine=True)
    assert np.array_equal(seen, picture.deliver(np.uint8)[20:140, 40:240])


def test_areas_come_after_balance_whatever_the_order_of_work():
    pixels = pictures.ramp(60, 90)
    one, other = area(("saturation", {"amount": -100})), {"op": "black_white", "params": {"response": "red"}}
    assert np.array_equal(result(pixels, one, other), result(pixels, other, one))


@pytest.mark.parametrize(
    ("step", "said"),
    [
        (area(("heal", {})), "cannot stand in an area"),
        (area(("area", {})), "cannot stand in an area"),
        (area(("vignette", {"amount": 9})), "cannot stand in an area"),
        (
            {"op": "area", "params": {"steps": [{"op": "exposure", "params": {"ev": 1}, "cover": {"parts": []}}]}},
            "its own cover",
        ),
        (
            {"op": "crop", "params": {"left": 0, "top": 0, "width": 50, "height": 50}, "cover": {"parts": []}},
            "has no cover",
        ),
        ({**area(("exposure", {"ev": 1})), "cover": {"parts": []}}, "among its parameters"),
        (area(("exposure", {"ev": 99})), "ev"),
        (
            {"op": "exposure", "cover": {"parts": [{"shape": {"kind": "straight", "start": [1, 1], "end": [1, 1]}}]}},
            "ends elsewhere",
        ),
        ({"op": "exposure", "cover": {"parts": [{"shape": {"kind": "tones", "low": 9, "high": 3}}]}}, "ends above"),
        ({"op": "exposure", "cover": {"parts": [{"shape": {"kind": "star"}}]}}, "star"),
    ],
)
def test_covers_that_make_no_sense_are_refused_in_words(step, said):
    with pytest.raises(LedgerError, match=said):
        result(pictures.ramp(60, 90), step)


@pytest.mark.parametrize("middle", [[-5000, -5000], [100, 60]])
def test_covers_far_beyond_or_over_all_of_the_picture(middle):
    far = {"kind": "round", "middle": middle, "radii": [90_000, 90_000], "soft": 0}
    assert (cover_of(far) == 1).all()
    small = {"kind": "strokes", "strokes": [{"points": [[-900, -900, 1]], "size": 20}]}
    assert (cover_of({"shape": small, "feather": 30}) == 0).all()


def test_a_cover_is_drawn_from_the_command_line(tmp_path):
    Image.fromarray(pictures.ramp(120, 200)).save(tmp_path / "in.png")
    mask = np.zeros((120, 200), np.uint8)
    mask[40:60] = 255
    Image.fromarray(mask).save(tmp_path / "m.png")
    parts = [{"shape": {"kind": "bitmap", "file": "m.png"}}, {"mode": "intersect", "shape": {**ROUND, "soft": 0}}]
    (tmp_path / "cover.json").write_text(json.dumps({"parts": parts}))
    command = ["cover", str(tmp_path / "in.png"), str(tmp_path / "out.png"), "--cover", str(tmp_path / "cover.json")]
    assert main(command) == 0
    drawn = np.asarray(Image.open(tmp_path / "out.png").convert("L"))
    expected = (mask > 0) & (cover_of({**ROUND, "soft": 0}) > 0.502)
    assert np.array_equal(drawn > 128, expected)
    (tmp_path / "cover.json").write_text('{"parts": [{"shape": {"kind": "moon"}}]}')
    assert main(command) == 2


def test_ten_thousand_points_are_one_stroke_like_any_other():
    points = [[100 + 60 * np.cos(k / 90), 60 + 30 * np.sin(k / 70), 1] for k in range(10_000)]
    share = cover_of({"kind": "strokes", "strokes": [{"points": points, "size": 8}]})
    assert share.max() == 1
    assert share[:20].max() == 0
    assert share[30:90, 40:160].mean() > 0.5


def test_two_areas_of_one_cover_commute_where_their_steps_do():
    pixels = pictures.texture(120, 200, 3)
    one, other = ("exposure", {"ev": 0.5}), ("white_balance", {"temperature": 5200})
    areas = [area(step, cover=[{"shape": ROUND}]) for step in (one, other)]
    there, back = result(pixels, *areas), result(pixels, *reversed(areas))
    assert np.abs(there.astype(int) - back).max() <= 1
    assert not np.array_equal(there, result(pixels, areas[0]))


def test_a_copy_of_a_part_that_was_changed_is_drawn_anew():
    part = Cover.model_validate({"parts": [{"shape": ROUND}]}).parts[0]
    before = part.digest
    wider = part.model_copy(update={"feather": 12.0})
    assert wider.digest != before
    assert part.digest == before


@pytest.mark.parametrize("flow", [1, 0.3])
def test_strokes_painted_one_by_one_are_those_painted_at_once(flow):
    tip = {"size": 30, "hardness": 0.4, "opacity": 0.8, "flow": flow}
    strokes = [{"points": [[20 + 9 * k, 20, 1], [60 + 9 * k, 100, 1]], **tip} for k in range(6)]
    source, cache = pictures.source(pictures.ramp(120, 200)), ByteCache(1 << 26)

    def cover(count):
        return Cover.model_validate({"parts": [{"shape": {"kind": "strokes", "strokes": strokes[:count]}}]})

    def picture(kept):
        return LedgerPicture(source, "c", [], kept)

    for count in range(1, 7):
        grown = picture(cache).covered(cover(count))
        assert np.array_equal(grown, picture(ByteCache(1 << 26)).covered(cover(count)))
    softer = cover(6).model_dump(mode="json")
    softer["parts"][0]["feather"] = 12
    softer = Cover.model_validate(softer)
    assert np.array_equal(picture(cache).covered(softer), picture(ByteCache(1 << 26)).covered(softer))
    whole = cover(6).parts[0].shape.alpha(Box(0, 0, 200, 120))
    np.testing.assert_allclose(grown, whole, atol=2e-3)


@pytest.mark.parametrize(
    "shape",
    [
        {"kind": "round", "middle": [-1e5, 1e5], "radii": [0.1, 0.1], "soft": 0},
        {"kind": "round", "middle": [0, 0], "radii": [1e5, 0.1], "soft": 5e-324},
        {"kind": "straight", "start": [-1e5, 0], "end": [1e-300, 0]},
        {"kind": "tones", "low": 0, "high": 0, "soft": 5e-324},
        {"kind": "strokes", "strokes": [{"points": [[0, 0, 0], [100, 60, 1]], "size": 5e-324}]},
        {"kind": "edged", "strokes": [{"points": [[-1e5, 0, 0]], "size": 20_000}], "hold": 1},
        {"kind": "outline", "points": [[0, 0], [0, 0], [0, 0]], "others": [[[-1e5, 0], [1e5, 0], [0, 1e5]]]},
        {"kind": "subject", "around": [[-1e5, -1e5], [1e5, -1e5], [0, 1e5]]},
        {"kind": "subject", "around": [[0, 0], [0, 0], [0, 0]]},
    ],
)
def test_the_ends_of_every_range_can_be_drawn(shape):
    share = cover_of(shape, {"mode": "subtract", "feather": 5e-324, "shape": ROUND})
    assert np.isfinite(share).all()
    assert 0 <= share.min() <= share.max() <= 1
