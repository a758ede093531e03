"""The frame: crops, angles, whole pixels."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest
from PIL import ExifTags, Image

from fern_ticket.core.errors import LedgerError
from fern_ticket.core.frame.corners import OPERATION as CORNERS
from fern_ticket.core.frame.corners import Corners
from fern_ticket.core.frame.geometry import FrameState, Rectangle, largest_inside
from fern_ticket.core.frame.straighten import angle_of_line
from fern_ticket.core.ledger.steps import Step, read_steps
from fern_ticket.core.pictures.exif import FULL_FRAME, focal_of
from fern_ticket.core.pictures.perspective import ratio_told
from fern_ticket.core.pictures.plane import mapped_corners, rotation
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture
from fern_ticket.core.settling import settle
from tests import pictures


def frame(steps, size=(4000, 3000)):
    from fern_ticket.core.render.plan import make_plan

    return make_plan(read_steps(steps), size).frame


def corners_in_source(of):
    w, h = of.size
    return (of.to_source @ np.array([[0, w, 0, w], [0, 0, h, h], [1, 1, 1, 1]], float))[:2]


@pytest.mark.parametrize(("width", "height"), [(300, 200), (200, 300), (1000, 90), (100, 100)])
@pytest.mark.parametrize("degrees", [0.2, 3, -17, 45])
def test_the_largest_rectangle_fits_and_none_larger_does(width, height, degrees):
    """Checked by brute force over all proportions, an argument of its own."""
    w, h = largest_inside(width, height, degrees)
    sin, cos = abs(np.sin(np.radians(degrees))), abs(np.cos(np.radians(degrees)))
    assert w * cos + h * sin <= width + 1e-6
    assert w * sin + h * cos <= height + 1e-6
    shape = np.geomspace(0.01, 100, 20001)
    scale = np.minimum(width / (cos + shape * sin), height / (sin + shape * cos))
    assert w * h == pytest.approx((scale * scale * shape).max(), rel=1e-3)


@pytest.mark.parametrize("angle", [-30, -4.2, 0, 0.5, 44])
@pytest.mark.parametrize("crop", [(0, 0, 4000, 3000), (3500, 2800, 900, 700), (-500, 1000, 3000, 2400)])
def test_no_crop_reaches_beyond_the_picture(angle, crop):
    params = dict(zip(("left", "top", "width", "height"), crop, strict=True))
    result = frame([{"op": "straighten", "params": {"angle": angle}}, {"op": "crop", "params": params}])
    x, y = corners_in_source(result)
    assert (x.min() >= -1, x.max() <= 4001) == (True, True)
    assert (y.min() >= -1, y.max() <= 3001) == (True, True)
    assert result.size[0] / result.size[1] == pytest.approx(crop[2] / crop[3], rel=0.01)


def test_a_crop_stays_on_its_subject_when_it_is_pushed_in_only_as_far_as_needed():
    inside = frame([{"op": "crop", "params": {"left": 100, "top": 200, "width": 800, "height": 1000}}])
    assert (inside.rectangle.left, inside.rectangle.top) == (100, 200)
    pushed = frame([{"op": "crop", "params": {"left": 3600, "top": 200, "width": 800, "height": 1000}}])
    assert (pushed.rectangle.left, pushed.rectangle.top) == (3200, 200)
    assert pushed.size == (800, 1000)


def test_the_long_side_is_exact_and_the_other_side_follows():
    crop = {"op": "crop", "params": {"left": 0, "top": 0, "width": 2400, "height": 3000}}
    result = frame([crop, {"op": "output_size", "params": {"long_side": 900}}])
    assert result.size == (720, 900)
    small = frame([crop, {"op": "output_size", "params": {"long_side": 3600}}])
    assert small.size == (2400, 3000)
    assert not small.enlarged
    asked = frame([crop, {"op": "output_size", "params": {"long_side": 3600, "enlarge": True}}])
    assert asked.size == (2880, 3600)
    assert asked.enlarged


def test_turning_takes_the_crop_along():
    pixels = pictures.noise(90, 140)
    crop = {"op": "crop", "params": {"left": 20, "top": 10, "width": 60, "height": 40}}
    for quarters in (1, 2, 3):
        turn = {"op": "turn", "params": {"quarters": quarters, "mirror": quarters == 2}}
        steps = read_steps([crop, turn])
        result = LedgerPicture(pictures.source(pixels), "t", steps, ByteCache(1 << 22)).deliver(np.uint8)
        expected = np.rot90(pixels[10:50, 20:80], -quarters)
        assert np.array_equal(result, expected[:, ::-1] if quarters == 2 else expected)


@pytest.mark.parametrize(
    ("end", "turn"),
    [((100, 0), 0), ((100, 3), -1.718), ((-100, -3), -1.718), ((3, 100), 1.718), ((-2, -100), 1.146)],
)
def test_a_drawn_line_becomes_level_or_upright_whichever_is_nearer(end, turn):
    assert angle_of_line((0, 0), end) == pytest.approx(turn, abs=1e-3)
    straight = rotation(turn)[:2, :2] @ np.array(end, float)
    assert min(abs(straight)) == pytest.approx(0, abs=1e-2)


def test_a_line_too_short_to_say_is_refused():
    with pytest.raises(LedgerError, match="too short"):
        angle_of_line((10, 10), (12, 13))


@pytest.mark.parametrize("mirror", [False, True])
@pytest.mark.parametrize("degrees", [-3.1, 1.7])
def test_a_line_along_a_rendered_edge_levels_it(degrees, mirror):
    """The edge of a rendered picture is found again after straightening, by its own gradient."""
    pixels = pictures.edge(400, 600, degrees)
    slope = np.tan(np.radians(degrees))
    line = [[50.0, 200 - 250 * slope], [550.0, 200 + 250 * slope]]
    before = [Step(op="turn", params={"mirror": mirror})]
    source = pictures.source(pixels)
    step = settle(source, "t", before, Step(op="straighten", params={"line": line}), ByteCache(1 << 22))
    assert step.params["angle"] == pytest.approx(degrees if mirror else -degrees, abs=0.01)
    result = LedgerPicture(source, "t", [*before, step], ByteCache(1 << 22)).deliver(np.uint8).astype(float)[..., 0]
    left, right = ((255 - result[:, x]).sum() for x in (20, -20))
    assert left == pytest.approx(right, rel=0.003)


def test_turned_coordinates_name_the_same_source_pixels():
    state = FrameState.whole((400, 300)).quarter(1)
    assert (state.width, state.height) == (300, 400)
    corner = state.turned_to_source @ np.array([300, 0, 1])
    assert np.allclose(corner[:2], (0, 0))
    assert FrameState.whole((400, 300)).quarter(4).turned_to_source == pytest.approx(np.eye(3))
    box = FrameState(400, 300, np.eye(3), crop=Rectangle(10, 20, 30, 40)).flipped(across=False).crop
    assert box == Rectangle(10, 240, 30, 40)


# --------------------------------------------------------------------------------------------------- square up


def photographed(ratio: float, tilt: tuple[float, float, float], focal: float = 1400.0) -> np.ndarray:
    """Corners, shape (4, 2), of a rectangle of a ratio before a pinhole camera of 2000 × 1500 pixels."""
    flat = np.array([[-ratio, -1, 0], [ratio, -1, 0], [ratio, 1, 0], [-ratio, 1, 0]], float)
    turn, _ = cv2.Rodrigues(np.radians(tilt))
    camera = np.array([[focal, 0, 1000], [0, focal, 750], [0, 0, 1]])
    points, _ = cv2.projectPoints(flat, turn, np.array([0.1, -0.1, 4.5]), camera, None)
    return points.reshape(4, 2)


@pytest.mark.parametrize("ratio", [0.5, 1.0, 1.5, 16 / 9])
@pytest.mark.parametrize("tilt", [(25, 10, 3), (-15, 30, 0), (10, -20, -8)])
def test_the_true_ratio_follows_from_the_perspective(ratio, tilt):
    """Against OpenCV's pinhole camera. Side lengths alone are off by several per cent."""
    told = ratio_told(photographed(ratio, tilt), (2000, 1500), None)
    assert told.told_by == "perspective"
    assert told.value == pytest.approx(ratio, rel=1e-6)


