"""Flat panoramas of scenes that are known: a sphere painted by direction, and a room of straight edges."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.pictures.sphere import Sphere, Turn

Pixels = NDArray[np.uint8]
Direction = NDArray[np.float64]


def directions(width: int, turn: Turn | None = None) -> NDArray[np.float64]:
    """Of each pixel of a whole panorama, shape (3, rows, columns), as a camera sees them that is turned."""
    x, y = np.meshgrid(np.arange(width) + 0.5, np.arange(width // 2) + 0.5)
    rays = Sphere.whole((width, width // 2)).direction(x, y)
    return rays if turn is None else np.tensordot(turn.T, rays, axes=1)


def smooth(width: int, turn: Turn | None = None) -> Pixels:
    """Waves of every direction, without a seam or a pole of its own."""
    return (waves(*directions(width, turn)) + 0.5).astype(np.uint8)


def waves(right: Direction, down: Direction, ahead: Direction) -> NDArray[np.float64]:
    """Colours of directions, shape (..., 3), 0-255."""
    red = 128 + 50 * np.sin(7 * right + 3 * down) + 30 * np.sin(11 * ahead)
    green = 128 + 60 * np.sin(9 * down - 5 * ahead)
    blue = 128 + 60 * np.sin(8 * right + 6 * ahead)
    return np.clip(np.stack([red, green, blue], axis=-1), 0, 255)


def room(width: int, turn: Turn | None = None) -> Pixels:
    """A box room with upright bars on its walls and a chequered floor, drawn at twice the size and averaged."""
    right, down, ahead = directions(2 * width, turn)
    walls, low, high = 2.5, 1.3, 1.6
    across = walls / np.maximum(np.maximum(np.abs(right), np.abs(ahead)), 1e-9)
    floor = np.where(down > 0, low, high) / np.maximum(np.abs(down), 1e-9)
    reach = np.minimum(across, floor)
    x, y, z = right * reach, down * reach, ahead * reach
    along = np.where(np.abs(right) > np.abs(ahead), z, x)
    bars = np.where(np.mod(along + 0.13, 0.62) < 0.09, 70.0, 190 - 12 * y)
    tiles = np.where((np.floor(x / 0.4) + np.floor(z / 0.4)) % 2 == 0, 90.0, 165.0)
    value = np.where(across < floor, bars, np.where(down > 0, tiles, 215.0))
    random = np.random.default_rng(4)
    grey = value.reshape(width // 2, 2, width, 2).mean(axis=(1, 3)) + random.normal(0, 2.5, (width // 2, width))
    return np.repeat(np.clip(grey, 0, 255).astype(np.uint8)[..., None], 3, axis=2)


def angle_between(one: NDArray[np.float64], other: NDArray[np.float64]) -> float:
    """Degrees."""
    return math.degrees(math.acos(min(1.0, float(one @ other))))
