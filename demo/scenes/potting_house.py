"""A potting house seen all round: brick floor, benches, pots, a mirror. Panorama, 8192x4096.

The tripod stands at the bottom with its shadow and shows again in the mirror; two clay faces and a drawn one look from the
walls. The horizon leans by 1.3 degrees.
"""

from __future__ import annotations

import around
import faces
import masonry
import mitsuba as mi
import numpy as np
import studio
from studio import Scene, bitmap, mix, noise, rotation, surface

WIDE, DEEP, HIGH = 5.4, 4.4, 2.7
"""The room: x from -2.7, y from -2.2, z from the floor."""

EYE = 1.45


def garden(seed: int) -> np.ndarray:
    """What the panes show: sky over orchard rows, a little soft, as bright as the day is."""
    rows, cols = 800, 1600
    y = np.linspace(1, 0, rows)[:, None] * np.ones((1, cols))
    sky = mix((1.0, 1.0, 1.0), (0.55, 0.70, 0.95), y * 1.3 - 0.45 + 0.25 * noise((rows, cols), (5, 4), 5, seed))
    picture = sky * 3.4
    for k, (level, tone) in enumerate(
        ((0.50, (0.22, 0.30, 0.20)), (0.42, (0.15, 0.24, 0.08)), (0.30, (0.16, 0.25, 0.06)))
    ):
        crown = level + 0.045 * noise((4, cols), (2, 9 + 5 * k), 7, seed + k, 0.62)[0]
        leaf = noise((rows, cols), (70, 140), 4, seed + 10 + k)
        hill = np.asarray(tone) * (1 + 0.45 * np.clip(leaf, -1.6, 2)[..., None]) * 2.3
        picture = np.where((y < crown[None])[..., None], hill, picture)
    return np.clip(picture, 0.01, None)[::-1].astype(np.float32).copy()


