"""Lamps: ways of lighting a frame so that faults show. Views only; no picture is ever changed by one."""

from __future__ import annotations

from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

Lamp = Literal["cast", "speck", "clip"]
Frame = NDArray[np.uint8]

#: How far the cast lamp pushes colour away from its grey.
_PUSHED = 5.0
#: What the clip lamp paints whites and blacks without texture with.
_WHITES, _BLACKS = (206, 58, 32), (30, 92, 168)


def lit(lamp: Lamp, frame: Frame) -> Frame:
    """The frame under a lamp.

    Parameters
    ----------
    lamp
        `cast` pushes saturation to the top; `speck` is raking light: fine contrast only, on grey; `clip` paints whites
        and blacks that have no texture and dims the rest.
    frame
        8-bit sRGB, shape (rows, columns, 3).
    """
    return {"cast": _cast, "speck": _speck, "clip": _clip}[lamp](frame)


def _cast(frame: Frame) -> Frame:
    values = frame.astype(np.float32)
    grey = (values @ np.array([0.2126, 0.7152, 0.0722], np.float32))[..., None]
    return np.asarray(np.clip(grey + _PUSHED * (values - grey), 0, 255), np.uint8)


def _speck(frame: Frame) -> Frame:
    grey = cv2.cvtColor(frame, cv2.COLOR_RGB2GRAY).astype(np.float32)
    # texture of the ground is evened out, so that a speck on plain ground shows as strongly as one on a rough one
    fine = cv2.GaussianBlur(grey, (0, 0), 0.8) - cv2.GaussianBlur(grey, (0, 0), 7)
    usual = np.sqrt(cv2.GaussianBlur(fine * fine, (0, 0), 24)) + 1.2
    raked = np.clip(128 + 30 * fine / usual, 0, 255).astype(np.uint8)
    return np.repeat(raked[..., None], 3, axis=2)


def _clip(frame: Frame) -> Frame:
    grey = cv2.cvtColor(frame, cv2.COLOR_RGB2GRAY)
    out = np.repeat(np.asarray(64 + grey // 2, np.uint8)[..., None], 3, axis=2)
    out[(frame >= 254).any(axis=-1)] = _WHITES
    out[(frame <= 1).all(axis=-1)] = _BLACKS
    return out
