"""Resampling and healing against published sources and the libraries that implement them."""

from __future__ import annotations

import math
from pathlib import Path

import cv2
import numpy as np
import pytest
from PIL import Image
from scipy.sparse import coo_matrix
from scipy.sparse.linalg import spsolve
from skimage.color import deltaE_ciede2000, rgb2lab

from fern_ticket.core.clean.healing import heal_place
from fern_ticket.core.clean.membrane import fill_membrane
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.pictures.averaging import halved, tone_of
from fern_ticket.core.pictures.plane import rotation, scaling, translation
from fern_ticket.core.pictures.profiles import srgb, srgb_decode, srgb_encode
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture, View
from fern_ticket.core.render.resample import _CUBIC, _cubic, _turned, _upright, resample, sinc_weights
from tests import pictures

DEMO = Path(__file__).parents[2] / "demo" / "pictures"


def photo() -> np.ndarray:
    from skimage.data import chelsea

    return chelsea()


@pytest.mark.parametrize("size", [(225, 150), (300, 199), (101, 77), (451, 300), (900, 600)])
def test_upright_resampling_is_pillow_s_lanczos_of_light(size):
    """On scikit-image's `chelsea`."""
    pixels = photo()
    rows, columns = pixels.shape[:2]
    to_box = np.diag([columns / size[0], rows / size[1], 1.0])
    ours = _upright(pixels, to_box, size, tone_of(srgb(), pixels.dtype)) / 257
    assert np.abs(ours - pictures.resized(pixels, size, Image.Resampling.LANCZOS)).max() < 0.05