def shell(s: Scene) -> None:
    colour, height = masonry.laid(
        (WIDE + 0.4, DEEP + 0.4), 800, masonry.herringbone(0.105), 0.008,
        ((0.27, 0.105, 0.06), (0.34, 0.15, 0.085), (0.20, 0.085, 0.06), (0.40, 0.20, 0.12)), (0.24, 0.215, 0.18), 3,
    )  # fmt: skip
    damp = np.clip(noise(colour.shape[:2], (3, 4), 5, 9) - 0.5, 0, 1)
    colour = colour * (1 - 0.35 * damp[..., None])
    scale = (1 / (WIDE + 0.4), 1 / (DEEP + 0.4))
    x, y = np.meshgrid([-WIDE / 2 - 0.2, WIDE / 2 + 0.2], [-DEEP / 2 - 0.2, DEEP / 2 + 0.2])
    uv = np.stack([x - x[0, 0], y - y[0, 0]], -1)
    floor = surface(bitmap(colour, scale), 0.62, 0.35, (bitmap(height, scale), 0.006))
    s.grid(np.stack([x, y, 0 * x], -1), uv, (0, 0, 0), floor)
    wash, rough = masonry.laid(
        (3.2, 1.9), 700, masonry.courses((0.072, 0.078), (0.20, 0.23), 4), 0.007,
        ((0.66, 0.645, 0.60), (0.70, 0.685, 0.64), (0.62, 0.60, 0.555)), (0.60, 0.585, 0.545), 12,
    )  # fmt: skip
    flake = np.clip(noise(wash.shape[:2], (14, 22), 5, 21) - 2.0, 0, 1)
    wash = mix(wash, (0.36, 0.17, 0.11), np.clip(3 * flake, 0, 0.85))
    lime = surface(bitmap(wash, (1 / 3.2, 1 / 1.9)), 0.92, 0.12, (bitmap(rough, (1 / 3.2, 1 / 1.9)), 0.006))
    w, d = WIDE / 2, DEEP / 2

    def wall(centre, size) -> None:
        s.box(centre, size, lime, 0.002, uv_world=True)

    # far wall with a broad window, left wall with a door of glass, right and near walls whole
    for part in (((-1.95, d + 0.15, 1.35), (1.5, 0.3, HIGH)), ((1.95, d + 0.15, 1.35), (1.5, 0.3, HIGH)),
                 ((0, d + 0.15, 0.5), (2.4, 0.3, 1.0)), ((0, d + 0.15, 2.5), (2.4, 0.3, 0.4)),
                 ((-w - 0.15, -1.3, 1.35), (0.3, 2.2, HIGH)), ((-w - 0.15, 1.65, 1.35), (0.3, 1.5, HIGH)),
                 ((-w - 0.15, 0.35, 2.45), (0.3, 1.1, 0.5)), ((w + 0.15, 0, 1.35), (0.3, DEEP + 0.6, HIGH)),
                 ((0, -d - 0.15, 1.35), (WIDE + 0.6, 0.3, HIGH))):  # fmt: skip
        wall(*part)
    paint = surface((0.56, 0.585, 0.545), 0.42, 0.45)
    for k in range(5):
        s.box((-1.2 + 0.6 * k, d + 0.1, 1.65), (0.045, 0.06, 1.3), paint, 0.005)
    for z in (1.02, 1.65, 2.28):
        s.box((0, d + 0.1, z), (2.4, 0.06, 0.05), paint, 0.005)
    s.box((0, d - 0.02, 1.0), (2.56, 0.4, 0.04), surface((0.50, 0.47, 0.42), 0.6, 0.3), 0.006)
    for y in (-0.17, 0.35, 0.87):
        s.box((-w - 0.1, y, 1.1), (0.05, 0.075, 2.2), paint, 0.005)
    for z in (0.1, 0.85, 1.5, 2.16):
        s.box((-w - 0.1, 0.35, z), (0.05, 1.06, 0.08 if z > 0.2 else 0.22), paint, 0.005)
    boards, lines = studio.wood(71, (0.58, 0.555, 0.50), (0.50, 0.475, 0.42), 1024, 2048)
    lining = surface(bitmap(boards, (1 / 2.6, 1 / 0.5)), 0.7, 0.25, (bitmap(lines, (1 / 2.6, 1 / 0.5)), 0.002))
    y = -d - 0.2
    k = 0
    while y < d + 0.2:
        skylight = -0.55 < y < 0.35
        for x0, x1 in ((-w - 0.2, -0.8), (0.8, w + 0.2)) if skylight else ((-w - 0.2, w + 0.2),):
            s.box(((x0 + x1) / 2, y + 0.07, HIGH), (x1 - x0, 0.137, 0.03), lining, 0.004, uv_shift=(0.3 * k, 0.15 * k))
        y += 0.14
        k += 1
    beam, grain = studio.wood(72, (0.40, 0.33, 0.25), (0.25, 0.19, 0.13), 1024, 2400)
    for x in (-1.75, -0.86, 0.86, 1.75):
        s.box((x, 0, HIGH - 0.09), (0.09, DEEP + 0.4, 0.16), surface(bitmap(beam, (1 / 2.4, 1 / 0.4)), 0.7, 0.3, (bitmap(grain, (1 / 2.4, 1 / 0.4)), 0.003)), 0.006, uv_shift=(x, x))  # fmt: skip
    for y in (-0.56, -0.1, 0.38):
        s.box((0, y, HIGH + 0.02), (1.62, 0.04, 0.07), paint, 0.004)
    for x in (-1.85, 1.85):
        s.box((x, 0, HIGH + 0.04), (2.1, DEEP + 0.6, 0.04), lining, 0.004)
    for y in (-1.6, 1.45):
        s.box((0, y, HIGH + 0.04), (2.0, 2.05 if y < 0 else 2.1, 0.04), lining, 0.004)
    # the day, and the grass before the door and the window
    turf = mix((0.07, 0.14, 0.03), (0.14, 0.22, 0.06), 0.5 + 0.3 * noise((900, 900), (120, 120), 5, 17))
    for place, half in (((-7.0, 0.4), (4.1, 6.0)), ((0, 6.2), (7.5, 3.9))):
        ground = mi.ScalarTransform4f().translate([*place, -0.05]) @ mi.ScalarTransform4f().scale([*half, 1])
        s.add({"type": "rectangle", "to_world": ground, "bsdf": surface(bitmap(turf, (4, 4)), 0.95, 0.1)})
    for origin, half, seed, level in (((0, 7.5, 2.0), (7.5, 3.4), 5, 1.0), ((-9.0, 0.4, 2.0), (6.5, 3.4), 6, 1.25)):
        to = [0, 0, 2.0] if origin[0] == 0 else [0, 0.4, 2.0]
        s.add(
            {
                "type": "rectangle",
                "to_world": mi.ScalarTransform4f().look_at(list(origin), to, [0, 0, 1])
                @ mi.ScalarTransform4f().scale([*half, 1]),
                "emitter": {"type": "area", "radiance": bitmap(garden(seed) * level)},
                "bsdf": surface((0, 0, 0)),
            }
        )
    s.lamp((0.0, -0.1, 4.8), (0, -0.1, 0), (6.0, 5.0), (11.5, 12.3, 13.8))
    s.lamp((0.7, 4.4, 3.75), (0.0, 0.2, 0.4), (0.14, 0.14), (1500, 1320, 1040))


