"""What would fit a piece where it lies, corners that are found, made skies, and how text reads."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from skimage import data
from skimage.color import deltaE_ciede2000, rgb2lab

from fern_ticket.core.errors import LedgerError
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.pictures.profiles import srgb_decode, srgb_encode
from fern_ticket.core.pieces.corner_finding import corners_at, softness_of
from fern_ticket.core.pieces.edge_finding import straight_edges
from fern_ticket.core.pieces.likeness import likeness
from fern_ticket.core.pieces.matching import blur_to_match, grain_to_match, light_to_match
from fern_ticket.core.pieces.reading import contrast_on, contrast_ratio
from fern_ticket.core.pieces.skies import made_skies, opened_sky
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture
from tests import pictures


def opened(photo, *steps, others=None):
    sources = {name: pictures.source(np.ascontiguousarray(pixels)) for name, pixels in (others or {}).items()}
    return LedgerPicture(pictures.source(photo), "f", read_steps(list(steps)), ByteCache(1 << 27), sources.get)


@pytest.mark.parametrize(("stops", "photo"), [((-0.7, -0.5, -0.2), "coffee"), ((-0.3, -0.5, -0.4), "astronaut")])
def test_a_piece_of_another_exposure_and_cast_is_matched_to_where_it_was_taken_from(stops, photo):
    photo = np.ascontiguousarray(getattr(data, photo)()[:400, :500])
    other = np.round(255 * srgb_encode(np.clip(srgb_decode(photo / 255) * 2.0 ** np.array(stops), 0, 1)))
    disc = {"parts": [{"shape": {"kind": "round", "middle": [250, 190], "radii": [80, 80], "soft": 0.05}}]}
    params = {"picture": "o", "at": [250, 200], "scale": 1, "cover": disc}
    others = {"o": other.astype(np.uint8)}
    laid = opened(photo, {"id": "a", "op": "piece", "params": params}, others=others)
    found = laid.pieced.match("a")
    out = opened(photo, {"op": "piece", "params": {**params, **found}}, others=others).deliver(np.uint8)
    inside = np.s_[130:250, 190:310]

    def off(result):
        return deltaE_ciede2000(rgb2lab(result), rgb2lab(photo))[inside].mean()

    assert off(laid.deliver(np.uint8)) > 5
    assert off(out) < 2.5


def test_a_thing_on_another_ground_takes_its_light_by_means():
    own, below = np.full((90, 90, 3), 0.3, np.float32), np.full((90, 90, 3), 0.6, np.float32)
    own[::2] += 0.02
    share = np.zeros((90, 90), np.float32)
    share[30:60, 30:60] = 1
    found = light_to_match(own, below, share)
    assert found["exposure"] == pytest.approx(np.log2(srgb_decode(0.6) / srgb_decode(0.31)), abs=0.1)
    assert abs(found["warmth"]) < 2
    assert light_to_match(own, below, np.ones((90, 90), np.float32)) == {}


def test_grain_and_blur_are_those_that_it_lacks():
    chosen = np.random.default_rng(1)
    below = (0.5 + chosen.normal(0, 5 / 255, (160, 160, 1)) * np.ones(3)).astype(np.float32)
    own = np.full((160, 160, 3), 0.5, np.float32)
    inside = np.zeros((160, 160), bool)
    inside[30:130, 30:130] = True
    assert grain_to_match(own, below, inside, ~inside) == pytest.approx(5, abs=0.8)
    assert grain_to_match(below, below, inside, ~inside) < 1.5
    sharp = np.ascontiguousarray(data.astronaut()[:300, 100:400]).astype(np.float32) / 255
    soft = np.asarray(cv2.GaussianBlur(sharp, (0, 0), 1.6))
    inside = np.zeros((300, 300), bool)
    inside[60:240, 60:240] = True
    assert 0.9 < blur_to_match(sharp, soft, inside, ~inside) < 2.4
    assert blur_to_match(soft, sharp, inside, ~inside) == 0


@pytest.mark.parametrize("grain", [0, 4])
@pytest.mark.parametrize("filled", ["plain", "dim picture", "picture"])
def test_four_corners_are_found_where_one_clicks(grain, filled):
    four = np.array([[210, 120], [560, 170], [540, 430], [190, 400]], np.float32)
    scene = pictures.texture(600, 800, 5, (170, 160, 150)).astype(np.float32)
    screen = np.full((200, 300, 3), 40, np.float32)
    if filled != "plain":
        shown = cv2.resize(data.astronaut()[200:400, 100:400], (300, 200)).astype(np.float32)
        screen = shown * (0.3 if filled == "dim picture" else 1)
    own = np.array([[0, 0], [300, 0], [300, 200], [0, 200]], np.float32)
    plane = cv2.getPerspectiveTransform(own - 0.5, four - 0.5)
    laid = cv2.warpPerspective(screen, plane, (800, 600), flags=cv2.INTER_AREA)
    share = cv2.warpPerspective(np.ones((200, 300), np.float32), plane, (800, 600))[..., None]
    scene = cv2.GaussianBlur(scene + share * (laid - scene), (0, 0), 0.8)
    noisy = scene + np.random.default_rng(2).normal(0, grain, scene.shape)
    found = corners_at(np.clip(noisy, 0, 255).astype(np.uint8), (370, 280))
    assert found is not None
    assert np.abs(np.array(found) - four).max() < 2.5


@pytest.mark.parametrize("blur", [0.6, 1.5, 3.0])
def test_how_soft_an_edge_is(blur):
    """A step under a Gaussian: its height over its steepest slope is the deviation times the root of two pi."""
    grey = np.full((300, 400), 200, np.float32)
    grey[80:220, 100:300] = 60
    soft = cv2.GaussianBlur(grey, (0, 0), blur)
    four = np.array([[100, 80], [300, 80], [300, 220], [100, 220]], np.float64)
    assert softness_of(soft, four) == pytest.approx(blur * np.sqrt(2 * np.pi), rel=0.2)


def test_what_the_picture_cuts_off_ends_at_its_border():
    door = pictures.texture(600, 800, 4, (190, 186, 178))
    door[140:, 300:460] = pictures.texture(460, 160, 4, (112, 74, 52))
    # panels and a handle are no edges of the door
    door[200:340, 330:430] = door[200:340, 330:430] * 0.93
    door[380:392, 440:452] = 220
    found = corners_at(cv2.GaussianBlur(door, (0, 0), 0.8), (380, 420))
    assert found is not None
    assert np.abs(np.array(found) - [[300, 140], [460, 140], [460, 600], [300, 600]]).max() < 2.5


def test_nothing_of_four_sides_is_no_corners():
    assert corners_at(pictures.texture(300, 400, 1), (200, 150)) is None
    disc = np.full((300, 400, 3), 200, np.uint8)
    cv2.circle(disc, (200, 150), 70, (40, 40, 40), -1)
    assert corners_at(disc, (200, 150)) is None


@pytest.mark.parametrize("grain", [0, 4])
def test_edges_are_those_of_a_thing_to_a_pixel(grain):
    scene = pictures.texture(600, 800, 5, (170, 160, 150)).astype(np.float32)
    four = np.array([[210, 120], [560, 170], [540, 430], [190, 400]], np.float32)
    own = np.array([[0, 0], [300, 0], [300, 200], [0, 200]], np.float32)
    plane = cv2.getPerspectiveTransform(own - 0.5, four - 0.5)
    share = cv2.warpPerspective(np.ones((200, 300), np.float32), plane, (800, 600))[..., None]
    scene = cv2.GaussianBlur(scene + share * (55 - scene), (0, 0), 0.8) + np.random.default_rng(2).normal(
        0, grain, scene.shape
    )
    edges = np.array(straight_edges(np.clip(scene, 0, 255).astype(np.uint8)))
    for a, b in zip(four, np.roll(four, -1, axis=0), strict=True):
        way = (b - a) / np.hypot(*(b - a))
        off = [abs((edges[:, k] - a) @ [-way[1], way[0]]) for k in (slice(0, 2), slice(2, 4))]
        along = np.hypot(edges[:, 2] - edges[:, 0], edges[:, 3] - edges[:, 1])
        assert along[(off[0] < 1) & (off[1] < 1)].sum() > 0.6 * np.hypot(*(b - a))
    assert straight_edges(np.full((200, 300, 3), 120, np.uint8)) == []


def test_a_photo_tells_its_edges_and_where_its_sky_ends():
    rows = np.arange(800)[:, None, None]
    sky = np.array([150, 180, 225]) + 20 * rows / 800
    ground = pictures.texture(800, 1200, 4, (70, 85, 50)).astype(float)
    photo = np.where(rows < 460, np.broadcast_to(sky, ground.shape), ground).astype(np.uint8)
    picture = opened(photo)
    assert picture.horizon() == pytest.approx(460, abs=6)
    (x0, y0, x1, y1), *_ = picture.edges()
    assert [y0, y1] == pytest.approx([460, 460], abs=1)
    assert abs(x1 - x0) > 500
    assert opened(np.full((300, 400, 3), 90, np.uint8)).edges() == []
    assert opened(pictures.texture(300, 400, 2, (60, 50, 40))).horizon() is None


def test_skies_ship_and_open_like_any_picture():
    names = made_skies()
    assert len(names) >= 3
    ground = pictures.texture(120, 200, 2)
    half = {"parts": [{"shape": {"kind": "straight", "start": [0, 50], "end": [0, 52]}}]}
    step = {"op": "piece", "params": {"picture": names[0], "at": [100, 30], "scale": 0.06, "within": half}}
    out = opened(ground, step).deliver(np.uint8)
    assert np.array_equal(out[60:], ground[60:])
    assert out[5:40, 30:170, 2].mean() > out[5:40, 30:170, 0].mean() + 15
    with pytest.raises(LedgerError, match="no made sky"):
        opened_sky("sky:none")


def test_contrast_is_wcags():
    """Values that WCAG's understanding documents give: black on white 21, #777 on white 4.48, #767676 on white 4.54."""
    white = np.ones(3)
    assert contrast_ratio(np.zeros(3), white) == pytest.approx(21)
    assert contrast_ratio(np.full(3, 0x77 / 255), white) == pytest.approx(4.48, abs=0.005)
    assert contrast_ratio(np.full(3, 0x76 / 255), white) == pytest.approx(4.54, abs=0.005)
    below = np.ones((10, 10, 3), np.float32)
    below[:, 5:] = 0.5
    share = np.ones((10, 10), np.float32)
    assert contrast_on((0, 0, 0), below, share) < 6
    assert contrast_on((0, 0, 0), below, np.where(np.arange(10) < 5, share, 0)) == pytest.approx(21)
    assert contrast_on((0, 0, 0), below, 0 * share) == 1


