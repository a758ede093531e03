"""A pen and watercolour study of a pear branch, scanned large: 40.3 MP, drawn.

The sheet lies a little askew under a warm lamp; dust and two fibres lie on it.
"""

from __future__ import annotations

import argparse
from pathlib import Path

import cv2
import numpy as np
import studio
from studio import mix, noise

SIZE = (5600, 7200)  # rows, columns
ANGLE = 0.6  # degrees the sheet lies turned, clockwise positive


def leaf(at: tuple[float, float], long: float, wide: float, turn: float, bend: float) -> tuple[np.ndarray, np.ndarray]:
    """Outline and midrib of a leaf."""
    t = np.linspace(0, 1, 160)
    half = wide * np.sin(np.pi * t**0.85) ** 0.85
    mid = np.stack([long * t, bend * np.sin(np.pi * t)], 1)
    serration = 1 + 0.02 * np.sin(t * 150)
    outline = np.concatenate(
        [mid + np.stack([0 * t, half * serration], 1), (mid - np.stack([0 * t, half * serration], 1))[::-1]]
    )
    a = np.radians(turn)
    matrix = np.array([[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]])
    return outline @ matrix.T + at, mid @ matrix.T + at


def pear(at: tuple[float, float], size: float, turn: float) -> np.ndarray:
    """Outline of a pear that hangs: narrow at the stem, full below; `turn` leans it."""
    u = np.linspace(0, 1, 160)
    half = 0.30 * np.sqrt(np.clip(u / 0.10, 0, 1)) * (u < 0.5) + 0.30 * (u >= 0.5)
    half = half + 0.34 / (1 + np.exp(-(u - 0.50) * 13))
    half = half * np.sqrt(np.clip((1 - u) / 0.20, 0, 1)) ** 0.9
    y = (u - 0.55) * 2.0
    side = np.stack([half, y], 1)
    shape = np.concatenate([side, (side * (-1, 1))[::-1]]) * size
    for column in (0, 1):
        shape[:, column] = np.real(
            np.fft.ifft(np.fft.fft(shape[:, column]) * np.exp(-((np.fft.fftfreq(len(shape)) * 22) ** 2)))
        )
    a = np.radians(turn)
    return shape @ np.array([[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]]).T + at


def wash(
    paper: np.ndarray, outline: np.ndarray, light, dark, seed: int, strength: float = 1.0, soft: float = 0
) -> None:
    """Watercolour in an outline: pooled rim, granulation, a slow run from light to dark, a lifted highlight."""
    left, top = np.maximum(outline.min(0).astype(int) - 200, 0)
    right, bottom = outline.max(0).astype(int) + 200
    area = paper[top:bottom, left:right]
    rows, cols = area.shape[:2]
    mask = np.zeros((rows, cols), np.uint8)
    cv2.fillPoly(mask, [np.round((outline - (left, top)) * 16).astype(np.int32)], 255, cv2.LINE_AA, 4)
    wobble = 6 * noise((rows, cols), (rows / 60, cols / 60), 3, seed)
    inside = cv2.distanceTransform((mask > 127).astype(np.uint8), cv2.DIST_L2, 5) + wobble
    cover = np.clip(inside / 5, 0, 1) * (mask > 0)
    if soft:
        cover = cv2.GaussianBlur(cover.astype(np.float32), (0, 0), soft)
        inside = np.full_like(inside, 99)
    run = np.clip(0.5 + 0.28 * noise((rows, cols), (3, 3), 3, seed + 1), 0, 1)
    grain = noise((rows, cols), (rows / 7, cols / 7), 2, seed + 2)
    rim = np.exp(-np.maximum(inside, 0) / 14)
    y, x = np.mgrid[0:rows, 0:cols].astype(np.float32)
    glow = np.exp(-(((x / cols - 0.38) / 0.2) ** 2 + ((y / rows - 0.36) / 0.22) ** 2))
    pigment = mix(light, dark, np.clip(0.15 + 0.75 * run + 0.35 * rim + 0.07 * grain - 0.55 * glow, 0, 1))
    depth = cover * strength * np.clip(0.80 + 0.22 * rim + 0.06 * grain - 0.30 * glow, 0.1, 1)
    area *= 1 - depth[..., None] * (1 - pigment)


