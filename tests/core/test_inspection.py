"""Measuring: what is counted, where it is said to be, and how files compare."""

from __future__ import annotations

import numpy as np
import pytest
from PIL import Image

from fern_ticket.core.balance.marks import Mark
from fern_ticket.core.clean.sources import propose_source, search_box
from fern_ticket.core.errors import LedgerError
from fern_ticket.core.inspect.files import inspect_file
from fern_ticket.core.inspect.measures import area_mean, casts
from fern_ticket.core.ledger.steps import Step, read_steps
from fern_ticket.core.pictures.profiles import srgb, srgb_decode
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.light import LightChain
from fern_ticket.core.render.picture import LedgerPicture
from fern_ticket.core.settling import settle
from tests import pictures

BARE = LightChain(srgb(), [])


def saved(tmp_path, pixels, name="a.png", **options):
    path = tmp_path / name
    Image.fromarray(pixels).save(path, **options)
    return path


def picture(pixels, steps=()):
    return LedgerPicture(pictures.source(pixels), "t", read_steps(list(steps)), ByteCache(1 << 24))


def test_a_file_says_what_it_is(tmp_path):
    path = saved(tmp_path, pictures.ramp(200, 320), "a.jpg", quality=90, dpi=(240, 240))
    found = inspect_file(path)
    assert {k: found[k]["value"] for k in ("format", "width", "height", "long_side", "ratio", "bit_depth")} == {
        "format": "JPEG",
        "width": 320,
        "height": 200,
        "long_side": 320,
        "ratio": 1.6,
        "bit_depth": 8,
    }
    assert found["file_size"]["value"] == path.stat().st_size
    assert found["pixels_per_inch"]["value"] == 240
    assert found["megapixels"] == {"value": 0.064, "unit": "MP"}


def test_clipped_whites_and_blacks_are_counted_and_placed(tmp_path):
    pixels = np.full((240, 360, 3), 128, np.uint8)
    pixels[:24, :36] = 255
    pixels[200:224, 300:336] = 0
    found = inspect_file(saved(tmp_path, pixels))
    assert found["clipped_whites"]["value"] == pytest.approx(1.0)
    assert found["clipped_blacks"]["value"] == pytest.approx(1.0)
    assert found["clipped_whites"]["where"]["left"] < 36
    assert found["clipped_blacks"]["where"]["top"] >= 180
    pixels[:] = 128
    assert "where" not in inspect_file(saved(tmp_path, pixels))["clipped_whites"]


def test_one_channel_at_its_end_is_a_white_without_texture(tmp_path):
    pixels = np.full((50, 50, 3), (255, 200, 180), np.uint8)
    assert inspect_file(saved(tmp_path, pixels))["clipped_whites"]["value"] == 100


def test_a_file_compared_with_itself_has_not_changed(tmp_path):
    path = saved(tmp_path, pictures.noise(60, 80))
    found = inspect_file(path, path)
    assert found["changed"]["value"] == 0
    assert found["mean_difference"]["value"] == 0
    assert found["saturation_change"]["value"] == 0


def test_what_was_changed_is_measured(tmp_path):
    pixels = pictures.texture(100, 100)
    other = pixels.copy()
    other[:10, :50] = (200, 40, 40)
    found = inspect_file(saved(tmp_path, other, "b.png"), saved(tmp_path, pixels))
    assert found["changed"]["value"] == pytest.approx(5, abs=0.05)
    assert found["saturation_change"]["value"] > 0.5
    resized = saved(tmp_path, other[::2, ::2].copy(), "c.png")
    smaller = inspect_file(resized, saved(tmp_path, pixels))
    assert "changed" not in smaller
    assert "saturation_change" in smaller


def test_an_area_is_averaged_in_light_not_in_code_values():
    pixels = np.zeros((40, 40, 3), np.uint8)
    pixels[:, ::2] = 200
    mean = area_mean(picture(pixels), Mark(x=20, y=20, size=20), BARE)
    assert mean == pytest.approx(float(srgb_decode(np.array(200 / 255))) / 2, rel=1e-4)