def pot(s: Scene, at, size: float, seed: int, tilt=None) -> None:
    rng = np.random.default_rng(seed)
    profile = [(0.001, 0.012), (0.040, 0.010), (0.047, 0.0), (0.050, 0.002), (0.068, 0.085), (0.069, 0.088), (0.076, 0.089), (0.079, 0.112), (0.0775, 0.115), (0.072, 0.114), (0.066, 0.09), (0.05, 0.02), (0.001, 0.016)]  # fmt: skip
    cloud = noise((500, 800), (5, 7), 5, seed)
    bloom = np.clip(noise((500, 800), (6, 9), 5, seed + 1) - 0.3, 0, 1)
    clay = mix((0.42, 0.175, 0.085), (0.31, 0.125, 0.06), 0.5 + 0.3 * cloud)
    clay = mix(clay, (0.52, 0.45, 0.37), 0.55 * bloom) * rng.uniform(0.8, 1.12)
    scale = (1 / 0.5, 1 / 0.32)
    bsdf = surface(bitmap(clay.astype(np.float32), scale), 0.85, 0.15, (bitmap(cloud, scale), 0.0006))
    s.lathe(
        [(r * size, z * size) for r, z in profile], at, bsdf, steps=90, wobble=0.004, seed=seed, sharp=True, tilt=tilt
    )


def soil(s: Scene, at, radius: float, seed: int) -> None:
    r, a = np.meshgrid(np.linspace(0, 1, 24), np.linspace(0, 2 * np.pi, 60), indexing="ij")
    lump = 0.006 * noise((24, 60), (9, 20), 3, seed)
    earth = mix((0.05, 0.034, 0.022), (0.022, 0.015, 0.010), 0.5 + 0.4 * noise((200, 200), (50, 50), 3, seed))
    s.grid(
        np.stack([radius * r * np.cos(a), radius * r * np.sin(a), lump], -1),
        np.stack([r, a / 6.3], -1),
        at,
        surface(bitmap(earth), 0.95, 0.1),
    )


def bench(s: Scene, centre, size, seed: int) -> None:
    plank, grain = studio.wood(seed, (0.36, 0.27, 0.185), (0.20, 0.135, 0.085), 1024, 2400, knots=4)
    oak = surface(bitmap(plank, (1 / 2.4, 1 / 0.34)), 0.7, 0.25, (bitmap(grain, (1 / 2.4, 1 / 0.34)), 0.003))
    x, y, top = centre
    long_x = size[0] > size[1]
    for k in range(4):
        shift = (k - 1.5) / 4
        place = (x, y + shift * size[1], top) if long_x else (x + shift * size[0], y, top)
        part = (size[0], size[1] / 4 - 0.006, 0.04) if long_x else (size[0] / 4 - 0.006, size[1], 0.04)
        s.box(place, part, oak, 0.004, uv_shift=(0.4 * k, 0.2 * k))
    for sx in (-1, 1):
        for sy in (-1, 1):
            s.box(
                (x + sx * (size[0] / 2 - 0.06), y + sy * (size[1] / 2 - 0.06), top / 2), (0.075, 0.075, top), oak, 0.006
            )
    s.box((x, y, 0.28), (size[0] - 0.12, size[1] - 0.12, 0.03), oak, 0.004)


