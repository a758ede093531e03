"""A cover shown over a frame, for whoever works on it. Views only; no picture is ever changed by one."""

from __future__ import annotations

from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from fern_ticket.core.ledger.masks import Alpha

Seen = NDArray[np.uint8]
#: Lines over what is not covered, all else darker, or the cover itself in grey.
Way = Literal["hatch", "dim", "mask"]


class CoverLook(BaseModel):
    """How a cover is shown; `density` is that of the hatching."""

    way: Way = "hatch"
    density: float = Field(default=0.6, ge=0, le=1)


#: Screen pixels from one hatching line to the next, and their paper grey.
_APART, _PAPER = 7, (226, 223, 216)
#: What is left of the light of what is not covered.
_DIMMED = 0.3
_INK, _LIGHT = (32, 32, 30), (250, 249, 245)


def shown(frame: Seen, share: Alpha, inside: NDArray[np.bool_], way: Way, density: float) -> Seen:
    """The frame with the cover shown.

    Parameters
    ----------
    frame
        sRGB encoded, shape (rows, columns, 3).
    share
        Coverage 0-1, shape (rows, columns).
    inside
        Where the picture is: nothing is laid over what lies around it.
    density
        How strong the hatching is, 0-1.
    """
    out = _laid_over(frame, share, way, density)
    out[~inside] = frame[~inside]
    return out


def _laid_over(frame: Seen, share: Alpha, way: Way, density: float) -> Seen:
    if way == "mask":
        grey = np.round(share * np.float32(255)).astype(np.uint8)
        return np.repeat(grey[..., None], 3, axis=2)
    if way == "dim":
        light = np.float32(_DIMMED) + np.float32(1 - _DIMMED) * share
        return np.round(frame * light[..., None]).astype(np.uint8)
    rows, columns = np.ogrid[: share.shape[0], : share.shape[1]]
    lines = ((rows + columns) % _APART == 0) * np.float32(density)
    over = (lines * (1 - share))[..., None]
    out = np.round(frame + over * (np.array(_PAPER, np.float32) - frame)).astype(np.uint8)
    return _edged(out, share)


def _edged(frame: Seen, share: Alpha) -> Seen:
    """A thin double line where half is covered."""
    half = (share > 0.5).astype(np.uint8)
    around, _ = cv2.findContours(half, cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
    # specks of a cover have no line of their own: it would hide them
    lines = [one for one in around if len(one) > 12]
    out = np.ascontiguousarray(frame)
    cv2.polylines(out, lines, True, _INK, 3, cv2.LINE_AA)
    cv2.polylines(out, lines, True, _LIGHT, 1, cv2.LINE_AA)
    return out