def test_how_a_text_reads_is_told_for_its_step():
    ground = np.full((200, 300, 3), 255, np.uint8)
    text = {"id": "t", "op": "text", "params": {"text": "Fern", "size": 60, "colour": [119, 119, 119]}}
    assert opened(ground, text).pieced.contrast_of_text("t") == pytest.approx(4.48, abs=0.05)
    assert opened(ground, text).pieced.contrast_of_text("other") is None


# ---------------------------------------------------------------------------- where a piece belongs by what it shows


def paved(seed: int = 3, side: int = 700) -> np.ndarray:
    """Slabs that are alike, each with a few marks of its own, under grain."""
    random = np.random.default_rng(seed)
    ground = np.full((side, side, 3), (150, 140, 128), np.float32)
    for top in range(0, side, 70):
        for left in range(0, side, 100):
            cv2.rectangle(ground, (left, top), (left + 100, top + 70), (95, 90, 84), 3)
            tone = random.normal(0, 9)
            ground[top + 3 : top + 67, left + 3 : left + 97] += tone
            for _ in range(5):
                x, y = int(random.uniform(left + 8, left + 92)), int(random.uniform(top + 8, top + 62))
                cv2.circle(ground, (x, y), int(random.uniform(2, 6)), tuple(random.uniform(80, 190, 3)), -1)
    return ground


