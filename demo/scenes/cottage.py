"""A quay cottage behind its lawn on a clear morning. Property, 12.4 MP, with a bracketed series.

Two wires cross the sky gradient and one of them the chimney; a bin stands by the door with its shadow; the frame hangs by 1.1
degrees. The sunlit limewash lies just past clipping in the middle frame; the frame two stops darker holds it.
"""

from __future__ import annotations

import cv2
import masonry
import mitsuba as mi
import numpy as np
import studio
from studio import Scene, bitmap, mix, noise, surface

FRONT, HIGH = 8.2, 4.3
"""The front: x from -4.1, its face at y = 0, up to the eaves."""

OPENINGS = (
    (-2.9, 1.05, 0.85, 1.25),
    (2.9, 1.05, 0.85, 1.25),
    (-2.9, 1.0, 2.95, 1.05),
    (0.0, 0.95, 2.95, 1.05),
    (2.9, 1.0, 2.95, 1.05),
    (0.0, 1.04, 0.05, 2.15),
)
"""Middle, width, sill and height of each window, the door last."""


def front(s: Scene) -> None:
    rows, cols = 1700, 3200
    cloud, grit = noise((rows, cols), (9, 17), 6, 3, 0.6), noise((rows, cols), (420, 800), 2, 4)
    _, lumps = masonry.laid(
        (FRONT, HIGH),
        390,
        masonry.courses((0.14, 0.30), (0.22, 0.62), 5),
        0.03,
        ((0.5, 0.5, 0.5), (0.5, 0.5, 0.5)),
        (0.4, 0.4, 0.4),
        6,
    )
    lumps = cv2.GaussianBlur(cv2.resize(lumps, (cols, rows)), (0, 0), 5)
    wash = mix((0.76, 0.745, 0.70), (0.64, 0.625, 0.58), 0.4 + 0.22 * cloud)
    foot = np.clip(1 - np.linspace(0, HIGH, rows) / 0.5, 0, 1)[:, None] * np.clip(
        0.6 + 0.5 * noise((rows, cols), (14, 40), 4, 7), 0, 1
    )
    wash = mix(wash, (0.36, 0.35, 0.27), 0.6 * foot)
    run = np.clip(noise((rows, cols), (3, 120), 3, 8) - 1.3, 0, 1)
    wash = mix(wash, (0.42, 0.41, 0.37), 0.30 * run)
    scale = (1 / FRONT, 1 / HIGH)
    bsdf = surface(bitmap(wash, scale), 0.95, 0.08, (bitmap(lumps * 1.4 + 0.22 * cloud + 0.03 * grit, scale), 0.016))

    def slab(x0, x1, z0, z1) -> None:
        x, z = np.meshgrid([x0, x1], [z0, z1])
        s.grid(np.stack([x, 0 * x, z], -1), np.stack([x + FRONT / 2, z], -1), (0, 0, 0), bsdf)

    xs = sorted({-FRONT / 2, FRONT / 2, *[v for m, w, _, _ in OPENINGS for v in (m - w / 2, m + w / 2)]})
    for x0, x1 in zip(xs[:-1], xs[1:], strict=True):
        middle = (x0 + x1) / 2
        holes = sorted((z, z + h) for m, w, z, h in OPENINGS if abs(middle - m) < w / 2)
        low = 0.0
        for z0, z1 in holes:
            slab(x0, x1, low, z0)
            low = z1
        slab(x0, x1, low, HIGH)
    for m, w, z, h in OPENINGS:
        for x in (m - w / 2, m + w / 2):
            y, up = np.meshgrid([0, 0.28], [z, z + h])
            s.grid(np.stack([np.full_like(y, x), y, up], -1), np.stack([y + x, up], -1), (0, 0, 0), bsdf)
        x, y = np.meshgrid([m - w / 2, m + w / 2], [0, 0.28])
        s.grid(np.stack([x, y, np.full_like(x, z + h)], -1), np.stack([x, y], -1), (0, 0, 0), bsdf)
    for x in (-FRONT / 2, FRONT / 2):  # gable sides
        y, z = np.meshgrid([0, 5.2], [0, HIGH])
        s.grid(np.stack([np.full_like(y, x), y, z], -1), np.stack([y, z], -1), (0, 0, 0), bsdf)