def things(s: Scene) -> None:
    rng = np.random.default_rng(8)
    bench(s, (2.32, 0.1, 0.84), (0.66, 2.9, 0.84), 81)
    bench(s, (0.2, -1.86, 0.80), (2.7, 0.60, 0.80), 82)
    for k, y in enumerate(np.linspace(-1.15, 1.3, 9)):
        size = rng.uniform(0.9, 1.5)
        at = (2.30 + rng.uniform(-0.12, 0.12), y + rng.uniform(-0.05, 0.05), 0.862)
        pot(s, at, size, 100 + k)
        if k % 3 != 1:
            soil(s, (at[0], at[1], at[2] + 0.098 * size), 0.068 * size, 120 + k)
            places = np.array(at[:2]) + 0.05 * size * rng.normal(0, 0.5, (90, 2))
            studio.grass(s, places, (0.05, 0.17), 140 + k, width=0.0032, height=at[2] + 0.098 * size, lean=0.7,
                         tones=((0.09, 0.20, 0.05), (0.13, 0.25, 0.06), (0.16, 0.22, 0.07)))  # fmt: skip
        else:
            pot(s, (at[0], at[1], at[2] + 0.055 * size), size * 0.98, 160 + k)
            pot(s, (at[0], at[1], at[2] + 0.11 * size), size * 0.97, 180 + k)
    for k, x in enumerate((-0.9, -0.62, 0.05, 0.9, 1.22)):
        size = (1.7, 1.2, 1.35, 1.15, 1.6)[k]
        pot(s, (x, -1.86 + 0.03 * (-1) ** k, 0.822), size, 200 + k)
        if k in (0, 4):
            soil(s, (x, -1.86, 0.822 + 0.098 * size), 0.068 * size, 220 + k)
            places = np.array([x, -1.86]) + 0.06 * rng.normal(0, 0.6, (160, 2))
            studio.grass(s, places, (0.10, 0.34), 230 + k, width=0.005, height=0.822 + 0.098 * size, lean=0.8,
                         tones=((0.07, 0.17, 0.05), (0.11, 0.22, 0.07), (0.20, 0.16, 0.07)))  # fmt: skip
    for k in range(7):
        pot(s, (-2.2 + 0.26 * (k % 3), -1.75 + 0.27 * (k // 3), 0.0), 1.35 + 0.2 * (k % 2), 240 + k)
    pot(s, (-1.55, 1.6, 0.075), 1.5, 260, tilt=rotation(x=90, z=40))
    pot(s, (-2.1, 1.75, 0.0), 2.3, 261)
    studio.grass(s, np.array([-2.1, 1.75]) + 0.09 * rng.normal(0, 0.6, (220, 2)), (0.25, 0.75), 262, width=0.008, height=0.22, lean=0.6,
                 tones=((0.06, 0.15, 0.05), (0.10, 0.20, 0.06), (0.15, 0.22, 0.08)))  # fmt: skip
    soil(s, (-2.1, 1.75, 0.215), 0.15, 263)
    # a can of zinc, a broom, a shelf of jars
    zinc = {"type": "roughconductor", "material": "Al", "alpha": 0.32}
    s.lathe([(0.001, 0.004), (0.10, 0.0), (0.105, 0.01), (0.098, 0.19), (0.09, 0.21), (0.06, 0.225), (0.058, 0.23), (0.05, 0.224)], (1.25, 1.25, 0.0), zinc, sharp=True)  # fmt: skip
    t = np.linspace(0, 1, 40)
    s.tube(np.stack([1.16 - 0.24 * t, 1.25 + 0 * t, 0.06 + 0.27 * t**0.9], 1), 0.018 - 0.008 * t, zinc)
    s.tube(
        np.stack([1.25 + 0.11 * np.sin(np.pi * t), 1.25 + 0 * t, 0.22 - 0.17 * t + 0.05 * np.sin(np.pi * t)], 1),
        0.008,
        zinc,
    )
    broom = np.array([1.55, 1.9, 0.0])
    s.tube([broom + [0.02 * v, 0.24 * v, 0.16 + 1.2 * v] for v in t], 0.013, surface((0.45, 0.32, 0.19), 0.6, 0.3))
    straw = broom + np.stack(
        [0.11 * rng.normal(0, 0.5, 900), 0.03 * rng.normal(0, 0.6, 900), 0 * rng.normal(0, 1, 900)], 1
    )
    ends = (broom + [0, 0.03, 0.20])[None] + 0.012 * rng.normal(0, 1, (900, 3))
    v = np.linspace(0, 1, 5)[None, :, None]
    s.strands(
        straw[:, None] * (1 - v) + ends[:, None] * v, np.full((900, 5), 0.0013), surface((0.46, 0.33, 0.16), 0.7, 0.2)
    )
    s.box((-1.25, -2.10, 1.62), (1.5, 0.18, 0.03), surface((0.36, 0.27, 0.185), 0.7, 0.3), 0.004)
    for k in range(8):
        tone = ((0.30, 0.32, 0.30), (0.16, 0.20, 0.17), (0.36, 0.28, 0.18), (0.50, 0.47, 0.40))[k % 4]
        tall = 0.12 + 0.05 * (k % 3)
        s.lathe([(0.001, 0.0), (0.042, 0.001), (0.046, 0.01), (0.046, tall * 0.8), (0.030, tall * 0.93), (0.030, tall), (0.001, tall)], (-1.88 + 0.175 * k, -2.10, 1.636), surface(tone, 0.25, 0.5, clearcoat=0.5, clearcoat_gloss=0.9), steps=60, sharp=True)  # fmt: skip
    for k, x in enumerate(np.linspace(0.42, 1.35, 5)):  # tools on nails
        s.tube([(x, -2.14, 1.42 - 0.02 * v) for v in range(12)], 0.011, surface((0.34, 0.21, 0.11), 0.5, 0.4))
        s.box((x, -2.14, 1.12), (0.055 + 0.03 * (k % 2), 0.006, 0.13), zinc, 0.002)


def looks(s: Scene) -> None:
    """The mirror on the near wall, right before the camera, two clay faces on the right wall, a poster on the far wall."""
    t = np.linspace(0, 2 * np.pi, 120)
    gilt = surface((0.30, 0.19, 0.08), 0.35, 0.5, metallic=0.6)
    ring = np.stack([-0.08 + 0.33 * np.cos(t), -2.185 + 0 * t, 1.5 + 0.33 * np.sin(t)], 1)
    s.tube(ring, 0.022, gilt)
    to_world = (
        mi.ScalarTransform4f().translate([-0.08, -2.178, 1.5])
        @ mi.ScalarTransform4f().rotate([1, 0, 0], -90)
        @ mi.ScalarTransform4f().scale([0.325, 0.325, 1])
    )
    s.add({"type": "disk", "to_world": to_world, "bsdf": {"type": "conductor", "material": "Ag"}})
    for k, (y, z, size) in enumerate(((-0.75, 1.75, 0.26), (0.95, 1.70, 0.30))):
        x, up, h = faces.face_relief()
        cloud = noise((300, 300), (6, 6), 5, 300 + k)
        clay = mix((0.40, 0.18, 0.095), (0.50, 0.30, 0.19), 0.4 + 0.35 * cloud)
        points = np.stack([2.69 - size * h, y + size * x, z + size * up], -1)
        uv = np.stack([x + 0.5, up + 0.7], -1)
        s.grid(points, uv, (0, 0, 0), surface(bitmap(clay, (1, 0.7)), 0.8, 0.2, (bitmap(cloud, (1, 0.7)), 0.002)))
    x, z = np.meshgrid([-0.31, 0.31], [-0.40, 0.40])
    sheet = faces.drawn_face()
    uv = np.stack([(x + 0.31) / 0.62, (z + 0.40) / 0.80], -1)
    s.grid(
        np.stack([x + 1.95, 0 * x + 2.195, z + 1.66], -1), uv, (0, 0, 0), surface(bitmap(sheet[::-1].copy()), 0.9, 0.15)
    )


def build(clean: bool = False) -> tuple[Scene, dict]:
    s = Scene()
    shell(s)
    things(s)
    looks(s)
    if not clean:
        around.tripod(s, EYE)
    # so that the mirror is not cut by the picture's sides
    heading = mi.ScalarTransform4f().rotate([0, 0, 1], 40)
    lean = mi.ScalarTransform4f().rotate([0, 1, 0], 1.3)
    return s, {"type": "around", "to_world": mi.ScalarTransform4f().translate([0, 0, EYE]) @ heading @ lean}


if __name__ == "__main__":
    studio.make(
        studio.Shot(
            build=build,
            depth=6,
            clean_boxes=((0, 1560, 4096, 2048),),
            mirrors=((330, 820, 690, 1200),),
            shadows=260,
            exposure=1.0,
            gains=(0.96, 1.0, 1.05),
            falloff=0.0,
            grain=0.014,
            camera=("Orrery 360", "Twin fisheye 8 f/4", "1/60", 8.0, 200, "2026:04:22 09:15:44", 8),
            truth={
                "kind": "panorama",
                "straighten": 0.0,
                "roll": 1.3,
                "faults": [
                    "tripod at the bottom with its shadow",
                    "tripod in the mirror",
                    "faces to blur",
                    "leaning horizon",
                ],
            },
            size=(4096, 2048),
            enlarge=2,
            xmp=around.photo_sphere(8192, 4096, 214),
            quality=88,
        )
    )
