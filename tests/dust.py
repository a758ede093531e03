"""Grounds with grain, and spots that are put on them: dark, bright, soft ones and fibres, each with its strength."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

Picture = NDArray[np.uint8]
Plane = NDArray[np.float32]

GROUNDS = ("sky", "paper", "sweep", "blurred")
KINDS = ("dark", "bright", "soft", "fibre")
#: Radii of spots, and half the widths of fibres, pixels.
RADII = (1.0, 1.5, 2.5, 4.0, 6.0, 10.0, 16.0, 25.0)

_SCALES = tuple(0.7 * 1.5**k for k in range(9))


@dataclass(frozen=True)
class Spot:
    """A spot that was put there.

    `contrast` is its depth in levels of 255, `stands_out` its strongest response among bands over that band's
    own deviation on this ground.
    """

    kind: str
    x: float
    y: float
    radius: float
    reach: float
    contrast: float
    stands_out: float


def dusty(
    ground: str, grain: float, seed: int, quality: int | None = None, spots: int = 24
) -> tuple[Picture, list[Spot]]:
    """A ground of 1200 x 900 with spots on it, compressed as a JPEG of that quality where one is given."""
    random = np.random.default_rng((seed, GROUNDS.index(ground), int(grain * 10)))
    plain = _plain(ground, random)
    noise = _grain(ground, grain, random)
    deviations = _deviations(noise)
    whole, put = np.zeros_like(noise), []
    taken: list[tuple[float, float, float]] = []
    for _ in range(spots * 8):
        if len(put) == spots:
            break
        kind, radius = str(random.choice(KINDS)), float(random.choice(RADII[:4] if random.random() < 0.5 else RADII))
        radius = min(radius, 3.0) if kind == "fibre" else max(radius, 4.0) if kind == "soft" else radius
        reach = 10 * radius if kind == "fibre" else 2 * radius if kind == "soft" else radius
        x, y = random.uniform(reach + 12, 1200 - reach - 12), random.uniform(reach + 12, 900 - reach - 12)
        if any(np.hypot(x - a, y - b) < 2.5 * (reach + r) + 20 for a, b, r in taken):
            continue
        contrast = float(np.exp(random.uniform(np.log(5.0), np.log(70.0))))
        sign = 1 if kind == "bright" or (kind in ("soft", "fibre") and random.random() < 0.3) else -1
        drawn = np.asarray(_shape(kind, x, y, radius, random) * np.float32(sign * contrast), np.float32)
        taken.append((x, y, reach))
        put.append(Spot(kind, x, y, radius, reach, contrast, _stands_out(drawn, deviations, x, y, reach)))
        whole += drawn
    grey = np.clip(plain + (whole + noise)[..., None], 0, 255)
    pixels = np.asarray(np.rint(grey), np.uint8)
    if quality is not None:
        _, data = cv2.imencode(".jpg", pixels[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, quality])
        pixels = np.asarray(cv2.imdecode(data, cv2.IMREAD_COLOR)[..., ::-1], np.uint8)
    return np.ascontiguousarray(pixels), put


def _plain(ground: str, random: np.random.Generator) -> Plane:
    y, x = np.mgrid[:900, :1200].astype(np.float32)
    if ground == "sky":
        grey = 110 + 0.09 * y + 0.02 * x - 2.5e-5 * ((x - 600) ** 2 + (y - 450) ** 2)
        tint = (-22, 0, 26)
    elif ground == "paper":
        grey, tint = 232 - 0.012 * x - 0.008 * y, (4, 0, -10)
    elif ground == "sweep":
        grey, tint = 205 + 30 * np.tanh((y - 500) / 160), (0, 0, 0)
    else:
        far = random.normal(0, 1, (9, 12)).astype(np.float32)
        grey, tint = 120 + 30 * cv2.resize(far, (1200, 900), interpolation=cv2.INTER_CUBIC), (12, 8, -14)
    return np.asarray(grey[..., None] + np.float32(tint), np.float32)


def _grain(ground: str, deviation: float, random: np.random.Generator) -> Plane:
    """White as a sensor's, or with the tooth of paper."""
    noise = random.normal(0, 1, (900, 1200)).astype(np.float32)
    if ground == "paper":
        noise = cv2.GaussianBlur(noise, (0, 0), 1.2)
    elif ground == "blurred":
        noise = cv2.GaussianBlur(noise, (0, 0), 0.6)
    return np.asarray(noise * np.float32(deviation / noise.std()), np.float32)


def _shape(kind: str, x: float, y: float, radius: float, random: np.random.Generator) -> Plane:
    yy, xx = np.mgrid[:900, :1200].astype(np.float32) + np.float32(0.5)
    if kind == "fibre":
        turn, bend = random.uniform(0, np.pi), random.uniform(-0.4, 0.4)
        along = np.linspace(-1, 1, 40) * (10 * radius - radius)
        course = np.stack([along, bend * along**2 / (10 * radius)], axis=1)
        rotation = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
        points = course @ rotation.T + (x, y)
        canvas = np.zeros((900 * 4, 1200 * 4), np.uint8)
        cv2.polylines(canvas, [np.rint(points * 4).astype(np.int32)], False, 255, max(1, round(8 * radius)))
        line = cv2.resize(canvas, (1200, 900), interpolation=cv2.INTER_AREA)
        return np.asarray(cv2.GaussianBlur(line, (0, 0), 0.6), np.float32) / np.float32(255)
    away = np.hypot(xx - x, yy - y)
    if kind == "soft":
        return np.asarray(np.exp(-(away**2) / (2 * (radius / 1.2) ** 2)), np.float32)
    softness = 0.5 + 0.12 * radius
    return np.asarray(1 / (1 + np.exp(np.clip((away - radius) / (softness / 2), -30, 30))), np.float32)


def _deviations(noise: Plane) -> list[float]:
    """Of each band of a ground; as a rule the rounding to whole levels is in it, too."""
    return [1.4826 * float(np.median(np.abs(_band(noise, scale)))) + 0.15 for scale in _SCALES]


def _stands_out(drawn: Plane, deviations: list[float], x: float, y: float, reach: float) -> float:
    margin = int(reach + 60)
    around = drawn[max(0, int(y) - margin) : int(y) + margin, max(0, int(x) - margin) : int(x) + margin]
    found = [float(np.abs(_band(around, s)).max()) / d for s, d in zip(_SCALES, deviations, strict=True)]
    return max(found)


def _band(plane: Plane, scale: float) -> Plane:
    return np.asarray(cv2.GaussianBlur(plane, (0, 0), scale) - cv2.GaussianBlur(plane, (0, 0), 1.6 * scale))
