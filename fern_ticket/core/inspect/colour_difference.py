"""CIEDE2000.

| quantity | domain |
| --- | --- |
| linear sRGB | 0-1, may leave it |
| Lab | L 0-100, D65 white |
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.pictures.lab import linear_to_lab

Floats = NDArray[np.float64]


def ciede2000(first: Floats, second: Floats) -> Floats:
    """Colour difference of Lab values, shape (..., 3) each.

    Sharma, Wu, Dalal 2005, "The CIEDE2000 Color-Difference Formula" (doi:10.1002/col.20070); kL = kC = kH = 1.
    """
    l1, a1, b1 = np.moveaxis(first, -1, 0)
    l2, a2, b2 = np.moveaxis(second, -1, 0)
    mean_chroma = (np.hypot(a1, b1) + np.hypot(a2, b2)) / 2
    g = 0.5 * (1 - np.sqrt(mean_chroma**7 / (mean_chroma**7 + 25.0**7)))
    a1, a2 = (1 + g) * a1, (1 + g) * a2
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = np.degrees(np.arctan2(b1, a1)) % 360, np.degrees(np.arctan2(b2, a2)) % 360
    coloured = c1 * c2 > 0
    turn = h2 - h1
    turn = np.where(turn > 180, turn - 360, np.where(turn < -180, turn + 360, turn))
    turn = np.where(coloured, turn, 0)
    dl, dc, dh = l2 - l1, c2 - c1, 2 * np.sqrt(c1 * c2) * np.sin(np.radians(turn / 2))
    l_mean, c_mean = (l1 + l2) / 2, (c1 + c2) / 2
    far = np.abs(h1 - h2) > 180
    total = h1 + h2
    h_mean = np.where(far, np.where(total < 360, total + 360, total - 360), total) / 2
    h_mean = np.where(coloured, h_mean, total)
    t = (
        1
        - 0.17 * np.cos(np.radians(h_mean - 30))
        + 0.24 * np.cos(np.radians(2 * h_mean))
        + 0.32 * np.cos(np.radians(3 * h_mean + 6))
        - 0.20 * np.cos(np.radians(4 * h_mean - 63))
    )
    swing = 30 * np.exp(-(((h_mean - 275) / 25) ** 2))
    rc = 2 * np.sqrt(c_mean**7 / (c_mean**7 + 25.0**7))
    sl = 1 + 0.015 * (l_mean - 50) ** 2 / np.sqrt(20 + (l_mean - 50) ** 2)
    sc, sh = 1 + 0.045 * c_mean, 1 + 0.015 * c_mean * t
    rt = -np.sin(np.radians(2 * swing)) * rc
    return np.asarray(
        np.sqrt((dl / sl) ** 2 + (dc / sc) ** 2 + (dh / sh) ** 2 + rt * (dc / sc) * (dh / sh)), np.float64
    )


def cast(linear: Floats) -> Floats:
    """Distance of what should be neutral from the grey of its own lightness, CIEDE2000. Shape (..., 3) to (...)."""
    lab = linear_to_lab(linear)
    grey = lab.copy()
    grey[..., 1:] = 0
    return ciede2000(lab, grey)
