"""Blend modes against W3C Compositing and Blending Level 1, worked out pixel by pixel as its text says."""

from __future__ import annotations

import math
from typing import get_args

import numpy as np
import pytest

from fern_ticket.core.pieces.blending import Blend, blended


def lum(c):
    return 0.3 * c[0] + 0.59 * c[1] + 0.11 * c[2]


def clip_color(c):
    own, low, high = lum(c), min(c), max(c)
    if low < 0:
        c = [own + (x - own) * own / (own - low) for x in c]
    if high > 1:
        c = [own + (x - own) * (1 - own) / (high - own) for x in c]
    return c


def set_lum(c, wanted):
    return clip_color([x + wanted - lum(c) for x in c])


def sat(c):
    return max(c) - min(c)


def set_sat(c, s):
    order = sorted(range(3), key=lambda k: c[k])
    low, mid, high = order
    out = [0.0, 0.0, 0.0]
    if c[high] > c[low]:
        out[mid] = (c[mid] - c[low]) * s / (c[high] - c[low])
        out[high] = s
    return out


def hard_light(b, s):
    return b * 2 * s if s <= 0.5 else b + (2 * s - 1) - b * (2 * s - 1)


def soft_light(b, s):
    if s <= 0.5:
        return b - (1 - 2 * s) * b * (1 - b)
    d = ((16 * b - 12) * b + 4) * b if b <= 0.25 else math.sqrt(b)
    return b + (2 * s - 1) * (d - b)


def dodge(b, s):
    return 0 if b == 0 else 1 if s == 1 else min(1, b / (1 - s))


def burn(b, s):
    return 1 if b == 1 else 0 if s == 0 else 1 - min(1, (1 - b) / s)


SEPARABLE = {
    "normal": lambda _, s: s,
    "multiply": lambda b, s: b * s,
    "screen": lambda b, s: b + s - b * s,
    "overlay": lambda b, s: hard_light(s, b),
    "darken": min,
    "lighten": max,
    "color-dodge": dodge,
    "color-burn": burn,
    "hard-light": hard_light,
    "soft-light": soft_light,
    "difference": lambda b, s: abs(b - s),
    "exclusion": lambda b, s: b + s - 2 * b * s,
}
WHOLE = {
    "hue": lambda b, s: set_lum(set_sat(s, sat(b)), lum(b)),
    "saturation": lambda b, s: set_lum(set_sat(b, sat(s)), lum(b)),
    "color": lambda b, s: set_lum(s, lum(b)),
    "luminosity": lambda b, s: set_lum(b, lum(s)),
}


def by_hand(mode, b, s):
    if mode in WHOLE:
        return WHOLE[mode](list(b), list(s))
    return [SEPARABLE[mode](x, y) for x, y in zip(b, s, strict=True)]


@pytest.mark.parametrize("mode", get_args(Blend))
@pytest.mark.parametrize("top", [255, 65535])
def test_every_mode_is_what_the_recommendation_says(mode, top):
    chosen = np.random.default_rng(4)
    values = chosen.integers(0, top + 1, (2, 300, 3))
    ends = np.array([[0, top, top // 2], [top, 0, 0], [top, top, top], [0, 0, 0], [top // 4, top // 4, top // 4]])
    corners = np.array([(b, s) for b in ends for s in ends]).transpose(1, 0, 2)
    backdrop, source = (np.concatenate([values, corners], axis=1) / top).astype(np.float32)
    found = blended(backdrop[None], source[None], mode)[0]
    wanted = [by_hand(mode, b, s) for b, s in zip(backdrop.tolist(), source.tolist(), strict=True)]
    assert np.abs(found - np.array(wanted)).max() < 1 / 255 / 20
