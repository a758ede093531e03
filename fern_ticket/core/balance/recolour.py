"""Recolour: hue and colour from a pick, lightness from the photo, so that shading stays.

In CIELAB (CIE 15): a* and b* become the picked ones, L* is kept. Where sRGB has no such colour at that lightness it is
made less strong, with hue and lightness as they are.
"""

from __future__ import annotations

from functools import partial

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.balance.light import BalanceOperation, PixelFunction, Planes, Position, Surroundings
from fern_ticket.core.kernels import fast_kernel
from fern_ticket.core.ledger.controls import Editor, Ruler
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.lab import linear_to_lab
from fern_ticket.core.pictures.profiles import SRGB_TO_XYZ_D65, srgb_decode

#: Linear sRGB to XYZ over that of white, and back.
_TO_XYZ = (SRGB_TO_XYZ_D65 / SRGB_TO_XYZ_D65.sum(axis=1, keepdims=True)).astype(np.float32)
_FROM_XYZ = np.linalg.inv(_TO_XYZ.astype(np.float64)).astype(np.float32)
#: L* over which a kept range fades out.
_FADE = 8.0


class Recolour(Parameters):
    colour: tuple[int, int, int] | None = Field(default=None, description="Picked, 8-bit sRGB; none changes nothing.")
    amount: float = Field(default=100.0, ge=0, le=100, description="Per cent of the way to the picked colour.")
    own: float = Field(default=25.0, ge=0, le=100, description="Per cent of the photo's own play of colour strength.")
    dark: float = Field(default=0.0, ge=0, le=100, description="Below this L* the photo's own colour stays.")
    light: float = Field(default=100.0, ge=0, le=100, description="Above this L* the photo's own colour stays.")


def transform(params: Recolour, _: Surroundings) -> PixelFunction | None:
    if params.colour is None or not params.amount:
        return None
    a, b = linear_to_lab(srgb_decode(np.array(params.colour) / 255))[1:]
    wanted = np.array([a, b, params.amount / 100, params.own / 100, params.dark, params.light], np.float32)
    return PixelFunction(partial(_work, wanted=wanted), encoded=False)


def _work(planes: Planes, _: Position, *, wanted: NDArray[np.float32]) -> None:
    _repaint(planes, wanted, _TO_XYZ, _FROM_XYZ)


@fast_kernel
def _f(t: np.float32) -> np.float32:
    if t > np.float32(216 / 24389):
        return np.float32(t ** np.float32(1 / 3))
    return t * np.float32(841 / 108) + np.float32(4 / 29)


@fast_kernel
def _back(f: np.float32) -> np.float32:
    return f * f * f if f > np.float32(6 / 29) else (f - np.float32(4 / 29)) * np.float32(108 / 841)


@fast_kernel
def _rgb(fy: np.float32, a: np.float32, b: np.float32, from_xyz: NDArray[np.float32], out: NDArray[np.float32]) -> None:
    x, y, z = _back(fy + a / np.float32(500)), _back(fy), _back(fy - b / np.float32(200))
    for c in range(3):
        out[c] = from_xyz[c, 0] * x + from_xyz[c, 1] * y + from_xyz[c, 2] * z


@fast_kernel
def _repaint(
    planes: Planes, wanted: NDArray[np.float32], to_xyz: NDArray[np.float32], from_xyz: NDArray[np.float32]
) -> None:
    amount, own, dark, light = wanted[2], wanted[3], wanted[4], wanted[5]
    strong = np.sqrt(wanted[0] * wanted[0] + wanted[1] * wanted[1])
    one, zero, fade = np.float32(1), np.float32(0), np.float32(_FADE)
    xyz = np.empty(3, np.float32)
    out = np.empty(3, np.float32)
    for row in range(planes.shape[1]):
        for column in range(planes.shape[2]):
            for k in range(3):
                xyz[k] = zero
                for c in range(3):
                    xyz[k] += to_xyz[k, c] * max(planes[c, row, column], zero)
            fx, fy, fz = _f(xyz[0]), _f(xyz[1]), _f(xyz[2])
            level = np.float32(116) * fy - np.float32(16)
            a, b = np.float32(500) * (fx - fy), np.float32(200) * (fy - fz)
            share = amount
            if dark > zero:
                share *= min(max((level - dark) / fade + one, zero), one)
            if light < np.float32(100):
                share *= min(max((light - level) / fade + one, zero), one)
            if share == zero:
                continue
            chroma = np.sqrt(a * a + b * b)
            play = (one - own) + own * min(chroma / max(strong, np.float32(1)), np.float32(1.5))
            if strong < np.float32(1):
                play = one
            a += share * (wanted[0] * play - a)
            b += share * (wanted[1] * play - b)
            # of what lies out of reach, as much as there is: halved ten times
            scale, step = one, one
            for _ in range(10):
                _rgb(fy, scale * a, scale * b, from_xyz, out)
                low, high = min(out[0], out[1], out[2]), max(out[0], out[1], out[2])
                inside = low > np.float32(-1e-4) and high < np.float32(1.0001)
                if inside and scale == one:
                    break
                step *= np.float32(0.5)
                scale += step if inside else -step
            _rgb(fy, scale * a, scale * b, from_xyz, out)
            for c in range(3):
                planes[c, row, column] = out[c]


OPERATION = BalanceOperation(
    name="recolour",
    title="Recolour",
    summary="Gives things another colour and keeps their lightness, so that shading stays.",
    parameters=Recolour,
    transform=transform,
    rank=76,
    controls=(
        Editor("colour", "colour", "new colour"),
        Ruler("amount", "%", name="recolour"),
        Ruler("own", "%", name="own shades"),
        Ruler("dark", "L*", name="keep darker than"),
        Ruler("light", "L*", name="keep lighter than"),
    ),
    example={"colour": [40, 90, 160]},
    group="Recolour",
)
