"""Whites as a person names them: a temperature in kelvin and a tint off the Planckian locus.

| quantity | domain |
| --- | --- |
| temperature | 1500-40000 K, correlated colour temperature |
| tint | thousandths of Duv in CIE 1960 UCS; positive is greener than daylight, below 4000 K than a black body |
| uv | CIE 1960 UCS |
| xy | CIE 1931 |
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

COOLEST, WARMEST = 40_000.0, 1_500.0
#: sRGB's white (IEC 61966-2-1).
D65_XY = (0.3127, 0.3290)


def planckian_uv(kelvin: float) -> tuple[float, float]:
    """A black body's chromaticity, Krystek 1985 (doi:10.1002/col.5080100109), within 1e-4 from 1000 to 15000 K.

    Beyond that the rational approximation stays smooth, which is all that a slider needs.
    """
    t = kelvin
    u = (0.860117757 + 1.54118254e-4 * t + 1.28641212e-7 * t * t) / (1 + 8.42420235e-4 * t + 7.08145163e-7 * t * t)
    v = (0.317398726 + 4.22806245e-5 * t + 4.20481691e-8 * t * t) / (1 - 2.89741816e-5 * t + 1.61456053e-7 * t * t)
    return u, v


def _normal(kelvin: float) -> tuple[float, float]:
    """Unit vector across the locus, toward green."""
    step = kelvin * 1e-3
    u0, v0 = planckian_uv(kelvin - step)
    u1, v1 = planckian_uv(kelvin + step)
    du, dv = u1 - u0, v1 - v0
    length = math.hypot(du, dv)
    return dv / length, -du / length


def uv_to_xy(u: float, v: float) -> tuple[float, float]:
    """CIE 1960 UCS to CIE 1931 (CIE 15)."""
    d = 2 * u - 8 * v + 4
    return 3 * u / d, 2 * v / d


def xy_to_uv(x: float, y: float) -> tuple[float, float]:
    """CIE 1931 to CIE 1960 UCS (CIE 15)."""
    d = -2 * x + 12 * y + 3
    return 4 * x / d, 6 * y / d


def xy_to_xyz(x: float, y: float) -> NDArray[np.float64]:
    return np.array([x / y, 1.0, (1 - x - y) / y])


def _cct_duv(uv: tuple[float, float]) -> tuple[float, float]:
    """Nearest temperature on the locus and the signed distance from it."""

    def distance(mired: float) -> float:
        u, v = planckian_uv(1e6 / mired)
        return (u - uv[0]) ** 2 + (v - uv[1]) ** 2

    grid: list[float] = np.geomspace(1e6 / COOLEST, 1e6 / WARMEST, 96).tolist()
    best = int(np.argmin([distance(m) for m in grid]))
    low, high = grid[max(best - 1, 0)], grid[min(best + 1, len(grid) - 1)]
    golden = (math.sqrt(5) - 1) / 2
    for _ in range(60):
        a, b = high - golden * (high - low), low + golden * (high - low)
        if distance(a) < distance(b):
            high = b
        else:
            low = a
    kelvin = 1e6 / ((low + high) / 2)
    u, v = planckian_uv(kelvin)
    nu, nv = _normal(kelvin)
    return kelvin, (uv[0] - u) * nu + (uv[1] - v) * nv


#: Daylight's own place: D65 lies this far off the Planckian locus, and tint is counted from there.
REFERENCE_KELVIN, _REFERENCE_DUV = _cct_duv(xy_to_uv(*D65_XY))


#: Daylight has a locus of its own from the first temperature on (CIE 15); warmer lights are black bodies. Between, tint
#: is counted from a place that goes over smoothly.
_DAYLIGHT_FROM, _DAYLIGHT_WHOLLY = 4000.0, 5000.0


def _reference_duv(kelvin: float) -> float:
    share = min(max((kelvin - _DAYLIGHT_FROM) / (_DAYLIGHT_WHOLLY - _DAYLIGHT_FROM), 0.0), 1.0)
    return _REFERENCE_DUV * share * share * (3 - 2 * share)


def white_xy(temperature: float, tint: float) -> tuple[float, float]:
    """Chromaticity of the white named by temperature and tint. (REFERENCE_KELVIN, 0) is D65."""
    u, v = planckian_uv(temperature)
    nu, nv = _normal(temperature)
    duv = _reference_duv(temperature) + tint / 1000
    return uv_to_xy(u + nu * duv, v + nv * duv)


def temperature_and_tint(xy: tuple[float, float]) -> tuple[float, float]:
    """The names of a white. Inverse of `white_xy` within its domain."""
    kelvin, duv = _cct_duv(xy_to_uv(*xy))
    return kelvin, (duv - _reference_duv(kelvin)) * 1000
