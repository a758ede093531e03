"""What the program would do with a photo: a value for each ruler that it can say something about.

A proposal is shown as a hollow mark and taken in part, or not at all; it is never applied by itself.
"""

from __future__ import annotations

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.balance.base import log2_of
from fern_ticket.core.balance.light import Planes
from fern_ticket.core.balance.white_balance import measured
from fern_ticket.core.errors import LedgerError
from fern_ticket.core.inspect.fringing import fringing
from fern_ticket.core.inspect.levelling import level_angle
from fern_ticket.core.pictures.profiles import srgb_encode
from fern_ticket.core.render.light import LightChain, as_small
from fern_ticket.core.render.picture import LedgerPicture

Proposal = dict[str, dict[str, float]]

#: Encoded spread of luminance of a picture with a fair contrast (common practice, no source).
_SPREAD = 0.23
#: Source pixels at the corner from which fringes are worth a step (common practice, no source).
_FRINGE = 0.4


def propose(picture: LedgerPicture) -> Proposal:
    """Operation to parameters, measured on the repaired source before any light step; only what it would change.

    Parameters
    ----------
    picture
        With its repairs and its frame; its Balance steps are not looked at.
    """
    window, scale = picture.small_window()
    planes = as_small(LightChain(picture.repaired.space, []), window, scale).planes
    found: Proposal = {}
    angle = level_angle(np.asarray(srgb_encode(np.maximum(planes.mean(axis=0), 0)), np.float32))
    if angle is not None and abs(angle) >= 0.05:
        found["straighten"] = {"angle": angle}
    try:
        temperature, tint = measured(white_of(planes)[None])
        found["white_balance"] = {"temperature": temperature, "tint": tint}
    except LedgerError:
        pass
    found.update(tones(planes))
    drawn = fringing(picture.repaired)
    if drawn is not None and max(map(abs, drawn)) >= _FRINGE:
        found["fringes"] = {"red": -round(drawn[0], 1), "blue": -round(drawn[1], 1)}
    return found


def white_of(planes: Planes) -> NDArray[np.float64]:
    """The colour of the light, linear sRGB: the brightest of a blurred picture, clipped places left out.

    White patch (Land, McCann 1971; compared in Finlayson, Trezzi 2004, doi:10.2352/CIC.2004.12.1.art00008), blurred so
    that it rests on areas.

    Parameters
    ----------
    planes
        Linear sRGB, shape (3, rows, columns).
    """
    clipped = np.asarray((planes >= 0.98).any(axis=0))
    wide = max(planes.shape[1:]) / 250
    kept = cv2.GaussianBlur((~clipped).astype(np.float32), (0, 0), wide)
    masked = np.where(clipped, np.float32(0), planes).astype(np.float32)
    means = np.stack([cv2.GaussianBlur(plane, (0, 0), wide) for plane in masked]) / np.maximum(kept, 1e-3)
    fair = kept > 0.6
    if not fair.any():
        fair = np.ones_like(clipped)
    bright = means[:, fair]
    total = bright.sum(axis=0)
    return np.asarray(bright[:, total >= np.quantile(total, 0.9995)].mean(axis=1), np.float64)


def tones(planes: Planes) -> Proposal:
    """Exposure, the ends of the tones, contrast, and what regions are too bright or dark. Rules of our own."""
    light = log2_of(planes)
    middle, bright = float(light.mean()), float(np.quantile(light, 0.985))
    # toward a middle of 18 per cent, but never so far that the lightest places go
    ev = max(min(0.6 * (math.log2(0.18) - middle), -0.15 - bright), -1.5)
    found: Proposal = {}
    if abs(ev) >= 0.05:
        found["exposure"] = {"ev": round(ev, 2)}
    encoded = np.asarray(srgb_encode(np.clip(2.0 ** (light + ev), 0, 1)))
    low, high = float(np.quantile(encoded, 0.002)), float(np.quantile(encoded, 0.998))
    white, black = round(60 * (0.985 - high), 1), round(-60 * (low - 0.015), 1)
    found["end_points"] = {"white": float(np.clip(white, -5, 12)), "black": float(np.clip(black, -12, 5))}
    contrast = 60 * math.log2(_SPREAD / max(float(encoded.std()), 0.05))
    found["contrast"] = {"amount": float(np.clip(round(contrast), -25, 30))}
    dark, light_share = float((encoded < 0.12).mean()), float((encoded > 0.93).mean())
    found["highlights_shadows"] = {
        "highlights": -float(np.clip(round(250 * light_share), 0, 60)),
        "shadows": float(np.clip(round(180 * (dark - 0.05)), 0, 50)),
    }
    return found