def test_a_mark_at_the_border_is_cut_and_one_outside_refused():
    pixels = np.full((40, 40, 3), 90, np.uint8)
    assert area_mean(picture(pixels), Mark(x=0, y=0, size=20), BARE) == pytest.approx(
        float(srgb_decode(np.array(90 / 255))), rel=1e-4
    )
    with pytest.raises(LedgerError, match="outside"):
        area_mean(picture(pixels), Mark(x=90, y=0, size=20), BARE)


def test_several_neutrals_are_balanced_together_and_each_measured():
    pixels = np.full((60, 120, 3), (150, 140, 120), np.uint8)
    pixels[:, 60:] = (150, 140, 130)
    marks = [{"x": 30, "y": 30}, {"x": 90, "y": 30}]
    step = Step(op="white_balance", params={"neutrals": marks})
    settled = settle(pictures.source(pixels), "t", [], step, ByteCache(1 << 24))
    left, right = casts(picture(pixels, [settled.model_dump(mode="json")]))
    alone = settle(
        pictures.source(pixels), "t", [], Step(op="white_balance", params={"neutrals": marks[:1]}), ByteCache(1 << 24)
    )
    assert casts(picture(pixels, [alone.model_dump(mode="json")]))[0] < 0.4
    assert 0.3 < left < 6
    assert 0.3 < right < 6


def test_settling_again_keeps_what_was_decided():
    """A ruler moved by hand stays where it was put, though there are marks."""
    pixels = np.full((60, 60, 3), (150, 140, 120), np.uint8)
    params = {"neutrals": [{"x": 30, "y": 30, "size": 24}], "temperature": 4000, "tint": 3}
    step = Step(op="white_balance", params=params)
    assert settle(pictures.source(pixels), "t", [], step, ByteCache(1 << 22)).params == params
    exposure = Step(op="exposure", params={"ev": 1})
    assert settle(pictures.source(pixels), "t", [], exposure, ByteCache(1 << 22)) == exposure


def test_a_neutral_is_measured_on_the_repaired_picture():
    pixels = np.full((200, 200, 3), (140, 140, 140), np.uint8)
    pixels[95:105, 95:105] = (200, 40, 40)
    stroke = {"points": [[100, 100, 1]], "size": 30, "hardness": 1}
    dab = Step.model_validate({"op": "dab", "mask": {"kind": "strokes", "strokes": [stroke]}})
    white = Step(op="white_balance", params={"neutrals": [{"x": 100, "y": 100, "size": 10}]})
    on_repaired = settle(pictures.source(pixels), "t", [dab], white, ByteCache(1 << 22)).params["temperature"]
    on_original = settle(pictures.source(pixels), "t", [], white, ByteCache(1 << 22)).params["temperature"]
    assert abs(on_repaired - 6507) < 60
    assert abs(on_original - 6507) > 500


def test_no_source_is_proposed_where_there_is_no_room():
    pixels = pictures.texture(40, 40)
    place = Box(2, 2, 38, 38)
    around = search_box(place, (40, 40))
    cover = np.ones((36, 36), np.float32)
    blocked = np.zeros((40, 40), bool)
    blocked[2:38, 2:38] = True
    assert propose_source(place, cover, blocked, around, lambda box: pixels[box.rows, box.columns]) is None


def test_a_proposed_source_lies_inside_and_clear_of_the_place():
    pixels = pictures.texture(400, 500, 2)
    size = (500, 400)
    for place in (Box(0, 0, 40, 30), Box(460, 370, 500, 400), Box(230, 180, 330, 210)):
        around = search_box(place, size)
        blocked = np.zeros((around.height, around.width), bool)
        inner = place.relative_to(around)
        blocked[inner.rows, inner.columns] = True
        cover = np.ones((place.height, place.width), np.float32)
        offset = propose_source(place, cover, blocked, around, lambda box: pixels[box.rows, box.columns])
        assert offset is not None
        moved = place.moved(*offset)
        assert Box(0, 0, *size).holds(moved)
        shared = moved.within(place)
        assert shared.empty or shared.width * shared.height < 0.1 * place.width * place.height
