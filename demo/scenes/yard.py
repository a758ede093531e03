"""A walled yard of stone flags on a bright day, seen all round. Panorama, 6144x3072.

Hard shadows: the tripod's legs lie over the flags' pattern. Washing hangs on a line; the horizon leans by 0.9 degrees.
"""

from __future__ import annotations

import around
import cv2
import masonry
import mitsuba as mi
import numpy as np
import studio
from studio import Scene, bitmap, mix, noise, surface

HALF_X, HALF_Y, WALL = 4.6, 3.6, 2.1
EYE = 1.55


def ground_and_walls(s: Scene) -> None:
    size = (2 * HALF_X, 2 * HALF_Y)
    colour, height = masonry.laid(
        size, 560, masonry.courses((0.34, 0.58), (0.42, 0.95), 5), 0.012,
        ((0.30, 0.285, 0.26), (0.36, 0.335, 0.295), (0.25, 0.245, 0.235), (0.40, 0.37, 0.32)), (0.16, 0.145, 0.115), 31,
    )  # fmt: skip
    moss = np.clip(noise(colour.shape[:2], (26, 34), 5, 40) - 0.9, 0, 1) * (height < 0.4)
    colour = mix(colour, (0.10, 0.13, 0.04), 0.9 * moss)
    lichen = np.clip(noise(colour.shape[:2], (60, 76), 3, 41) - 2.1, 0, 1)
    colour = mix(colour, (0.52, 0.50, 0.42), np.clip(1.6 * lichen, 0, 0.7))
    scale = (1 / size[0], 1 / size[1])
    x, y = np.meshgrid([-HALF_X, HALF_X], [-HALF_Y, HALF_Y])
    flags = surface(bitmap(colour, scale), 0.8, 0.25, (bitmap(height, scale), 0.008))
    s.grid(np.stack([x, y, 0 * x], -1), np.stack([x + HALF_X, y + HALF_Y], -1), (0, 0, 0), flags)
    for k, (centre, box) in enumerate(
        (((0, HALF_Y + 0.2, WALL / 2), (2 * HALF_X + 0.8, 0.4, WALL)), ((0, -HALF_Y - 0.2, WALL / 2), (2 * HALF_X + 0.8, 0.4, WALL)),
         ((HALF_X + 0.2, 0, WALL / 2), (0.4, 2 * HALF_Y, WALL)), ((-HALF_X - 0.2, 0, WALL / 2), (0.4, 2 * HALF_Y, WALL)))
    ):  # fmt: skip
        long = max(box[:2])
        stones, rough = masonry.laid(
            (long, WALL), 330, masonry.courses((0.10, 0.22), (0.16, 0.48), 50 + k), 0.014,
            ((0.33, 0.30, 0.25), (0.42, 0.385, 0.32), (0.27, 0.25, 0.215), (0.38, 0.31, 0.23)), (0.34, 0.31, 0.26), 60 + k,
        )  # fmt: skip
        stones = stones * (0.72 + 0.28 * np.clip(np.linspace(0, 3, stones.shape[0]), 0, 1))[:, None, None]
        scale = (1 / long, 1 / WALL)
        bsdf = surface(bitmap(stones, scale), 0.9, 0.15, (bitmap(rough, scale), 0.03))
        inner = (centre[1] - np.sign(centre[1]) * 0.2) if box[0] > box[1] else (centre[0] - np.sign(centre[0]) * 0.2)
        along, up = np.meshgrid([-long / 2, long / 2], [0, WALL])
        flat = np.full_like(along, inner)
        points = np.stack([along, flat, up], -1) if box[0] > box[1] else np.stack([flat, along, up], -1)
        s.grid(points, np.stack([along + long / 2, up], -1), (0, 0, 0), bsdf)
        cope = surface(
            bitmap(colour[:1200, :1200], (0.7, 0.7)), 0.85, 0.2, (bitmap(height[:1200, :1200], (0.7, 0.7)), 0.004)
        )
        rng = np.random.default_rng(70 + k)
        at = -long / 2
        while at < long / 2:
            piece = rng.uniform(0.5, 0.9)
            middle = at + piece / 2
            place = (middle, centre[1], WALL + 0.04) if box[0] > box[1] else (centre[0], middle, WALL + 0.04)
            part = (piece - 0.008, 0.5, 0.08) if box[0] > box[1] else (0.5, piece - 0.008, 0.08)
            s.box(place, part, cope, 0.012, uv_shift=(rng.uniform(0, 3), rng.uniform(0, 3)))
            at += piece


