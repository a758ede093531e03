"""A two-block linocut scanned askew on its paper, with dust, hairs and a warm lamp. Artwork, 14 MP, drawn."""

from __future__ import annotations

import argparse
from pathlib import Path

import cv2
import numpy as np
import studio
from studio import mix, noise

SIZE = (3300, 4300)  # rows, columns
ANGLE = -0.9  # degrees the sheet lies turned, clockwise positive


def tones(rows: int, cols: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Tone 0 (paper) to 1 (ink), cutting direction in radians, and which block prints blue."""
    y, x = np.mgrid[0:rows, 0:cols].astype(np.float32)
    u, v = x / cols, y / rows
    tone = 0.18 + 0.42 * (1 - v / 0.55)
    direction = 0.05 * np.sin(u * 9) + 0.10 * np.sin(v * 20 + u * 4)
    moon = np.hypot((u - 0.70) * cols / rows, v - 0.20)
    ring = np.arctan2(v - 0.20, (u - 0.70) * cols / rows) + np.pi / 2
    halo = moon < 0.26
    direction = np.where(halo, ring, direction)
    tone = np.where(halo, 0.12 + 1.5 * np.maximum(moon - 0.09, 0), tone)
    tone = np.where(moon < 0.082, 0.0, tone)
    blue = np.zeros((rows, cols), bool)
    for level, height, k, depth, slope in (
        (0.46, 0.05, 3.1, 0.55, 0.35),
        (0.54, 0.07, 2.2, 0.72, -0.5),
        (0.63, 0.06, 2.8, 0.60, 0.8),
    ):
        ridge = (
            level
            + height * np.sin(u * k * 2 + level * 40) * (0.6 + 0.4 * np.sin(u * 11 + level * 9))
            + 0.006 * noise((3, cols), (2, 90), 3, int(level * 100))[0][None]
        )
        below = v > ridge
        tone = np.where(below, depth - 0.9 * np.minimum(v - ridge, 0.25), tone)
        direction = np.where(below, slope + 0.9 * np.sin(u * 7 + level * 10) * 0.5, direction)
        tone = np.where(below & (v - ridge < 0.008), 1.0, tone)
    course = 0.5 + 0.23 * np.sin((v - 0.62) * 8.0) * (1.2 - v)
    width = 0.012 + 0.34 * np.maximum(v - 0.60, 0) ** 1.25
    river = (np.abs(u - course) < width) & (v > 0.62)
    tone = np.where(river, 0.22 + 0.16 * np.sin(v * 120 + 3 * np.sin(u * 30)), tone)
    direction = np.where(river, 0.04 * np.sin(u * 40), direction)
    blue |= river | (halo & (moon > 0.082))
    # the mill: walls, roof, wheel
    mill = (u > 0.205) & (u < 0.335) & (v > 0.445) & (v < 0.70)
    tone = np.where(mill, np.where(u < 0.255, 0.86, 0.30), tone)
    direction = np.where(mill, 1.57, direction)
    roof = (v > 0.36 + 1.05 * np.abs(u - 0.268)) & (v < 0.455) & (np.abs(u - 0.268) < 0.082)
    tone, direction = np.where(roof, 0.78, tone), np.where(roof, 0.9, direction)
    for a, b in ((0.285, 0.49), (0.285, 0.57), (0.285, 0.64)):
        window = (np.abs(u - a - 0.012) < 0.010) & (np.abs(v - b) < 0.020)
        tone = np.where(window, 1.0, tone)
    wheel = np.hypot((u - 0.365) * cols / rows, v - 0.655)
    spoke = np.abs(np.sin(6 * np.arctan2(v - 0.655, (u - 0.365) * cols / rows))) < 0.13
    tone = np.where(
        (wheel < 0.088) & ((wheel > 0.070) | spoke | (wheel < 0.014)),
        1.0,
        np.where(wheel < 0.088, 0.06, tone),
    )
    # reeds in front, solid
    rng = np.random.default_rng(8)
    ink = np.zeros((rows, cols), np.uint8)
    for _ in range(150):
        x0 = rng.beta(0.6, 0.7) * cols
        tall = rng.uniform(0.10, 0.34) * rows * (0.6 + 0.8 * abs(x0 / cols - 0.5))
        lean = rng.normal(0, 0.13) * tall
        t = np.linspace(0, 1, 24)
        px, py = x0 + lean * t**2, rows * 1.01 - tall * t
        for k in range(23):
            cv2.line(
                ink,
                (int(px[k] * 16), int(py[k] * 16)),
                (int(px[k + 1] * 16), int(py[k + 1] * 16)),
                255,
                max(1, int((1 - t[k]) * 11)),
                cv2.LINE_AA,
                4,
            )
        if rng.random() < 0.5:
            cv2.ellipse(
                ink,
                (int(px[-3]), int(py[-3])),
                (9, int(rng.uniform(38, 60))),
                np.degrees(np.arctan2(lean, tall)),
                0,
                360,
                255,
                -1,
                cv2.LINE_AA,
            )
    reeds = ink > 120
    edge = cv2.dilate(ink, np.ones((9, 9))) > 120
    tone = np.where(reeds, 1.0, np.where(edge, 0.0, tone))
    blue &= ~edge
    return tone.astype(np.float32), direction.astype(np.float32), blue


def cut(tone: np.ndarray, direction: np.ndarray, seed: int) -> np.ndarray:
    """Gouge marks along `direction`: the darker, the thinner the cut. Returns ink coverage 0-1."""
    rows, cols = tone.shape
    y, x = np.mgrid[0:rows, 0:cols].astype(np.float32)
    warp = 5 * noise((rows, cols), (14, 18), 3, seed)
    total = np.zeros_like(tone)
    weight = np.zeros_like(tone)
    for k in range(12):  # blend fixed directions, so that the phase stays continuous within a field
        a = (k + 0.5) * np.pi / 12
        close = np.maximum(0, np.cos(2 * (direction - a))) ** 40
        phase = (-np.sin(a) * x + np.cos(a) * y + warp) * 2 * np.pi / 23
        along = (np.cos(a) * x + np.sin(a) * y) * 2 * np.pi / 190 + np.floor(phase / (2 * np.pi)) * 2.4
        wave = 0.5 + 0.5 * np.cos(phase) + 0.16 * np.cos(along)
        total += close * wave
        weight += close
    wave = total / np.maximum(weight, 1e-6)
    wave += 0.05 * noise((rows, cols), (rows / 9, cols / 9), 2, seed + 1)
    shifted = wave - (1.13 - 1.22 * tone)
    shifted = np.where(tone >= 0.98, 1, np.where(tone <= 0.02, -1, shifted))
    return np.clip(0.5 + cv2.GaussianBlur(shifted.astype(np.float32), (0, 0), 1.3) * 7, 0, 1)


def print_sheet(rows: int, cols: int) -> np.ndarray:
    """The sheet, linear reflectance: paper, then the blue block, then the black one."""
    fibre = 0.6 * noise((rows, cols), (rows / 5, cols / 5), 2, 1) + 0.5 * noise((rows, cols), (60, 60), 4, 2)
    paper = mix((0.80, 0.765, 0.675), (0.70, 0.66, 0.565), 0.42 + 0.13 * fibre)
    rng = np.random.default_rng(5)
    threads = np.zeros((rows, cols), np.uint8)
    for _ in range(1500):
        p, a, long = rng.uniform(0, 1, 2) * (cols, rows), rng.uniform(0, 6.28), rng.uniform(12, 60)
        q = p + long * np.array([np.cos(a), np.sin(a)])
        cv2.line(threads, (int(p[0]), int(p[1])), (int(q[0]), int(q[1])), int(rng.uniform(40, 140)), 1, cv2.LINE_AA)
    paper *= 1 - 0.14 * cv2.GaussianBlur(threads, (0, 0), 0.8).astype(np.float32)[..., None] / 255
    top, left, h, w = int(rows * 0.095), int(cols * 0.085), int(rows * 0.74), int(cols * 0.83)
    tone, direction, blue = tones(h, w)
    black = cut(tone, direction, 30)
    lay = np.clip(
        0.93
        - 0.30 * np.clip(noise((h, w), (h / 4, w / 4), 2, 40) - 1.15, 0, 1)
        - 0.16 * np.clip(noise((h, w), (16, 20), 4, 41) - 1.2, 0, 1),
        0.3,
        1,
    )
    area = paper[top : top + h, left : left + w]
    wash = cv2.GaussianBlur(blue.astype(np.float32), (0, 0), 2) * (0.84 + 0.08 * noise((h, w), (h / 5, w / 5), 2, 43))
    area[:] = mix(area, area * np.array([0.30, 0.50, 0.62]), wash)
    cover = black * lay
    area[:] = mix(area, (0.022, 0.021, 0.024), cover)
    pencil = np.zeros((rows, cols), np.uint8)
    base = top + h + 95
    cv2.putText(pencil, "3/9", (left + 20, base), cv2.FONT_HERSHEY_SCRIPT_SIMPLEX, 2.0, 255, 3, cv2.LINE_AA)
    cv2.putText(
        pencil,
        "Race and reeds",
        (left + w // 2 - 300, base),
        cv2.FONT_HERSHEY_SCRIPT_SIMPLEX,
        2.0,
        255,
        3,
        cv2.LINE_AA,
    )
    cv2.putText(pencil, "O. Tarn", (left + w - 360, base), cv2.FONT_HERSHEY_SCRIPT_COMPLEX, 2.0, 255, 3, cv2.LINE_AA)
    mark = (
        cv2.GaussianBlur(pencil, (0, 0), 1.2).astype(np.float32)
        / 255
        * np.clip(0.62 + 0.3 * noise((rows, cols), (rows / 3, cols / 3), 1, 6), 0, 1)
    )
    return mix(paper, (0.13, 0.13, 0.14), mark)


def dirt(pixels: np.ndarray) -> list[tuple[int, int, int, float]]:
    rng = np.random.default_rng(14)
    rows, cols = pixels.shape[:2]
    return [
        (
            int(rng.uniform(160, cols - 160)),
            int(rng.uniform(140, rows - 140)),
            int(rng.uniform(3, 9)),
            float(rng.uniform(0.25, 0.7)),
        )
        for _ in range(38)
    ]


def build() -> tuple[np.ndarray, np.ndarray, list]:
    """The clean scan, the cover of the hairs on it, and the specks."""
    rows, cols = SIZE
    sheet_rows, sheet_cols = 2960, 3900
    sheet = print_sheet(sheet_rows, sheet_cols)
    rng = np.random.default_rng(3)
    deckle = np.minimum.reduce(
        [
            np.arange(sheet_rows)[:, None] + 0 * np.arange(sheet_cols)[None],
            np.arange(sheet_cols)[None] + 0 * np.arange(sheet_rows)[:, None],
            (sheet_rows - 1 - np.arange(sheet_rows))[:, None] + 0 * np.arange(sheet_cols)[None],
            (sheet_cols - 1 - np.arange(sheet_cols))[None] + 0 * np.arange(sheet_rows)[:, None],
        ]
    ).astype(np.float32)
    alpha = np.clip((deckle - 7 - 2.6 * noise((sheet_rows, sheet_cols), (130, 170), 4, 9)) / 2, 0, 1)
    m = cv2.getRotationMatrix2D((sheet_cols / 2, sheet_rows / 2), -ANGLE, 1)
    m[:, 2] += ((cols - sheet_cols) / 2 + 12, (rows - sheet_rows) / 2 - 8)
    bed = mix((0.145, 0.145, 0.148), (0.12, 0.12, 0.125), 0.5 + 0.3 * noise((rows, cols), (4, 5), 3, 8))
    warped = cv2.warpAffine(sheet, m, (cols, rows), flags=cv2.INTER_CUBIC)
    cover = cv2.warpAffine(alpha, m, (cols, rows), flags=cv2.INTER_LINEAR)
    shadow = cv2.GaussianBlur(np.roll(cover, (9, 12), (0, 1)), (0, 0), 9)
    bed = bed * (1 - 0.55 * shadow[..., None])
    linear = mix(bed, 0, np.zeros((rows, cols)))
    linear = linear * (1 - cover[..., None]) + np.clip(warped, 0, 1) * cover[..., None]
    hairs = np.zeros((rows, cols), np.uint8)
    for _ in range(5):
        p, a = rng.uniform(0.15, 0.85, 2) * (cols, rows), rng.uniform(0, 6.28)
        for _ in range(60):
            a += rng.normal(0, 0.09)
            q = p + 4 * np.array([np.cos(a), np.sin(a)])
            cv2.line(
                hairs,
                (int(p[0] * 16), int(p[1] * 16)),
                (int(q[0] * 16), int(q[1] * 16)),
                255,
                2,
                cv2.LINE_AA,
                4,
            )
            p = q
    cover_of_hairs = cv2.GaussianBlur(hairs, (0, 0), 0.7).astype(np.float32) / 255 * 0.75
    return linear, cover_of_hairs, dirt(linear)


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("out", type=Path)
    options = parser.parse_args()
    clean, hairs, places = build()
    gains = (1.06, 1.0, 0.86)
    scanner = ("Flatbed A3", "scan", "1/8", 8.0, 100, "2026:10:03 11:05:30", 50, 90)

    def scanned(linear: np.ndarray) -> np.ndarray:
        return studio.photograph(linear, 1.05, gains, falloff=0.04, grain=0.004, softness=0.7)

    faults = ["specks", "hairs", "askew", "warm cast"]
    truth = {"straighten": -ANGLE, "gains": list(gains), "faults": faults}
    studio.scan_pair(options.out, clean, hairs, (0.10, 0.09, 0.08), places, scanned, scanner, **truth)


if __name__ == "__main__":
    main()
