"""Pieces and texts in planes of the scene."""

from __future__ import annotations

import math

import numpy as np
import pytest

from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.pictures.plane import mapped
from fern_ticket.core.pieces.placing import to_piece
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture
from tests import pictures


def source(width, height):
    return pictures.source(pictures.texture(height, width, 3, (120, 130, 140)))


def floor_seen():
    """A camera that looks down on a floor: metres on the floor to photo pixels, for a photo of 600 × 400."""
    focal, fall, high = 500.0, math.radians(28), 1.6
    turn = np.array([[1, 0, 0], [0, math.cos(fall), -math.sin(fall)], [0, math.sin(fall), math.cos(fall)]])
    eye = np.array([[focal, 0, 300], [0, focal, 200], [0, 0, 1]])
    # a place of the floor: x to the right, y ahead; the eye stands above its origin
    return eye @ turn @ np.array([[1, 0, 0], [0, 0, high], [0, 1, 0]])


def test_what_lies_in_a_plane_of_the_scene_is_a_rectangle_on_it():
    """Against the camera itself (Hartley, Zisserman 2004): right angles, its own ratio, one size on the floor."""
    seen = floor_seen()
    # a tile that lies askew, so that both its vanishing points tell of the focal length
    tile = mapped(seen, np.array([-0.2, 1.3, 0.5, -1.0]), np.array([4.6, 3.6, 2.4, 3.4])).T
    plane = {"op": "plane", "id": "floor", "params": {"corners": tile.tolist()}}
    areas = []
    for at in ((300.0, 240.0), (380.0, 200.0), (250.0, 150.0)):
        piece = {"op": "piece", "id": "mat", "chart": {"step": "floor"}, "params": {"at": at, "scale": 0.4, "turn": 20}}
        lying = LedgerPicture(source(600, 400), "p", read_steps([plane, piece]), ByteCache(1 << 26)).pieced
        sheet = lying.sheet_of("mat")
        x, y = mapped(np.linalg.inv(seen), *np.array(sheet.corners).T)
        corners = np.stack([x, y], axis=1)
        sides = np.roll(corners, -1, axis=0) - corners
        long = np.linalg.norm(sides, axis=1)
        for one, other in zip(sides, np.roll(sides, -1, axis=0), strict=True):
            assert abs(one @ other) < 0.01 * np.linalg.norm(one) * np.linalg.norm(other)
        assert long[0] / long[1] == pytest.approx(600 / 400, rel=0.01)
        assert corners.mean(axis=0) == pytest.approx(mapped(np.linalg.inv(seen), *np.array(at)), abs=0.01)
        areas.append(long[0])
    # as large on the floor wherever it lies
    assert areas == pytest.approx([areas[0]] * 3, rel=0.01)


def test_a_piece_in_a_plane_follows_it_and_lies_on_the_photo_without_it():
    tile = [[200, 120], [400, 120], [480, 300], [120, 300]]
    piece = {"op": "piece", "id": "mat", "chart": {"step": "floor"}, "params": {"at": [300, 200], "scale": 0.3}}

    def corners(*before):
        steps = read_steps([*before, piece])
        return LedgerPicture(source(600, 400), "p", steps, ByteCache(1 << 26)).pieced.sheet_of("mat").corners

    flat = ((210, 140), (390, 140), (390, 260), (210, 260))
    plane = {"op": "plane", "id": "floor", "params": {"corners": tile}}
    tilted = corners(plane)
    assert tilted[1][0] - tilted[0][0] < tilted[2][0] - tilted[3][0]
    steeper = corners({**plane, "params": {"corners": [[240, 120], [360, 120], *tile[2:]]}})
    assert np.abs(np.array(steeper) - tilted).max() > 3
    assert np.allclose(corners(), flat)
    assert np.allclose(corners({**plane, "enabled": False}), flat)


@pytest.mark.parametrize("at", [[300, 2000], [300, -5000], [300, 60.01], [-9e4, 9e4]])
def test_a_place_beyond_a_plane_s_ends_still_has_four_corners(at):
    plane = {"op": "plane", "id": "floor", "params": {"corners": [[200, 120], [400, 120], [480, 300], [120, 300]]}}
    piece = {"op": "text", "id": "t", "chart": {"step": "floor"}, "params": {"text": "Quay", "size": 400, "at": at}}
    sheet = LedgerPicture(source(600, 400), "p", read_steps([plane, piece]), ByteCache(1 << 26)).pieced.sheet_of("t")
    assert np.isfinite(sheet.corners).all()
    to_piece(sheet.corners, sheet.size)
