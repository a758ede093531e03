"""What is shown to judge by: lamps, print sizes, the histogram, and hues picked in the picture."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from skimage import data

from fern_ticket.core.balance.hue_bands import HueBands, settle
from fern_ticket.core.errors import LedgerError
from fern_ticket.core.frame.prints import prints_of
from fern_ticket.core.inspect import lamps
from fern_ticket.core.inspect.lamps import lit, plain, repeats_of
from fern_ticket.core.inspect.measures import histogram
from fern_ticket.core.inspect.repeats import copied, features_of, repeats
from fern_ticket.core.ledger.changes import move
from fern_ticket.core.ledger.steps import Step, read_steps
from fern_ticket.core.pictures.decode import Decoded
from fern_ticket.core.pictures.profiles import srgb, srgb_decode
from fern_ticket.core.pictures.pyramid import ArraySource
from fern_ticket.core.recipes import laid, portable
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture, View
from fern_ticket.core.render.shown import FlatShown
from tests import pictures


def grey(value: int, rows: int = 60, columns: int = 80) -> np.ndarray:
    return np.full((rows, columns, 3), value, np.uint8)


def test_the_cast_lamp_shows_a_cast_that_the_eye_misses():
    frame = grey(180)
    frame[..., 2] = 176
    colour = plain("cast", frame)
    assert colour[0, 0, 0] - colour[0, 0, 2] == 20
    assert (plain("cast", grey(180)) == 180).all()


def test_the_speck_lamp_shows_a_speck_on_plain_and_on_rough_ground_alike():
    rng = np.random.default_rng(3)
    rough = np.clip(150 + rng.normal(0, 6, (120, 120, 1)), 0, 255).astype(np.uint8).repeat(3, axis=2)
    for ground, depth in ((grey(150, 120, 120), 8), (rough, 30)):
        frame = ground.copy()
        frame[58:62, 58:62] -= depth
        shown = plain("speck", frame).astype(int)
        assert shown[60, 60, 0] < 70
        assert np.abs(shown[:30, :30] - 128).mean() < 35


def test_the_clip_lamp_paints_only_what_has_no_texture():
    frame = grey(100)
    frame[:10] = 255
    frame[10:20] = (255, 200, 200)
    frame[20:30] = 0
    shown = plain("clip", frame)
    assert (shown[0] == shown[15]).all()
    assert shown[0, 0, 0] > 200
    assert shown[25, 0, 2] > shown[25, 0, 0]
    assert np.ptp(shown[40, 0].astype(int)) == 0


@pytest.mark.parametrize(
    ("size", "first"),
    [
        ((3600, 2400), (6, 4, 600)),
        ((2400, 3600), (4, 6, 600)),
        ((3000, 3000), (8, 8, 375)),
        ((7200, 2400), (36, 12, 200)),
        ((3500, 2500), (7, 5, 500)),
    ],
)
def test_prints_that_a_ratio_serves(size, first):
    served = prints_of(*size)
    assert (served[0].across, served[0].down, served[0].ppi) == first


def test_an_odd_ratio_serves_no_print():
    assert prints_of(3000, 1111) == []


def test_the_histogram_counts_delivered_values():
    planes = srgb_decode(np.array([[[0.0, 0.502]], [[1.0, 1.2]], [[0.25, -0.1]]], np.float32)).astype(np.float32)
    red, green, blue = histogram(planes)
    assert red[0] == 1
    assert red[128] == 1
    assert green[255] == 2
    assert blue[64] == 1
    assert blue[0] == 1
    every = np.arange(256) / 255
    assert histogram(srgb_decode(np.tile(every, (3, 1, 1))).astype(np.float32)) == [[1] * 256] * 3


def test_a_hue_is_measured_at_its_mark_and_a_grey_is_refused():
    params = HueBands.model_validate({"bands": [{"mark": {"x": 5, "y": 5}, "saturation": 20}, {"hue": 10}]})
    settled = settle(params, lambda _: srgb_decode(np.array([0.2, 0.6, 0.2])))
    assert [band.hue for band in settled.bands] == [120, 10]
    with pytest.raises(LedgerError, match="grey"):
        settle(params, lambda _: np.array([0.2, 0.2, 0.2]))


STEPS = read_steps(
    [
        {"id": "a", "op": "white_balance", "params": {"temperature": 5000, "neutrals": [{"x": 1, "y": 1}]}},
        {"id": "b", "op": "exposure", "params": {"ev": 0.5}},
        {"id": "c", "op": "straighten", "params": {"angle": 1.5, "line": [[0, 0], [100, 3]]}},
        {"id": "d", "op": "hue_bands", "params": {"bands": [{"hue": 90, "mark": {"x": 3, "y": 3}}]}},
    ]
)


def test_a_step_moves_and_the_others_keep_their_order():
    assert [step.id for step in move(STEPS, "b", "a")] == ["b", "a", "c", "d"]
    assert [step.id for step in move(STEPS, "a", None)] == ["b", "c", "d", "a"]
    with pytest.raises(LedgerError):
        move(STEPS, "x", None)


def test_a_step_for_another_photo_keeps_values_and_loses_places():
    white, light, turn, hues = (portable(step).params for step in STEPS)
    assert white["temperature"] == 5000
    assert not white["neutrals"]
    assert light == {"ev": 0.5}
    assert turn == {"angle": 1.5}
    assert hues["bands"][0]["hue"] == 90
    assert "mark" not in hues["bands"][0]
    assert {portable(step).id for step in STEPS}.isdisjoint({"a", "b", "c", "d"})


def test_laid_steps_take_the_place_of_their_kind_and_repairs_are_added():
    mask = {"kind": "strokes", "strokes": [{"points": [[50, 50, 1]], "size": 20}]}
    own = read_steps([{"id": "own", "op": "exposure", "params": {"ev": -1}}, {"id": "dab", "op": "dab", "mask": mask}])
    added = read_steps(
        [
            {"op": "dab", "mask": mask},
            {"op": "exposure", "params": {"ev": 2}},
            {"op": "white_balance", "params": {"temperature": 4000}},
        ]
    )
    result = laid(own, added)
    assert [step.op for step in result].count("dab") == 2
    light: Step = next(step for step in result if step.op == "exposure")
    assert light.id == "own"
    assert light.params["ev"] == 2
    ops = [step.op for step in result]
    assert ops.index("white_balance") < ops.index("exposure")


def picture_of(pixels, steps):
    source = ArraySource(Decoded(pixels, srgb(), "PNG", b""))
    return LedgerPicture(source, "lamp", read_steps(steps), ByteCache(1 << 25))


def test_the_mask_lamp_lights_what_was_repaired_only():
    mask = {"kind": "strokes", "strokes": [{"points": [[200, 150, 1]], "size": 60, "hardness": 1}]}
    made = picture_of(pictures.texture(300, 400), [{"op": "dab", "mask": mask}])
    view = View(0, 0, 0.5, 200, 150)
    frame = made.view(view, (0, 0, 0), fine=True)
    shown = lit("mask", FlatShown(made, view), frame)
    assert np.abs(shown[75, 100].astype(int) - frame[75, 100]).max() <= 1
    assert shown[20, 20].max() < 0.5 * frame[20, 20].max() + 2
    assert made.coverage(view).sum() == pytest.approx(np.pi * 15**2, rel=0.1)


def test_a_pasted_copy_is_found_and_linked():
    ground = pictures.texture(300, 420)
    clone = {
        "op": "clone",
        "params": {"source": {"dx": -220, "dy": -140}},
        "mask": {"kind": "outline", "points": [[280, 180], [380, 180], [380, 270], [280, 270]]},
    }
    made = picture_of(ground, [clone])
    found = repeats(cv2.cvtColor(made.deliver(np.uint8), cv2.COLOR_RGB2GRAY))
    assert found[0].features >= 3
    shift = np.subtract(found[0].other, found[0].one)
    assert shift == pytest.approx((220, 140), abs=2)
    view = View(0, 0, 0.5, 210, 150)
    frame = made.view(view, (0, 0, 0), fine=True)
    linked = lit("repeat", FlatShown(made, view), frame).astype(int)
    between = linked[69:85, 104:116]  # half way from (55, 42) to (165, 112)
    assert np.ptp(between, axis=2).max() > 60


def test_only_what_changed_is_looked_at_anew_and_finds_what_a_look_at_all_finds(monkeypatch):
    ground = pictures.texture(640, 900, 4)

    def clone(name, x, y, dx, dy):
        corners = [[x, y], [x + 90, y], [x + 90, y + 80], [x, y + 80]]
        place = {"kind": "outline", "points": corners}
        return {"id": name, "op": "clone", "params": {"source": {"dx": dx, "dy": dy}}, "mask": place}

    steps, cache, source = [], ByteCache(1 << 28), pictures.source(ground)
    seen = []
    monkeypatch.setattr(lamps, "features_of", lambda grey: seen.append(grey.size) or features_of(grey))
    for step in (clone("a", 100, 100, 400, 260), clone("b", 650, 420, -300, -330), clone("c", 380, 480, 250, -300)):
        steps.append(step)
        seen.clear()
        found = lamps.repeats_of(LedgerPicture(source, "t", read_steps(steps), cache))
        assert sum(seen) < 0.4 * 640 * 900 or len(steps) == 1
        with monkeypatch.context() as whole:
            whole.setattr(lamps, "_MUCH", 0)
            of_all = lamps.repeats_of(LedgerPicture(source, "t", read_steps(steps), ByteCache(1 << 28)))
        shifts = [np.subtract(*sorted([one.one, one.other])) for one in found]
        of_all = [np.subtract(*sorted([one.one, one.other])) for one in of_all]
        assert len({tuple(np.round(shift / 20)) for shift in shifts}) == len(steps)
        for some, others in ((shifts, of_all), (of_all, shifts)):
            assert all(min(np.abs(shift - other).max() for other in others) < 3 for shift in some)
    assert lamps.repeats_of(LedgerPicture(source, "t", [], cache)) == []


@pytest.mark.parametrize("name", ["astronaut", "chelsea", "coffee", "rocket", "camera"])
def test_pictures_without_copies_have_none(name):
    """scikit-image's own pictures, as they come."""
    picture = getattr(data, name)()
    grey = picture if picture.ndim == 2 else cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY)
    assert repeats(grey) == []