def house(s: Scene) -> None:
    """The back of a cottage over the far wall: limewash, a slate roof, a door and two windows."""
    wash = mix((0.70, 0.685, 0.64), (0.58, 0.56, 0.51), 0.4 + 0.28 * noise((900, 1600), (8, 14), 6, 81))
    rough = noise((900, 1600), (90, 160), 3, 82)
    lime = surface(bitmap(wash, (1 / 6.0, 1 / 3.4)), 0.95, 0.1, (bitmap(rough, (1 / 6.0, 1 / 3.4)), 0.002))
    y = HALF_Y - 0.10
    s.box((-0.6, y + 1.6, 1.75), (5.4, 3.2, 3.5), lime, 0.004, uv_world=True)
    slate, step = masonry.laid(
        (6.2, 2.9), 300, masonry.courses((0.19, 0.20), (0.24, 0.34), 83), 0.004,
        ((0.085, 0.09, 0.10), (0.13, 0.13, 0.14), (0.105, 0.10, 0.115)), (0.02, 0.02, 0.022), 84,
    )  # fmt: skip
    u, v = np.meshgrid(np.linspace(0, 6.2, 2), np.linspace(0, 2.9, 2))
    tilt = np.radians(40)
    points = np.stack([u - 3.7, y - 0.22 + v * np.cos(tilt), 3.42 + v * np.sin(tilt)], -1)
    s.grid(
        points,
        np.stack([u, v], -1),
        (0, 0, 0),
        surface(bitmap(slate, (1 / 6.2, 1 / 2.9)), 0.5, 0.4, (bitmap(step, (1 / 6.2, 1 / 2.9)), 0.02)),
    )
    s.box((-3.0, y + 1.9, 5.6), (0.55, 0.7, 1.5), lime, 0.01)
    paint = surface((0.10, 0.20, 0.21), 0.35, 0.5)
    white = surface((0.70, 0.695, 0.67), 0.4, 0.5)
    glass = surface((0.02, 0.025, 0.03), 0.03, 0.9)
    s.box((-0.55, y - 0.02, 1.0), (0.98, 0.06, 2.02), white, 0.006)
    for k in range(5):
        s.box((-0.55 + (k - 2) * 0.165, y - 0.06, 0.99), (0.158, 0.04, 1.9), paint, 0.004)
    for z in (0.35, 1.62):
        s.box((-0.55, y - 0.09, z), (0.78, 0.02, 0.12), paint, 0.004)
    s.box((-0.55, y - 0.22, 0.05), (1.2, 0.45, 0.1), surface((0.34, 0.32, 0.29), 0.85, 0.2), 0.012)
    for x in (-2.2, 1.15):
        s.box((x, y - 0.01, 1.75), (1.02, 0.05, 1.12), white, 0.006)
        for sx in (-1, 1):
            for sz in (-1, 1):
                s.box((x + sx * 0.24, y - 0.035, 1.75 + sz * 0.265), (0.42, 0.02, 0.47), glass, 0.002)
        s.box((x, y - 0.08, 1.16), (1.16, 0.2, 0.07), white, 0.008)