def test_with_no_perspective_the_sides_say_the_ratio():
    leaning = np.array([[100, 100], [500, 120], [490, 320], [90, 300]], float)
    assert ratio_told(leaning, (600, 400), None).value == pytest.approx(2, rel=0.01)
    upright = np.array([[100.0, 100], [500, 100], [500, 300], [100, 300]])
    assert ratio_told(upright, (600, 400), None).value == pytest.approx(2)


@pytest.mark.parametrize("ratio", [0.5, 1.5, 16 / 9])
@pytest.mark.parametrize("tilt", [(20, 0, 0), (0, -25, 0), (25, 10, 3)])
def test_a_known_lens_tells_the_ratio_where_a_pair_of_sides_stays_parallel_too(ratio, tilt):
    """A front from below: its verticals meet, its courses do not, and the sides alone are off by a tenth."""
    told = ratio_told(photographed(ratio, tilt), (2000, 1500), 1400.0)
    assert told.told_by == "lens"
    assert told.value == pytest.approx(ratio, rel=1e-6)
    assert told.off < 0.02


def test_what_was_photographed_straight_has_the_ratio_of_its_sides():
    told = ratio_told(np.array([[100.0, 100], [1300, 100], [1300, 900], [100, 900]]), (2000, 1500), None)
    assert told.value == pytest.approx(1.5, rel=1e-6)
    assert 0 < told.off < 0.01


