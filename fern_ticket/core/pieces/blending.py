"""Blend modes of W3C Compositing and Blending Level 1 (https://www.w3.org/TR/compositing-1/), over an opaque backdrop.

Values are encoded, 0-1. The result is `backdrop + share × (mixed - backdrop)`, where `share` is the piece's coverage
and `mixed` is B(backdrop, source) of its mode.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

import numpy as np
from numpy.typing import NDArray

Values = NDArray[np.float32]

Blend = Literal[
    "normal",
    "multiply",
    "screen",
    "overlay",
    "darken",
    "lighten",
    "color-dodge",
    "color-burn",
    "hard-light",
    "soft-light",
    "difference",
    "exclusion",
    "hue",
    "saturation",
    "color",
    "luminosity",
]


def blended(backdrop: Values, source: Values, mode: Blend) -> Values:
    """B(backdrop, source) of a mode.

    Parameters
    ----------
    backdrop, source
        Shape (rows, columns, 3), 0-1.
    """
    return np.asarray(_MODES[mode](backdrop, source), np.float32)


def _normal(_: Values, source: Values) -> Values:
    return source


def _multiply(backdrop: Values, source: Values) -> Values:
    return backdrop * source


def _screen(backdrop: Values, source: Values) -> Values:
    return backdrop + source - backdrop * source


def _hard_light(backdrop: Values, source: Values) -> Values:
    return np.where(source <= 0.5, backdrop * 2 * source, _screen(backdrop, 2 * source - 1))


def _dodge(backdrop: Values, source: Values) -> Values:
    raised = np.minimum(1, backdrop / np.maximum(1 - source, 1e-9))
    return np.where(backdrop == 0, 0, np.where(source >= 1, 1, raised))


def _burn(backdrop: Values, source: Values) -> Values:
    lowered = 1 - np.minimum(1, (1 - backdrop) / np.maximum(source, 1e-9))
    return np.where(backdrop >= 1, 1, np.where(source <= 0, 0, lowered))


def _soft_light(backdrop: Values, source: Values) -> Values:
    root = np.where(backdrop <= 0.25, ((16 * backdrop - 12) * backdrop + 4) * backdrop, np.sqrt(backdrop))
    darker = backdrop - (1 - 2 * source) * backdrop * (1 - backdrop)
    return np.where(source <= 0.5, darker, backdrop + (2 * source - 1) * (root - backdrop))


#: Weights of red, green and blue in the luminosity of the non-separable modes.
_LUMINOSITY = np.array((0.3, 0.59, 0.11), np.float32)


def _luminosity_of(colour: Values) -> Values:
    return np.asarray(np.sum(colour * _LUMINOSITY, axis=-1, keepdims=True), np.float32)


def _saturation_of(colour: Values) -> Values:
    return np.asarray(np.ptp(colour, axis=-1, keepdims=True), np.float32)


def _with_luminosity(colour: Values, wanted: Values) -> Values:
    """SetLum, with ClipColor."""
    moved = colour + (wanted - _luminosity_of(colour))
    own = _luminosity_of(moved)
    low, high = moved.min(axis=-1, keepdims=True), moved.max(axis=-1, keepdims=True)
    moved = np.where(low < 0, own + (moved - own) * own / np.maximum(own - low, 1e-9), moved)
    return np.where(high > 1, own + (moved - own) * (1 - own) / np.maximum(high - own, 1e-9), moved)


def _with_saturation(colour: Values, wanted: Values) -> Values:
    """SetSat: the least channel becomes 0, the greatest `wanted`, the one between keeps its place."""
    low = colour.min(axis=-1, keepdims=True)
    return np.asarray((colour - low) * wanted / np.maximum(_saturation_of(colour), 1e-9), np.float32)


_MODES: dict[Blend, Callable[[Values, Values], Values]] = {
    "normal": _normal,
    "multiply": _multiply,
    "screen": _screen,
    "overlay": lambda backdrop, source: _hard_light(source, backdrop),
    "darken": lambda backdrop, source: np.minimum(backdrop, source),
    "lighten": lambda backdrop, source: np.maximum(backdrop, source),
    "color-dodge": _dodge,
    "color-burn": _burn,
    "hard-light": _hard_light,
    "soft-light": _soft_light,
    "difference": lambda backdrop, source: np.abs(backdrop - source),
    "exclusion": lambda backdrop, source: backdrop + source - 2 * backdrop * source,
    "hue": lambda backdrop, source: _with_luminosity(
        _with_saturation(source, _saturation_of(backdrop)), _luminosity_of(backdrop)
    ),
    "saturation": lambda backdrop, source: _with_luminosity(
        _with_saturation(backdrop, _saturation_of(source)), _luminosity_of(backdrop)
    ),
    "color": lambda backdrop, source: _with_luminosity(source, _luminosity_of(backdrop)),
    "luminosity": lambda backdrop, source: _with_luminosity(backdrop, _luminosity_of(source)),
}
