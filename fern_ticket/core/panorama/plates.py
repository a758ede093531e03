"""Plates of vehicles in a picture: lines of letters as a plate has them.

Lines of letters are found by differentiable binarization (Liao and others 2020, arXiv:1911.08947); the model is the one
that the package rapidocr-onnxruntime ships (Apache 2.0). A line is a plate's where its letters are few, stand upright
and alike in a row, and differ from a ground of one tone.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from threading import Lock
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.panorama.spotting import Seen, Spot, model_in

Grey = NDArray[np.uint8]

#: Of a line of letters: how likely its pixels are, and all of it; how much larger it is than the model's, as published.
_LIKELY, _SURE, _UNCLIPPED = 0.3, 0.85, 1.6
#: The colours that the model was trained with, of 1.
_MEAN, _SPREAD = (0.485, 0.456, 0.406), (0.229, 0.224, 0.225)
#: How many times as wide as high a plate's letters are together, and how many letters it has.
_WIDE, _LETTERS = (1.9, 8.5), (4, 10)
#: Pixels of a line's height in which its letters are counted, and how far they may differ in height and in where they
#: stand, as shares of that.
_TALL, _ALIKE, _LEVEL = 40, 0.22, 0.3
#: Below so many pixels letters run into one another: then it has to be so sure that they are letters.
_COUNTED, _SURELY = 20.0, 0.95
#: Levels that letters differ from their ground by at least.
_CONTRAST = 30.0
#: A plate reaches beyond its letters.
_LARGER = 1.25
_lock = Lock()


@dataclass(frozen=True)
class _Line:
    """A line of letters: its middle, width, height and turn, and how sure it is."""

    x: float
    y: float
    width: float
    height: float
    turn: float
    sure: float


def plates_in(pixels: Seen) -> list[Spot]:
    """Plates of a plain picture, sRGB, shape (rows, columns, 3), the surest first."""
    grey = np.asarray(cv2.cvtColor(pixels, cv2.COLOR_RGB2GRAY), np.uint8)
    found = [
        Spot(line.x, line.y, _LARGER * line.height, line.sure, line.width / line.height, line.turn)
        for line in _lines(pixels)
        if _WIDE[0] < line.width / line.height < _WIDE[1] and _is_plate(line, grey)
    ]
    return sorted(found, key=lambda spot: -spot.sure)


def _lines(pixels: Seen) -> list[_Line]:
    rows, columns = pixels.shape[:2]
    across, down = (max(32, round(side / 32) * 32) for side in (columns, rows))
    values = cv2.resize(pixels, (across, down)).astype(np.float32) / 255
    blob = ((values - np.array(_MEAN)) / np.array(_SPREAD)).transpose(2, 0, 1)[None]
    with _lock:
        net = _model()
        net.setInput(np.ascontiguousarray(blob, np.float32))
        likely = np.asarray(net.forward(), np.float32)[0, 0]
    scale = np.array([columns / across, rows / down])
    loops, _ = cv2.findContours((likely > _LIKELY).astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    return [line for loop in loops if (line := _line(loop, likely, scale)) is not None]


def _line(loop: NDArray[np.int32], likely: NDArray[np.float32], scale: NDArray[np.float64]) -> _Line | None:
    (x, y), (width, height), turn = cv2.minAreaRect(loop)
    if min(width, height) < 2:
        return None
    left, top, across, down = cv2.boundingRect(loop)
    inside = np.zeros((down, across), np.uint8)
    cv2.fillPoly(inside, [loop - (left, top)], 1)
    sure = float(likely[top : top + down, left : left + across][inside > 0].mean())
    if sure < _SURE:
        return None
    if width < height:
        width, height, turn = height, width, turn + 90
    more = width * height * _UNCLIPPED / (width + height)
    larger = float(scale.mean())
    at = np.array([x, y]) * scale
    turn = (turn + 90) % 180 - 90
    return _Line(float(at[0]), float(at[1]), (width + more) * larger, (height + more) * larger, turn, sure)


def _straight(grey: Grey, line: _Line) -> Grey:
    """A line of letters as if it lay level, `_TALL` high."""
    across = np.array([math.cos(math.radians(line.turn)), math.sin(math.radians(line.turn))])
    right, down = across * line.width / 2, np.array([-across[1], across[0]]) * line.height / 2
    wide = max(8, round(_TALL * line.width / line.height))
    corners = np.array([line.x, line.y]) + np.array([-right - down, right - down, down - right])
    level = np.array([[0, 0], [wide, 0], [0, _TALL]], np.float32)
    to_level = cv2.getAffineTransform(corners.astype(np.float32), level)
    flags = cv2.INTER_CUBIC
    return np.asarray(
        cv2.warpAffine(grey, to_level, (wide, _TALL), flags=flags, borderMode=cv2.BORDER_REPLICATE), np.uint8
    )


def _is_plate(line: _Line, grey: Grey) -> bool:
    level = _straight(grey, line)
    _, light = cv2.threshold(level, 0, 1, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
    if light.min() == light.max() or level[light > 0].mean() - level[light == 0].mean() < _CONTRAST:
        return False
    if line.height < _COUNTED:
        return line.sure > _SURELY
    return any(_LETTERS[0] <= _letters(ink) <= _LETTERS[1] for ink in (1 - light, light))


def _letters(ink: NDArray[Any]) -> int:
    """How many letters stand in a row; 0 where they do not."""
    tall, wide = ink.shape
    _, _, pieces, _ = cv2.connectedComponentsWithStats(ink.astype(np.uint8), connectivity=8)
    left, top, width, height, area = pieces[1:].T
    letters = (height > 0.38 * tall) & (height < 0.97 * tall) & (width < 1.1 * height)
    letters &= (area > 0.12 * width * height) & (left > 0) & (left + width < wide)
    if not letters.any():
        return 0
    usual = float(np.median(height[letters]))
    letters &= np.abs(height - usual) < _ALIKE * usual
    middles = (top + height / 2)[letters]
    return int(letters.sum()) if len(middles) and float(np.ptp(middles)) < _LEVEL * tall else 0


@lru_cache(maxsize=1)
def _model() -> Any:
    return model_in("rapidocr_onnxruntime", "models", "ch_PP-OCRv4_det_infer.onnx")
