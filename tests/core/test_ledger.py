"""Steps as data: checked, listed, changed; names; slips."""

from __future__ import annotations

import json

import numpy as np
import pytest

from fern_ticket.core.errors import LedgerError, SlipError
from fern_ticket.core.inspect.measures import clipped_share, densest, sampled
from fern_ticket.core.ledger.changes import put, remove
from fern_ticket.core.ledger.masks import BitmapMask
from fern_ticket.core.ledger.steps import Step, read_steps, steps_json
from fern_ticket.core.operations import describe, operations, parameters_of
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture
from fern_ticket.core.slips.delivering import delivery_steps
from fern_ticket.core.slips.lines import CastLine, ClippedLine, FormatLine, LongSideLine, ProfileLine, RatioLine
from fern_ticket.core.slips.live import measure
from fern_ticket.core.slips.measures import Measures
from fern_ticket.core.slips.naming import NameParts, delivered_name, safe
from fern_ticket.core.slips.slip import Slip
from fern_ticket.core.stations import STATIONS
from tests import pictures


@pytest.mark.parametrize(
    ("raw", "said"),
    [
        ({}, "not a list"),
        ([{"op": "exposure", "strength": 2}], "strength"),
        ([{"params": {}}], "op"),
        ([{"op": "exposure", "colour": 1}], "colour"),
        ([{"id": "a", "op": "exposure"}, {"id": "a", "op": "exposure"}], "id a"),
        ([{"op": "dab", "mask": {"kind": "strokes", "strokes": []}}], "strokes"),
        (
            [{"op": "dab", "mask": {"kind": "strokes", "strokes": [{"points": [[1, 2, 3]], "size": 3}]}}],
            "points",
        ),
        ([{"op": "exposure"}] * 5001, "5001"),
    ],
)
def test_what_is_not_a_ledger_is_refused_in_words(raw, said):
    with pytest.raises(LedgerError, match=said):
        read_steps(raw)


@pytest.mark.parametrize(
    ("op", "params", "said"),
    [
        ("sparkle", {}, "There are: "),
        ("exposure", {"ev": 7}, "ev"),
        ("exposure", {"stops": 1}, "stops"),
        ("exposure", {"ev": float("nan")}, "ev"),
        ("crop", {"left": 0, "top": 0, "width": 3, "height": 30}, "width"),
        ("straighten", {"angle": "much"}, "angle"),
    ],
)
def test_wrong_parameters_say_which_and_why(op, params, said):
    with pytest.raises(LedgerError, match=said):
        parameters_of(Step(op=op, params=params))


def test_every_operation_describes_itself():
    described = describe()
    assert {"straighten", "crop", "turn", "output_size", "exposure", "white_balance", "dab", "heal"} <= set(described)
    for name, about in described.items():
        assert about["station"] in [row.station.value for row in STATIONS if row.folder is not None]
        assert about["summary"].endswith(".")
        assert about["schema"]["type"] == "object"
        assert operations()[name].name == name
    json.dumps(described)


def test_steps_survive_the_way_through_json():
    steps = read_steps(
        [
            {
                "op": "heal",
                "mask": {"kind": "strokes", "strokes": [{"points": [[1, 2, 0.5]], "size": 9}]},
                "strength": 0.4,
            },
            {"op": "exposure", "params": {"ev": 0.3}, "enabled": False},
        ]
    )
    again = read_steps(json.loads(json.dumps(steps_json(steps))))
    assert again == steps
    assert [s.key() for s in again] == [s.key() for s in steps]


def test_a_steps_key_knows_its_result_and_nothing_else():
    step = Step(op="exposure", params={"ev": 0.3})
    assert step.key() == Step(op="exposure", params={"ev": 0.3}, strength=0.2, enabled=False).key()
    assert step.key() != Step(op="exposure", params={"ev": 0.31}).key()


def test_putting_replaces_in_place_and_removing_needs_the_step():
    steps, place = put([Step(id="a", op="turn"), Step(id="b", op="exposure")], Step(id="a", op="crop"))
    assert place == 0
    assert [s.op for s in steps] == ["crop", "exposure"]
    steps, place = put(steps, Step(id="c", op="turn"), before="b")
    assert [s.id for s in steps] == ["a", "c", "b"]
    assert place == 1
    assert [s.id for s in remove(steps, "c")] == ["a", "b"]
    with pytest.raises(LedgerError, match="not in the ledger"):
        remove(steps, "z")


def test_a_bitmap_mask_must_fit_its_picture(tmp_path):
    (tmp_path / "m.png").write_bytes(pictures.file(np.full((20, 30, 3), 255, np.uint8), "PNG"))
    mask = BitmapMask(file="m.png")
    with pytest.raises(LedgerError, match="not loaded"):
        mask.box((30, 20))
    mask.load(tmp_path)
    assert mask.box((30, 20)) == Box(0, 0, 30, 20)
    with pytest.raises(LedgerError, match="30 × 20"):
        mask.box((31, 20))
    with pytest.raises(LedgerError, match="cannot be read"):
        BitmapMask(file="none.png").load(tmp_path)


