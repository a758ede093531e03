"""Faults that were found once, each as a statement of what holds instead."""

from __future__ import annotations

import io
import json
import subprocess
import sys
from dataclasses import replace

import numpy as np
import pytest
import tifffile
from PIL import Image

from fern_ticket.core.errors import LedgerError, PictureError, SlipError
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.pictures.decode import decode, read_header, turn_upright
from fern_ticket.core.recipes import laid, portable
from fern_ticket.core.render.cache import ByteCache, Key
from fern_ticket.core.render.picture import LedgerPicture
from fern_ticket.core.settling import settle
from fern_ticket.core.slips.delivering import delivery_steps
from fern_ticket.core.slips.lines import ExactSizeLine, FormatLine, LongSideLine
from fern_ticket.core.slips.measures import Measures
from fern_ticket.core.slips.naming import NameParts, delivered_name, follows
from fern_ticket.core.slips.slip import Slip
from tests import pictures


@pytest.mark.parametrize("orientation", range(1, 9))
@pytest.mark.parametrize("depth", [np.uint8, np.uint16])
@pytest.mark.parametrize("compression", [None, "lzw"])
def test_a_tiff_is_turned_upright_once(orientation, depth, compression):
    """EXIF (CIPA DC-008), tag 0x0112, of a TIFF written by tifffile."""
    stored = pictures.noise(24, 40, depth=depth)
    if compression is None:
        out = io.BytesIO()
        tifffile.imwrite(out, stored, photometric="rgb", extratags=[(274, 3, 1, orientation, True)])
        data = out.getvalue()
    else:
        if depth == np.uint16:
            pytest.skip("Pillow writes 8 bits a channel")
        exif = Image.Exif()
        exif[0x0112] = orientation
        data = pictures.file(stored, "TIFF", compression="tiff_lzw", exif=exif)
    decoded = decode(data)
    assert np.array_equal(decoded.pixels, turn_upright(stored, orientation))


@pytest.mark.parametrize("kept", [8, 14, 20, 30, 44])
def test_an_exif_header_that_is_cut_short_is_no_reason_to_refuse_a_photo(kept):
    exif = Image.Exif()
    exif[0x010F], exif[0x0110], exif[0x0112] = "Maker", "Model of a camera", 6
    block = exif.tobytes()
    whole = pictures.file(pictures.ramp(40, 60), "JPEG", exif=block)
    cut = whole.replace(block, block[:kept] + b"\xff" * (len(block) - kept), 1)
    assert cut != whole
    assert read_header(cut).width == 60
    assert np.abs(decode(cut).pixels.astype(int) - pictures.ramp(40, 60)).mean() < 3


@pytest.mark.parametrize(
    "pattern",
    ["{number:300000000}", "{number:0300}", "{photo:99999999}", "{photo!r}", "{number:x}", "{number:>9}", "{ticket.x}"],
)
def test_a_name_pattern_cannot_ask_for_more_than_a_few_digits(pattern):
    with pytest.raises(SlipError, match="cannot be used"):
        delivered_name(pattern, NameParts("FT-1", 2, "c", "p"), "JPEG")
    assert not follows(pattern, "x.jpg")


def test_a_stroke_cannot_ask_for_endless_touches():
    """Of a tip that builds up, over the whole range of coordinates to and fro: gigabytes of touches."""
    points = [[(-1) ** n * 90_000, 0, 1] for n in range(400)]
    stroke = {"points": points, "size": 4, "flow": 0.5, "spacing": 0.02}
    with pytest.raises(LedgerError, match="touches of the tip"):
        read_steps([{"op": "clone", "mask": {"kind": "strokes", "strokes": [stroke]}}])
    with pytest.raises(LedgerError):
        read_steps([{"op": "heal", "mask": {"kind": "outline", "points": [[0, 0], [1e6, 0], [1e6, 1e6]]}}])


def exact(width, height):
    return Slip(name="s", lines=[ExactSizeLine(width=width, height=height), FormatLine()])


def test_an_exact_size_holds_at_the_exact_pixels_only():
    line = ExactSizeLine(width=1200, height=800)
    made = Measures(width=1200, height=801, format="JPEG", profile="sRGB", bits=8)
    assert line.verdict(made).state == "short"
    assert line.verdict(replace(made, height=800)).state == "holds"
    # before delivery: what the crop can be made into
    assert line.verdict(replace(made, width=1500, height=1001, crop_size=(1500, 1001))).state == "holds"
    assert line.verdict(replace(made, width=1500, height=1010, crop_size=(1500, 1010))).state == "short"
    assert line.verdict(replace(made, width=1100, height=733, crop_size=(1100, 733))).state == "short"