def joinery(s: Scene) -> None:
    white = surface((0.68, 0.675, 0.65), 0.4, 0.5)
    stone = surface(
        bitmap(mix((0.36, 0.345, 0.31), (0.28, 0.27, 0.245), 0.5 + 0.3 * noise((300, 900), (30, 90), 4, 12)), (1, 3)),
        0.85,
        0.2,
    )
    for m, w, z, h in OPENINGS[:5]:
        s.box((m, 0.42, z + h / 2), (w, 0.02, h), surface((0.035, 0.04, 0.045), 0.04, 0.8), 0.001)
        linen = mix((0.55, 0.52, 0.46), (0.45, 0.42, 0.37), 0.5 + 0.3 * noise((60, 400), (2, 60), 2, 30 + int(9 * m)))
        for side in (-1, 1):
            s.box(
                (m + side * w * 0.36, 0.48, z + h / 2), (w * 0.26, 0.02, h), surface(bitmap(linen, (2, 1)), 0.95), 0.001
            )
        for x in (m - w / 2 + 0.04, m, m + w / 2 - 0.04):
            s.box((x, 0.22, z + h / 2), (0.075, 0.07, h), white, 0.006)
        for up in (z + 0.035, z + h / 2, z + h - 0.035):
            s.box((m, 0.215, up), (w, 0.06, 0.06), white, 0.006)
        s.box((m, 0.06, z - 0.03), (w + 0.16, 0.34, 0.07), stone, 0.012)
        glass = {"type": "thindielectric", "int_ior": 1.5}
        s.add(
            {
                "type": "rectangle",
                "to_world": mi.ScalarTransform4f().translate([m, 0.235, z + h / 2])
                @ mi.ScalarTransform4f().rotate([1, 0, 0], 90)
                @ mi.ScalarTransform4f().scale([w / 2, h / 2, 1]),
                "bsdf": glass,
            }
        )
    m, w, z, h = OPENINGS[5]
    paint = surface((0.045, 0.115, 0.125), 0.28, 0.5, clearcoat=0.3)
    s.box((m, 0.24, z + h / 2), (w, 0.05, h), white, 0.005)
    for k in range(6):
        s.box((m + (k - 2.5) * 0.152, 0.20, z + h / 2 - 0.03), (0.148, 0.045, h - 0.1), paint, 0.005)
    s.add(
        {
            "type": "sphere",
            "center": [m + 0.38, 0.15, 1.08],
            "radius": 0.03,
            "bsdf": {"type": "roughconductor", "material": "Cu", "alpha": 0.2},
        }
    )
    s.box((m, -0.25, 0.03), (1.5, 0.75, 0.14), stone, 0.015)
    s.tube(
        [(FRONT / 2 - 0.22, -0.06, HIGH - 0.1 - 0.1 * k) for k in range(43)],
        0.038,
        surface((0.05, 0.052, 0.055), 0.4, 0.4),
    )
    s.tube(
        [(x, -0.20, HIGH - 0.03) for x in np.linspace(-FRONT / 2 - 0.1, FRONT / 2 + 0.1, 30)],
        0.055,
        surface((0.05, 0.052, 0.055), 0.4, 0.4),
    )


def roof(s: Scene) -> None:
    wide, long = FRONT + 0.5, 3.9
    slate, step = masonry.laid((wide, long), 420, masonry.courses((0.185, 0.20), (0.22, 0.33), 20), 0.006,
        ((0.095, 0.10, 0.11), (0.145, 0.145, 0.155), (0.115, 0.11, 0.125), (0.17, 0.165, 0.16)), (0.02, 0.02, 0.022), 21)  # fmt: skip
    moss = np.clip(noise(slate.shape[:2], (22, 40), 5, 22) - 1.25, 0, 1)
    slate = mix(slate, (0.16, 0.16, 0.06), np.clip(1.2 * moss, 0, 0.8))
    u, v = np.meshgrid(np.linspace(0, wide, 60), np.linspace(0, long, 30))
    sag = -0.05 * np.sin(np.pi * u / wide) * np.sin(np.pi * v / long) + 0.012 * noise((30, 60), (3, 6), 2, 23)
    tilt = np.radians(42)
    points = np.stack([u - wide / 2, -0.28 + v * np.cos(tilt), HIGH - 0.02 + v * np.sin(tilt) + sag], -1)
    s.grid(
        points,
        np.stack([u, v], -1),
        (0, 0, 0),
        surface(bitmap(slate, (1 / wide, 1 / long)), 0.45, 0.4, (bitmap(step, (1 / wide, 1 / long)), 0.02)),
    )
    ridge = surface((0.30, 0.15, 0.10), 0.8, 0.2)
    y, z = -0.28 + long * np.cos(tilt), HIGH + long * np.sin(tilt) - 0.02
    for k in range(19):
        s.box((-wide / 2 + 0.24 + k * 0.457, y, z - 0.03), (0.44, 0.26, 0.10), ridge, 0.03)
    brick, beds = masonry.laid(
        (1.2, 2.0),
        300,
        masonry.courses((0.072, 0.078), (0.20, 0.23), 24),
        0.009,
        ((0.33, 0.14, 0.085), (0.40, 0.20, 0.13), (0.27, 0.12, 0.08)),
        (0.36, 0.33, 0.28),
        25,
    )
    for x in (-3.4, 3.4):
        bsdf = surface(bitmap(brick, (1 / 1.2, 1 / 2.0)), 0.9, 0.15, (bitmap(beds, (1 / 1.2, 1 / 2.0)), 0.008))
        s.box((x, y + 0.1, z + 0.45), (0.75, 0.6, 1.7), bsdf, 0.006, uv_world=True)
        s.box((x, y + 0.1, z + 1.32), (0.86, 0.71, 0.09), ridge, 0.015)
        for dx in (-0.18, 0.18):
            s.lathe(
                [(0.12, 0), (0.105, 0.05), (0.095, 0.34), (0.115, 0.36), (0.115, 0.40), (0.08, 0.40)],
                (x + dx, y + 0.1, z + 1.36),
                ridge,
                steps=60,
                sharp=True,
            )


