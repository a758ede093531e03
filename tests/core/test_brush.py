"""A tip's mark: exact where it is quick, near enough where it would take long, and alike whichever part is asked."""

from __future__ import annotations

import numpy as np
import pytest

from fern_ticket.core.ledger.brush import lay, touches_of
from fern_ticket.core.ledger.masks import StrokesMask
from fern_ticket.core.pictures.regions import Box


def by_definition(path, radius, hardness, opacity, rows, columns):
    """The most that any ribbon from point to point covers of a pixel's middle."""
    cover = np.zeros((rows, columns))
    y, x = np.mgrid[0:rows, 0:columns] + 0.5
    for (ax, ay, ap), (bx, by, bp) in zip(path, path[1:] if len(path) > 1 else path, strict=False):
        dx, dy = bx - ax, by - ay
        along = np.clip(((x - ax) * dx + (y - ay) * dy) / max(dx * dx + dy * dy, 1e-30), 0, 1)
        outer = radius * (ap + along * (bp - ap))
        soft = np.maximum(outer * (1 - hardness), 1)
        away = np.hypot(x - ax - along * dx, y - ay - along * dy)
        share = np.clip((outer + 0.5 * (soft == 1) - away) / soft, 0, 1)
        cover = np.maximum(cover, opacity * share**2 * (3 - 2 * share))
    return cover


@pytest.mark.parametrize("seed", range(12))
def test_a_ribbon_is_what_its_definition_says(seed):
    chosen = np.random.default_rng(seed)
    many = int(chosen.integers(1, 30))
    places = [chosen.uniform(-40, 160, many), chosen.uniform(-40, 120, many), chosen.uniform(0.2, 1, many)]
    if seed % 3 == 0:
        places[1][:] = 40  # level, and upright
    if seed % 4 == 0:
        places[0][:] = 60
    path = np.column_stack(places)
    tip = chosen.uniform(0.3, 60), chosen.choice([0, 0.3, 0.7, 1.0]), chosen.choice([1.0, 0.4])
    cover = np.zeros((80, 120), np.float32)
    lay(cover, path, *tip, (0, 0))
    np.testing.assert_allclose(cover, by_definition(path, *tip, 80, 120), atol=1e-6)


@pytest.mark.parametrize("hardness", [0.0, 0.7])
def test_a_long_stroke_of_a_large_tip_is_near_its_definition(hardness):
    turn = np.linspace(0, 6, 900)
    path = np.column_stack([400 + 300 * np.sin(turn), 300 + 200 * np.sin(1.3 * turn), np.ones(900)])
    cover = np.zeros((600, 800), np.float32)
    lay(cover, path, 240, hardness, 0.9, (0, 0))
    # a hand's path bends little between three of its points
    truth = by_definition(path[::3], 240, hardness, 0.9, 600, 800)
    assert np.abs(cover - truth).max() < 0.06
    assert np.abs(cover - truth).mean() < 0.002
    assert 0.05 < truth.mean() < 0.89


def test_a_part_of_a_long_stroke_is_that_part_of_the_whole():
    points = [[(k * 7919) % 3000, (k * 331) % 2000, 1] for k in range(3000)]
    mask = StrokesMask(strokes=[{"points": points, "size": 900, "hardness": 0.2}])
    whole = mask.alpha(Box(0, 0, 700, 500))
    assert np.array_equal(mask.alpha(Box(333, 217, 641, 480)), whole[217:480, 333:641])
    assert whole.min() > 0.5


def test_what_lies_under_a_stroke_is_never_covered_less():
    cover = np.full((50, 60), 0.5, np.float32)
    lay(cover, np.array([[30.0, 25, 1]]), 12, 0.5, 0.8, (0, 0))
    assert cover.min() == 0.5
    assert cover.max() == pytest.approx(0.8)


def test_a_tip_comes_down_evenly_along_its_path():
    touches = touches_of(np.array([[0.0, 0, 1], [30, 40, 0]]), 10)
    np.testing.assert_allclose(touches[:, 0], [0, 6, 12, 18, 24, 30])
    np.testing.assert_allclose(touches[:, 2], [1, 0.8, 0.6, 0.4, 0.2, 0], atol=1e-12)
