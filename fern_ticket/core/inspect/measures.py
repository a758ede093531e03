"""Single measurements. Each takes pixels or a picture and says one number."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.balance.light import Planes
from fern_ticket.core.balance.marks import Mark
from fern_ticket.core.errors import LedgerError
from fern_ticket.core.inspect.colour_difference import cast
from fern_ticket.core.pictures.lab import linear_to_lab
from fern_ticket.core.pictures.plane import translation
from fern_ticket.core.pictures.profiles import srgb_decode, srgb_encode
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.render.light import LightChain, Where
from fern_ticket.core.render.picture import LedgerPicture
from fern_ticket.core.render.resample import widened

#: Linear light from which an 8-bit file can only say 255.
CLIPPED = float(srgb_decode(np.array(254.5 / 255)))
#: At this CIELAB lightness chroma is compared.
_LIGHTNESS = 50.0
#: So many pixels are sampled for a share: one per cent is then known to a hundredth of a point or two.
_SAMPLES = 600_000
#: Into so many steps of light a histogram is counted before it is encoded.
_STEPS = 1 << 18


@dataclass(frozen=True)
class Share:
    """A share of the picture, 0-1, and the box of result pixels where most of it lies; of channels, that of all too."""

    share: float
    where: Box | None
    through: float = 0.0


def clipped_share(planes: NDArray[np.floating[Any]], step: float) -> Share:
    """Share of the result whose red, green or blue, and whose all of them, can only be 255: whites without texture.

    Parameters
    ----------
    planes, step
        As `sampled` gives them: single full-size pixels, so that averaging hides none.
    """
    red, green, blue = (np.asarray(plane >= CLIPPED) for plane in planes)
    some = red | green | blue
    return Share(float(some.mean()), densest(some, step), float((red & green & blue).mean()))


def sampled(picture: LedgerPicture) -> tuple[Planes, float]:
    """Linear sRGB of up to 600 000 of the result's own pixels in a regular grid, and how many pixels apart they are."""
    width, height = picture.plan.frame.size
    step = max(1.0, math.sqrt(width * height / _SAMPLES))
    window, where = picture.samples((max(1, round(width / step)), max(1, round(height / step))))
    return picture.light.linear(window, where), step


def chroma(planes: NDArray[np.floating[Any]]) -> float:
    """Mean CIELAB chroma of linear sRGB planes, in points: how saturated a picture is as a whole.

    As of a picture whose mean lightness is 50: chroma and lightness plus 16 are cube roots of light and grow alike with
    exposure, so that a picture that is only lighter or darker has the same number. What is lighter than white counts
    with the colour that it would have, not with the white that it becomes.
    """
    every = max(1, round((planes[0].size / 3e5) ** 0.5))
    lab = linear_to_lab(np.moveaxis(np.maximum(planes[:, ::every, ::every], 0), 0, -1).astype(np.float64))
    return float(np.hypot(lab[..., 1], lab[..., 2]).mean() * (_LIGHTNESS + 16) / (lab[..., 0].mean() + 16))


@lru_cache(maxsize=1)
def _encoded_steps() -> NDArray[np.uint8]:
    """The 8-bit sRGB value of each of `_STEPS` steps of light."""
    return np.asarray(srgb_encode(np.arange(_STEPS) / (_STEPS - 1)) * 255 + 0.5, np.uint8)


def histogram(planes: Planes) -> list[list[int]]:
    """How many pixels have each 8-bit sRGB value, for red, green and blue.

    Light is counted in steps so fine that the darkest value, the narrowest, has forty of them; and these are encoded.
    """
    found = []
    for plane in planes:
        steps = (np.clip(plane, 0, 1) * np.float32(_STEPS - 1) + np.float32(0.5)).astype(np.int32)
        counts = np.bincount(steps.ravel(), minlength=_STEPS)
        found.append(np.bincount(_encoded_steps(), counts, 256).astype(int).tolist())
    return found


def densest(mask: NDArray[np.bool_], step: float) -> Box | None:
    """The twelfth of the picture's width that holds most of a mask; mask pixels are `step` result pixels apart."""
    if not mask.any():
        return None
    side = max(8, mask.shape[1] // 12)
    rows, columns = -(-mask.shape[0] // side), -(-mask.shape[1] // side)
    padded = np.zeros((rows * side, columns * side), np.bool_)
    padded[: mask.shape[0], : mask.shape[1]] = mask
    counts = padded.reshape(rows, side, columns, side).sum(axis=(1, 3))
    row, column = divmod(int(counts.argmax()), columns)
    left, top = round(column * side * step), round(row * side * step)
    return Box(left, top, left + round(side * step), top + round(side * step))


def area_mean(picture: LedgerPicture, mark: Mark, light: LightChain) -> NDArray[np.float64]:
    """Mean linear sRGB of a mark's square after `light`; the square is cut to the picture.

    Raises
    ------
    LedgerError
        The mark lies outside the picture.
    """
    half = mark.size / 2
    box = Box(
        math.floor(mark.x - half),
        math.floor(mark.y - half),
        math.ceil(mark.x + half),
        math.ceil(mark.y + half),
    ).within(Box(0, 0, *picture.repaired.size))
    if box.empty:
        raise LedgerError("A neutral mark lies outside the picture.", "Pick a place on the picture.")
    pixels = picture.repaired.read(0, box)
    planes = light.linear(widened(pixels), Where(translation(box.left, box.top)))
    return np.asarray(planes.astype(np.float64).mean(axis=(1, 2)))


def casts(picture: LedgerPicture) -> list[float]:
    """Cast left at each neutral mark of the ledger, CIEDE2000 from the grey of the same lightness."""
    return [float(cast(area_mean(picture, mark, picture.light))) for mark in picture.plan.neutrals]
