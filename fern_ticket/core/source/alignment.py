"""Lay one frame of a series over another: found once, kept in the step, applied window by window."""

from __future__ import annotations

import math
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.errors import LedgerError
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.plane import PlaneMap, mapped_corners, scaling, translation
from fern_ticket.core.pictures.pyramid import Source, level_box, level_within
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.source.operation import shares

#: Long side of the pictures that are compared.
_LONG = 1700
#: Side of a patch at full size, and the height of its peak from which it counts.
_PATCH, _CLEAR = 256, 0.05
#: Correlation of the textures of two frames below which they show other things.
_ALIKE = 0.3
#: A frame that had to move farther than this share of the picture is of something else.
_FARTHEST = 0.08

Row = tuple[float, float, float]


class SeriesFrame(Parameters):
    """Another picture, and how it lies under this one."""

    picture: str = Field(min_length=1, max_length=200, description="The other picture, by its stored name.")
    title: str = Field(default="", max_length=200, description="What a person calls it.")
    rows: tuple[Row, Row, Row] | None = Field(
        default=None, description="Map from source pixels to its pixels. Left out, it is found."
    )

    @property
    def plane_map(self) -> PlaneMap:
        return np.eye(3) if self.rows is None else np.array(self.rows, np.float64)


def found(frame: SeriesFrame, base: Source, other: Source) -> SeriesFrame:
    """The frame with its map."""
    if frame.rows is not None:
        return frame
    rows = np.round(alignment(base, other), 9).tolist()
    return frame.model_copy(update={"rows": tuple(tuple(row) for row in rows)})


def alignment(base: Source, other: Source) -> PlaneMap:
    """Map from source pixels of `base` to those of `other`, a hand's movement apart.

    Fine texture, evened out so that exposure does not matter, is laid over by enhanced correlation (Evangelidis,
    Psarakis 2008, doi:10.1109/TPAMI.2008.113) at a small size, then patch by patch at full size.

    Raises
    ------
    LedgerError
        The pictures have other sizes or show other things.
    """
    if base.size != other.size:
        raise LedgerError("The frames of a series must have one size.", "Take those of one camera and one turn.")
    rough = _rough(base, other)
    return _refined(base, other, rough)


def _rough(base: Source, other: Source) -> PlaneMap:
    """Within a few pixels, from small pictures."""
    level = level_within(base, _LONG)
    one, two = _grey(base, level), _grey(other, level)
    usable = np.asarray((one > 0.03) & (one < 0.97), np.uint8) * 255
    warp = np.eye(3)[:2].astype(np.float32)
    criteria = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 60, 1e-6)
    try:
        for reduction in (8, 2):
            size = (one.shape[1] // reduction, one.shape[0] // reduction)
            small = [cv2.resize(grey, size, interpolation=cv2.INTER_AREA) for grey in (one, two)]
            mask = cv2.resize(usable, size, interpolation=cv2.INTER_NEAREST)
            warp[:, 2] /= reduction
            alike, got = cv2.findTransformECC(
                _texture(small[0]), _texture(small[1]), warp, cv2.MOTION_EUCLIDEAN, criteria, mask, 3
            )
            warp = got.astype(np.float32)
            warp[:, 2] *= reduction
    except cv2.error as error:
        raise LedgerError("These frames do not lie over one another.", "Take frames of one series.") from error
    if alike < _ALIKE:
        raise LedgerError("These frames do not lie over one another.", "Take frames of one series.")
    # the comparison counts pixel centres from 0, and pixels of its level
    centred = translation(0.5, 0.5) @ np.vstack([warp.astype(np.float64), [0, 0, 1]]) @ translation(-0.5, -0.5)
    shrink = 2.0**-level
    exact = scaling(1 / shrink, 1 / shrink) @ centred @ scaling(shrink, shrink)
    moved = mapped_corners(exact, base.size) - mapped_corners(np.eye(3), base.size)
    if np.abs(moved).max() > _FARTHEST * max(base.size):
        raise LedgerError("These frames do not lie over one another.", "Take frames of one series.")
    return np.asarray(exact)


def _refined(base: Source, other: Source, rough: PlaneMap) -> PlaneMap:
    """To a tenth of a pixel: phase correlation (Foroosh et al. 2002) of patches at full size, then one affine map."""
    width, height = base.size
    side = min(_PATCH, width, height)
    window = cv2.createHanningWindow((side, side), cv2.CV_32F)
    here, there = [], []
    for y in np.linspace(0, height - side, 7):
        for x in np.linspace(0, width - side, 10):
            box = Box(int(x), int(y), int(x) + side, int(y) + side)
            one = shares(base.read(0, box)).mean(axis=2)
            two = read_under(other, rough, 0, box).mean(axis=2)
            if min(((one > 0.03) & (one < 0.97)).mean(), ((two > 0.03) & (two < 0.97)).mean()) < 0.6:
                continue
            (dx, dy), response = cv2.phaseCorrelate(_texture(one), _texture(two), window)
            if response > _CLEAR and math.hypot(dx, dy) < side / 4:
                middle = (box.left + side / 2, box.top + side / 2)
                here.append(middle)
                there.append((middle[0] + dx, middle[1] + dy))
    if len(here) < 6:
        return rough
    moved, _ = cv2.estimateAffine2D(np.array(here), np.array(there), ransacReprojThreshold=0.5)
    return rough if moved is None else np.asarray(rough @ np.vstack([moved, [0, 0, 1]]))


def read_under(other: Source, plane_map: PlaneMap, level: int, box: Box) -> NDArray[np.float32]:
    """A window of another picture as it lies under `box` of a level, shares 0-1; its edge is repeated beyond it."""
    shrink = 2.0**level
    to_other = scaling(1 / shrink, 1 / shrink) @ plane_map @ scaling(shrink, shrink) @ translation(box.left, box.top)
    if np.array_equal(plane_map, np.eye(3)):
        return shares(other.read(level, box))
    corners = mapped_corners(to_other, (box.width, box.height))
    low, high = np.floor(corners.min(axis=1)).astype(int) - 3, np.ceil(corners.max(axis=1)).astype(int) + 3
    whole = level_box(other.size, level)
    needed = Box(int(low[0]), int(low[1]), int(high[0]), int(high[1])).within(whole)
    if needed.empty:
        needed = Box(0, 0, 1, 1)
    pixels = shares(other.read(level, needed))
    centre = translation(0.5, 0.5)
    warp = np.linalg.inv(centre) @ translation(-needed.left, -needed.top) @ to_other @ centre
    out = cv2.warpPerspective(
        pixels,
        warp,
        (box.width, box.height),
        flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP,
        borderMode=cv2.BORDER_REPLICATE,
    )
    return np.clip(out, 0, 1).astype(np.float32)


def _grey(source: Source, level: int) -> NDArray[np.float32]:
    return np.asarray(shares(source.read(level, level_box(source.size, level))).mean(axis=2), np.float32)


Values = NDArray[np.float32]


def _texture(grey: Any) -> NDArray[np.float32]:
    fine = cv2.GaussianBlur(grey, (0, 0), 1) - cv2.GaussianBlur(grey, (0, 0), 6)
    spread = np.sqrt(cv2.GaussianBlur(fine * fine, (0, 0), 12)) + 2e-3
    return np.asarray(fine / spread, np.float32)
