"""Made outdoor scenes whose sky is known, sRGB."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Picture = NDArray[np.uint8]
Bits = NDArray[np.bool_]
Values = NDArray[np.float32]

#: Clouds down to grey hills; evening over dark land; a hazy sea; a white house; what wires part; a low sun that is
#: white far around.
SKIES = ("clouds", "evening", "sea", "house", "wires", "sun")
_ROWS, _COLUMNS = 480, 720


def outdoors(kind: str, seed: int) -> tuple[Picture, Bits]:
    """A scene with its grain, and where its sky is."""
    random = np.random.default_rng((SKIES.index(kind), seed))
    y, x = np.mgrid[:_ROWS, :_COLUMNS].astype(np.float32)
    land = _ROWS * random.uniform(0.5, 0.7) + 0 * x
    top, foot = np.array([52, 104, 178]), np.array([176, 208, 236])
    ground = np.array([70, 98, 48]) * (1 + 0.35 * _rough(random, 3)[..., None])
    if kind == "clouds":
        land -= 40 * _rough(random, 60)[0]
        ground = np.array([120, 118, 116]) * (1 + 0.3 * _rough(random, 4)[..., None])
    if kind == "evening":
        top, foot, ground = np.array([14, 26, 60]), np.array([44, 66, 112]), ground * 0.12
        land -= 15 * _rough(random, 30)[0]
    if kind == "sea":
        top, foot = np.array([150, 180, 214]), np.array([206, 216, 226])
        ground = np.array([150, 172, 188]) - 30 * np.clip((y - land) / _ROWS, 0, 1)[..., None]
    height = np.clip(y / land, 0, 1)[..., None]
    scene, sky = np.where((y < land)[..., None], top + (foot - top) * height, ground), y < land
    if kind in ("clouds", "house"):
        thick = np.clip(1.6 * _rough(random, 40) + 0.7 * _rough(random, 9) - random.uniform(0.5, 0.9), 0, 1)
        white = np.array([250, 250, 250]) - 40 * np.clip(_rough(random, 15), 0, 1)[..., None]
        scene = np.where(sky[..., None], scene + (white - scene) * thick[..., None], scene)
    if kind == "sun":
        away = np.hypot(x - random.uniform(0.2, 0.8) * _COLUMNS, 1.6 * (y - land + random.uniform(10, 60)))
        glow = np.clip(random.uniform(250, 400) - random.uniform(1.2, 2.0) * away, 0, None)
        scene = np.where(sky[..., None], np.minimum(scene + glow[..., None], 255), scene)
    if kind == "house":
        left, wide, eaves = random.uniform(60, 300), random.uniform(160, 340), random.uniform(0.3, 0.45) * _ROWS
        ridge = (left + wide / 2, eaves - 0.3 * wide)
        corners = [(left, 0.9 * _ROWS), (left, eaves), ridge, (left + wide, eaves), (left + wide, 0.9 * _ROWS)]
        wall = _drawn(corners)
        white = np.array([238, 235, 226]) - 12 * (x / _COLUMNS)[..., None]
        scene, sky = scene + (white - scene) * wall[..., None], sky & (wall < 0.5)
    if kind == "wires":
        for _ in range(3):
            ends = [(-5, random.uniform(20, 0.8 * land.min())), (_COLUMNS + 5, random.uniform(20, 0.8 * land.min()))]
            wire = _drawn([*ends, *((end[0], end[1] + 3) for end in ends[::-1])])
            scene, sky = scene * (1 - wire[..., None]) + 40 * wire[..., None], sky & (wire < 0.5)
    soft = cv2.GaussianBlur(scene.astype(np.float32), (0, 0), 0.8) + random.normal(0, 2, scene.shape)
    return np.clip(soft, 0, 255).astype(np.uint8), sky


def _rough(random: np.random.Generator, size: float) -> Values:
    """Noise of about so many pixels, of deviation 1."""
    small = random.normal(0, 1, (round(_ROWS / size) + 3, round(_COLUMNS / size) + 3)).astype(np.float32)
    large = np.asarray(cv2.resize(small, (_COLUMNS, _ROWS), interpolation=cv2.INTER_CUBIC), np.float32)
    return np.asarray(large / large.std(), np.float32)


def _drawn(corners: list[tuple[float, float]]) -> Values:
    """How much of each pixel a polygon covers."""
    large = np.zeros((4 * _ROWS, 4 * _COLUMNS), np.uint8)
    cv2.fillPoly(large, [np.rint(4 * np.array(corners)).astype(np.int32)], 255)
    return np.asarray(cv2.resize(large, (_COLUMNS, _ROWS), interpolation=cv2.INTER_AREA) / np.float32(255), np.float32)
