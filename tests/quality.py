"""Numbers that tell a good filling from a smear, as editors see it. Each is 1 where nothing shows."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

Picture = NDArray[np.uint8]
Bits = NDArray[np.bool_]


@dataclass(frozen=True)
class Filling:
    """How a filled hole compares.

    Attributes
    ----------
    deviation
        Local deviation (squares of 9 px) in the hole, of that in its ring.
    energy
        Mean squared gradient in the hole, of the truth's.
    rim
        Mean gradient at the hole's rim, of the truth's.
    likeness
        PSNR in the hole, dB: only where one filling is right.
    """

    deviation: float
    energy: float
    rim: float
    likeness: float

    @property
    def away(self) -> float:
        """How far the first three are from 1, in mean."""
        return float(np.mean([abs(self.deviation - 1), abs(self.energy - 1), abs(self.rim - 1)]))


def filling(filled: Picture, truth: Picture, hole: Bits) -> Filling:
    made, right = _grey(filled), _grey(truth)
    ring = (cv2.dilate(hole.astype(np.uint8), np.ones((41, 41), np.uint8)) > 0) & ~hole
    inner = cv2.erode(hole.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    inner = inner if inner.any() else hole
    near = np.ones((3, 3), np.uint8)
    rim = (cv2.dilate(hole.astype(np.uint8), near) > 0) & ~(cv2.erode(hole.astype(np.uint8), near) > 0)
    off = np.subtract(truth, filled, dtype=np.float64)[hole]
    return Filling(
        float(_deviation(made)[inner].mean() / _deviation(right)[ring].mean()),
        float((_slope(made)[inner] ** 2).mean() / (_slope(right)[inner] ** 2).mean()),
        float(_slope(made)[rim].mean() / _slope(right)[rim].mean()),
        float(10 * np.log10(255**2 / max(float((off**2).mean()), 1e-9))),
    )


def layout_error(filled: Picture, truth: Picture, hole: Bits) -> float:
    """Mean CIELAB distance in the hole after a Gaussian blur of 8 px: whether what is right lies in the right place."""
    one, other = (
        cv2.GaussianBlur(cv2.cvtColor(picture.astype(np.float32) / 255, cv2.COLOR_RGB2Lab), (0, 0), 8)
        for picture in (filled, truth)
    )
    return float(np.linalg.norm(one - other, axis=2)[hole].mean())


def overlap(share: NDArray[Any], truth: Bits) -> float:
    """Intersection over union of a truth and what is covered by more than a half."""
    found = share > 0.5
    return float((found & truth).sum() / (found | truth).sum())


def loose_around(truth: Bits, wide: float, seed: int = 0) -> Bits:
    """What lies inside an outline as a hand draws it around a thing: its hull, and about `wide` times its size beside
    it, more here and less there."""
    hull = cv2.convexHull(np.argwhere(truth)[:, ::-1].astype(np.int32))
    inside = cv2.fillPoly(np.zeros(truth.shape, np.uint8), [hull], 1)
    away = cv2.distanceTransform(1 - inside, cv2.DIST_L2, 5)
    y, x = np.mgrid[: truth.shape[0], : truth.shape[1]]
    middle = hull.reshape(-1, 2).mean(axis=0)
    angle = np.arctan2(y - middle[1], x - middle[0])
    first, second = np.random.default_rng(seed).uniform(0, 2 * np.pi, 2)
    wobbling = 1 + 0.3 * np.sin(2 * angle + first) + 0.4 * np.sin(3 * angle + second)
    return np.asarray(away <= np.maximum(1, wide * np.sqrt(truth.sum()) * wobbling))


def by_grabcut(pixels: Picture, loose: Bits) -> Bits:
    """What OpenCV's GrabCut (Rother, Kolmogorov, Blake 2004) makes of an outline."""
    told = np.where(loose, cv2.GC_PR_FGD, cv2.GC_BGD).astype(np.uint8)
    cv2.grabCut(pixels, told, None, np.zeros((1, 65)), np.zeros((1, 65)), 5, cv2.GC_INIT_WITH_MASK)
    return np.asarray(told % 2 == 1)


def blob(rows: int, columns: int, side: int) -> Bits:
    """A leaning ellipse in the middle."""
    drawn = np.zeros((rows, columns), np.uint8)
    cv2.ellipse(drawn, (columns // 2, rows // 2), (side // 2, int(side * 0.4)), 20, 0, 360, 1, -1)
    return drawn > 0


def noisy(pixels: Picture, deviation: float, seed: int = 5) -> Picture:
    grain = np.random.default_rng(seed).normal(0, deviation, pixels.shape)
    return np.clip(pixels + grain, 0, 255).astype(np.uint8)


def sky(rows: int, columns: int, grain: float = 1.5, seed: int = 0) -> tuple[Picture, NDArray[np.float64]]:
    """A curved gradient with grain, and without."""
    y, x = np.mgrid[0:rows, 0:columns] / max(rows, columns)
    plane = 120 + 90 * y + 25 * x - 40 * (x - 0.4) ** 2
    pure = np.stack([plane, plane + 12, plane + 30 - 20 * y], axis=-1)
    noise = cv2.GaussianBlur(np.random.default_rng(seed).normal(0, 1, pure.shape), (0, 0), 0.6)
    return np.clip(pure + noise * (grain / noise.std()) + 0.5, 0, 255).astype(np.uint8), pure


def specked(ground: Picture, count: int, contrast: float, seed: int = 1) -> tuple[Picture, NDArray[np.float64]]:
    """Ground with soft round specks of 3 to 11 px, darker and lighter, and their (x, y, diameter)."""
    random = np.random.default_rng(seed)
    rows, columns = ground.shape[:2]
    out = ground.astype(np.float64)
    cells = [(r, c) for r in range(40, rows - 40, 70) for c in range(40, columns - 40, 70)]
    chosen = random.permutation(len(cells))[:count]
    placed = []
    for index in chosen:
        row, column = cells[index]
        x, y = column + random.uniform(-14, 14), row + random.uniform(-14, 14)
        size = random.uniform(3, 11)
        top, left = int(y) - 16, int(x) - 16
        yy, xx = np.mgrid[top : top + 33, left : left + 33] + 0.5
        away = np.hypot(xx - x, yy - y)
        share = np.clip(size / 2 + 0.7 - away, 0, 1.4) / 1.4
        depth = contrast * random.uniform(1.15, 1.8) * (1 if random.random() < 0.3 else -1)
        out[top : top + 33, left : left + 33] += (depth * share)[..., None]
        placed.append((x, y, size))
    return np.clip(out + 0.5, 0, 255).astype(np.uint8), np.array(placed).reshape(-1, 3)


def _grey(pixels: Picture) -> NDArray[np.float32]:
    return cv2.cvtColor(pixels, cv2.COLOR_RGB2GRAY).astype(np.float32)


def _deviation(grey: NDArray[np.float32]) -> NDArray[np.float32]:
    mean = cv2.blur(grey, (9, 9))
    return np.sqrt(np.maximum(cv2.blur(grey * grey, (9, 9)) - mean * mean, 0))


def _slope(grey: NDArray[np.float32]) -> NDArray[np.float32]:
    return np.hypot(np.diff(grey, axis=0, append=grey[-1:]), np.diff(grey, axis=1, append=grey[:, -1:]))
