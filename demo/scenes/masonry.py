"""Bricks, pavers and stones as textures: colour and height. For makers only."""

from __future__ import annotations

from typing import Any

import numpy as np
from studio import noise


def laid(
    size: tuple[float, float], pixels: float, place: Any, joint: float, tones: Any, mortar: Any, seed: int
) -> tuple[np.ndarray, np.ndarray]:
    """Paving or brickwork over `size` metres at `pixels` a metre: colour and height.

    `place(x, y)` gives for each point the number of its stone and its distance from the stone's edge, in metres.
    """
    rng = np.random.default_rng(seed)
    rows, cols = round(size[1] * pixels), round(size[0] * pixels)
    y, x = (np.mgrid[0:rows, 0:cols].astype(np.float32) + 0.5) / pixels
    wander = [0.0022 * noise((rows, cols), (size[1] * 14, size[0] * 14), 3, seed + k) for k in (1, 2)]
    number, edge = place(x + wander[0], y + wander[1])
    number = number.astype(np.int64) % 4096
    which = rng.uniform(0, 1, 4096).astype(np.float32)[number]
    tilt = rng.normal(0, 1, (2, 4096)).astype(np.float32)
    cloud = noise((rows, cols), (size[1] * 4, size[0] * 4), 5, seed + 3, 0.6)
    grit = noise((rows, cols), (size[1] * 160, size[0] * 160), 2, seed + 4)
    inside = np.clip((edge - joint / 2 - 0.0006 * grit) / 0.003, 0, 1)
    tones = np.asarray(tones, np.float32)
    at = which * (len(tones) - 1.001)
    low = at.astype(int)
    colour = tones[low] + (at - low)[..., None] * (tones[low + 1] - tones[low])
    colour = colour * (1 + 0.10 * cloud + 0.07 * grit + 0.08 * (which[..., None] - 0.5)[..., 0])[..., None]
    between = np.asarray(mortar, np.float32) * (1 + 0.14 * grit + 0.15 * cloud)[..., None]
    out = between + inside[..., None] * (colour - between)
    wear = np.clip((edge - joint / 2) / 0.012, 0, 1) ** 0.5
    height = inside * (0.7 + 0.3 * wear + 0.05 * cloud + 0.12 * tilt[0][number]) + 0.035 * grit
    return np.clip(out, 0.004, 0.95).astype(np.float32), height.astype(np.float32)


def herringbone(brick: float) -> Any:
    """Bricks twice as long as wide, laid at right angles to each other; `brick` is the width in metres."""

    def place(x: np.ndarray, y: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        i, j = np.floor(x / brick), np.floor(y / brick)
        kind = np.mod(i - j, 4)
        left, low = i - (kind == 1), j - (kind == 2)
        wide, tall = 1 + (kind < 2), 1 + (kind >= 2)
        u, v = x / brick - left, y / brick - low
        edge = np.minimum(np.minimum(u, wide - u), np.minimum(v, tall - v)) * brick
        return left * 71 + low * 1013, edge

    return place


def courses(heights: tuple[float, float], lengths: tuple[float, float], seed: int) -> Any:
    """Stones in courses of random height and length, metres."""
    rng = np.random.default_rng(seed)
    rows = np.cumsum(np.r_[0, rng.uniform(*heights, 400)])
    cuts = [np.cumsum(np.r_[-rng.uniform(*lengths), rng.uniform(*lengths, 160)]) for _ in range(400)]

    def place(x: np.ndarray, y: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        row = np.clip(np.searchsorted(rows, y, side="right") - 1, 0, 399)
        stone, edge = np.zeros(x.shape, int), np.zeros(x.shape, np.float32)
        for k in np.unique(row):
            here = row == k
            at = np.clip(np.searchsorted(cuts[k], x[here], side="right") - 1, 0, len(cuts[k]) - 2)
            stone[here] = k * 37 + at
            edge[here] = np.minimum(x[here] - cuts[k][at], cuts[k][at + 1] - x[here])
        edge = np.minimum(edge, np.minimum(y - rows[row], rows[np.minimum(row + 1, 400)] - y))
        return stone * 17, edge

    return place
