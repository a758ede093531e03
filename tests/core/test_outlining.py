"""Covers as closed outlines, and what is then drawn of them."""

from __future__ import annotations

import numpy as np
import pytest
from skimage.measure import find_contours
from skimage.morphology import disk

from fern_ticket.core.areas.outlining import outlines
from fern_ticket.core.errors import LedgerError
from fern_ticket.core.ledger.covers import Cover
from fern_ticket.core.ledger.masks import OutlineMask
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture
from tests import pictures

RING = {"kind": "round", "middle": [100, 60], "radii": [50, 40], "soft": 0}
HOLE = {"kind": "round", "middle": [100, 60], "radii": [20, 20], "soft": 0}
WHOLE = Box(0, 0, 200, 120)


def loops_of(*parts):
    picture = LedgerPicture(pictures.source(pictures.ramp(120, 200)), "o", [], ByteCache(1 << 26))
    cover = Cover.model_validate({"parts": list(parts)})
    return picture.outlines_of(cover), picture.covered(cover)


def drawn(loops):
    return OutlineMask(points=loops[0], others=loops[1:]).alpha(WHOLE)


def test_an_outline_of_a_cover_draws_the_cover_with_its_hole():
    loops, share = loops_of({"shape": RING}, {"mode": "subtract", "shape": HOLE})
    assert len(loops) == 2
    again = drawn(loops)
    assert again[60, 100] == 0
    assert again[60, 60] == 1
    assert np.abs(again - share).mean() < 0.01
    assert ((again > 0.5) != (share > 0.5)).sum() < 0.03 * (share > 0.5).sum()


def test_it_runs_where_half_is_covered():
    """Against scikit-image's marching squares."""
    away = np.hypot(*np.meshgrid(np.arange(200) - 90.3, np.arange(120) - 55.6)).astype(np.float32)
    share = np.clip((42 - away) / 20 + 0.5, 0, 1)
    (loop,) = outlines(share)
    theirs = find_contours(share, 0.5)[0][:, ::-1] + 0.5
    ours = np.array(loop)
    nearest = np.hypot(*(ours[:, None] - theirs[None]).transpose(2, 0, 1)).min(axis=1)
    assert nearest.max() < 0.6
    assert len(loop) < len(theirs) / 3


def test_what_runs_off_the_picture_is_closed_along_its_rim():
    loops, share = loops_of({"shape": {"kind": "straight", "start": [99.9, 0], "end": [100.1, 0]}})
    (loop,) = loops
    assert min(x for x, _ in loop) == min(y for _, y in loop) == 0
    assert max(y for _, y in loop) == pytest.approx(120, abs=0.6)
    assert np.abs(drawn(loops) - share).mean() < 0.01


def test_specks_are_left_out_and_a_ragged_edge_keeps_within_what_a_mask_may_have():
    share = np.zeros((600, 800), np.float32)
    share[200:400, 200:600] = 1
    share[10:12, 10:12] = 1
    assert len(outlines(share)) == 1
    ragged = (np.random.default_rng(3).random((600, 800)) < 0.5).astype(np.float32)
    found = outlines(ragged)
    assert sum(map(len, found)) <= 4000
    OutlineMask(points=found[0], others=found[1:])


def test_what_covers_nothing_or_everything_has_no_outline():
    assert outlines(np.zeros((20, 30), np.float32)) == outlines(np.ones((20, 30), np.float32)) == []
    with pytest.raises(LedgerError, match="no edge"):
        loops_of()


def test_further_loops_scale_and_bound_like_the_first():
    island = [(150.0, 90.0), (180.0, 90.0), (180.0, 110.0)]
    mask = OutlineMask(points=[(10, 10), (50, 10), (50, 50)], others=[island])
    assert mask.box((200, 120)).right >= 180
    half = mask.scaled(0.5)
    assert half.others[0][0] == (75, 45)
    assert mask.key() != OutlineMask(points=mask.points).key()
    assert mask.alpha(WHOLE).sum() == pytest.approx(4 * half.alpha(Box(0, 0, 100, 60)).sum(), rel=0.04)


def test_a_disc_keeps_its_area():
    share = np.pad(disk(30).astype(np.float32), 10)
    (loop,) = outlines(share)
    x, y = np.array(loop).T
    area = 0.5 * abs(np.dot(x, np.roll(y, 1)) - np.dot(y, np.roll(x, 1)))
    assert area == pytest.approx(share.sum(), rel=0.03)


def test_it_can_run_outside_of_the_cover():
    picture = LedgerPicture(pictures.source(pictures.ramp(120, 200)), "o", [], ByteCache(1 << 26))
    (loop,) = picture.outlines_of(Cover.model_validate({"parts": [{"shape": RING}]}), wider=8)
    xs, ys = zip(*loop, strict=True)
    assert (min(xs), max(xs)) == (pytest.approx(42, abs=1), pytest.approx(158, abs=1))
    assert (min(ys), max(ys)) == (pytest.approx(12, abs=1), pytest.approx(108, abs=1))
