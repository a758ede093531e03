"""A three-legged stool on a patterned tile floor by a limewashed wall. Product, 12.4 MP.

A saucer with a ball of twine was left on the tiles and lies there with its shadow; six specks; warm cast; whole picture 0.9
degrees askew.
"""

from __future__ import annotations

import cv2
import mitsuba as mi
import numpy as np
import studio
from studio import Scene, bitmap, mix, noise, rotation, surface

TILE = 0.20


def tile(kind: int, rows: int = 400) -> np.ndarray:
    """One encaustic tile, 0-3 for each of three clays: a quarter of a rosette in each corner, a lozenge between."""
    y, x = (np.mgrid[0:rows, 0:rows].astype(np.float32) + 0.5) / rows
    out = np.zeros((rows, rows), int)
    corner = np.minimum(
        np.minimum(np.hypot(x, y), np.hypot(1 - x, y)), np.minimum(np.hypot(x, 1 - y), np.hypot(1 - x, 1 - y))
    )
    angle = np.arctan2(np.minimum(y, 1 - y), np.minimum(x, 1 - x))
    petal = 0.30 + 0.10 * np.abs(np.cos(4 * angle))
    if kind == 0:
        out[corner < petal] = 1
        out[corner < 0.22] = 2
        out[corner < 0.10] = 0
        lozenge = np.abs(x - 0.5) + np.abs(y - 0.5)
        out[(lozenge < 0.27) & (corner > petal)] = 2
        out[lozenge < 0.17] = 1
        out[lozenge < 0.07] = 0
    else:
        ring = np.hypot(x - 0.5, y - 0.5)
        out[(ring < 0.44) & (ring > 0.38)] = 1
        star = np.abs(x - 0.5) ** 0.62 + np.abs(y - 0.5) ** 0.62
        out[star < 0.60] = 2
        out[star < 0.40] = 1
        out[corner < 0.16] = 1
    return out