@pytest.mark.parametrize("ratio", [0.7, 1.5])
@pytest.mark.parametrize("millimetres", [24, 35, 50, 60])
@pytest.mark.parametrize("tilt", [(20, 0, 0), (0, -25, 0)])
def test_without_a_lens_a_usual_one_is_assumed_and_how_far_that_may_be_off_is_told(ratio, millimetres, tilt):
    corners = photographed(ratio, tilt, millimetres / FULL_FRAME * 2500)
    told = ratio_told(corners, (2000, 1500), None)
    assert told.told_by == "assumed lens"
    assert abs(told.value / ratio - 1) <= told.off + 1e-6
    assert 0.005 < told.off < 0.4


def test_a_strong_perspective_tells_more_than_an_assumed_lens():
    rng = np.random.default_rng(3)
    for tilt in ((35, 30, 4), (-30, 35, 0)):
        corners = photographed(1.5, tilt)
        told = ratio_told(corners, (2000, 1500), None)
        assert told.told_by == "perspective"
        assert told.value == pytest.approx(1.5, rel=1e-6)
        off = [ratio_told(corners + rng.normal(0, 1, (4, 2)), (2000, 1500), None).value / 1.5 - 1 for _ in range(60)]
        assert np.std(off) == pytest.approx(told.off, rel=0.4)


def exif_of(**said) -> bytes:
    exif = Image.Exif()
    exif.get_ifd(0x8769).update({getattr(ExifTags.Base, name): value for name, value in said.items()})
    return exif.tobytes()


def test_the_focal_length_is_what_the_camera_says():
    """Of 35 mm on 36 × 24: as many pixels as 35 / 36 of the long side, where the sides are 3:2."""
    size = (6000, 4000)
    assert focal_of(exif_of(FocalLengthIn35mmFilm=35), size) == pytest.approx(6000 * 35 / 36, rel=1e-3)
    assert focal_of(exif_of(FocalLengthIn35mmFilm=35), (4000, 6000)) == pytest.approx(6000 * 35 / 36, rel=1e-3)
    sensor = {"FocalLength": 50.0, "FocalPlaneXResolution": 4000.0, "FocalPlaneResolutionUnit": 3}
    assert focal_of(exif_of(**sensor), size) == pytest.approx(50 * 400)
    assert focal_of(exif_of(FocalLengthIn35mmFilm=35, ExifImageWidth=6000), size) is not None
    assert focal_of(exif_of(FocalLengthIn35mmFilm=35, ExifImageWidth=6000), (5000, 4000)) is None  # cropped since
    for nothing in (b"", b"Exif\0\0junk", exif_of(FocalLengthIn35mmFilm=0), exif_of(FocalLength=50.0)):
        assert focal_of(nothing, size) is None


def squared(corners, **more) -> FrameState:
    params = Corners.model_validate({"corners": [tuple(corner) for corner in np.asarray(corners).tolist()], **more})
    state = FrameState.whole((2000, 1500))
    return CORNERS.apply(state, CORNERS.settle(state, params), 1.0)


def test_corners_become_the_corners_of_the_result():
    corners = photographed(1.5, (20, -15, 4))
    state = squared(corners)
    assert state.width / state.height == pytest.approx(1.5, abs=0.002)
    assert (
        pytest.approx(corners[[0, 1, 3, 2]], abs=1e-2)
        == mapped_corners(state.level_to_source, (state.width, state.height)).T
    )
    frame = replace(state, angle=1.0).finished()
    inside = mapped_corners(frame.to_source, frame.size)
    assert cv2.pointPolygonTest(corners.astype(np.float32), inside[:, 0].tolist(), False) >= 0


def test_corners_that_cross_are_refused():
    corners = photographed(1.5, (20, -15, 4))
    for order in ([1, 0, 2, 3], [3, 2, 1, 0], [0, 0, 2, 3]):
        with pytest.raises(LedgerError, match="corner"):
            squared(corners[order])


def test_after_a_quarter_turn_the_first_corner_is_upper_left_as_it_lies():
    corners = photographed(1.5, (20, -15, 4))
    state = FrameState.whole((2000, 1500)).quarter(1)
    params = Corners.model_validate({"corners": corners[[3, 0, 1, 2]].tolist()})
    turned = CORNERS.apply(state, CORNERS.settle(state, params), 1.0)
    assert turned.width / turned.height == pytest.approx(1 / 1.5, abs=0.002)
