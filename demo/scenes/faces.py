"""Modelled and drawn faces, nobody's, for the places that a map service wants blurred. For makers only."""

from __future__ import annotations

import cv2
import numpy as np
from studio import noise


def face_relief(rows: int = 220, cols: int = 160) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A modelled face, 1 wide and 1.4 tall, looking along +z: x, y and height. Nobody's."""
    y, x = np.mgrid[0.72 : -0.72 : rows * 1j, -0.54 : 0.54 : cols * 1j]

    def bump(cx: float, cy: float, wx: float, wy: float) -> np.ndarray:
        return np.exp(-(((np.abs(x) - cx) / wx) ** 2) - (((y - cy) / wy) ** 2))

    h = 0.42 * np.sqrt(np.clip(1 - (x / 0.52) ** 2 - (y / 0.72) ** 2, 0, None))
    ridge = np.clip((0.16 - y) / 0.34, 0, 1) * (y > -0.19) * np.clip((y + 0.22) / 0.05, 0, 1)
    h += 0.15 * ridge * np.exp(-((x / (0.045 + 0.06 * ridge)) ** 2))
    h += (
        0.035 * bump(0.07, -0.15, 0.035, 0.04)
        - 0.09 * bump(0.19, 0.13, 0.10, 0.07)
        + 0.065 * bump(0.19, 0.12, 0.065, 0.038)
    )
    h += 0.05 * bump(0.17, 0.24, 0.14, 0.035) + 0.045 * bump(0.27, -0.08, 0.12, 0.12)
    h -= 0.012 * bump(0.19, 0.118, 0.06, 0.006)
    h += (
        0.055 * bump(0.0, -0.315, 0.12, 0.022)
        + 0.060 * bump(0.0, -0.375, 0.10, 0.028)
        - 0.03 * bump(0.0, -0.343, 0.13, 0.010)
    )
    h += 0.06 * bump(0.0, -0.54, 0.13, 0.08) - 0.02 * bump(0.0, -0.25, 0.02, 0.04)
    return x, y, h


def drawn_face(rows: int = 900, cols: int = 700, seed: int = 3) -> np.ndarray:
    """A poster with a head drawn in charcoal, linear RGB."""
    paper = np.ones((rows, cols, 3), np.float32) * np.array([0.62, 0.57, 0.46], np.float32)
    paper *= (1 + 0.05 * noise((rows, cols), (90, 70), 4, seed))[..., None]
    x, y, h = face_relief(620, 460)
    gy, gx = np.gradient(h)
    shade = np.clip(0.55 + 140 * (gx * 0.7 + gy * 0.7), 0, 1)
    hatch = 0.5 + 0.5 * np.sin(
        (np.mgrid[0:620, 0:460][0] + np.mgrid[0:620, 0:460][1]) * 0.75 + 2 * noise((620, 460), (20, 15), 3, seed + 1)
    )
    ink = np.clip((shade - hatch * 0.62) * 2.2, 0, 1) * (h > 0.02)
    hair = ((x / 0.60) ** 2 + ((y - 0.12) / 0.74) ** 2 < 1) & ~((x / 0.47) ** 2 + ((y + 0.08) / 0.66) ** 2 < 1)
    ink = np.maximum(ink, hair * np.clip(0.75 + 0.5 * noise((620, 460), (9, 120), 2, seed + 2), 0, 1))
    sheet = np.zeros((rows, cols), np.float32)
    sheet[110 : 110 + 620, 120 : 120 + 460] = cv2.GaussianBlur(ink.astype(np.float32), (0, 0), 0.8)
    text = np.zeros((rows, cols), np.uint8)
    cv2.putText(text, "SEED SWAP", (118, 850), cv2.FONT_HERSHEY_DUPLEX, 2.6, 255, 6, cv2.LINE_AA)
    sheet = np.maximum(sheet, text.astype(np.float32) / 255)
    return (paper * (1 - 0.93 * sheet[..., None])).astype(np.float32)