def floor(s: Scene) -> None:
    count, per = 14, 300
    rng = np.random.default_rng(4)
    side = count * per
    clays = np.array([(0.55, 0.50, 0.41), (0.115, 0.15, 0.165), (0.36, 0.13, 0.075)], np.float32)
    tiles = [cv2.resize(tile(k).astype(np.uint8), (per, per), interpolation=cv2.INTER_NEAREST) for k in (0, 1)]
    picture = np.zeros((side, side, 3), np.float32)
    for i in range(count):
        for j in range(count):
            turned = np.rot90(tiles[(i + j) % 2], rng.integers(4))
            shade = 1 + 0.07 * rng.normal()
            picture[i * per : (i + 1) * per, j * per : (j + 1) * per] = clays[turned] * shade
    picture = cv2.GaussianBlur(picture, (0, 0), 1.1)
    wander = [2.5 * noise((side, side), (60, 60), 4, 30 + k) for k in (0, 1)]
    y, x = np.mgrid[0:side, 0:side].astype(np.float32)
    picture = cv2.remap(picture, x + wander[0], y + wander[1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)
    edge = np.minimum(np.minimum(x % per, per - x % per), np.minimum(y % per, per - y % per)) + 0.8 * noise(
        (side, side), (500, 500), 2, 33
    )
    joint = np.clip((edge - 2.2) / 1.6, 0, 1)
    wear, grit = noise((side, side), (9, 9), 6, 34, 0.6), noise((side, side), (900, 900), 2, 35)
    picture = picture * (1 + 0.07 * wear + 0.06 * grit)[..., None]
    picture = mix(picture, (0.43, 0.40, 0.35), np.clip(0.10 + 0.14 * wear, 0, 0.5))
    picture = mix((0.20, 0.18, 0.155), picture, joint)
    chips = np.clip(noise((side, side), (70, 70), 4, 36) - 2.5, 0, 1) * np.exp(-edge / 18)
    picture = mix(picture, (0.33, 0.25, 0.19), np.clip(3 * chips, 0, 0.8))
    plan = (
        joint * (0.8 + 0.10 * rng.normal(0, 1, (count, count)).repeat(per, 0).repeat(per, 1))
        + 0.03 * grit
        - 0.5 * chips
    )
    wide = count * TILE
    scale = (1 / wide, 1 / wide)
    u, v = np.meshgrid([0, wide], [0, wide])
    gloss = np.clip(0.40 + 0.07 * wear + 0.05 * grit, 0.2, 0.9)
    bsdf = surface(bitmap(picture, scale), bitmap(gloss, scale), 0.4, (bitmap(plan, scale), 0.0022))
    points = np.stack([u - wide / 2, v - 1.65, 0 * u], -1) @ rotation(z=11).T
    s.grid(points, np.stack([u, v], -1), (0, 0, 0), bsdf)


def wall(s: Scene) -> None:
    rows, cols = 1500, 2600
    trowel, grit = noise((rows, cols), (6, 10), 6, 51, 0.6), noise((rows, cols), (380, 640), 2, 52)
    lime = mix((0.66, 0.64, 0.59), (0.56, 0.535, 0.485), 0.45 + 0.25 * trowel)
    scale = (1 / 3.2, 1 / 1.9)
    bsdf = surface(bitmap(lime, scale), 0.95, 0.1, (bitmap(trowel + 0.05 * grit, scale), 0.0035))
    s.box((0, 0.87, 0.9), (3.6, 0.2, 1.9), bsdf, 0.002, uv_world=True)
    s.box((0, 0.762, 0.055), (3.6, 0.02, 0.11), surface((0.135, 0.165, 0.165), 0.45, 0.4), 0.004)


def seat(s: Scene) -> None:
    elm, grain = studio.wood(61, (0.38, 0.215, 0.105), (0.19, 0.095, 0.045), 1600, 2000, knots=2)
    oak = surface(
        bitmap(elm, (1 / 0.42, 1 / 0.42)), 0.36, 0.45, (bitmap(grain, (1 / 0.42, 1 / 0.42)), 0.0016), clearcoat=0.25
    )
    r, a = np.meshgrid(
        np.r_[np.linspace(0.001, 1, 60), 1.006, 1.0, 0.985, np.linspace(0.97, 0.001, 20)],
        np.linspace(0, 2 * np.pi, 220),
        indexing="ij",
    )
    dish = -0.011 * np.exp(-((np.minimum(r, 1) / 0.62) ** 4))
    z = np.r_[0.452 - 0.0 * np.linspace(0, 1, 60), 0.447, 0.430, 0.423, np.full(20, 0.421)][:, None] + np.where(
        np.arange(83)[:, None] < 60, dish, 0
    )
    radius = 0.172 * (1 + 0.006 * np.cos(3 * a))
    points = np.stack([radius * r * np.cos(a), radius * r * np.sin(a), z], -1)
    uv = np.stack([points[..., 0] + 0.21, points[..., 1] + 0.21], -1)
    s.grid(points @ rotation(z=28).T, uv, (0, 0, 0), oak)
    ash, _ = studio.wood(62, (0.43, 0.265, 0.14), (0.25, 0.14, 0.07), 512, 2048, knots=0)
    turned = surface(bitmap(ash), 0.38, 0.45, clearcoat=0.25)
    for k in range(3):
        w = np.radians(40 + 120 * k)
        t = np.linspace(0, 1, 70)
        out = np.array([np.cos(w), np.sin(w), 0])
        path = out * (0.095 + 0.085 * t[:, None]) + np.array([0, 0, 1]) * (0.425 * (1 - t[:, None]) + 0.0)
        swell = 0.0145 + 0.0045 * np.sin(np.pi * t) ** 2 - 0.0025 * t + 0.0015 * (np.abs(t - 0.62) < 0.012)
        s.tube(path, swell, turned, 40)
        v = np.radians(160 + 120 * k)
        low = [
            out * (0.095 + 0.085 * 0.60) + [0, 0, 0.425 * 0.40],
            np.array([np.cos(v), np.sin(v), 0]) * (0.095 + 0.085 * 0.60) + [0, 0, 0.425 * 0.40],
        ]
        bar = low[0] + (low[1] - low[0]) * t[:, None]
        s.tube(bar, 0.0085 + 0.0028 * np.sin(np.pi * t), turned, 30)


def left_behind(s: Scene) -> None:
    """The distraction: a saucer, and twine in it, its end on the tiles."""
    at = np.array([0.285, -0.19, 0.0])
    glaze = mix((0.62, 0.60, 0.54), (0.52, 0.50, 0.44), 0.5 + 0.3 * noise((300, 500), (6, 9), 4, 71))
    s.lathe([(0.001, 0.004), (0.034, 0.003), (0.038, 0.006), (0.070, 0.018), (0.0745, 0.0215), (0.069, 0.021), (0.036, 0.010), (0.001, 0.0085)], at, surface(bitmap(glaze, (3, 5)), 0.2, 0.5, clearcoat=0.5, clearcoat_gloss=0.9), steps=120, wobble=0.003)  # fmt: skip
    t = np.linspace(0, 2 * np.pi * 46, 5200)
    rng = np.random.default_rng(5)
    tilt = np.cumsum(rng.normal(0, 0.016, len(t))) + 0.9 * t / 9
    ball = np.stack([np.cos(t), np.sin(t) * np.cos(tilt), np.sin(t) * np.sin(tilt)], 1) * (
        0.030 + 0.0022 * np.sin(t * 0.37)[:, None]
    )
    straw = surface((0.48, 0.37, 0.22), 0.85, 0.2)
    s.tube(at + [0, 0, 0.040] + ball, 0.0013, straw, 7)
    v = np.linspace(0, 1, 90)
    end = at + np.stack(
        [
            0.03 + 0.10 * v + 0.02 * np.sin(7 * v),
            -0.02 - 0.08 * v + 0.03 * np.sin(5 * v),
            0.0225 * (1 - v) ** 2 + 0.0015 + 0.012 * np.exp(-(((v - 0.2) / 0.15) ** 2)),
        ],
        1,
    )
    s.tube(end, 0.0013, straw, 8)


def build(clean: bool = False) -> tuple[Scene, dict]:
    s = Scene()
    floor(s)
    wall(s)
    with s.of_subject():
        seat(s)
    if not clean:
        left_behind(s)
    s.lamp((-1.7, -0.9, 1.5), (0, 0.1, 0.25), (0.30, 0.42), (30, 31, 33))
    s.lamp((1.8, -1.6, 1.6), (0, 0, 0.3), (0.6, 0.6), (1.7, 1.6, 1.45))
    s.add({"type": "constant", "radiance": {"type": "rgb", "value": [0.20, 0.20, 0.205]}})
    roll = np.radians(0.9)
    camera = {
        "type": "thinlens",
        "fov": 36.0,
        "fov_axis": "x",
        "aperture_radius": 0.004,
        "focus_distance": 1.72,
        "to_world": mi.ScalarTransform4f().look_at(
            [0.20, -1.70, 0.78], [0.045, 0.0, 0.235], [np.sin(roll), 0, np.cos(roll)]
        ),
    }
    return s, camera


DUST = [
    (820, 410, 6, 0.28),
    (3360, 300, 5, 0.34),
    (2540, 190, 4, 0.38),
    (1310, 690, 5, 0.26),
    (3900, 820, 6, 0.24),
    (540, 1020, 4, 0.36),
]


if __name__ == "__main__":
    studio.make(
        studio.Shot(
            build=build,
            depth=5,
            clean_boxes=((2400, 1400, 4100, 2880),),
            shadows=220,
            exposure=1.12,
            gains=(1.07, 1.0, 0.87),
            falloff=0.22,
            grain=0.014,
            camera=("Orrery M3", "Lumen 50 f/2", "1/60", 8.0, 100, "2026:08:12 15:20:02", 50),
            truth={
                "kind": "product",
                "straighten": 0.9,
                "specks": [list(p) for p in DUST],
                "faults": ["saucer and twine on the tiles, with shadow", "specks on the wall", "warm cast"],
            },
            spoil=studio.dusted(DUST),
        )
    )
