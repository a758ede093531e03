"""Made scenes whose level is known, and scenes that have none; encoded luminance 0-1."""

from __future__ import annotations

from collections.abc import Iterator

import cv2
import numpy as np
from numpy.typing import NDArray

Grey = NDArray[np.float32]

#: What there is: a horizon, print, a front, and a front that a camera looks up at.
LEVELLED = ("sea", "page", "front", "pitched")


def levelled(kind: str, degrees: float) -> Grey:
    """Something of 900 x 640 whose level is known, turned so that it asks for `degrees`, with grain."""
    random = np.random.default_rng(len(kind))
    y, x = np.mgrid[:900, :1200].astype(np.float32)
    if kind == "sea":
        waves = cv2.GaussianBlur(random.normal(0, 60, y.shape), (0, 0), sigmaX=14, sigmaY=2)
        scene = np.where(y < 450, 190 - 0.05 * y, 140 + waves * np.clip((y - 450) / 300, 0.05, 1))
    elif kind == "page":
        scene = np.full_like(y, 228)
        for row in range(120, 780, 28):
            for column in range(150, 1050, 25):
                scene[row : row + 10, column : column + random.integers(8, 22)] = 60
    else:
        scene = 170 + 8 * np.sin(x / 3) * np.sin(y / 4)
        for left in range(150, 1050, 170):
            for top in range(120, 720, 230):
                scene[top : top + 140, left : left + 80] = 70
        if kind == "pitched":  # a camera of 53 degrees that looks up by 12: uprights run together
            camera, a = np.array([[1200, 0, 600], [0, 1200, 450], [0, 0, 1]]), np.radians(12)
            look = np.array([[1, 0, 0], [0, np.cos(a), -np.sin(a)], [0, np.sin(a), np.cos(a)]])
            seen = camera @ look @ np.linalg.inv(camera)
            scene = cv2.warpPerspective(scene, seen, (1200, 900), borderMode=cv2.BORDER_REFLECT)
    turn = cv2.getRotationMatrix2D((600, 450), degrees, 1)
    turned = cv2.warpAffine(scene.astype(np.float32), turn, (1200, 900), flags=cv2.INTER_CUBIC)[130:770, 150:1050]
    return (cv2.GaussianBlur(turned, (0, 0), 0.8) + random.normal(0, 3, turned.shape)).astype(np.float32) / 255


def without_level(seed: int) -> Iterator[Grey]:
    """Ridges of dunes, bowls, and flat things lying about."""
    random = np.random.default_rng(seed)
    y, x = np.mgrid[:640, :900].astype(np.float32)
    dunes, bowls, things = np.full_like(y, 150), np.full_like(y, 150), np.full_like(y, 140)
    for ridge in range(5):
        wave = 50 * np.sin(x / 900 * 2 * np.pi * random.uniform(0.3, 1.2) + random.uniform(0, 6))
        below = y > 120 + 105 * ridge + wave + random.uniform(-0.2, 0.2) * x
        dunes = np.where(below, 180 - 25 * ridge, dunes)
    for _ in range(12):
        at = [float(random.integers(0, side)) for side in (900, 640)]
        cv2.circle(bowls, [round(one) for one in at], int(random.integers(25, 110)), int(random.integers(40, 230)), -1)
        size = [float(random.integers(*sides)) for sides in ((50, 300), (16, 120))]
        corners = cv2.boxPoints((at, size, float(random.uniform(0, 180)))).astype(np.int32)
        cv2.fillConvexPoly(things, corners, int(random.integers(40, 230)))
    for scene in (dunes, bowls, things):
        grey = cv2.GaussianBlur(scene.astype(np.float32), (0, 0), 1.2) + random.normal(0, 3, scene.shape)
        yield grey.astype(np.float32) / 255


def turned_by(grey: Grey, degrees: float) -> Grey:
    """Turned about its middle, counter-clockwise, without blank corners."""
    rows, columns = grey.shape
    turn = cv2.getRotationMatrix2D((columns / 2, rows / 2), degrees, 1)
    whole = cv2.warpAffine(grey, turn, (columns, rows), flags=cv2.INTER_CUBIC)
    longer, a = max(columns / rows, rows / columns), abs(np.radians(degrees))
    share = 1 / (np.cos(a) + longer * np.sin(a))
    across, down = int(columns * (1 - share) / 2) + 2, int(rows * (1 - share) / 2) + 2
    return np.ascontiguousarray(whole[down : rows - down, across : columns - across])
