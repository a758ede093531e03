"""Pieces laid on a photo: where they lie, what they leave alone, and what is under and above them."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from PIL import Image
from skimage import data

from fern_ticket.core.errors import LedgerError
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.pictures.profiles import srgb
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture, View
from fern_ticket.core.render.sheet_values import encoded, linear, relight
from tests import pictures

GROUND = pictures.texture(240, 320, 3, (120, 130, 140))
CHECKS = np.repeat(((np.indices((160, 200)) // 20).sum(axis=0) % 2 * 200 + 20)[..., None], 3, axis=2).astype(np.uint8)
OTHERS = {"checks": CHECKS, "person": np.ascontiguousarray(data.astronaut()[::2, ::2])}


def opened(*steps, ground=GROUND, cache=None, others=OTHERS):
    sources = {name: pictures.source(pixels) for name, pixels in others.items()}
    return LedgerPicture(
        pictures.source(ground), "p", read_steps(list(steps)), cache or ByteCache(1 << 27), sources.get
    )


def piece(picture="checks", **params):
    step = {key: params.pop(key) for key in ("id", "strength", "enabled") if key in params}
    return {"op": "piece", "params": {"picture": picture, **params}, **step}


def result(*steps, **more):
    return opened(*steps, **more).deliver(np.uint8)


def test_a_piece_at_whole_pixels_is_its_own_pixels_and_leaves_all_else():
    out = result(piece(at=[140, 110], scale=1))
    assert np.array_equal(out[30:190, 40:240], CHECKS)
    out[30:190, 40:240] = GROUND[30:190, 40:240]
    assert np.array_equal(out, GROUND)


def test_four_corners_place_it_as_opencv_does():
    """A checkerboard through four corners against OpenCV's own warp of its light: the crossings of both lie within a
    tenth of a pixel of each other, found in the same way."""
    corners = np.array([[40, 30], [262, 50], [240, 200], [60, 180]], np.float32)
    own = np.array([[0, 0], [200, 0], [200, 160], [0, 160]], np.float32)
    centred = cv2.getPerspectiveTransform(own - 0.5, corners - 0.5)
    theirs = cv2.warpPerspective(pictures.light(CHECKS), centred, (320, 240), flags=cv2.INTER_CUBIC)
    crossings = np.array([[[x, y] for x in range(40, 180, 20) for y in range(40, 140, 20)]], np.float32)
    about = cv2.perspectiveTransform(crossings - 0.5, centred)[0]
    criteria = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_MAX_ITER, 50, 1e-3)

    def found(light):
        grey = cv2.cvtColor(light, cv2.COLOR_RGB2GRAY)
        return cv2.cornerSubPix(grey, about[:, None].astype(np.float32).copy(), (4, 4), (-1, -1), criteria)[:, 0]

    ours = found(pictures.light(result(piece(corners=corners.tolist()))))
    assert np.abs(ours - found(theirs)).max() < 0.1
    assert np.abs(ours - about).max() < 0.15


def test_it_is_turned_mirrored_leaned_and_scaled_about_its_middle():
    def middle(**params):
        return result(piece("person", at=[160, 120], **params))

    own = OTHERS["person"]
    plain = middle(scale=0.5)
    across = middle(scale=0.5, mirror="across")
    box = np.s_[120 - 63 : 120 + 63, 160 - 63 : 160 + 63]
    assert np.array_equal(across[box], plain[box][:, ::-1])
    assert np.array_equal(middle(scale=0.5, mirror="down")[box], plain[box][::-1])
    quarter = middle(scale=0.5, turn=90)
    assert np.abs(quarter[box].astype(int) - np.rot90(plain[box], -1)).mean() < 2
    leaning = middle(scale=0.5, skew=20)
    assert (np.abs(leaning[60].astype(int) - GROUND[60]).max(axis=1) > 8).nonzero()[0].mean() > 160 + 15
    small = pictures.resized(own, (own.shape[1] // 4, own.shape[0] // 4), Image.Resampling.LANCZOS)
    seen = middle(scale=0.25)[120 - 32 : 120 + 32, 160 - 32 : 160 + 32]
    assert np.abs(seen.astype(int) - small)[2:-2, 2:-2].mean() < 4


def test_a_piece_with_a_horizon_is_placed_scaled_turned_and_mirrored_about_that():
    def lies(**params):
        picture = opened(piece(at=[160, 180], scale=0.5, horizon=0.75, **params))
        return np.array(picture.pieced.sheet_of(picture.plan.pieces[0].step.id).corners)

    # 100 by 80 pixels, three quarters of it above its place
    assert lies() == pytest.approx(np.array([[110, 120], [210, 120], [210, 200], [110, 200]]))
    assert lies(mirror="down") == pytest.approx(np.array([[110, 240], [210, 240], [210, 160], [110, 160]]))
    assert lies(turn=90)[0] == pytest.approx([220, 130])
    # leaning about it, what lies at it stays
    ends = lies(skew=20)
    assert 0.25 * ends[0] + 0.75 * ends[3] == pytest.approx([110, 180])


def test_opacity_strength_and_switch():
    own = result(piece(at=[140, 110], scale=1)).astype(int)
    for half in (piece(at=[140, 110], scale=1, opacity=0.5), piece(at=[140, 110], scale=1, strength=0.5)):
        assert np.abs(result(half) - (own + GROUND) / 2).max() <= 0.51
    assert np.array_equal(result(piece(at=[140, 110], scale=1, enabled=False)), GROUND)
    assert np.array_equal(result(piece(at=[140, 110], scale=1, opacity=0)), GROUND)


def test_a_blend_is_that_of_its_values():
    out = result(piece(at=[140, 110], scale=1, blend="multiply"))
    wanted = CHECKS / 255 * GROUND[30:190, 40:240]
    assert np.abs(out[30:190, 40:240] - wanted).max() <= 0.51


def test_covers_limit_what_of_it_is_laid_and_where():
    disc = {"parts": [{"shape": {"kind": "round", "middle": [100, 80], "radii": [50, 50], "soft": 0}}]}
    out = result(piece(at=[140, 110], scale=1, cover=disc))
    assert np.array_equal(out[30:50, 40:60], GROUND[30:50, 40:60])
    assert np.array_equal(out[100:120, 130:150], CHECKS[70:90, 90:110])
    left = {"parts": [{"shape": {"kind": "straight", "start": [139.9, 0], "end": [140.1, 0]}}]}
    out = result(piece(at=[140, 110], scale=1, within=left))
    assert np.array_equal(out[:, 142:], GROUND[:, 142:])
    assert np.array_equal(out[30:190, 40:138], CHECKS[:, :98])


def test_a_part_of_a_picture_is_placed_by_its_own_middle():
    out = result(piece(at=[140, 110], scale=1, part=[40, 20, 120, 80]))
    assert np.array_equal(out[80:140, 100:180], CHECKS[20:80, 40:120])
    out[80:140, 100:180] = GROUND[80:140, 100:180]
    assert np.array_equal(out, GROUND)
    with pytest.raises(LedgerError, match="ends to the right"):
        opened(piece(at=[140, 110], scale=1, part=[40, 20, 40, 80]))


def test_pieces_lie_on_one_another_in_their_order():
    one, other = piece(at=[140, 110], scale=1, id="a"), piece("person", at=[140, 110], scale=0.5, id="b")
    assert not np.array_equal(result(one, other), result(other, one))
    assert np.array_equal(result(other, one)[100, 140], CHECKS[70, 100])


def test_light_of_its_own_and_light_of_the_whole():
    own = result(piece(at=[140, 110], scale=1, steps=[{"op": "exposure", "params": {"ev": -1}}]))
    assert np.array_equal(own[:20], GROUND[:20])
    assert own[100, 60:200].mean() < 0.8 * CHECKS[70].mean()
    whole = result(piece(at=[140, 110], scale=1), {"op": "exposure", "params": {"ev": -1}})
    assert np.abs(whole[30:190, 40:240].astype(int) - own[30:190, 40:240]).max() <= 1
    assert whole[:20].mean() < GROUND[:20].mean() - 10
    with pytest.raises(LedgerError, match="Balance"):
        opened(piece(steps=[{"op": "crop", "params": {"ratio": "1:1"}}]))


def test_gains_are_stops_of_linear_light():
    flat = {"grey": np.full((100, 100, 3), 120, np.uint8)}
    out = result(piece("grey", at=[150, 110], scale=1, exposure=1, warmth=40, tint=30), others=flat)[110, 150] / 255
    linear = np.where(out <= 0.04045, out / 12.92, ((out + 0.055) / 1.055) ** 2.4)
    start = ((120 / 255 + 0.055) / 1.055) ** 2.4
    stops = np.log2(linear / start)
    assert stops == pytest.approx([1 + 0.2 + 0.1, 1 - 0.2, 1 - 0.2 + 0.1], abs=0.03)


def test_repairs_lie_under_the_pieces_or_above_them():
    mask = {"kind": "strokes", "strokes": [{"points": [[140, 110, 1]], "size": 30, "hardness": 1}]}
    clone = {"op": "clone", "params": {"source": {"dx": -110, "dy": 0}}, "mask": mask}
    under = result(clone, piece(at=[140, 110], scale=1))
    assert np.array_equal(under, result(piece(at=[140, 110], scale=1)))
    above = result(piece(at=[140, 110], scale=1), {**clone, "above": True})
    assert np.abs(above[110, 140].astype(int) - GROUND[110, 30]).max() <= 1
    # whatever their order in the ledger
    assert np.array_equal(above, result({**clone, "above": True}, piece(at=[140, 110], scale=1)))
    with pytest.raises(LedgerError, match="above the pieces"):
        opened({"op": "exposure", "params": {"ev": 1}, "above": True})


def test_a_piece_of_the_photo_itself_is_of_the_repaired_photo():
    photo = np.ascontiguousarray(data.astronaut()[:240, :320])
    corner = {"parts": [{"shape": {"kind": "outline", "points": [[0, 0], [80, 0], [80, 80], [0, 80]]}}]}
    out = result(piece("", at=[160 + 100, 120 + 60], scale=1, cover=corner), ground=photo)
    assert np.array_equal(out[60 + 4 : 140 - 4, 100 + 4 : 180 - 4], photo[4:76, 4:76])
    mask = {"kind": "strokes", "strokes": [{"points": [[40, 40, 1]], "size": 20, "hardness": 1}]}
    clone = {"op": "clone", "params": {"source": {"dx": 200, "dy": 100}}, "mask": mask}
    out = result(clone, piece("", at=[260, 180], scale=1, cover=corner), ground=photo)
    assert np.array_equal(out[100, 140], photo[140, 240])


def test_a_piece_of_the_photo_itself_stays_when_its_old_place_is_cleared():
    ground = GROUND.copy()
    ground[40:80, 40:80] = (230, 30, 30)
    square = {"kind": "outline", "points": [[40, 40], [80, 40], [80, 80], [40, 80]]}
    cut = piece("", part=[40, 40, 80, 80], at=[200, 160], scale=1, cover={"parts": [{"shape": square}]}, id="cut")
    clear = {"op": "clone", "params": {"source": {"dx": 100, "dy": 0}}, "mask": {**square, "feather": 0}}
    out = result(cut, clear, ground=ground)
    assert np.array_equal(out[164, 204], (230, 30, 30))
    assert np.array_equal(out[45:75, 45:75], ground[45:75, 145:175])
    # what is repaired before it is cut is in it
    assert not (result(clear, cut, ground=ground)[145:175, 185:215] == (230, 30, 30)).all(axis=2).any()


def test_frames_show_what_is_delivered_whatever_was_looked_at_before():
    cache = ByteCache(1 << 27)
    placed = [
        piece(at=[140, 110], scale=1, turn=17, softened=12, grain=3, blur=1.5, melt=70, id="a"),
        piece("person", at=[200, 140], scale=0.6, skew=10, contrast=20, lends=50, glass=30, blend="soft-light", id="b"),
    ]
    out = opened(*placed, cache=cache).deliver(np.uint8)
    opened(placed[0], cache=cache).view(View(0, 0, 1, 320, 240), (0, 0, 0), fine=True)
    seen = opened(*placed, cache=cache).view(View(60, 40, 1, 200, 160), (0, 0, 0), fine=True)
    assert np.abs(seen.astype(int) - out[40:200, 60:260]).max() <= 1
    assert np.array_equal(out, opened(*placed).deliver(np.uint8))


def test_a_small_view_is_the_small_picture():
    placed = piece("person", at=[150, 120], scale=0.8, turn=10)
    picture = opened(placed)
    small = picture.view(View(0, 0, 0.25, 80, 60), (0, 0, 0), fine=True)
    wanted = pictures.resized(picture.deliver(np.uint8), (80, 60), Image.Resampling.BOX)
    assert np.abs(small - wanted).mean() < 4


def test_melted_colours_are_those_along_the_rim():
    flat = {"grey": np.full((100, 100, 3), 90, np.uint8)}
    ground = np.full((240, 320, 3), 160, np.uint8)
    out = result(piece("grey", at=[150, 110], scale=1, melt=100), ground=ground, others=flat)
    assert np.abs(out.astype(int) - 160).max() <= 2
    half = result(piece("grey", at=[150, 110], scale=1, melt=50), ground=ground, others=flat)
    assert half[110, 150, 0] == pytest.approx(125, abs=2)


def test_grain_is_added_to_the_piece_alone_and_stands_still():
    flat = {"grey": np.full((100, 100, 3), 128, np.uint8)}
    out = result(piece("grey", at=[150, 110], scale=1, grain=6), others=flat)
    grain = out[65:155, 105:195].astype(float)
    assert grain.std() == pytest.approx(6, rel=0.1)
    assert abs(grain.mean() - 128) < 0.5
    assert np.array_equal(out[:50], GROUND[:50])
    moved = result(piece("grey", at=[151, 110], scale=1, grain=6), others=flat)
    assert np.array_equal(moved[65:155, 106:195], out[65:155, 106:195])


def test_light_is_lent_to_what_lies_beside():
    flat = {"warm": np.full((60, 320, 3), (230, 170, 110), np.uint8)}
    out = result(piece("warm", at=[160, 30], scale=1, lends=60), others=flat).astype(float)
    was = GROUND[100:].mean(axis=(0, 1))
    now = out[100:].mean(axis=(0, 1))
    assert now[0] / was[0] > 1.03
    assert now[2] / was[2] < 0.97


@pytest.mark.parametrize("space", [srgb(), pictures.wide_space()], ids=["sRGB", "wide"])
def test_light_is_multiplied_in_linear_srgb_whatever_the_photos_space(space):
    values = np.random.default_rng(3).integers(0, 65536, (120, 90, 3)).astype(np.uint16)
    factors = np.random.default_rng(4).uniform(0.4, 1.3, values.shape).astype(np.float32)
    factors[:40] = 1
    lit = linear(values / np.float32(65535), space) @ space.to_srgb.T * factors
    wanted = 65535 * encoded(lit @ np.linalg.inv(space.to_srgb).T, space)
    out = values.copy()
    relight(out, factors, space)
    assert np.array_equal(out[:40], values[:40]), "to the bit, where there is nothing to change"
    assert np.abs(out[40:] - wanted[40:]).max() <= 2


def test_a_black_piece_lends_its_dark_and_nothing_that_is_no_number():
    black = {"black": np.zeros((100, 320, 3), np.uint8)}
    with np.errstate(all="raise"):
        out = result(piece("black", at=[160, 30], scale=1, lends=60), others=black)
    assert (out[20:60, 100:200] == 0).all()
    assert 0 < out[200:].mean() < result(others=black)[200:].mean()


def test_corners_that_cross_are_refused_and_pieces_far_away_change_nothing():
    with pytest.raises(LedgerError, match="cross"):
        opened(piece(corners=[[0, 0], [100, 100], [100, 0], [0, 100]]))
    assert np.array_equal(result(piece(at=[9000, -9000], scale=1)), GROUND)


@pytest.mark.parametrize("size", [(1, 1), (1, 40)])
def test_the_smallest_pictures_can_be_laid(size):
    dot = {"dot": np.full((*size, 3), 250, np.uint8)}
    out = result(piece("dot", at=[160, 120], scale=30), others=dot)
    assert out[120, 160].min() >= 249


def test_a_wide_photo_takes_a_piece_in_its_own_space():
    """A grey that is laid on a photo of another profile comes out as that grey."""
    wide = pictures.source(np.full((80, 100, 3), 100, np.uint8), pictures.wide_space())
    grey = pictures.source(np.full((20, 20, 3), (200, 120, 60), np.uint8))
    steps = read_steps([piece("x", at=[50, 40], scale=1)])
    out = LedgerPicture(wide, "w", steps, ByteCache(1 << 26), lambda _: grey).deliver(np.uint8)
    assert np.abs(out[40, 50].astype(int) - (200, 120, 60)).max() <= 1


def test_the_outline_of_a_piece_lies_where_it_does():
    disc = {"parts": [{"shape": {"kind": "round", "middle": [100, 80], "radii": [40, 40], "soft": 0}}]}
    laid = opened(piece(id="a", at=[140, 110], scale=0.5, turn=30, cover=disc))
    (loop,) = laid.pieced.outlines_of("a")
    away = np.hypot(*(np.array(loop) - (140, 110)).T)
    assert away == pytest.approx(20, abs=0.6)
    (corners,) = opened(piece(id="a", at=[140, 110], scale=1)).pieced.outlines_of("a")
    assert np.allclose(corners, [[40, 30], [240, 30], [240, 190], [40, 190]])
    assert laid.pieced.outlines_of("b") == []


def test_what_lies_where_is_told_by_boxes():
    picture = opened(piece(at=[140, 110], scale=1))
    (box,) = picture.repaired.laid.values()
    assert box.within(Box(38, 28, 242, 192)) == box