def furniture(s: Scene) -> None:
    rng = np.random.default_rng(12)
    clay = mix((0.40, 0.17, 0.09), (0.30, 0.13, 0.07), 0.5 + 0.3 * noise((300, 300), (6, 6), 4, 3))
    for k, (x, y, size) in enumerate(
        ((-3.9, 2.9, 3.2), (-3.2, 3.1, 2.2), (2.4, 3.1, 2.8), (4.0, -2.9, 3.4), (-4.0, -0.4, 2.6), (3.9, 1.2, 2.4))
    ):
        profile = [(0.001, 0.012), (0.047, 0.0), (0.050, 0.002), (0.068, 0.085), (0.076, 0.089), (0.079, 0.112), (0.072, 0.114), (0.066, 0.095), (0.001, 0.09)]  # fmt: skip
        s.lathe(
            [(r * size, z * size) for r, z in profile],
            (x, y, 0.0),
            surface(bitmap(clay, (2, 3)), 0.85, 0.15),
            steps=80,
            wobble=0.004,
            seed=k,
            sharp=True,
        )
        places = np.array([x, y]) + 0.055 * size * rng.normal(0, 0.6, (500, 2))
        studio.grass(s, places, (0.25, 0.75), 90 + k, width=0.009, height=0.1 * size, lean=0.75,
                     tones=((0.07, 0.15, 0.05), (0.11, 0.20, 0.06), (0.16, 0.22, 0.10), (0.30, 0.16, 0.32)))  # fmt: skip
    oak, grain = studio.wood(91, (0.42, 0.36, 0.28), (0.30, 0.24, 0.17), 1024, 2400)
    timber = surface(bitmap(oak, (1 / 2.0, 1 / 0.3)), 0.75, 0.2, (bitmap(grain, (1 / 2.0, 1 / 0.3)), 0.003))
    for k in range(4):
        s.box(
            (3.1, -1.2 + 0.12 * (k - 1.5), 0.46), (0.001 + 1.7, 0.11, 0.035), timber, 0.004, uv_shift=(0.3 * k, 0.1 * k)
        )
    for k in range(3):
        s.box((3.1, -1.47, 0.62 + 0.13 * k), (1.7, 0.03, 0.10), timber, 0.004, uv_shift=(0.2 * k, 0.1 * k))
    for x in (2.36, 3.84):
        for y in (-1.40, -1.0):
            s.box((x, y, 0.23 if y > -1.2 else 0.46), (0.06, 0.06, 0.46 if y > -1.2 else 0.92), timber, 0.005)
    # a line of washing from wall to post
    t = np.linspace(0, 1, 80)
    start, end = np.array([-4.55, -2.6, 1.95]), np.array([2.2, -3.3, 2.0])
    line = start + (end - start) * t[:, None]
    line[:, 2] -= 0.22 * np.sin(np.pi * t)
    s.tube(line, 0.004, surface((0.5, 0.48, 0.42), 0.8, 0.2), 8)
    s.tube([(2.2, -3.3, 2.05 - 0.05 * k) for k in range(42)], 0.035, timber)
    for k, (a, b, tone, drop) in enumerate(
        (
            (0.14, 0.36, (0.74, 0.73, 0.70), 1.05),
            (0.39, 0.52, (0.62, 0.40, 0.16), 0.7),
            (0.55, 0.80, (0.73, 0.74, 0.75), 1.15),
        )
    ):
        u, v = np.meshgrid(np.linspace(a, b, 90), np.linspace(0, 1, 90))
        top = np.stack([np.interp(u, t, line[:, c]) for c in range(3)], -1)
        wave = 0.05 * np.sin(40 * u + 2 * v + k) * v + 0.03 * np.sin(95 * u - 3 * v)
        points = top + np.stack([0.02 * wave, wave, -drop * v], -1)
        weave = noise((500, 500), (220, 220), 2, 95 + k)
        cloth = mix(tone, np.array(tone) * 0.9, 0.5 + 0.2 * weave)
        s.grid(
            points,
            np.stack([u * 5, v], -1),
            (0, 0, 0),
            surface(bitmap(cloth, (1, 1)), 0.95, 0.08, (bitmap(weave, (1, 1)), 0.002)),
        )