MEASURES = Measures(
    width=2400,
    height=3000,
    crop_long_side=3000,
    crop_size=(2400, 3000),
    format="JPEG",
    profile="sRGB",
    casts=(1.2, 2.6),
    clipped=0.004,
    clipped_where=Box(10, 20, 30, 60),
)


@pytest.mark.parametrize(
    ("line", "state", "value"),
    [
        (RatioLine(across=4, down=5), "holds", "4:5"),
        (RatioLine(across=5, down=4), "short", "4:5"),
        (RatioLine(across=5, down=4, either_way=True), "holds", "4:5"),
        (LongSideLine(pixels=3000), "holds", "3000 px"),
        (LongSideLine(pixels=2400), "holds", "2400 px"),
        (LongSideLine(pixels=3001), "short", "3000 px"),
        (FormatLine(format="JPEG", quality=100), "holds", "JPEG 100"),
        (FormatLine(format="TIFF"), "short", "JPEG"),
        (ProfileLine(), "holds", "sRGB"),
        (CastLine(at_most=2.6), "holds", "ΔE 2.6"),
        (CastLine(at_most=2.5), "short", "ΔE 2.6"),
        (ClippedLine(at_most=0.4), "holds", "0.40 %"),
        (ClippedLine(at_most=0.3), "short", "0.40 %"),
    ],
)
def test_each_line_of_a_slip_judges_by_its_limit(line, state, value):
    verdict = line.verdict(MEASURES)
    assert (verdict.state, verdict.value) == (state, value)
    assert verdict.asks


def test_lines_say_what_is_not_known_yet():
    unknown = Measures(width=10, height=10, crop_long_side=10, format="JPEG", profile="sRGB")
    assert CastLine().verdict(unknown).state == "measuring"
    assert ClippedLine().verdict(unknown).state == "measuring"
    unpicked = Measures(width=10, height=10, crop_long_side=10, format="JPEG", profile="sRGB", casts=())
    assert CastLine().verdict(unpicked).state == "open"


def test_a_short_line_shows_the_place():
    assert ClippedLine(at_most=0).verdict(MEASURES).where == (10, 20, 20, 40)


def test_clipped_whites_are_counted_where_they_are():
    pixels = np.full((600, 800, 3), 128, np.uint8)
    pixels[60:120, 700:760] = 255
    picture = LedgerPicture(pictures.source(pixels), "t", [], ByteCache(1 << 22))
    found = clipped_share(*sampled(picture))
    assert found.share == pytest.approx(3600 / 480000)
    assert found.where is not None
    assert found.where.meets(Box(700, 60, 760, 120))
    lighter = LedgerPicture(
        pictures.source(pixels),
        "t",
        read_steps([{"op": "exposure", "params": {"ev": 3}}]),
        ByteCache(1 << 22),
    )
    assert clipped_share(*sampled(lighter)).share == 1
    assert densest(np.zeros((5, 5), bool), 1) is None


def test_a_slip_measures_the_picture_as_its_ledger_makes_it():
    slip = Slip(name="s", lines=[LongSideLine(pixels=200), CastLine(), ClippedLine()])
    pixels = np.full((400, 500, 3), (150, 140, 130), np.uint8)
    mark = {"x": 100, "y": 100, "size": 20}
    steps = read_steps([{"op": "white_balance", "params": {"neutrals": [mark]}}])
    picture = LedgerPicture(pictures.source(pixels), "t", delivery_steps(steps, slip), ByteCache(1 << 22))
    found = measure(picture, slip, *sampled(picture))
    assert (found.width, found.height, found.crop_long_side) == (200, 160, 500)
    assert found.casts is not None
    assert found.casts[0] > 3
    assert slip.long_side == 200
    assert slip.file == FormatLine()


PARTS = NameParts(ticket="FT-0201", number=7, client="Räce / Mill", photo="a\x00b")


@pytest.mark.parametrize(
    ("pattern", "name"),
    [
        ("{client}_{ticket}_{number:02}", "Race-Mill_FT-0201_07.tif"),
        ("../../{photo}", "a-b.tif"),
        ("{number:05}", "00007.tif"),
        ("...", "photo.tif"),
    ],
)
def test_delivered_names_follow_the_pattern_and_stay_in_their_folder(pattern, name):
    assert delivered_name(pattern, PARTS, "TIFF") == name


@pytest.mark.parametrize("pattern", ["{secret}", "{number", "{ticket.__class__}", "{number:z}", "{0}"])
def test_patterns_that_cannot_be_used_are_refused(pattern):
    with pytest.raises(SlipError, match="pattern"):
        delivered_name(pattern, PARTS, "JPEG")


def test_safe_names_are_never_long_and_never_hidden():
    assert safe(".hidden") == "hidden"
    assert len(safe("x" * 4000)) == 100