@pytest.mark.parametrize(
    ("ground", "side", "counted"), [("brick", 60, False), ("brick", 110, True), ("gravel", 60, True)]
)
def test_a_small_part_that_stands_twice_on_a_wall_is_the_walls_own(ground, side, counted):
    """scikit-image's own pictures; what is laid on the wall fits its courses."""
    grey = getattr(data, ground)().copy()
    x, y = 250, 250
    part = grey[y : y + side, x : x + side].copy()
    fits = cv2.matchTemplate(grey, part, cv2.TM_CCOEFF_NORMED)
    cv2.rectangle(fits, (x - 150, y - 150), (x + 150, y + 150), -1, cv2.FILLED)
    u, v = cv2.minMaxLoc(fits)[3]
    grey[v : v + side, u : u + side] = part
    found = repeats(grey)
    shifts = [np.abs(np.abs(np.subtract(one.other, one.one)) - np.abs((u - x, v - y))).max() for one in found]
    assert min(shifts) < 3
    assert any(one in copied(grey, found) for one, off in zip(found, shifts, strict=True) if off < 3) == counted


def test_the_level_lamp_marks_true_lines_thin_and_hanging_ones_thick():
    ground = grey(60, 300, 400)
    ground[:, 200:] = 190
    turn = cv2.getRotationMatrix2D((200, 150), 2.5, 1)
    lean = cv2.warpAffine(ground, turn, (400, 300), borderMode=cv2.BORDER_REPLICATE)
    marked = []
    for pixels in (ground, lean):
        made, view = picture_of(pixels, []), View(-20, -20, 1.0, 440, 340)
        shown = lit("level", FlatShown(made, view), made.view(view, (119, 119, 119), fine=True)).astype(int)
        colourful = np.ptp(shown, axis=2) > 40
        assert not colourful[:, :30].any()  # the picture's own sides are not marked
        marked.append(int(colourful[160:180].sum()))
    assert 0 < marked[0] < marked[1] * 0.75


def test_what_is_seen_in_another_light_alone_repeats_nothing():
    """A fur that has hairs alike, in the light that a warm sheet at its upper edge lends to it."""
    fur = data.chelsea()
    warm = pictures.source(np.full((fur.shape[0] // 8, fur.shape[1], 3), (230, 170, 110), np.uint8))
    at = [fur.shape[1] / 2, fur.shape[0] / 16]
    sheet = {"op": "piece", "params": {"picture": "warm", "at": at, "scale": 1, "lends": 60}}
    warmer = LedgerPicture(pictures.source(fur), "p", read_steps([sheet]), ByteCache(1 << 27), {"warm": warm}.get)
    assert repeats_of(warmer) == []