def beyond(s: Scene) -> None:
    """Trees behind the walls, and the sky of a fair day with thin cloud."""
    rng = np.random.default_rng(17)
    for k in range(26):
        a = rng.uniform(0, 2 * np.pi)
        far = rng.uniform(9, 16)
        x, y = far * np.cos(a), far * np.sin(a)
        if y > 3 and abs(x) < 6:
            continue
        count = 9000
        crown = rng.normal(0, 1, (count, 3))
        crown /= np.linalg.norm(crown, axis=1, keepdims=True)
        lump = 1 + 0.22 * np.sin(crown @ rng.normal(0, 3, 3)) + 0.15 * np.sin(crown @ rng.normal(0, 7, 3))
        crown *= (lump * rng.uniform(0.75, 1.0, count) ** 0.5)[:, None] * rng.uniform(1.4, 2.3)
        crown[:, 2] = np.maximum(crown[:, 2] * 1.15 + 2.8, 0.4)
        tone = mix((0.07, 0.15, 0.035), (0.15, 0.22, 0.06), np.array([[rng.uniform()]]))[0, 0]
        studio.grass(s, crown[:, :2] + [x, y], (0.10, 0.22), 300 + k, width=0.045, height=crown[:, 2], lean=1.0,
                     tones=(tuple(tone), tuple(tone * 1.25), tuple(tone * 0.8), tuple(tone * 1.1)))  # fmt: skip
    rows, cols = 1024, 2048
    up = np.clip(np.sin((0.5 - (np.arange(rows) + 0.5) / rows) * np.pi), 0, 1)[:, None] * np.ones((1, cols))
    sky = mix((0.95, 1.02, 1.12), (0.20, 0.36, 0.72), up**0.55)
    drift = 0.5 + 0.5 * noise((1500, 1500), (12, 12), 7, 401, 0.6)
    heading = (np.arange(cols) + 0.5) / cols * 2 * np.pi
    reach = 130 / np.maximum(up, 0.05)
    cloud = cv2.remap(
        drift.astype(np.float32),
        (750 + reach * np.sin(heading)[None]).astype(np.float32) % 1500,
        (750 + reach * np.cos(heading)[None]).astype(np.float32) % 1500,
        cv2.INTER_LINEAR,
    )
    cloud = np.clip(cloud - 0.75, 0, 1) * np.clip(up * 7 - 0.4, 0, 1) * np.clip(2.6 - 3.4 * up, 0, 1)
    sky = mix(sky, (1.3, 1.3, 1.3), 0.75 * cloud)
    sky[rows // 2 :] = (0.12, 0.13, 0.10)
    turn = mi.ScalarTransform4f().rotate([1, 0, 0], 90)
    s.add({"type": "envmap", "bitmap": mi.Bitmap(sky.astype(np.float32)), "to_world": turn, "scale": 0.9})
    s.add(
        {
            "type": "directional",
            "direction": [0.50, 0.62, -0.80],
            "irradiance": {"type": "rgb", "value": [4.6, 4.2, 3.6]},
        }
    )


def build(clean: bool = False) -> tuple[Scene, dict]:
    s = Scene()
    ground_and_walls(s)
    house(s)
    furniture(s)
    beyond(s)
    if not clean:
        around.tripod(s, EYE, (0.3, -0.2))
    lean = mi.ScalarTransform4f().rotate([0, 1, 0], -0.9)
    return s, {"type": "around", "to_world": mi.ScalarTransform4f().translate([0.3, -0.2, EYE]) @ lean}


if __name__ == "__main__":
    studio.make(
        studio.Shot(
            build=build,
            depth=4,
            clean_boxes=((0, 960, 3072, 1536),),
            exposure=0.74,
            gains=(1.03, 1.0, 0.95),
            falloff=0.0,
            grain=0.012,
            camera=("Orrery 360", "Twin fisheye 8 f/4", "1/800", 8.0, 100, "2026:06:03 11:28:09", 8),
            truth={
                "kind": "panorama",
                "straighten": 0.0,
                "roll": -0.9,
                "faults": ["tripod at the bottom with its hard shadow", "leaning horizon"],
            },
            size=(3072, 1536),
            enlarge=2,
            xmp=around.photo_sphere(6144, 3072, 31),
            quality=90,
            shadows=420,
        )
    )