@pytest.mark.parametrize("angle", [0, 4])
@pytest.mark.parametrize("times", [3, 4, 6, 8])
def test_what_is_too_fine_for_a_reduced_delivery_leaves_no_more_than_in_pillow_s(times, angle):
    """Rings that grow finer outward look the same turned by any angle: those that the result cannot hold are to be
    grey. Pillow's LANCZOS lets 6 to 7 per cent of those just beyond through."""
    side = 1440
    y, x = np.mgrid[:side, :side] - side / 2 + 0.5
    rings = 128 + 100 * np.cos(np.pi * (x * x + y * y) / (2 * side))
    pixels = np.repeat(rings[..., None], 3, axis=2).astype(np.uint8)
    steps = [
        {"op": "straighten", "params": {"angle": angle}},
        {"op": "output_size", "params": {"long_side": side // times}},
    ]
    picture = LedgerPicture(pictures.source(pixels), "rings", read_steps(steps), ByteCache(1 << 27))
    pillow = pictures.resized(pixels, (side // times, side // times), Image.Resampling.LANCZOS)

    def ripple(result, scale, low, high):
        rows, columns = result.shape[:2]
        down, across = np.mgrid[:rows, :columns]
        away = np.hypot(across - columns / 2 + 0.5, down - rows / 2 + 0.5) * scale
        cycles = away / (2 * side) * scale
        return float(result[..., 1][(cycles > low) & (cycles < high)].std())

    ours = picture.deliver(np.uint8)
    scale = picture.plan.frame.crop_size[0] / ours.shape[1]
    assert ripple(ours, scale, 0.62, 0.7) < 1.2 * ripple(pillow, times, 0.62, 0.7)
    assert ripple(ours, scale, 0.1, 0.3) == pytest.approx(ripple(pillow, times, 0.1, 0.3), rel=0.03)


def test_halving_is_pillow_s_box_of_light():
    """Pillow's BOX at half size, of light; the pyramid's rule."""
    pixels = photo()[:300, :450]
    for own in (pixels, pixels.astype(np.uint16) * 257):
        ours = halved(own, srgb()) / (np.iinfo(own.dtype).max / 255)
        off = np.abs(ours - pictures.resized(pixels, (225, 150), Image.Resampling.BOX)).max()
        assert off < (0.52 if own is pixels else 0.01)


@pytest.mark.parametrize("angle", [0, 3])
@pytest.mark.parametrize("times", [1.7, 2, 3, 8])
def test_a_fine_pattern_stays_as_light_as_it_was(times, angle):
    """Half of all pixels white, half black: half the light, 188 of 255, delivered, in a frame and on the pyramid."""
    pixels = np.zeros((480, 720, 3), np.uint8)
    pixels[::2, ::2] = pixels[1::2, 1::2] = 255
    side = round(720 / times)
    turned = [{"op": "straighten", "params": {"angle": angle}}]
    picture = LedgerPicture(pictures.source(pixels), "fine", read_steps(turned), ByteCache(1 << 27))
    steps = read_steps([*turned, {"op": "output_size", "params": {"long_side": side}}])
    delivered = LedgerPicture(pictures.source(pixels), "fine", steps, ByteCache(1 << 27)).deliver(np.uint8)
    seen = picture.view(View(0, 0, 1 / times, side, round(480 / times)), (0, 0, 0), fine=True)
    for result in (delivered, seen):
        middle = result[len(result) // 4 : 3 * len(result) // 4, result.shape[1] // 4 : 3 * result.shape[1] // 4]
        assert middle.mean() == pytest.approx(188, abs=1.5)


@pytest.mark.parametrize("angle", [0, 2])
@pytest.mark.parametrize("scale", [0.29, 0.4, 0.5])
def test_a_frame_is_what_is_delivered_at_its_size(scale, angle):
    """A hedge of fine leaves, that no lens has softened: CIEDE2000 of the frame and of the best filter's result."""
    hedge = cv2.imread(str(DEMO / "quay-cottage.jpg"))[900:1700, 2000:3200, ::-1].copy()
    source = pictures.source(hedge)
    to_source = rotation(math.radians(angle)) @ scaling(1 / scale, 1 / scale)
    size = (round(1150 * scale), round(740 * scale))
    frame, best = (
        resample(source, translation(30, 0) @ to_source, size, fine=True, delivered=delivered) / 65535
        for delivered in (False, True)
    )
    off = deltaE_ciede2000(rgb2lab(frame), rgb2lab(best))
    assert off.mean() < 0.5
    assert np.quantile(off, 0.99) < 3


def test_sinc_weights_are_a_partition_and_stay_inside():
    for scale, shift, length in (
        (0.37, 0.2, 90),
        (1.0, 0.0, 64),
        (3.3, -1.1, 200),
        (-2.0, 100.0, 50),
        (1, -40, 20),
    ):
        first, weight = sinc_weights(30, scale, shift, length)
        assert np.allclose(weight.sum(axis=1), 1, atol=1e-5)
        assert first.min() >= 0
        assert (first + weight.shape[1] <= length).all()


def test_cubic_kernel_is_keys():
    """Keys 1981 (doi:10.1109/TASSP.1981.1163711) with a = -1/2: values at 0, 1/2, 1, 3/2, 2."""
    found = _cubic(np.array([0, 0.5, 1, 1.5, 2]))
    assert found == pytest.approx([1, 0.5625, 0, -0.0625, 0])


@pytest.mark.parametrize("spread", [1.0, 1.4, 1.99])
@pytest.mark.parametrize("depth", [np.uint8, np.uint16])
def test_what_is_turned_is_the_filter_worked_out_anew_for_every_pixel(spread, depth):
    """Of light, with Keys's cubic in double precision, along rows that lean with the result's columns and down those.

    Catmull, Smith 1980; within 1/4 of an 8-bit level.
    """
    pixels = pictures.noise(60, 70, 3, depth)
    there = translation(8, 12) @ rotation(11) @ scaling(spread, spread)
    lean, longer = there[0, 1] / there[1, 1], 1 / math.cos(math.radians(11))
    tone = tone_of(srgb(), pixels.dtype)
    ours = _turned(pixels, there, (20, 14), spread, tone, _CUBIC) / 257
    light = srgb_decode(pixels / np.iinfo(depth).max)
    wanted = np.empty((14, 20, 3))
    for row, column in np.ndindex(14, 20):
        x, y, _ = there @ (column + 0.5, row + 0.5, 1)
        down = _cubic(np.abs(np.arange(60) + 0.5 - y) / spread)
        begin = x + lean * (np.arange(60) + 0.5 - y)
        across = _cubic(np.abs(np.arange(70) + 0.5 - begin[:, None]) / (spread * longer))
        weight = (down / down.sum())[:, None] * across / across.sum(axis=1, keepdims=True).clip(1e-9)
        wanted[row, column] = np.einsum("ij,ijk->k", weight, light)
    assert np.abs(ours - 255 * srgb_encode(np.clip(wanted, 0, 1))).max() < 0.25


@pytest.mark.parametrize("degrees", [3.0, -11.0, 40.0])
def test_turning_there_and_back_keeps_a_smooth_picture(degrees):
    """One turn and its inverse, against the picture itself: what is lost is below a grey level on smooth content."""
    y, x = np.mgrid[0:240, 0:240] / 240
    wave = 128 + 60 * np.sin(9 * x) * np.cos(7 * y)
    pixels = np.repeat(wave.round().astype(np.uint8)[..., None], 3, axis=2)
    middle = translation(120, 120)
    turn = middle @ rotation(degrees) @ np.linalg.inv(middle)
    once = resample(pictures.source(pixels), turn, (240, 240), fine=True)
    deep = pictures.source(once)
    back = resample(deep, np.linalg.inv(turn), (240, 240), fine=True)
    inside = (slice(80, 160), slice(80, 160))
    assert np.abs(back[inside] / 257 - pixels[inside]).max() < 1.0


def exact_membrane(values, hole, known, guidance=None, start=None, held=None):
    """Laplace's equation on the hole, solved exactly: the sparse system of Pérez, Gangnet, Blake 2003."""
    rows, columns = hole.shape
    index = -np.ones((rows, columns), int)
    index[hole] = np.arange(hole.sum())
    ys, xs = np.nonzero(hole)
    count = len(ys)
    entries, right, diagonal = [], np.zeros((count, values.shape[2])), np.zeros(count)
    for dy, dx in ((0, 1), (0, -1), (1, 0), (-1, 0)):
        y, x = ys + dy, xs + dx
        there = (y >= 0) & (y < rows) & (x >= 0) & (x < columns)
        y, x = y.clip(0, rows - 1), x.clip(0, columns - 1)
        inside, outside = there & hole[y, x], there & known[y, x] & ~hole[y, x]
        diagonal += inside | outside
        entries.append((np.flatnonzero(inside), index[y, x][inside]))
        right[outside] += values[y[outside], x[outside]]
    if held is not None:
        diagonal += held[hole]
        right += (guidance + held[..., None] * start)[hole]
    i = np.concatenate([np.arange(count), *(e[0] for e in entries)])
    j = np.concatenate([np.arange(count), *(e[1] for e in entries)])
    data = np.concatenate([diagonal, -np.ones(len(i) - count)])
    system = coo_matrix((data, (i, j))).tocsc()
    out = values.astype(float).copy()
    for channel in range(values.shape[2]):
        out[ys, xs, channel] = spsolve(system, right[:, channel])
    return out


def holes():
    yield "disc", lambda m: cv2.circle(m, (64, 60), 40, 1, -1)
    yield "stroke", lambda m: cv2.polylines(m, [np.array([[10, 20], [60, 90], [120, 30]])], False, 1, 7)
    yield "ring", lambda m: cv2.circle(m, (64, 64), 45, 1, 9)
    yield "one pixel", lambda m: cv2.circle(m, (64, 64), 0, 1, -1)
    yield "at the border", lambda m: cv2.rectangle(m, (-1, 30), (70, 90), 1, -1)
    yield "almost everything", lambda m: cv2.rectangle(m, (2, 2), (125, 125), 1, -1)


@pytest.mark.parametrize(("name", "draw"), holes(), ids=[name for name, _ in holes()])
def test_the_membrane_like_the_exact_solution(name, draw):
    """scipy's direct solver; CHECKS asks for less than 0.5/255 of error."""
    mask = np.zeros((128, 128), np.uint8)
    draw(mask)
    hole = mask > 0
    random = np.random.default_rng(4)
    values = (cv2.GaussianBlur(random.random((128, 128, 3)), (0, 0), 6) * 900 - 300).astype(np.float32)
    values += random.normal(0, 20, values.shape).astype(np.float32)
    error = np.abs(fill_membrane(values, hole, ~hole) - exact_membrane(values, hole, ~hole)).max()
    assert error < 0.5 / 255 * np.ptp(values)


def test_a_screened_membrane_like_the_exact_solution():
    """Bhat et al. 2008, by scipy's direct solver: held firmly in one half, hardly in the other."""
    hole = np.zeros((97, 120), np.bool_)
    hole[20:80, 15:100] = True
    random = np.random.default_rng(6)
    values, guidance = (random.normal(0, spread, (97, 120, 3)).astype(np.float32) for spread in (60, 20))
    held = np.where(np.arange(120) < 60, 0.02, 0.5)[None].repeat(97, axis=0).astype(np.float32)
    found = fill_membrane(values, hole, ~hole, guidance, values, held)
    exact = exact_membrane(values, hole, ~hole, guidance, values, held)
    assert np.abs(found - exact).max() < 0.5 / 255 * np.ptp(values)


def test_healing_like_the_exact_poisson_solution():
    """Pérez, Gangnet, Blake 2003: source plus exact membrane, on `chelsea`; CHECKS: 0.5/255 before rounding."""
    pixels = photo()
    place, offset, size = Box(200, 120, 260, 170), (-110, 40), (pixels.shape[1], pixels.shape[0])
    cover = np.zeros((50, 60), np.float32)
    cv2.ellipse(cover, (30, 25), (26, 20), 15, 0, 360, 1.0, -1)

    def read(box):
        return pixels[box.rows, box.columns]

    rim = place.grown(1)
    ours, _ = heal_place(place, cover, np.zeros((52 + 14, 62 + 14), bool), offset, size, read)
    hole = np.pad(cover > 0, 1)
    target, source = (read(b).astype(np.float32) for b in (rim, rim.moved(*offset)))
    exact = np.clip((source + exact_membrane(target - source, hole, ~hole))[1:-1, 1:-1], 0, 255)
    assert np.abs(ours - exact)[cover > 0].max() < 0.5 + 0.5  # the second half is rounding