def garden(s: Scene) -> None:
    rng = np.random.default_rng(31)
    flags, edges = masonry.laid(
        (1.3, 9.0),
        260,
        masonry.courses((0.42, 0.62), (0.5, 0.85), 32),
        0.03,
        ((0.34, 0.32, 0.285), (0.40, 0.375, 0.325), (0.29, 0.28, 0.255)),
        (0.10, 0.11, 0.05),
        33,
    )
    x, y = np.meshgrid([-0.65, 0.65], [-9.0, -0.1])
    s.grid(
        np.stack([x, y, 0.012 + 0 * x], -1),
        np.stack([x + 0.65, y + 9.0], -1),
        (0, 0, 0),
        surface(bitmap(flags, (1 / 1.3, 1 / 9.0)), 0.85, 0.2, (bitmap(edges, (1 / 1.3, 1 / 9.0)), 0.012)),
    )
    s.add(
        {
            "type": "rectangle",
            "to_world": mi.ScalarTransform4f().scale([40, 40, 1]),
            "bsdf": surface((0.055, 0.075, 0.025), 0.95),
        }
    )

    def lawn(count, near, far, long, seed, width) -> None:
        places = np.stack([rng.uniform(-7.5, 7.5, count), rng.uniform(near, far, count)], 1)
        keep = np.abs(places[:, 0]) > 0.67 + 0.03 * rng.normal(0, 1, count)
        studio.grass(s, places[keep], long, seed, width=width, lean=0.7)

    lawn(130_000, -8.6, -4.5, (0.025, 0.065), 34, 0.0022)
    lawn(120_000, -4.5, -0.4, (0.025, 0.065), 35, 0.0030)
    for x0, x1 in ((-4.1, -0.75), (0.75, 4.1)):  # a bed along the wall
        count = 5200
        places = np.stack([rng.uniform(x0, x1, count), rng.uniform(-0.55, -0.05, count)], 1)
        studio.grass(s, places, (0.15, 0.55), 36 + int(x0 > 0), width=0.008, lean=0.8,
                     tones=((0.07, 0.15, 0.05), (0.11, 0.20, 0.07), (0.17, 0.22, 0.11), (0.27, 0.15, 0.34)))  # fmt: skip
        tips = np.stack([rng.uniform(x0, x1, 420), rng.uniform(-0.6, -0.1, 420)], 1)
        studio.grass(s, tips, (0.03, 0.06), 38, width=0.016, height=rng.uniform(0.2, 0.5, 420), lean=1.2,
                     tones=((0.60, 0.25, 0.28), (0.62, 0.55, 0.28), (0.42, 0.22, 0.50), (0.7, 0.68, 0.62)))  # fmt: skip
    for side, (cx, cy) in enumerate(((-7.2, 1.2), (7.4, 2.0), (9.5, 6.0), (-10.0, 7.0), (-5.6, 9.0), (6.2, 10.0))):
        count = 16_000
        crown = rng.normal(0, 1, (count, 3))
        crown /= np.linalg.norm(crown, axis=1, keepdims=True)
        lump = 1 + 0.22 * np.sin(crown @ rng.normal(0, 3, 3)) + 0.15 * np.sin(crown @ rng.normal(0, 7, 3))
        crown *= (lump * rng.uniform(0.6, 1.0, count) ** 0.5)[:, None] * (1.5 if side < 2 else 2.6)
        height = np.maximum(crown[:, 2] * 1.1 + (1.3 if side < 2 else 3.0), 0.03)
        tone = np.array(((0.07, 0.14, 0.035), (0.10, 0.17, 0.05), (0.085, 0.16, 0.04))[side % 3])
        studio.grass(s, crown[:, :2] + [cx, cy], (0.08, 0.18), 40 + side, width=0.034, height=height, lean=1.0,
                     tones=(tuple(tone), tuple(tone * 1.3), tuple(tone * 0.75), tuple(tone * 1.1)))  # fmt: skip


