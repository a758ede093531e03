"""Sharpening, softening, noise, focus, other colours and casts taken out."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from skimage.color import deltaE_ciede2000, rgb2lab

from fern_ticket.core.balance import defocus
from fern_ticket.core.balance.sharpen import HALO
from fern_ticket.core.ledger.steps import Step, read_steps
from fern_ticket.core.pictures.profiles import srgb_decode, srgb_encode
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.light import Where
from fern_ticket.core.render.picture import LedgerPicture, View
from fern_ticket.core.settling import settle
from tests import pictures


def opened(pixels, *steps):
    return LedgerPicture(pictures.source(pixels), "d", read_steps(list(steps)), ByteCache(1 << 27))


def result(pixels, *steps, depth=np.uint8):
    return opened(pixels, *steps).deliver(depth)


def step(op, **params):
    return {"op": op, "params": params}


def soft_edge(rows=60, columns=120, blur=1.5, low=70.0, high=180.0):
    values = np.full((rows, columns), low, np.float32)
    values[:, columns // 2 :] = high
    values = cv2.GaussianBlur(values, (0, 0), blur)
    return np.repeat(np.round(values)[..., None], 3, axis=2).astype(np.uint8)


def steepness(picture):
    return np.abs(np.diff(picture[30, :, 1].astype(float))).max()


def test_an_edge_is_steeper_and_its_halo_below_three_per_cent():
    edge = soft_edge()
    sharp = result(edge, step("sharpen", amount=100))
    assert steepness(sharp) > 1.15 * steepness(edge)
    for amount in (100, 300):
        most = result(edge, step("sharpen", amount=amount, radius=2.5), depth=np.uint16) / 257
        height = float(edge.max()) - float(edge.min())
        assert most.max() - edge.max() <= 0.03 * height
        assert edge.min() - most.min() <= 0.03 * height
    assert HALO < 0.03


def test_noise_below_the_threshold_is_not_sharpened():
    noise = np.random.default_rng(1).normal(0, 1.5, (80, 100, 1))
    plain = np.clip(120 + noise, 0, 255).round().astype(np.uint8).repeat(3, axis=2)
    spread = result(plain, step("sharpen", amount=150, threshold=6)).std()
    assert spread < 1.1 * plain.std()
    assert result(plain, step("sharpen", amount=150, threshold=0)).std() > 1.3 * plain.std()


def test_texture_is_softened_and_edges_stay():
    pixels = np.clip(soft_edge(blur=0.6) + pictures.texture(60, 120, 4).astype(int) - 140, 0, 255).astype(np.uint8)
    soft = result(pixels, step("soften_texture", amount=100, radius=6, edges=8))
    inside = np.s_[10:50, 8:48, 1]
    assert soft[inside].std() < 0.5 * pixels[inside].std()
    assert steepness(soft) > 0.8 * steepness(soft_edge(blur=0.6))


def test_noise_of_lightness_and_of_colour_are_taken_off_apart():
    rng = np.random.default_rng(2)
    grey = rng.normal(0, 6, (80, 120, 1))
    colour = rng.normal(0, 9, (80, 120, 3))
    colour -= colour.mean(axis=2, keepdims=True)
    pixels = np.clip(soft_edge(80, 120) + grey + colour, 0, 255).round().astype(np.uint8)

    def spreads(picture):
        part = picture[10:70, 8:48].astype(float)
        return part.mean(axis=2).std(), (part - part.mean(axis=2, keepdims=True)).std()

    before = spreads(pixels)
    calm, pure = spreads(result(pixels, step("denoise", grain=70))), spreads(result(pixels, step("denoise", colour=90)))
    assert calm[0] < 0.65 * before[0]
    assert pure[1] < 0.5 * before[1]
    assert pure[0] > 0.9 * before[0]


def test_a_point_out_of_focus_is_a_disc_of_its_radius_and_light_is_kept():
    point = np.full((81, 81, 3), 10, np.uint8)
    point[40, 40] = 255
    disc = opened(point, step("defocus", radius=10, bloom=0)).light.linear(
        (point.astype(np.uint16) * 257), Where(np.eye(3))
    )[1]
    ground = disc[2, 2]
    lit = disc - ground > 0.25 * (disc.max() - ground)
    assert lit.sum() == pytest.approx(np.pi * 100, rel=0.1)
    assert disc.mean() == pytest.approx(float(_linear(point)[..., 1].mean()), rel=0.01)


@pytest.mark.parametrize("radius", [70, 150])
def test_a_large_disc_that_is_laid_on_a_smaller_copy_is_the_disc(monkeypatch, radius):
    """Against the one laid pixel by pixel."""
    pixels = pictures.texture(300, 400, 6)
    pixels[100:104, 200:204] = 255
    quick = result(pixels, step("defocus", radius=radius))
    monkeypatch.setattr(defocus, "_LARGEST", 1000.0)
    slow = result(pixels, step("defocus", radius=radius))
    assert np.abs(quick.astype(int) - slow).max() <= 2
    assert np.abs(quick.astype(int) - slow).mean() < 0.1


def test_a_large_disc_is_the_same_whichever_part_of_the_picture_is_made():
    """A delivery is made of bands."""
    pixels = pictures.texture(700, 300, 7)
    whole = opened(pixels, step("defocus", radius=100)).view(View(0, 0, 1, 300, 700), (0, 0, 0), fine=True)
    assert np.abs(result(pixels, step("defocus", radius=100)).astype(int) - whole).max() <= 1
    part = opened(pixels, step("defocus", radius=100)).view(View(37, 411, 1, 200, 151), (0, 0, 0), fine=True)
    assert np.abs(part.astype(int) - whole[411:562, 37:237]).max() <= 1


def _linear(pixels):
    return srgb_decode(pixels / 255)


def test_a_subject_does_not_bleed_into_a_ground_out_of_focus():
    pixels = np.full((100, 120, 3), (60, 110, 60), np.uint8)
    pixels[:, :60] = (220, 40, 40)
    right = {"kind": "outline", "points": [[60, -5], [125, -5], [125, 105], [60, 105]]}
    area = {"op": "area", "params": {"cover": {"parts": [{"shape": right}]}, "steps": [step("defocus", radius=12)]}}
    out = result(pixels, area)
    assert np.abs(out[:, 61:].astype(int) - pixels[:, 61:]).max() <= 1
    assert np.array_equal(out[:, :59], pixels[:, :59])
    # on the whole picture it does
    assert np.abs(result(pixels, step("defocus", radius=12))[:, 61:66].astype(int) - pixels[:, 61:66]).max() > 40


def test_a_thing_is_given_another_colour_and_keeps_its_shading():
    # CIE L* within 0.5, hue within a degree of the picked one
    shading = np.linspace(40, 190, 160)[None, :, None] * np.array([1.0, 0.55, 0.35]) + np.zeros((40, 1, 1))
    pixels = np.clip(shading, 0, 255).round().astype(np.uint8)
    picked = (50, 90, 170)
    out = result(pixels, step("recolour", colour=list(picked), own=0), depth=np.uint16)
    before, after = rgb2lab(pixels), rgb2lab(out / 65535)
    assert np.abs(before[..., 0] - after[..., 0]).max() < 0.5
    _, a, b = rgb2lab(np.array(picked, np.uint8).reshape(1, 1, 3))[0, 0]
    strong = np.hypot(after[..., 1], after[..., 2]) > 8
    hue = np.degrees(np.arctan2(after[..., 2], after[..., 1]) - np.arctan2(b, a))[strong]
    assert strong.mean() > 0.9
    assert np.abs((hue + 180) % 360 - 180).max() < 1


def test_a_range_of_lightness_keeps_its_own_colour():
    pixels = pictures.ramp(40, 200)
    out = result(pixels, step("recolour", colour=[170, 30, 30], dark=50, light=80))
    level = rgb2lab(pixels)[..., 0]
    assert np.array_equal(out[level < 41], pixels[level < 41])
    assert np.array_equal(out[level > 89], pixels[level > 89])
    middle = (level > 52) & (level < 78)
    assert (np.abs(out[middle].astype(int) - pixels[middle]).max(axis=1) > 20).all()


def test_a_cast_is_taken_out_by_a_tinted_and_a_clean_place():
    rng = np.random.default_rng(3)
    clean = np.clip(pictures.texture(120, 200, 6, (205, 200, 190)) + rng.normal(0, 2, (120, 200, 3)), 0, 255)
    y, x = np.mgrid[0:120, 0:200]
    share = np.clip(1.4 - np.hypot((x - 140) / 40, (y - 60) / 34), 0, 1)[..., None]
    gains = 1 + share * (np.array([0.86, 1.06, 0.80]) - 1)
    linear = _linear(clean) * gains
    pixels = (srgb_encode(linear) * 255).round().astype(np.uint8)
    cover = {"parts": [{"shape": {"kind": "round", "middle": [140, 60], "radii": [56, 47.6], "soft": 0.72}}]}
    marks = {"tinted": {"x": 140, "y": 60, "size": 11}, "clean": {"x": 30, "y": 60, "size": 31}}
    asked = Step.model_validate({"op": "area", "params": {"cover": cover, "steps": [step("cast_out", **marks)]}})
    settled = settle(pictures.source(pixels), "d", [], asked, ByteCache(1 << 26))
    (inner,) = settled.params["steps"]
    assert inner["params"]["amount"] > 5
    assert inner["params"]["lightness"] > 0
    out = LedgerPicture(pictures.source(pixels), "d", [settled], ByteCache(1 << 26)).deliver(np.uint8)
    tinted = share[..., 0] > 0
    off = [deltaE_ciede2000(rgb2lab(one / 255), rgb2lab(clean / 255))[tinted].mean() for one in (pixels, out)]
    assert off[1] < 2 < off[0]
    # rulers that were set by hand are not measured again
    assert settle(pictures.source(pixels), "d", [], settled, ByteCache(1 << 26)) == settled


def test_output_is_as_sharp_at_a_small_size_as_at_a_large_one():
    rng = np.random.default_rng(5)
    scene = cv2.GaussianBlur(rng.normal(128, 60, (400, 600)).astype(np.float32), (0, 0), 1.2)
    pixels = np.clip(scene, 0, 255).round().astype(np.uint8)[..., None].repeat(3, axis=2)

    def gain(side):
        frame = [] if side is None else [step("output_size", long_side=side)]
        plain, sharp = (result(pixels, *frame, *more) for more in ([], [step("output_sharpening", amount=80)]))
        return np.abs(np.diff(sharp[..., 1].astype(float))).mean() / np.abs(np.diff(plain[..., 1].astype(float))).mean()

    whole, small = gain(None), gain(240)
    assert whole > 1.05
    assert small > 1.05
    assert small == pytest.approx(whole, rel=0.25)


@pytest.mark.parametrize("op", ["sharpen", "soften_texture", "denoise", "defocus"])
def test_a_view_at_full_size_is_what_is_delivered(op):
    params = {
        "sharpen": {"amount": 90}, "soften_texture": {"amount": 50}, "denoise": {"grain": 40, "colour": 40},
        "defocus": {"radius": 5},
    }[op]  # fmt: skip
    pixels = pictures.texture(140, 160, 7)
    picture = opened(pixels, step(op, **params))
    view = picture.view(View(40, 30, 1, 60, 50), (0, 0, 0), fine=True)
    assert np.abs(view.astype(int) - picture.deliver(np.uint8)[30:80, 40:100]).max() <= 1
