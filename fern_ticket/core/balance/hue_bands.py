"""Hue bands: turn, saturate or lighten one family of colour and leave the others and every grey alone."""

from __future__ import annotations

from functools import partial

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.balance.hues import hue_of
from fern_ticket.core.balance.light import BalanceOperation, MeanAt, PixelFunction, Planes, Position, Surroundings
from fern_ticket.core.balance.marks import Mark
from fern_ticket.core.errors import LedgerError
from fern_ticket.core.kernels import fast_kernel
from fern_ticket.core.ledger.controls import Editor, Ruler
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.profiles import srgb_encode

#: Encoded chroma below which a place counts as grey (common practice, no source).
_GREY = 0.02
#: Neighbouring hues come no nearer than a twentieth of what lay between them.
_STEEPEST = 0.95


class Band(Parameters):
    hue: float | None = Field(
        default=None,
        ge=0,
        le=360,
        description="Middle of the family, degrees; red 0, green 120, blue 240. Left out, it is measured at the mark.",
    )
    mark: Mark | None = Field(default=None, description="Where the colour was picked.")
    width: float = Field(default=60, ge=5, le=180, description="Degrees at which it has faded out.")
    turn: float = Field(
        default=0, ge=-60, le=60, description="Degrees toward the next hues; less where hues would change places."
    )
    saturation: float = Field(default=0, ge=-100, le=100, description="Per cent.")
    lightness: float = Field(default=0, ge=-100, le=100, description="Per cent, in proportion to how coloured it is.")


class HueBands(Parameters):
    bands: list[Band] = Field(default_factory=list, max_length=12)


def transform(params: HueBands, _: Surroundings) -> PixelFunction | None:
    active = [band for band in params.bands if band.turn or band.saturation or band.lightness]
    if not active:
        return None
    whole = _in_order(active)
    table = [
        [(b.hue or 0) / 60, 60 / b.width, whole * b.turn / 60, b.saturation / 100, b.lightness / 100] for b in active
    ]
    return PixelFunction(partial(_work, bands=np.array(table, np.float32)), encoded=True)


def _in_order(bands: list[Band]) -> float:
    """The share of all turns at which no hue overtakes its neighbour: the mapped hue never falls as hue rises."""
    around = np.arange(0, 360, 0.5)
    turned = np.zeros_like(around)
    for band in bands:
        away = np.clip(np.abs((around - (band.hue or 0) + 180) % 360 - 180) / band.width, 0, 1)
        turned += band.turn * (1 - away * away * (3 - 2 * away))
    steepest = float(np.max(turned - np.roll(turned, -1)) / 0.5)
    return min(1.0, _STEEPEST / steepest) if steepest > 0 else 1.0


def settle(params: HueBands, mean_at: MeanAt) -> HueBands:
    return params.model_copy(update={"bands": [_settled(band, mean_at) for band in params.bands]})


def _settled(band: Band, mean_at: MeanAt) -> Band:
    if band.hue is not None or band.mark is None:
        return band
    encoded = srgb_encode(np.maximum(mean_at(band.mark), 0))
    if encoded.max() - encoded.min() < _GREY:
        raise LedgerError("That place is grey: it has no hue to take up.", "Pick a place that has a colour.")
    return band.model_copy(update={"hue": round(hue_of(encoded), 1)})


def _work(planes: Planes, _: Position, *, bands: NDArray[np.float32]) -> None:
    _shift(planes, bands)


@fast_kernel
def _shift(planes: Planes, bands: NDArray[np.float32]) -> None:
    """Each band is its hue in sixths of the circle, one over its width in sixths, turn in sixths, and two shares.

    Row by row, each part a loop of its own without branches, so that it runs several pixels at a time.
    """
    zero, one, two, three, six = np.float32(0), np.float32(1), np.float32(2), np.float32(3), np.float32(6)
    hue, turn, share, light = np.empty((4, planes.shape[2]), np.float32)
    for row in range(planes.shape[1]):
        red, green, blue = planes[0, row], planes[1, row], planes[2, row]
        for column in range(red.shape[0]):
            r, g, b = red[column], green[column], blue[column]
            high, low = max(r, g, b), min(r, g, b)
            over = g - b if high == r else b - r if high == g else r - g
            sector = zero if high == r else two if high == g else np.float32(4)
            hue[column] = over / max(high - low, np.float32(1e-7)) + sector
            turn[column] = zero
            share[column] = one
            light[column] = zero
        for band in range(bands.shape[0]):
            middle, narrow = bands[band, 0], bands[band, 1]
            turned, richer, lighter = bands[band, 2], bands[band, 3], bands[band, 4]
            for column in range(red.shape[0]):
                away = abs(hue[column] - middle)
                away = min(away, abs(six - away))
                t = min(away * narrow, one)
                weight = one - t * t * (three - two * t)
                turn[column] += weight * turned
                share[column] += weight * richer
                light[column] += weight * lighter
        for column in range(red.shape[0]):
            r, g, b = red[column], green[column], blue[column]
            high, low = max(r, g, b), min(r, g, b)
            chroma = high - low
            at = hue[column] + turn[column]
            at = at - six if at >= six else at
            at = at + six if at < zero else at
            wanted = chroma * max(share[column], zero)
            grey = np.float32(0.2126) * r + np.float32(0.7152) * g + np.float32(0.0722) * b
            lifted = grey + grey * light[column] * chroma / max(high, np.float32(0.02))
            pure_red = min(max(abs(at - three) - one, zero), one)
            pure_green = min(max(two - abs(at - two), zero), one)
            pure_blue = min(max(two - abs(at - np.float32(4)), zero), one)
            mean = np.float32(0.2126) * pure_red + np.float32(0.7152) * pure_green + np.float32(0.0722) * pure_blue
            red[column] = lifted + wanted * (pure_red - mean)
            green[column] = lifted + wanted * (pure_green - mean)
            blue[column] = lifted + wanted * (pure_blue - mean)


OPERATION = BalanceOperation(
    name="hue_bands",
    title="Hue bands",
    summary="Turns, saturates or lightens single families of colour; greys stay.",
    parameters=HueBands,
    transform=transform,
    rank=74,
    elsewhere=lambda params: HueBands(bands=[b.model_copy(update={"mark": None}) for b in params.bands]),
    settle=settle,
    example={"bands": [{"hue": 120, "turn": -10, "saturation": -20, "lightness": 10}]},
    group="Hues",
    controls=(
        Editor(
            "bands",
            "bands",
            model=Band,
            rulers=(Ruler("turn", "°"), Ruler("saturation"), Ruler("lightness"), Ruler("width", "°", rest=40)),
        ),
    ),
)
