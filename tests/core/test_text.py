"""Text on a photo: how it is set, what it covers, and what cannot be set."""

from __future__ import annotations

import numpy as np
import pytest
import uharfbuzz
from fontTools.ttLib import TTFont

from fern_ticket.core.errors import LedgerError
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.pieces.typesetting import _FOLDER, Setting, _length, _lines, set_text
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture, View
from tests import pictures

GROUND = pictures.texture(240, 400, 3, (90, 100, 110))


def result(**params):
    steps = read_steps([{"op": "text", "params": params}])
    return LedgerPicture(pictures.source(GROUND), "t", steps, ByteCache(1 << 27)).deliver(np.uint8)


def ink(text, **more):
    return set_text(Setting(text, size=more.pop("size", 60), **more)) / 255


def columns(share):
    return np.flatnonzero(share.max(axis=0) > 0.5)


def test_text_has_its_colour_and_leaves_all_else():
    out = result(text="Fern", size=80, colour=[250, 30, 20], at=[200, 120])
    changed = np.abs(out.astype(int) - GROUND).max(axis=2) > 0
    assert (np.abs(out.astype(int) - (250, 30, 20)).max(axis=2) <= 1).sum() > 500
    assert not changed[:30].any()
    rows, across = np.nonzero(changed)
    assert abs((across.min() + across.max()) / 2 - 200) < 8
    assert 60 < rows.min() < rows.max() < 180


def test_the_size_is_in_photo_pixels_or_per_cent_of_the_height():
    def height(**size):
        changed = np.abs(result(text="H", at=[200, 120], **size).astype(int) - GROUND).max(axis=2) > 40
        return np.ptp(np.nonzero(changed)[0]) + 1

    # capitals of the sans are 0.714 of its size, by the font's own table
    capitals = TTFont(_FOLDER / "NotoSans-Regular.ttf")["OS/2"].sCapHeight / 1000
    assert height(size=100) == pytest.approx(100 * capitals, abs=2)
    assert height(percent=50) == pytest.approx(120 * capitals, abs=2)


@pytest.mark.parametrize(
    ("text", "file"),
    [("Wave AVATAR fi", "NotoSans-Regular.ttf"), ("שלום עולם", "DejaVuSans.ttf"), ("مرحبا بالعالم", "DejaVuSans.ttf")],
)
def test_lines_are_as_long_as_harfbuzz_shapes_them(text, file):
    """Against HarfBuzz itself, asked through another binding: kerning, ligatures, joined letters, right to left."""
    buffer = uharfbuzz.Buffer()
    buffer.add_str(text)
    buffer.guess_segment_properties()
    font = uharfbuzz.Font(uharfbuzz.Face((_FOLDER / file).read_bytes()))
    uharfbuzz.shape(font, buffer)
    wanted = 200 * sum(one.x_advance for one in buffer.glyph_positions) / font.scale[0]
    (line,) = _lines(Setting(text, size=200))
    assert line.length == pytest.approx(wanted, rel=0.01)


def test_letters_that_join_and_run_backward_do():
    joined, apart = ink("ببب", size=80), [ink("ب", size=80) for _ in range(3)]
    assert len(columns(joined)) < sum(len(columns(one)) for one in apart)
    # the first letter stands at the right
    share = ink("אw"[::1], size=80)
    assert share.shape[1] > 0
    hebrew = _lines(Setting("אב", size=80))[0]
    assert hebrew.right_to_left


def test_accents_stand_on_their_letters_however_they_are_written():
    assert np.array_equal(ink("Café"), ink("Cafe\u0301"))
    assert ink("É")[: int(0.35 * 60 + 18)].sum() > ink("E")[: int(0.35 * 60 + 18)].sum()


def test_lines_wrap_between_words_and_align():
    text = "a garden with a bench under apple trees"
    narrow = Setting(text, size=40, width=260)
    lines = _lines(narrow)
    assert " ".join(line.text for line in lines) == text
    assert len(lines) > 2
    assert all(line.length <= 260 for line in lines)
    starts = {}
    for align in ("left", "middle", "right"):
        starts[align] = columns(set_text(Setting("ab\nabcdef", size=40, width=400, align=align))[:60] / 255)[0]
    assert starts["left"] < starts["middle"] < starts["right"]


def test_tracking_opens_words_and_keeps_kerning():
    plain, open_ = (Setting("AVATAR", size=100, tracking=tracking) for tracking in (0, 100))
    one, other = (_lines(setting)[0] for setting in (plain, open_))
    assert other.length == pytest.approx(one.length + 5 * 10)
    assert np.ptp(columns(set_text(open_) / 255)) == pytest.approx(np.ptp(columns(set_text(plain) / 255)) + 50, abs=3)
    arabic = Setting("مرحبا", size=100, tracking=300)
    assert _length(arabic.text, _lines(arabic)[0].font, arabic, True) == _lines(arabic)[0].length


@pytest.mark.parametrize("face", ["sans", "serif", "mono", "hand"])
def test_every_face_has_two_weights(face):
    regular, bold = (ink("Hamburg", face=face, weight=weight).sum() for weight in ("regular", "bold"))
    assert bold > 1.08 * regular


def test_a_paragraph_of_another_script_is_set_in_a_wider_face_and_what_none_has_is_said():
    assert ink("שלום", face="serif").max() == 1
    with pytest.raises(LedgerError, match="No face here has the letter 漢"):
        ink("漢字")


def test_in_perspective_by_four_corners_it_stays_inside_them():
    corners = [[60, 60], [330, 90], [340, 170], [50, 190]]
    out = result(text="Orchard", size=60, corners=corners)
    changed = np.abs(out.astype(int) - GROUND).max(axis=2) > 40
    assert changed.sum() > 400
    rows, across = np.nonzero(changed)
    assert across.min() >= 50
    assert across.max() <= 340
    assert rows.min() >= 60
    assert rows.max() <= 190


def test_softened_text_has_no_seams_where_windows_end():
    steps = read_steps([{"op": "text", "params": {"text": "Fern", "size": 90, "at": [200, 120], "blur": 4}}])
    picture = LedgerPicture(pictures.source(GROUND), "t", steps, ByteCache(1 << 27))
    out = picture.deliver(np.uint8)
    for left in (120, 187, 211):
        seen = picture.view(View(left, 90, 1, 60, 50), (0, 0, 0), fine=True)
        assert np.abs(seen.astype(int) - out[90:140, left : left + 60]).max() <= 1


@pytest.mark.parametrize(
    ("params", "says"),
    [
        ({"text": ""}, "at least 1"),
        ({"text": "   "}, "at least one letter"),
        ({"text": "x" * 10_000}, "at most 2000"),
        ({"text": "a", "face": "other"}, "face"),
        ({"text": "wide " * 300, "size": 4000}, "smaller"),
        ({"text": "a", "colour": [0, 0, 300]}, "colour"),
    ],
)
def test_what_cannot_be_set_is_said(params, says):
    with pytest.raises(LedgerError, match=says):
        result(**params)