@pytest.mark.parametrize(
    ("crop", "size"), [((1500, 1001), (1200, 800)), ((1001, 1500), (800, 1200)), ((1200, 800), (1200, 800))]
)
def test_a_delivery_has_the_exact_size_that_its_slip_asks_for(crop, size):
    pixels = pictures.texture(crop[1], crop[0])
    steps = delivery_steps([], exact(*size))
    out = LedgerPicture(pictures.source(pixels), "t", steps, ByteCache(1 << 26)).deliver(np.uint8)
    assert out.shape[1::-1] == size


def test_a_long_side_is_judged_on_the_file_that_was_made():
    line = LongSideLine(pixels=900)
    made = Measures(width=901, height=600, format="JPEG", profile="sRGB", bits=8, crop_long_side=3000)
    assert line.verdict(made).state == "short"
    assert line.verdict(replace(made, width=900)).state == "holds"


def test_a_source_is_found_in_16_bit_blacks_as_in_8_bit_ones():
    """Values below 256 of 65535 are no sign of 8 bits."""
    narrow = np.clip(pictures.texture(240, 320, tone=(3, 3, 2)) // 8, 0, 3).astype(np.uint8)
    narrow[100:140, 140:180] += 2
    mask = {"kind": "strokes", "strokes": [{"points": [[160, 120, 1]], "size": 40}]}
    (step,) = read_steps([{"op": "heal", "mask": mask}])
    found = []
    for pixels in (narrow, narrow.astype(np.uint16) * 257 // 16 * 16):
        settled = settle(pictures.source(pixels), f"{pixels.dtype}", [], step, ByteCache(1 << 24))
        found.append(settled.params["source"])
    assert found[0] == found[1]


def test_steps_that_name_other_pictures_stay_with_their_photo():
    frame = {"picture": "a" * 64}
    steps = read_steps([{"op": "darker", "params": {"frame": frame}}, {"op": "exposure", "params": {"ev": 1}}])
    assert portable(steps[0]) is None
    assert [step.op for step in laid([], steps)] == ["exposure"]


def test_reading_what_a_command_prints_may_stop_early(tmp_path):
    """`fern ops | head -1`: no traceback, whatever is left to print."""
    command = f"{sys.executable} -m fern_ticket.cli ops | head -c 20"
    done = subprocess.run(["bash", "-o", "pipefail", "-c", command], capture_output=True, text=True, check=False)
    assert done.stderr == ""
    assert done.returncode == 0


def test_what_two_threads_ask_for_is_made_once():
    import threading

    cache, made, both = ByteCache(1 << 20), [], threading.Barrier(2)

    def make():
        made.append(1)
        started.set()
        release.wait(5)
        return "value"

    started, release = threading.Event(), threading.Event()
    found = []

    def ask():
        both.wait()
        found.append(cache.get_or_make(Key("t", 1), make, lambda _: 5))

    threads = [threading.Thread(target=ask) for _ in range(2)]
    for thread in threads:
        thread.start()
    started.wait(5)
    release.set()
    for thread in threads:
        thread.join()
    assert (found, len(made)) == (["value", "value"], 1)


def test_a_value_that_could_not_be_made_is_asked_for_again():
    cache = ByteCache(1 << 20)
    with pytest.raises(ZeroDivisionError):
        cache.get_or_make(Key("t", 1), lambda: 1 // 0, lambda _: 5)
    assert cache.get_or_make(Key("t", 1), lambda: 7, lambda _: 5) == 7


def test_pictures_are_opened_whatever_the_limit_of_the_process(monkeypatch):
    """Nothing is set in Pillow for all others that use it in the process."""
    monkeypatch.setattr(Image, "MAX_IMAGE_PIXELS", 100)
    data = pictures.file(pictures.ramp(60, 80), "PNG")
    assert decode(data).pixels.shape == (60, 80, 3)
    monkeypatch.undo()
    with pytest.raises(PictureError, match="GIF files are not read"):
        read_header(pictures.file(pictures.ramp(60, 80), "GIF"))


def test_rulers_that_are_declared_fit_their_parameters():
    """What is served of an operation is enough to draw its rulers: ends, rest and step, in shown values."""
    from fern_ticket.core.operations import describe, operations

    described = describe()
    count = 0
    for name, about in described.items():
        for ruler in (one for one in about["controls"] if one["kind"] == "ruler"):
            count += 1
            assert ruler["low"] <= ruler["rest"] <= ruler["high"], (name, ruler)
            assert ruler["step"] > 0
            assert ruler["param"] in about["schema"]["properties"]
            for shown in (ruler["low"], ruler["high"]):
                value = (shown - ruler["plus"]) / ruler["times"]
                model = operations()[name].parameters
                example = {**about["example"], ruler["param"]: value}
                if about["alone"]:
                    model.model_validate(example)
    assert count > 25
    json.dumps(described, allow_nan=False)