def pen(ink: np.ndarray, path: np.ndarray, width: float, seed: int, taper: bool = True) -> None:
    """A nib's line: width that breathes, a hand that trembles."""
    rng = np.random.default_rng(seed)
    count = len(path)
    shake = cv2.GaussianBlur(rng.normal(0, 1, (count, 2)).astype(np.float32), (1, 9), 2.2) * 2.2
    breathe = 1 + 0.35 * np.interp(
        np.arange(count),
        np.arange(0, count + 12, 12),
        rng.normal(0, 1, count // 12 + 2)[: len(np.arange(0, count + 12, 12))],
    )
    fade = np.sin(np.pi * np.linspace(0.06, 0.94, count)) ** 0.5 if taper else np.ones(count)
    points = np.round((path + shake) * 16).astype(np.int32)
    for k in range(count - 1):
        w = max(1, round(width * breathe[k] * fade[k]))
        cv2.line(ink, tuple(points[k].tolist()), tuple(points[k + 1].tolist()), 255, w, cv2.LINE_AA, 4)


def hatch(ink: np.ndarray, outline: np.ndarray, seed: int) -> None:
    """Short strokes along the shadow side."""
    rng = np.random.default_rng(seed)
    middle = outline.mean(0)
    for k in range(0, len(outline), 3):
        p = outline[k]
        d = p - middle
        if d[1] < 0.15 * abs(d[0]) or rng.random() < 0.25:
            continue
        inward = -d / np.linalg.norm(d)
        long = rng.uniform(60, 190)
        t = np.linspace(0.04, 1, 14)[:, None]
        curve = np.array([-inward[1], inward[0]]) * (18 * np.sin(np.pi * t))
        pen(ink, p + inward * long * t + curve, rng.uniform(2.5, 4.5), seed + k)


def sheet() -> np.ndarray:
    """The drawing on its paper, linear reflectance, shape (rows, columns, 3)."""
    rows, cols = 5160, 6720
    tooth = 0.6 * noise((rows, cols), (rows / 16, cols / 16), 3, 1) + 0.4 * noise(
        (rows, cols), (rows / 5, cols / 5), 2, 2
    )
    paper = mix(
        (0.82, 0.795, 0.735), (0.745, 0.715, 0.645), 0.42 + 0.10 * tooth + 0.05 * noise((rows, cols), (4, 5), 4, 3)
    )
    ink = np.zeros((rows, cols), np.uint8)
    t = np.linspace(0, 1, 420)
    branch = np.stack([700 + 5300 * t, 1500 - 420 * np.sin(1.9 * t) + 260 * t + 90 * np.sin(7 * t)], 1)
    thick = 88 * (1 - 0.62 * t) + 12 * np.sin(23 * t)
    normal = np.gradient(branch, axis=0)[:, ::-1] * (-1, 1)
    normal /= np.linalg.norm(normal, axis=1, keepdims=True)
    bark = np.concatenate([branch + normal * thick[:, None], (branch - normal * thick[:, None])[::-1]])
    sprouts = [(0.10, 900, 235, -62, 60), (0.20, 860, 225, 66, -50), (0.36, 960, 250, -48, 80), (0.50, 900, 235, 52, -70), (0.60, 980, 250, -70, 60), (0.74, 900, 235, -30, 80), (0.82, 840, 215, 48, -50), (0.99, 560, 160, 12, 30)]  # fmt: skip
    leaves = []
    for place, long, wide, turn, bend in sprouts:
        k = min(int(place * 419), 419)
        side = -1 if turn < 0 else 1
        leaves.append(((branch[k, 0], branch[k, 1] + side * thick[k]), long, wide, turn, bend))
    pears = []
    for place, drop, size, lean in ((0.27, 900, 640, 4), (0.55, 1080, 740, -3), (0.88, 860, 620, 6)):
        k = int(place * 419)
        sx, sy = branch[k, 0], branch[k, 1] + thick[k]
        pears.append(((sx + 40 * lean / 4, sy + drop + 0.75 * size), size, lean, sx, sy))
    wash(paper, bark, (0.60, 0.45, 0.32), (0.26, 0.17, 0.11), 40)
    outlines = []
    for k, (at, long, wide, turn, bend) in enumerate(leaves):
        outline, mid = leaf(at, long, wide, turn, bend)
        wash(paper, outline, (0.62, 0.72, 0.36), (0.22, 0.36, 0.13), 60 + 5 * k, 0.95)
        outlines.append((outline, mid, wide))
    for k, (at, size, turn, _, _) in enumerate(pears):
        shape = pear(at, size, turn)
        wash(paper, shape, (0.86, 0.77, 0.33), (0.62, 0.50, 0.12), 120 + 7 * k)
        blush = pear((at[0] + 0.20 * size, at[1] + 0.30 * size), size * 0.55, turn)
        wash(paper, blush, (0.88, 0.60, 0.36), (0.72, 0.30, 0.18), 160 + 7 * k, 0.6, 60)
    for k, (outline, mid, wide) in enumerate(outlines):
        pen(ink, outline[:160], 7, 300 + k)
        pen(ink, outline[160:], 9, 320 + k)
        pen(ink, mid, 6, 340 + k)
        along = np.gradient(mid, axis=0)
        along /= np.linalg.norm(along, axis=1, keepdims=True)
        for j in range(16, 145, 13):
            for side in (-1, 1):
                s = np.linspace(0, 1, 24)[:, None]
                across = np.array([-along[j, 1], along[j, 0]]) * side
                reach = wide * 0.86 * np.sin(np.pi * (j / 160) ** 0.85)
                pen(ink, mid[j] + s * reach * (across * 0.86 + along[j] * 0.6 * s), 3.4, 400 + 31 * k + j + side)
    pen(ink, bark[:420], 9, 500, taper=False)
    pen(ink, bark[420:], 11, 501, taper=False)
    for k, (at, size, turn, sx, sy) in enumerate(pears):
        shape = pear(at, size, turn)
        pen(ink, shape, 10, 520 + k, taper=False)
        hatch(ink, shape, 600 + 40 * k)
        s = np.linspace(0, 1, 60)[:, None]
        top = shape[shape[:, 1].argmin()]
        stem = top * s + np.array([sx, sy]) * (1 - s) + np.stack([60 * np.sin(np.pi * s[:, 0]), 0 * s[:, 0]], 1)
        pen(ink, stem, 22, 540 + k, taper=False)
    caption = np.zeros_like(ink)
    cv2.putText(
        caption, "Winter pear, the mill garden", (2250, 4850), cv2.FONT_HERSHEY_SCRIPT_COMPLEX, 4.2, 255, 7, cv2.LINE_AA
    )
    cv2.putText(caption, "O. Tarn  x", (5450, 4900), cv2.FONT_HERSHEY_SCRIPT_COMPLEX, 3.2, 255, 6, cv2.LINE_AA)
    dense = cv2.GaussianBlur(ink, (0, 0), 1.1).astype(np.float32) / 255 * np.clip(0.9 + 0.10 * tooth, 0.4, 1)
    paper = mix(paper, (0.045, 0.038, 0.034), dense)
    graphite = cv2.GaussianBlur(caption, (0, 0), 1.6).astype(np.float32) / 255 * np.clip(0.55 + 0.35 * tooth, 0, 0.9)
    return mix(paper, (0.16, 0.155, 0.15), graphite)


def build() -> tuple[np.ndarray, np.ndarray, list]:
    """The clean scan, the cover of the fibres on it, and the specks."""
    rows, cols = SIZE
    drawing = sheet()
    high, wide = drawing.shape[:2]
    m = cv2.getRotationMatrix2D((wide / 2, high / 2), -ANGLE, 1)
    m[:, 2] += ((cols - wide) / 2 - 15, (rows - high) / 2 + 10)
    warped = cv2.warpAffine(drawing, m, (cols, rows), flags=cv2.INTER_CUBIC)
    cover = cv2.warpAffine(np.ones((high, wide), np.float32), m, (cols, rows), flags=cv2.INTER_LINEAR)
    lid = mix((0.52, 0.52, 0.525), (0.47, 0.47, 0.48), 0.5 + 0.3 * noise((rows, cols), (4, 5), 3, 8))
    shadow = cv2.GaussianBlur(np.roll(cover, (10, 14), (0, 1)), (0, 0), 11)
    lid = lid * (1 - 0.42 * shadow[..., None])
    linear = lid * (1 - cover[..., None]) + np.clip(warped, 0, 1) * cover[..., None]
    rng = np.random.default_rng(5)
    fibres = np.zeros((rows, cols), np.uint8)
    for start in ((1500, 4300), (5300, 3900)):
        p, a = np.array(start, float), rng.uniform(0, 6.28)
        for _ in range(90):
            a += rng.normal(0, 0.10)
            q = p + 5 * np.array([np.cos(a), np.sin(a)])
            cv2.line(fibres, (int(p[0] * 16), int(p[1] * 16)), (int(q[0] * 16), int(q[1] * 16)), 255, 3, cv2.LINE_AA, 4)
            p = q
    places = [(int(rng.uniform(400, cols - 400)), int(rng.uniform(400, rows - 400)), int(rng.uniform(4, 12)), float(rng.uniform(0.25, 0.65))) for _ in range(44)]  # fmt: skip
    return linear, cv2.GaussianBlur(fibres, (0, 0), 0.9).astype(np.float32) / 255 * 0.7, places


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("out", type=Path)
    options = parser.parse_args()
    clean, fibres, places = build()
    gains = (1.05, 1.0, 0.90)
    scanner = ("Flatbed A2", "scan", "1/8", 8.0, 100, "2026:10:06 16:40:02", 50, 88)

    def scanned(linear: np.ndarray) -> np.ndarray:
        return studio.photograph(linear, 1.08, gains, falloff=0.03, grain=0.003, softness=0.8)

    faults = ["specks", "fibres", "askew", "warm cast"]
    truth = {"straighten": -ANGLE, "gains": list(gains), "faults": faults}
    studio.scan_pair(options.out, clean, fibres, (0.12, 0.11, 0.10), places, scanned, scanner, **truth)


if __name__ == "__main__":
    main()
