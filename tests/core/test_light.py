"""Light and colour: what every operation promises, and what each one does."""

from __future__ import annotations

import colorsys

import cv2
import numpy as np
import pytest
from pydantic import ValidationError

from fern_ticket.core.balance.black_white import RESPONSES
from fern_ticket.core.balance.contrast import MIDDLE
from fern_ticket.core.balance.curve import Curve
from fern_ticket.core.balance.hue_bands import HueBands
from fern_ticket.core.balance.hues import hue_of
from fern_ticket.core.balance.light import BalanceOperation
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.operations import operations
from fern_ticket.core.pictures.profiles import srgb_decode, srgb_encode
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture, View
from tests import pictures
from tests.examples import EXAMPLES

#: Operations that leave a grey a grey: all that do not lay colour in.
_COLOURING = {"cast_out", "recolour", "toning", "white_balance"}
LIGHTING = sorted(name for name, operation in operations().items() if isinstance(operation, BalanceOperation))


def picture(pixels, *steps):
    raw = [{"op": op, "params": params} for op, params in steps]
    return LedgerPicture(pictures.source(pixels), "p", read_steps(raw), ByteCache(1 << 28))


def result(pixels, *steps, depth=np.uint16):
    return picture(pixels, *steps).deliver(depth)


def scene(rows=160, columns=240, seed=0):
    """Sky, shade and colour with a soft texture, 16 bit."""
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[0:rows, 0:columns] / [[[rows]], [[columns]]]
    base = np.stack([0.15 + 0.7 * x, 0.25 + 0.4 * (1 - y), 0.55 - 0.3 * x + 0.2 * y], -1)
    base[rows // 3 : 2 * rows // 3, columns // 4 : columns // 2] *= 0.25
    return np.clip(base * (1 + 0.06 * rng.standard_normal((rows, columns, 1))) * 65535, 0, 65535).astype(np.uint16)


def grey_ramp(rows=64, columns=1024):
    return np.repeat(np.tile(np.linspace(0, 65535, columns), (rows, 1))[..., None], 3, axis=2).astype(np.uint16)


def test_each_operation_has_an_example_that_warms_its_kernels():
    assert set(EXAMPLES) == set(LIGHTING)


@pytest.mark.parametrize("op", LIGHTING)
def test_an_example_changes_the_picture_and_rest_does_not(op):
    pixels = scene()
    assert not np.array_equal(result(pixels, (op, EXAMPLES[op])), pixels)
    if op not in ("black_white", "soften"):  # these have no position of rest: one switches them off
        assert np.array_equal(result(pixels, (op, {})), pixels)


@pytest.mark.parametrize("op", [op for op in LIGHTING if op not in _COLOURING])
def test_neutral_in_neutral_out(op):
    """A grey ramp stays grey to rounding, whatever its tones become."""
    out = result(grey_ramp(), (op, EXAMPLES[op])).astype(int)
    assert np.ptp(out, axis=-1).max() <= 24  # of 65535


@pytest.mark.parametrize("op", LIGHTING)
def test_sixteen_bits_stay_smooth(op):
    """No band in a ramp: neighbouring steps never jump by more than a fine ramp's own step allows."""
    ramp = grey_ramp(48, 4096)
    out = result(ramp, (op, EXAMPLES[op]))[24, :, 1].astype(int)
    rises = np.diff(out[64:-64])
    assert rises.max() <= 6 * 16 + 8
    assert (rises > -12).all()
    assert len(np.unique(out)) > 1500


@pytest.mark.parametrize("op", LIGHTING)
def test_extremes_never_leave_the_numbers(op):
    """Every parameter at both ends, over black, white and pure colours."""
    pixels = np.zeros((40, 60, 3), np.uint16)
    pixels[:10], pixels[10:20, :30], pixels[20:, 30:] = 65535, (65535, 0, 0), (0, 300, 65535)
    schema = operations()[op].parameters.model_json_schema()
    for end in ("minimum", "maximum"):
        params = {k: v[end] for k, v in schema["properties"].items() if end in v}
        made = picture(pixels, ("exposure", {"ev": 6}), (op, {**EXAMPLES[op], **params}))
        assert np.isfinite(made.light.linear(*made.samples((30, 20)))).all()
        assert np.abs(made.deliver(np.uint8).astype(int) * 257 - made.deliver(np.uint16)).max() <= 257


@pytest.mark.parametrize("op", LIGHTING)
def test_half_the_strength_is_between(op):
    pixels = scene()
    step = {"op": op, "params": EXAMPLES[op], "strength": 0.5}
    half = LedgerPicture(pictures.source(pixels), "p", read_steps([step]), ByteCache(1 << 27)).deliver(np.uint16)
    whole = result(pixels, (op, EXAMPLES[op])).astype(int)
    low, high = np.minimum(whole, pixels) - 40, np.maximum(whole, pixels) + 40
    assert ((half >= low) & (half <= high)).mean() > 0.999
    assert not np.array_equal(half, pixels)


def test_the_bench_shows_what_is_delivered_with_every_operation():
    """At 100 % the very pixels: each operation that looks about does so by the same small maps."""
    pixels = scene(420, 640)
    steps = [(op, EXAMPLES[op]) for op in LIGHTING if op != "black_white"]
    steps += [("straighten", {"angle": 1.3}), ("crop", {"left": 20, "top": 15, "width": 560, "height": 380})]
    steps += [("border", {"width": 9, "colour": (250, 240, 230)})]
    made = picture(pixels, *steps)
    delivered = made.deliver(np.uint8)
    for left, top in ((0, 0), (130, 77), (delivered.shape[1] - 200, delivered.shape[0] - 150)):
        seen = made.view(View(left, top, 1, 200, 150), (1, 2, 3), fine=True)
        difference = np.abs(seen.astype(int) - delivered[top : top + 150, left : left + 200])
        assert difference.max() <= 1
        assert (difference > 0).mean() < 0.02


def test_a_reduced_view_has_the_tones_of_the_delivery():
    """A frame at a quarter against the delivered picture reduced by averaging."""
    pixels = scene(600, 900)
    made = picture(
        pixels,
        ("highlights_shadows", {"highlights": -60, "shadows": 70}),
        ("local_contrast", {"amount": 30}),
        ("haze", {"amount": 30}),
    )
    small = made.view(View(0, 0, 0.25, 225, 150), (0, 0, 0), fine=True).astype(int)
    averaged = made.deliver(np.uint8).reshape(150, 4, 225, 4, 3).mean(axis=(1, 3))
    assert np.abs(small - averaged).mean() < 1.2


# ------------------------------------------------------------------------------------------ one by one


def test_contrast_keeps_black_middle_and_white_and_never_turns():
    x = np.linspace(0, 65535, 1024).round()
    for amount in (-100, -30, 30, 100):
        out = result(grey_ramp(), ("contrast", {"amount": amount}))[0, :, 0].astype(float)
        assert out[0] == 0
        assert out[-1] == 65535
        assert (np.diff(out) >= 0).all()
        assert np.interp(MIDDLE * 65535, x, out) == pytest.approx(MIDDLE * 65535, abs=80)


@pytest.mark.parametrize("name", ["white", "black"])
@pytest.mark.parametrize("per_cent", [-30, -4, 3, 20, 40])
def test_the_curve_of_the_end_points_has_no_kink_and_reaches_its_ends(name, per_cent):
    ramp = np.repeat(np.linspace(0, 65535, 4001).round().astype(np.uint16)[None, :, None], 3, axis=2)
    tones = result(ramp, ("end_points", {name: per_cent}))[0, :, 0] / 65535
    slopes = np.diff(tones[::20]) * 200
    steepest = 1 + abs(per_cent) / 100
    assert np.abs(np.diff(slopes)).max() < 0.15 * steepest
    assert (slopes > -1e-3).all()
    assert slopes.max() == pytest.approx(1 + (per_cent if name == "white" else -per_cent) / 100, abs=0.02)
    if name == "white" and per_cent > 0:
        assert tones[-1] > 0.98
    if name == "black" and per_cent < 0:
        assert tones[0] < 0.02


def test_end_points_are_per_cent_of_the_encoded_range():
    out = result(grey_ramp(), ("end_points", {"white": -10, "black": 5}))[0, :, 0] / 65535
    assert out[0] == pytest.approx(0.05, abs=1e-4)
    assert out[-1] == pytest.approx(0.90, abs=1e-4)


def test_shadows_rise_and_their_texture_stays():
    """Stops between neighbours inside the dark square are what they were; its mean is lighter."""
    pixels = scene()
    lifted = result(pixels, ("highlights_shadows", {"shadows": 80}))
    dark = (slice(60, 100), slice(70, 110))
    before, after = (np.log2(srgb_decode(p[dark] / 65535)[..., 1]) for p in (pixels, lifted))
    assert after.mean() - before.mean() > 0.5
    assert after.std() == pytest.approx(before.std(), rel=0.2)
    bright = (slice(0, 40), slice(180, 240))
    assert np.abs(lifted[bright].astype(int) - pixels[bright]).mean() < 600


def test_highlights_come_back_from_beyond_white_while_it_is_still_light():
    """Exposure pushes over white; highlights after it still find the texture there."""
    pixels = scene()
    over = [("exposure", {"ev": 1.2})]
    lost = (result(pixels, *over).max(axis=-1) == 65535).mean()
    held = (result(pixels, *over, ("highlights_shadows", {"highlights": -100})).max(axis=-1) == 65535).mean()
    assert lost > 0.2
    assert held < lost / 2


def test_local_contrast_moves_texture_and_not_regions():
    pixels = scene()
    crisp = result(pixels, ("local_contrast", {"amount": 100}))
    part = (slice(10, 50), slice(10, 50))
    before, after = (np.log2(srgb_decode(p[part] / 65535)[..., 1]) for p in (pixels, crisp))
    assert after.std() > 1.15 * before.std()
    assert after.mean() == pytest.approx(before.mean(), abs=0.05)


def test_saturation_is_points_about_luminance():
    pixels = scene()
    grey = result(pixels, ("saturation", {"amount": -100}))
    assert np.ptp(grey.astype(int), axis=-1).max() <= 2
    more = result(pixels, ("saturation", {"amount": 30})).astype(float)
    inside = ((more > 100) & (more < 65400)).all(axis=-1)
    weights = np.array([0.2126, 0.7152, 0.0722])
    assert np.abs(more @ weights - pixels @ weights)[inside].max() < 3
    own = pixels - (pixels @ weights)[..., None]
    assert np.allclose((more - (more @ weights)[..., None])[inside], 1.3 * own[inside], atol=4)


@pytest.mark.parametrize(
    "bands",
    [
        [{"hue": 120, "width": 60, "turn": 60}],
        [{"hue": 120, "width": 15, "turn": -60}],
        [{"hue": 100, "width": 50, "turn": 60}, {"hue": 150, "width": 50, "turn": -60}],
        [{"hue": 355, "width": 40, "turn": -60}, {"hue": 20, "width": 90, "turn": 45}],
    ],
)
def test_hues_stay_in_order_for_any_turn(bands):
    hues = np.arange(0, 360, 2)
    colours = np.array([colorsys.hsv_to_rgb(hue / 360, 0.6, 0.7) for hue in hues])
    turned = result(np.rint(colours[None] * 65535).astype(np.uint16), ("hue_bands", {"bands": bands}))[0] / 65535
    found = np.unwrap(np.radians([hue_of(colour) for colour in turned]))
    steps = np.degrees(np.diff(found))
    assert steps.min() > 0
    assert steps.max() > 2.3


@pytest.mark.parametrize("step", [(60, 190), (20, 235), (90, 150)])
@pytest.mark.parametrize(
    ("op", "params"),
    [
        ("local_contrast", {"amount": 100}),
        ("local_contrast", {"amount": -100}),
        ("highlights_shadows", {"highlights": -100}),
        ("highlights_shadows", {"shadows": 100}),
    ],
)
def test_no_edge_gets_a_halo_of_more_than_a_twentieth(step, op, params):
    pixels = np.repeat(np.array(step, np.uint16) * 257, 300)[None, :, None] * np.ones((300, 1, 3), np.uint16)
    line = result(cv2.GaussianBlur(pixels, (0, 0), 1), (op, params))[150, :, 1].astype(float)
    dark, bright = line[5], line[-6]
    beyond = max(np.abs(line[20:292] - dark).max(), np.abs(line[308:-20] - bright).max())
    assert beyond < 0.05 * abs(bright - dark)


def test_trims_of_black_and_white_are_by_encoded_hue_like_bands():
    """An orange whose encoded hue is 40 degrees: a trim there moves it most."""
    orange = np.rint(np.array(colorsys.hsv_to_rgb(40 / 360, 0.9, 0.8)) * 65535).astype(np.uint16)
    places = np.arange(10, 70, 5)
    greys = [
        int(result(orange[None, None], ("black_white", {"trims": [{"hue": int(hue), "amount": -50}]}))[0, 0, 0])
        for hue in places
    ]
    assert places[int(np.argmin(greys))] == 40


def test_gentle_saturation_spares_strong_colours():
    weak, strong = (30000, 33000, 31000), (60000, 6000, 6000)
    pixels = np.array([[weak, strong]] * 8, np.uint16).repeat(8, axis=1)
    out = result(pixels, ("gentle_saturation", {"amount": 100})).astype(int)
    gain = np.ptp(out[0, [0, -1]], axis=-1) / np.ptp(pixels[0, [0, -1]].astype(int), axis=-1)
    assert gain[0] > 1.7
    assert gain[1] < 1.05


@pytest.mark.parametrize("hue", [0, 45, 120, 200, 300, 350])
def test_hue_is_what_the_standard_library_says(hue):
    colour = np.array(colorsys.hsv_to_rgb(hue / 360, 0.6, 0.7))
    assert hue_of(colour) == pytest.approx(hue, abs=0.01)


def test_a_band_turns_its_own_family_and_no_other():
    """Greens toward yellow and weaker: a lawn that distracts less (B8). Reds and greys stay."""
    patches = [colorsys.hsv_to_rgb(h / 360, s, 0.6) for h, s in ((120, 0.6), (0, 0.6), (0, 0.0))]
    pixels = np.array([[np.multiply(p, 65535) for p in patches]], np.uint16).repeat(4, axis=0)
    band = {"hue": 120, "width": 60, "turn": -30, "saturation": -40}
    green, red, grey = result(pixels, ("hue_bands", {"bands": [band]}))[0]
    assert hue_of(green / 65535) == pytest.approx(90, abs=0.5)
    assert np.ptp(green.astype(int)) == pytest.approx(0.6 * np.ptp(pixels[0, 0].astype(int)), rel=0.02)
    assert np.abs(red.astype(int) - pixels[0, 1]).max() <= 2
    assert np.abs(grey.astype(int) - pixels[0, 2]).max() <= 2


def test_lightening_a_band_lightens_only_what_is_coloured():
    pixels = scene()
    bands = [{"hue": h, "width": 180, "lightness": 50} for h in (0, 180)]
    out = result(pixels, ("hue_bands", {"bands": bands}))
    assert out.mean() > pixels.mean()
    with pytest.raises(ValidationError):
        HueBands(bands=[{"hue": 10, "width": 2}])


def test_a_curve_goes_through_its_points_and_an_anchor_holds_the_rest():
    points = [[0, 0], [0.25, 0.25], [0.5, 0.5], [0.75, 0.85], [1, 1]]
    out = result(grey_ramp(), ("curve", {"all": points}))[0, :, 0] / 65535
    x = np.linspace(0, 1, 1024)
    assert np.abs(out - x)[x < 0.25].max() < 1e-3
    assert np.abs(out - x)[x < 0.5].max() < 0.01
    assert np.interp(0.75, x, out) == pytest.approx(0.85, abs=1e-3)
    assert (np.diff(out) >= 0).all()
    with pytest.raises(ValidationError, match="left to right"):
        Curve(all=[(0, 0), (0.5, 0.5), (0.5, 0.7)])


def test_a_curve_of_one_channel_leaves_the_others():
    pixels = scene()
    out = result(pixels, ("curve", {"blue": [[0, 0.1], [1, 0.9]]}))
    assert np.abs(out[..., :2].astype(int) - pixels[..., :2]).max() <= 1
    assert np.abs(out[..., 2] / 65535 - (0.1 + 0.8 * pixels[..., 2] / 65535)).max() < 1e-4


@pytest.mark.parametrize("response", RESPONSES)
def test_black_and_white_makes_greys_and_keeps_them(response):
    out = result(scene(), ("black_white", {"response": response}))
    assert np.ptp(out.astype(int), axis=-1).max() == 0
    ramp = grey_ramp()
    assert np.abs(result(ramp, ("black_white", {"response": response})).astype(int) - ramp).max() <= 12


def test_a_red_response_darkens_sky_and_lifts_sand():
    """B12; common practice, no source."""
    sky, sand = (20000, 32000, 52000), (52000, 43000, 30000)
    pixels = np.array([[sky, sand]] * 4, np.uint16)
    red, eye = (result(pixels, ("black_white", {"response": r}))[0, :, 0].astype(int) for r in ("red", "eye"))
    assert red[0] < eye[0]
    assert red[1] > eye[1]
    trimmed = result(pixels, ("black_white", {"response": "eye", "trims": [{"hue": 218, "amount": -60}]}))[0, :, 0]
    assert trimmed[0] < 0.85 * eye[0]
    assert abs(int(trimmed[1]) - eye[1]) <= 40


def test_toning_colours_shadows_and_highlights_apart_and_keeps_luminance():
    params = {"shadow_hue": 240, "shadow_amount": 60, "highlight_hue": 40, "highlight_amount": 60}
    out = result(grey_ramp(), ("toning", params))[0] / 65535
    assert out[300, 2] > out[300, 0]
    assert out[800, 0] > out[800, 2]
    luminance = out @ np.array([0.2126, 0.7152, 0.0722])
    assert np.abs(luminance - np.linspace(0, 1, 1024)).max() < 2e-3


def test_softening_is_a_ranked_window_with_some_sharpness_mixed_back():
    """B13 against scipy's filters. Radius, rank and share of the sharp picture are common practice, no source."""
    from scipy.ndimage import percentile_filter, rank_filter

    pixels = pictures.noise(60, 70, depth=np.uint16)
    out = result(pixels, ("soften", {"radius": 1, "percentile": 35, "sharp": 10}))
    ranked = np.stack([rank_filter(pixels[..., c], rank=3, size=3, mode="nearest") for c in range(3)], -1)
    inside = (slice(2, -2), slice(2, -2))
    assert np.abs(out - (0.9 * ranked + 0.1 * pixels))[inside].max() <= 2
    median = result(pixels, ("soften", {"radius": 2, "percentile": 50, "sharp": 0}))
    theirs = np.stack([percentile_filter(pixels[..., c], 50, size=5, mode="nearest") for c in range(3)], -1)
    assert np.abs(median.astype(int) - theirs)[3:-3, 3:-3].max() <= 1


def test_a_vignette_follows_the_crop():
    pixels = np.full((200, 300, 3), 30000, np.uint16)
    crop = ("crop", {"left": 100, "top": 20, "width": 160, "height": 160})
    out = result(pixels, crop, ("vignette", {"amount": -50, "reach": 30}))[..., 0].astype(int)
    assert abs(out[80, 80] - 30000) <= 1
    stops = np.log2(srgb_decode(out[0, 0] / 65535) / srgb_decode(np.array(30000 / 65535)))
    assert stops == pytest.approx(-1, abs=0.02)
    assert np.abs(out - out[:, ::-1]).max() <= 2


def test_a_border_is_counted_in_the_output_size():
    pixels = np.full((200, 300, 3), 90, np.uint8)
    out = result(pixels, ("output_size", {"long_side": 220}), ("border", {"width": 10}), depth=np.uint8)
    assert out.shape == (153, 220, 3)
    assert (out[:10] == 255).all()
    assert (out[10:-10, 10:-10] == 90).all()


def test_exposure_before_or_after_is_the_same_light():
    """Matrices and curves that stand side by side are fused; the result is that of one after another."""
    pixels = scene()
    both = result(pixels, ("exposure", {"ev": 0.4}), ("exposure", {"ev": -0.1}))
    assert np.abs(both.astype(int) - result(pixels, ("exposure", {"ev": 0.3}))).max() <= 1
    curves = result(pixels, ("contrast", {"amount": 40}), ("end_points", {"white": -5, "black": 2}))
    by_hand = result(result(pixels, ("contrast", {"amount": 40})), ("end_points", {"white": -5, "black": 2}))
    assert np.abs(curves.astype(int) - by_hand).max() <= 8


def test_what_lies_beyond_white_is_carried_through_encoding():
    pixels = np.full((8, 8, 3), 60000, np.uint16)
    up_and_down = result(pixels, ("exposure", {"ev": 2}), ("saturation", {"amount": 20}), ("exposure", {"ev": -2}))
    assert np.abs(up_and_down.astype(int) - 60000).max() <= 60
    assert float(srgb_encode(np.array(1.0))) == pytest.approx(1)