def faults(s: Scene) -> None:
    for y, z0, z1, sag in ((-1.2, 7.2, 6.55, 0.28), (3.0, 8.35, 7.55, 0.20)):
        t = np.linspace(0, 1, 160)
        s.tube(
            np.stack([-9.5 + 19 * t, y + 0 * t, z0 + (z1 - z0) * t - sag * np.sin(np.pi * t)], 1),
            0.011,
            surface((0.015, 0.015, 0.017), 0.6, 0.3),
            10,
        )
    at = np.array([1.25, -0.95, 0.0])
    plastic = surface((0.055, 0.075, 0.06), 0.42, 0.4)
    s.box(at + [0, 0, 0.50], (0.50, 0.56, 0.86), plastic, 0.03, turn=-9)
    s.box(at + [0, -0.01, 0.955], (0.56, 0.64, 0.06), plastic, 0.025, turn=-9)
    for dx in (-0.2, 0.2):
        s.tube(
            [at + [dx - 0.03, 0.2, 0.09], at + [dx + 0.0, 0.2, 0.09], at + [dx + 0.03, 0.2, 0.09]],
            0.09,
            surface((0.02, 0.02, 0.02), 0.7),
            40,
        )


def sky(s: Scene) -> None:
    rows, cols = 512, 1024
    up = np.clip(np.sin((0.5 - (np.arange(rows) + 0.5) / rows) * np.pi), 0, 1)[:, None] * np.ones((1, cols))
    picture = mix((0.80, 0.90, 1.02), (0.16, 0.33, 0.70), up**0.6)
    picture[rows // 2 :] = (0.10, 0.11, 0.07)
    s.add(
        {
            "type": "envmap",
            "bitmap": mi.Bitmap(picture.astype(np.float32)),
            "to_world": mi.ScalarTransform4f().rotate([1, 0, 0], 90),
            "scale": 0.85,
        }
    )
    s.add(
        {
            "type": "directional",
            "direction": [0.58, 0.62, -0.72],
            "irradiance": {"type": "rgb", "value": [4.9, 4.4, 3.7]},
        }
    )


def build(clean: bool = False) -> tuple[Scene, dict]:
    s = Scene()
    with s.of_subject():
        front(s)
        joinery(s)
        roof(s)
    garden(s)
    sky(s)
    if not clean:
        faults(s)
    roll = np.radians(-1.1)
    camera = {
        "type": "thinlens",
        "fov": 58.0,
        "fov_axis": "x",
        "aperture_radius": 0.001,
        "focus_distance": 10.0,
        "to_world": mi.ScalarTransform4f().look_at(
            [-2.2, -10.8, 1.7], [-0.05, 0.0, 3.0], [np.sin(roll), 0, np.cos(roll)]
        ),
    }
    return s, camera


if __name__ == "__main__":
    studio.make(
        studio.Shot(
            build=build,
            depth=4,
            clean_boxes=((0, 0, 4320, 1200), (2150, 1700, 2950, 2700)),
            shadows=420,
            exposure=1.7,
            gains=(0.95, 1.0, 1.04),
            falloff=0.20,
            grain=0.013,
            camera=("Orrery M3", "Lumen 24 f/3.5", "1/250", 9.0, 100, "2026:05:14 08:41:55", 24),
            truth={
                "kind": "property",
                "straighten": -1.1,
                "faults": [
                    "two wires across the sky",
                    "bin with its shadow",
                    "tilt",
                    "cool cast",
                    "whites just past clipping",
                ],
            },
            darker=-2.0,
        )
    )