def shot_of(ground: np.ndarray, corners: list[list[float]], size: tuple[int, int]) -> np.ndarray:
    """Another shot of what lies inside four corners, darker, softer, with grain of its own."""
    width, height = size
    square = np.array([[0, 0], [width, 0], [width, height], [0, height]], np.float32)
    there = cv2.getPerspectiveTransform(np.array(corners, np.float32), square)
    # pixel corners at whole numbers, where the library has middles
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
    seen = cv2.warpPerspective(ground, np.linalg.inv(half) @ there @ half, size, flags=cv2.INTER_CUBIC)
    grain = np.random.default_rng(8).normal(0, 3, seen.shape)
    return np.clip(0.8 * cv2.GaussianBlur(seen, None, 0.8) + 12 + grain, 0, 255).astype(np.uint8)


@pytest.mark.parametrize(
    "corners",
    [
        [[150, 120], [560, 120], [560, 480], [150, 480]],
        [[180, 150], [520, 100], [600, 520], [120, 470]],
        [[500, 560], [140, 520], [190, 160], [540, 130]],
    ],
)
def test_a_shot_of_a_floor_finds_its_place_beside_what_stands_on_it(corners):
    ground = paved()
    piece = shot_of(ground, corners, (500, 420))
    with_stand = ground.copy()
    cv2.circle(with_stand, (350, 330), 90, (30, 30, 34), -1)
    grain = np.random.default_rng(5).normal(0, 3, ground.shape)
    found = likeness(piece, np.clip(with_stand + grain, 0, 255).astype(np.uint8))
    assert found is not None
    assert np.abs(np.array(found.corners) - corners).max() < 1.5
    assert found.error < 1
    # the shot's values were 0.8 of the ground's and 12 more: from dark joints to light marks, so much darker
    at = np.array([90.0, 190.0])
    darker = np.log2(srgb_decode(at / 255) / srgb_decode((0.8 * at + 12) / 255))
    assert all(darker.min() < stops < darker.max() for stops in found.stops)


def test_what_is_not_seen_below_finds_no_place():
    ground = np.clip(paved(3), 0, 255).astype(np.uint8)
    other = np.clip(paved(11), 0, 255).astype(np.uint8)[100:500, 100:600]
    assert likeness(np.ascontiguousarray(other), ground) is None
    assert likeness(np.full((300, 400, 3), 120, np.uint8), ground) is None
    assert likeness(np.asarray(pictures.noise(300, 400)), ground) is None
