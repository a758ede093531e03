"""Pieces and texts in views into a flat panorama: they lie straight there, and bend as the flat picture does."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from fern_ticket.core.errors import LedgerError
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.pictures.chart import view_chart
from fern_ticket.core.pictures.pyramid import level_box
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture
from tests import pictures, spheres

WIDE = 1024
#: About as fine as the flat picture in its middle: half a turn is 512 pixels.
FIELD, SIZE = 80, (274, 200)
MIDDLE = [SIZE[0] / 2, SIZE[1] / 2]


def view(heading=0, pitch=0, **more):
    return {"heading": heading, "pitch": pitch, "field": FIELD, "size": list(SIZE), **more}


def seen(flat, heading=0, pitch=0):
    """What one sees there, 16-bit values."""
    chart = view_chart(heading, pitch, FIELD, SIZE, (WIDE, WIDE // 2))
    return chart.read(lambda box: flat[box.rows, box.columns], Box(0, 0, *SIZE))


def laid(*steps, picture=None, ground=None, level=0):
    """The panorama with what is laid on it; and without, both 16-bit."""
    source = pictures.source(spheres.smooth(WIDE) if ground is None else ground)
    lent = pictures.source(pictures.texture(120, 160, 5, (150, 120, 90)) if picture is None else picture)
    done = LedgerPicture(source, "p", read_steps(list(steps)), ByteCache(1 << 27), lambda _: lent)
    whole = level_box(source.size, level)
    return done, done.repaired.read(level, whole), source.read(level, whole).astype(np.uint16) * 257


def piece(chart, **params):
    return {"op": "piece", "id": "p", "chart": chart, "params": {"picture": "lent", "at": MIDDLE, "scale": 1, **params}}


@pytest.mark.parametrize(("heading", "pitch"), [(0, 0), (180, -30), (40, 75), (-100, -90)])
def test_it_lies_straight_in_its_view_over_the_seam_and_at_the_poles(heading, pitch):
    picture = np.zeros((120, 160, 3), np.uint8) + np.uint8([200, 60, 40])
    picture[::40] = picture[:, ::40] = (30, 200, 60)
    picture = np.asarray(cv2.GaussianBlur(picture, None, 2), np.uint8)
    _, flat, before = laid(piece(view(heading, pitch)), picture=picture)
    inside = seen(flat, heading, pitch)[45:155, 62:212]
    wanted = picture[5:115, 5:155].astype(np.float64) * 257
    # laid at whole places: what is seen is the picture itself, but for two resamplings
    off = np.sqrt(np.mean((inside - wanted) ** 2))
    assert 20 * np.log10(65535 / off) > 55
    # and nothing lies beside it
    chart = view_chart(heading, pitch, FIELD, SIZE, (WIDE, WIDE // 2))
    x, y = chart.from_source(*np.meshgrid(np.arange(WIDE) + 0.5, np.arange(WIDE // 2) + 0.5))
    beside = ~((np.abs(x - MIDDLE[0]) < 83) & (np.abs(y - MIDDLE[1]) < 63))
    assert np.array_equal(flat[beside], before[beside])


def test_the_seam_at_the_back_is_no_place_of_its_own():
    ground = np.full((WIDE // 2, WIDE, 3), 120, np.uint8)
    ahead = laid(piece(view(0, -20), turn=15), ground=ground)[1]
    behind = laid(piece(view(180, -20), turn=15), ground=ground)[1]
    assert np.abs(np.roll(ahead, WIDE // 2, axis=1).astype(int) - behind).max() < 257


def test_smaller_levels_show_the_same():
    _, flat, _ = laid(piece(view(170, -35)))
    _, half, _ = laid(piece(view(170, -35)), level=1)
    means = flat.reshape(WIDE // 4, 2, WIDE // 2, 2, 3).mean(axis=(1, 3))
    assert np.abs(means - half).mean() < 150
    assert np.percentile(np.abs(means - half), 99.5) < 12 * 257


def test_its_lengths_are_the_flat_picture_s_however_finely_the_view_was_drawn():
    coarse = laid(piece(view(30, -10), softened=24))[1]
    fine = {**view(30, -10), "size": [2 * side for side in SIZE]}
    twice = piece(fine, softened=24, at=[2 * place for place in MIDDLE], scale=2)
    assert np.abs(laid(twice)[1].astype(int) - coarse).max() < 3 * 257


def changed(flat, before):
    """Which pixels of the panorama are others."""
    return (flat != before).any(axis=2)


def test_it_may_reach_beyond_the_view_that_it_was_laid_in():
    there = changed(*laid(piece(view(), at=[0, 100]))[1:])
    rows, columns = np.nonzero(there)
    x, _ = view_chart(0, 0, FIELD, SIZE, (WIDE, WIDE // 2)).from_source(columns + 0.5, rows + 0.5)
    assert x.min() == pytest.approx(-80, abs=2)
    assert x.max() == pytest.approx(80, abs=2)


def test_what_lies_too_far_beside_its_view_to_be_seen_there_changes_nothing():
    done, flat, before = laid(piece(view(), at=[-9e4, 100]))
    assert np.array_equal(flat, before)
    assert [box.empty for box in done.pieced.laid.values()] == [True]
    assert done.pieced.match("p") == {}


GREY = np.full((WIDE // 2, WIDE, 3), 200, np.uint8)


def test_its_blend_mixes_with_what_is_seen_below_it():
    dark = np.full((120, 160, 3), 128, np.uint8)
    multiplied = seen(laid(piece(view(), blend="multiply"), picture=dark, ground=GREY)[1])
    assert multiplied[100, 137] / 257 == pytest.approx(200 * 128 / 255, abs=1)


def test_its_shadow_falls_in_the_view():
    shade = {"angle": 60, "length": 0.6, "hard_density": 80}
    _, flat, before = laid(piece(view(0, -25), shade=shade), ground=GREY)
    left = seen(flat, 0, -25) / seen(before, 0, -25)
    assert left[165:190].min() < 0.85
    assert left[:20].min() == 1


def test_where_it_may_lie_is_the_flat_picture_s():
    """A straight gradient of one pixel at the middle of the panorama covers what lies to the left of it."""
    left = {"parts": [{"shape": {"kind": "straight", "start": [512, 0], "end": [513, 0]}}]}
    whole = changed(*laid(piece(view()))[1:])
    half = changed(*laid(piece(view(), within=left))[1:])
    assert not half[:, 514:].any()
    assert half[:, :511].any()
    assert np.array_equal(half[:, :511], whole[:, :511])


def test_the_light_that_it_lends_is_lent_to_all_of_the_panorama():
    warm = np.full((120, 160, 3), (220, 150, 90), np.uint8)
    _, flat, before = laid(piece(view(), lends=100), picture=warm, ground=GREY)
    for place in ((40, 40), (256, 1000)):
        red, _, blue = flat[place].astype(float) / before[place]
        assert red > 1.02
        assert blue < 0.98
    assert flat[256, 512] == pytest.approx(np.array([220, 150, 90]) * 257, abs=257)


def test_what_is_told_of_it_is_told_in_its_view():
    text = {"op": "text", "id": "t", "chart": view(90, -15), "params": {"text": "Quay", "size": 60, "at": MIDDLE}}
    ground = np.full((WIDE // 2, WIDE, 3), 40, np.uint8)
    pieced = laid(text, ground=ground)[0].pieced
    sheet = pieced.sheet_of("t")
    assert np.mean(sheet.corners, axis=0) == pytest.approx(MIDDLE)
    assert sheet.view.heading == 90
    # white on grey of 40: relative luminances 1 and 0.0212 (WCAG 2.2)
    assert pieced.contrast_of_text("t") == pytest.approx(1.05 / 0.0712, rel=0.02)
    (loop,) = pieced.outlines_of("t")
    across = np.array(loop)[:, 0]
    assert (across.min() + across.max()) / 2 == pytest.approx(0.75 * WIDE, abs=1)
    assert len(loop) > 4
    assert laid(piece(view(90, -15)), ground=ground)[0].pieced.match("p")["exposure"] < -1


def test_a_place_left_open_is_amid_the_view():
    text = {"op": "text", "id": "t", "chart": view(), "params": {"text": "Quay", "percent": 50}}
    sheet = laid(text)[0].pieced.sheet_of("t")
    assert np.mean(sheet.corners, axis=0) == pytest.approx(MIDDLE)
    assert sheet.corners[2][1] - sheet.corners[0][1] < 1.5 * SIZE[1]


def test_in_a_plane_that_was_set_in_a_view_it_follows_that():
    tile = [[90, 60], [184, 60], [220, 150], [54, 150]]
    plane = {"op": "plane", "id": "wall", "params": {"corners": tile, "view": view(120, 0)}}
    mat = piece({"step": "wall"}, scale=0.5)
    sheet = laid(plane, mat)[0].pieced.sheet_of("p")
    assert sheet.view.heading == 120
    (a, b, c, d) = np.array(sheet.corners)
    assert b[0] - a[0] < c[0] - d[0]
    # a rectangle on the plane: its level sides meet where the plane's own do
    assert abs(b[1] - a[1]) < 1e-6
    assert abs(c[1] - d[1]) < 1e-6


def test_what_is_cut_in_a_view_is_laid_in_another_as_it_was_seen():
    ground = spheres.smooth(WIDE)
    there = view(30, -40, sphere=[WIDE, WIDE // 2, 0, 0])
    cut = {"picture": "", "cut_in": there, "part": [40, 30, 240, 170]}
    # beyond the seam, level: on the flat picture it would lie there as a bent strip
    _, flat, before = laid(piece(view(170, 0), **cut), ground=ground)
    wanted = seen(before, 30, -40)[35:165, 45:235].astype(np.float64)
    inside = seen(flat, 170, 0)[35:165, 42:232].astype(np.float64)
    assert 20 * np.log10(65535 / np.sqrt(np.mean((inside[:, :190] - wanted[:, :190]) ** 2))) > 45


def test_what_is_cut_in_a_view_and_laid_there_changes_nothing_to_be_seen():
    cut = {"picture": "", "cut_in": view(100, 70, sphere=[WIDE, WIDE // 2, 0, 0])}
    _, flat, before = laid(piece(view(100, 70), **cut))
    assert np.abs(flat.astype(int) - before).max() < 2 * 257


def test_a_view_that_is_cut_in_says_its_sphere():
    with pytest.raises(LedgerError, match="sphere"):
        laid(piece(view(), cut_in=view()))
