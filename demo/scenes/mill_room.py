"""The long room of a converted mill: limewashed walls, boards, a window onto the valley. Property, 12.4 MP.

The camera hangs 1.7 degrees over to one side, the light is mixed and warm, a cable runs down the wall, two stains
sit on the plaster.
"""

from __future__ import annotations

import cv2
import mitsuba as mi
import numpy as np
import studio
from studio import Scene, bitmap, mix, noise, rotation, surface

ROOM = (5.2, 4.6, 2.55)  # width, depth, height; the far wall stands at y = 4.6


def plaster(seed: int, tone=(0.74, 0.725, 0.69)):
    rows, cols = 1600, 2400
    trowel = noise((rows, cols), (7, 9), 5, seed, 0.6)
    grit = noise((rows, cols), (420, 620), 2, seed + 1)
    height = 0.8 * trowel + 0.03 * grit
    colour = mix(tone, tuple(np.array(tone) * 0.86), 0.45 + 0.22 * trowel)
    return colour, height


def wall_with_hole(s: Scene, bsdf, at: str, hole) -> None:
    """The far or the left wall as four slabs round a window hole (from, to, sill, head); 0.42 m deep reveals."""
    a, b, sill, head = hole
    w, d, h = ROOM
    t = 0.42
    if at == "far":
        y = d + t / 2
        s.box(((a - w / 2) / 2 - 0.1, y, h / 2), (a + w / 2 + 0.2, t, h), bsdf, 0.0003, uv_world=True)
        s.box(((b + w / 2) / 2 + 0.1, y, h / 2), (w / 2 - b + 0.2, t, h), bsdf, 0.0003, uv_world=True)
        s.box(((a + b) / 2, y, sill / 2), (b - a, t, sill), bsdf, 0.0003, uv_world=True)
        s.box(((a + b) / 2, y, (head + h) / 2), (b - a, t, h - head), bsdf, 0.0003, uv_world=True)
    else:
        x = -w / 2 - t / 2
        s.box((x, (a - 1.5) / 2, h / 2), (t, a + 1.5, h), bsdf, 0.012)
        s.box((x, (b + d) / 2 + 0.2, h / 2), (t, d - b + 0.4, h), bsdf, 0.0003, uv_world=True)
        s.box((x, (a + b) / 2, sill / 2), (t, b - a, sill), bsdf, 0.012)
        s.box((x, (a + b) / 2, (head + h) / 2), (t, b - a, h - head), bsdf, 0.012)


def casement(s: Scene, paint, a: float, b: float, sill: float, head: float, y: float) -> None:
    def bar(cx, cz, w, h, deep=0.05):
        s.box((cx, y, cz), (w, deep, h), paint, 0.006)

    m = 0.055
    bar((a + b) / 2, sill + m / 2, b - a, m)
    bar((a + b) / 2, head - m / 2, b - a, m)
    bar(a + m / 2, (sill + head) / 2, m, head - sill)
    bar(b - m / 2, (sill + head) / 2, m, head - sill)
    bar((a + b) / 2, (sill + head) / 2, 0.07, head - sill, 0.06)
    for x in (a + 0.27 * (b - a), b - 0.27 * (b - a)):
        bar(x, (sill + head) / 2, 0.022, head - sill, 0.035)
    for k in (1, 2):
        bar((a + b) / 2, sill + k * (head - sill) / 3, b - a, 0.022, 0.035)
    s.box(
        ((a + b) / 2 + 0.03, y - 0.04, (sill + head) / 2 - 0.1),
        (0.016, 0.02, 0.11),
        {"type": "roughconductor", "material": "Al", "alpha": 0.25},
        0.004,
    )


def valley() -> np.ndarray:
    """What the window shows: a bright sky over hedged slopes, out of focus."""
    rows, cols = 700, 900
    y = np.linspace(0, 1, rows)[:, None]
    sky = mix((1.0, 1.02, 1.05), (0.62, 0.75, 0.95), np.broadcast_to(1 - y * 1.6, (rows, cols)))
    sky += 0.10 * np.clip(noise((rows, cols), (4, 3), 5, 91), -0.5, 2)[..., None]
    picture = sky * 2.2
    rng = np.random.default_rng(4)
    for k, (level, tone) in enumerate(
        (
            ((0.46), (0.30, 0.40, 0.40)),
            (0.56, (0.20, 0.30, 0.16)),
            (0.68, (0.17, 0.27, 0.07)),
            (0.84, (0.10, 0.17, 0.04)),
        )
    ):
        ridge = (
            level
            + 0.04 * np.sin(np.linspace(0, 5 + k, cols) + rng.uniform(0, 6))
            + 0.006 * noise((4, cols), (2, 60), 3, 50 + k)[0]
        )
        mask = y > ridge[None]
        leaf = noise((rows, cols), (60, 80), 4, 60 + k)
        hill = np.asarray(tone) * (1.0 + 0.28 * leaf[..., None]) * 1.3
        rows_of = 0.5 + 0.5 * np.sin((y - ridge[None]) * 240 / (1 + k) + np.linspace(0, 3, cols)[None])
        hill = hill * (1 - 0.22 * rows_of[..., None])
        picture = np.where(mask[..., None], hill, picture)
    return cv2.GaussianBlur(picture.astype(np.float32), (0, 0), 2.2)[::-1].copy()


def build(clean: bool = False) -> tuple[Scene, dict]:
    s = Scene()
    w, d, h = ROOM
    colour, height = plaster(3)
    lime = surface(bitmap(colour, (0.45, 0.62)), 0.95, 0.12, (bitmap(height, (0.45, 0.62)), 0.010))
    far = (0.05, 1.25, 0.82, 1.98)
    left = (1.5, 2.9, 0.75, 2.1)
    wall_with_hole(s, lime, "far", far)
    wall_with_hole(s, lime, "left", left)
    s.box((w / 2 + 0.2, 1.6, h / 2), (0.4, 7, h), lime, 0.01)
    s.box((0, -1.4, h / 2), (w + 1, 0.3, h), lime, 0.01)
    s.box((0, 1.6, h + 0.06), (w + 1, 7, 0.08), surface((0.70, 0.68, 0.63), 0.95, 0.1), 0.01)
    beam_colour, beam_height = studio.wood(21, (0.115, 0.072, 0.042), (0.045, 0.026, 0.015), 1024, 2400, knots=5)
    for k, y in enumerate((0.9, 2.1, 3.3, 4.35)):
        s.box(
            (0, y, h - 0.06),
            (w + 0.6, 0.17, 0.2),
            surface(
                bitmap(beam_colour, (1 / 2.4, 1 / 0.5)),
                0.75,
                0.25,
                (bitmap(beam_height, (1 / 2.4, 1 / 0.5)), 0.004),
            ),
            0.014,
            uv_shift=(0.7 * k, 0.13 * k),
        )
    boards(s)
    s.box(
        (-(w / 2 + far[0]) / 2 + far[0] * 0, d - 0.011, 0.07),
        (w, 0.022, 0.14),
        surface((0.66, 0.655, 0.63), 0.45, 0.4),
        0.006,
    )
    s.box((w / 2 - 0.011, 2, 0.07), (0.022, 5.4, 0.14), surface((0.66, 0.655, 0.63), 0.45, 0.4), 0.006)
    paint = surface((0.70, 0.70, 0.675), 0.38, 0.5)
    casement(s, paint, *far, d + 0.30)
    s.box(
        ((far[0] + far[1]) / 2, d + 0.19, far[2] + 0.012),
        (far[1] - far[0] + 0.02, 0.44, 0.03),
        surface(bitmap(studio.wood(33, (0.33, 0.20, 0.10), (0.17, 0.09, 0.045))[0], (0.6, 2)), 0.4, 0.4),
        0.006,
    )
    # the view outside, and light through both windows
    view = {"type": "area", "radiance": bitmap(valley())}
    s.add(
        {
            "type": "rectangle",
            "to_world": mi.ScalarTransform4f().look_at([0.65, 9.0, 1.75], [0.65, 0, 1.75], [0, 0, 1])
            @ mi.ScalarTransform4f().scale([2.9, 2.2, 1]),
            "emitter": view,
            "bsdf": {"type": "diffuse", "reflectance": {"type": "rgb", "value": 0.0}},
        }
    )
    s.add(
        {
            "type": "rectangle",
            "to_world": mi.ScalarTransform4f().look_at([-w / 2 - 0.55, 2.2, 1.6], [0, 2.2, 1.2], [0, 0, 1])
            @ mi.ScalarTransform4f().scale([0.95, 0.95, 1]),
            "emitter": {"type": "area", "radiance": {"type": "rgb", "value": [13.0, 14.2, 16.0]}},
        }
    )
    s.add(
        {
            "type": "rectangle",
            "to_world": mi.ScalarTransform4f().look_at([0.4, -1.1, 1.7], [0.2, 3, 1.1], [0, 0, 1])
            @ mi.ScalarTransform4f().scale([1.3, 0.7, 1]),
            "emitter": {"type": "area", "radiance": {"type": "rgb", "value": [1.15, 1.08, 0.95]}},
        }
    )
    furniture(s)
    if not clean:
        faults(s)
    origin, target = [0.55, -0.75, 1.36], [-0.02, 4.0, 1.08]
    roll = np.radians(-1.7)
    up = rotation(0, 0, 0) @ np.array([np.sin(roll), 0, np.cos(roll)])
    camera = {
        "type": "thinlens",
        "fov": 60.0,
        "fov_axis": "x",
        "aperture_radius": 0.0025,
        "focus_distance": 4.2,
        "to_world": mi.ScalarTransform4f().look_at(origin, target, list(up)),
    }
    return s, camera


def boards(s: Scene) -> None:
    rng = np.random.default_rng(6)
    textures = [studio.wood(100 + k, (0.33, 0.205, 0.115), (0.16, 0.092, 0.05), 1024, 2600, knots=3) for k in range(4)]
    materials = []
    for colour, height in textures:
        for tone in (0.88, 1.0, 1.12):
            materials.append(
                surface(
                    bitmap(colour * tone, (1 / 2.7, 1 / 0.30)),
                    bitmap(0.34 + 0.10 * np.clip(height, -1, 1), (1 / 2.7, 1 / 0.30)),
                    0.4,
                    (bitmap(height, (1 / 2.7, 1 / 0.30)), 0.002),
                )
            )
    x, wide = -ROOM[0] / 2 - 0.05, 0.0
    while x < ROOM[0] / 2 + 0.1:
        wide = rng.uniform(0.15, 0.20)
        y = -1.6 - rng.uniform(0, 2)
        while y < ROOM[1] + 0.2:
            long = rng.uniform(2.2, 3.6)
            s.box(
                (x + wide / 2, y + long / 2, -0.015 + rng.normal(0, 0.0006)),
                (wide - 0.003, long - 0.003, 0.03),
                materials[rng.integers(len(materials))],
                0.0022,
                uv_shift=(rng.uniform(0, 2), rng.uniform(0, 0.3)),
                turn=rng.normal(0, 0.01),
            )
            y += long
        x += wide


def furniture(s: Scene) -> None:
    oak_colour, oak_height = studio.wood(51, (0.36, 0.225, 0.12), (0.19, 0.105, 0.052), 1024, 2400, knots=2)

    def oak(shift: float):
        return surface(
            bitmap(oak_colour * (1 + 0.08 * np.sin(shift * 9)), (1 / 1.9, 1 / 0.34)),
            0.42,
            0.4,
            (bitmap(oak_height, (1 / 1.9, 1 / 0.34)), 0.0012),
        )

    # table: five planks, four legs
    cx, cy = -0.62, 2.75
    for k in range(5):
        s.box(
            (cx, cy + (k - 2) * 0.171, 0.745),
            (1.75, 0.169, 0.036),
            oak(k),
            0.004,
            uv_shift=(0.37 * k, 0.11 * k),
        )
    for sx in (-1, 1):
        for sy in (-1, 1):
            s.box((cx + sx * 0.78, cy + sy * 0.34, 0.363), (0.07, 0.07, 0.726), oak(sx + sy), 0.006)
        s.box((cx + sx * 0.78, cy, 0.66), (0.026, 0.62, 0.10), oak(3), 0.004)
    for sy in (-1, 1):
        s.box((cx, cy + sy * 0.34, 0.66), (1.5, 0.026, 0.10), oak(4), 0.004)
    chair(s, (-1.05, 2.05), 172, oak)
    chair(s, (-0.22, 2.02), 188, oak)
    chair(s, (-0.6, 3.48), 3, oak)
    # stoneware on the table
    jug = surface(
        bitmap(mix((0.16, 0.24, 0.27), (0.08, 0.13, 0.15), 0.5 + 0.3 * noise((400, 600), (5, 8), 4, 7)), (2, 3)),
        0.25,
        0.5,
        clearcoat=0.5,
        clearcoat_gloss=0.9,
    )
    s.lathe(
        [
            (0.001, 0),
            (0.055, 0.001),
            (0.075, 0.05),
            (0.080, 0.10),
            (0.062, 0.16),
            (0.045, 0.20),
            (0.050, 0.235),
            (0.046, 0.232),
            (0.04, 0.2),
            (0.03, 0.12),
        ],
        (-0.85, 2.82, 0.764),
        jug,
        wobble=0.004,
    )
    rng = np.random.default_rng(2)
    for k in range(26):  # dry stems in the jug
        a, lean = rng.uniform(0, 360), rng.uniform(6, 24)
        long = rng.uniform(0.30, 0.52)
        r = rotation(x=lean) if k % 2 else rotation(x=-lean)
        r = rotation(z=a) @ r
        s.lathe(
            [
                (0.0017, 0),
                (0.0015, long * 0.5),
                (0.0013, long * 0.85),
                (0.0065, long * 0.91),
                (0.007, long * 0.96),
                (0.001, long),
            ],
            (-0.85, 2.82, 0.90),
            surface((0.40, 0.30, 0.16) if k % 3 else (0.26, 0.20, 0.12), 0.8, 0.2),
            steps=12,
            sharp=True,
            tilt=r,
            wobble=0.05,
            seed=k,
        )
    white = surface((0.78, 0.775, 0.75), 0.22, 0.5, clearcoat=0.4, clearcoat_gloss=0.9)
    s.lathe(
        [
            (0.001, 0.004),
            (0.06, 0.003),
            (0.075, 0.012),
            (0.125, 0.042),
            (0.155, 0.075),
            (0.150, 0.076),
            (0.12, 0.05),
            (0.07, 0.022),
            (0.001, 0.016),
        ],
        (-0.28, 2.72, 0.764),
        white,
        wobble=0.003,
    )
    for k, (x, y, z) in enumerate(
        ((-0.31, 2.70, 0.815), (-0.23, 2.74, 0.815), (-0.28, 2.78, 0.818), (-0.275, 2.715, 0.868))
    ):
        s.lathe(
            [(0.001, 0), (0.025, 0.004), (0.036, 0.026), (0.034, 0.047), (0.022, 0.064), (0.001, 0.069)],
            (x, y, z - 0.02),
            surface(mix_rgb((0.52, 0.17, 0.05), (0.45, 0.32, 0.06), k / 3), 0.4, 0.4),
            wobble=0.03,
            seed=k,
        )
    # a low cupboard on the right, books and a lamp on it
    cup = surface((0.215, 0.265, 0.235), 0.45, 0.4)
    s.box((1.95, 4.33, 0.43), (1.15, 0.46, 0.82), cup, 0.006)
    s.box((1.95, 4.315, 0.855), (1.20, 0.50, 0.032), oak(7), 0.005)
    for x in (1.66, 2.24):
        s.box((x, 4.095, 0.43), (0.54, 0.018, 0.74), cup, 0.005)
        s.box((x, 4.085, 0.43), (0.40, 0.012, 0.60), surface((0.20, 0.25, 0.222), 0.45, 0.4), 0.004)
        s.lathe(
            [(0.001, 0), (0.008, 0.002), (0.013, 0.014), (0.011, 0.022), (0.001, 0.025)],
            (x + (0.22 if x < 1.9 else -0.22), 4.086, 0.47),
            {"type": "roughconductor", "material": "Cu", "alpha": 0.2},
            steps=40,
            tilt=rotation(x=90),
        )
    x = 2.05
    for k in range(9):
        wide, tall = rng.uniform(0.018, 0.045), rng.uniform(0.18, 0.27)
        tone = [
            (0.30, 0.10, 0.07),
            (0.10, 0.15, 0.22),
            (0.42, 0.38, 0.28),
            (0.12, 0.17, 0.11),
            (0.48, 0.42, 0.34),
        ][k % 5]
        s.box(
            (x + wide / 2, 4.34, 0.871 + tall / 2),
            (wide - 0.001, 0.15, tall),
            surface(tone, 0.7, 0.3),
            0.003,
            turn=rng.normal(0, 1.2),
        )
        x += wide + 0.001
    s.lathe(
        [
            (0.001, 0),
            (0.075, 0.001),
            (0.078, 0.012),
            (0.03, 0.03),
            (0.018, 0.06),
            (0.04, 0.12),
            (0.055, 0.17),
            (0.03, 0.23),
            (0.012, 0.26),
            (0.010, 0.34),
        ],
        (1.62, 4.32, 0.871),
        surface((0.62, 0.60, 0.55), 0.3, 0.5),
        wobble=0.003,
    )
    s.lathe(
        [(0.15, 0), (0.148, 0.002), (0.095, 0.20), (0.094, 0.201)],
        (1.62, 4.32, 1.16),
        surface((0.66, 0.60, 0.48), 0.9, 0.1, (bitmap(noise((500, 900), (200, 300), 2, 8), (2, 3)), 0.001)),
        steps=120,
    )
    picture(s)
    rug(s)


def mix_rgb(a, b, t):
    return tuple(np.array(a) * (1 - t) + np.array(b) * t)


def chair(s: Scene, at, turn: float, oak) -> None:
    r = rotation(z=turn)

    def part(x, y, z, size, tip=0.0, k=1.0):
        p = r @ np.array([x, y, 0]) + np.array([at[0], at[1], z])
        s.box(p, size, oak(k), 0.006, turn=turn, tip=tip)

    part(0, 0, 0.445, (0.42, 0.40, 0.03))
    for x in (-0.18, 0.18):
        part(x, -0.17, 0.22, (0.034, 0.034, 0.44))
        part(x, 0.185, 0.45, (0.034, 0.030, 0.92), tip=-4)
        part(x, 0, 0.16, (0.020, 0.34, 0.022), k=2)
    for z in (0.60, 0.72, 0.84):
        part(0, 0.195 + 0.07 * (z - 0.5), z, (0.34, 0.016, 0.06), tip=-5, k=z)
    part(0, 0, 0.20, (0.34, 0.02, 0.022), k=3)


def picture(s: Scene) -> None:
    """A framed print of reeds between the window and the left corner."""
    rows, cols = 900, 700
    paper = np.ones((rows, cols, 3), np.float32) * np.array([0.68, 0.66, 0.60])
    ink = np.zeros((rows, cols), np.uint8)
    rng = np.random.default_rng(12)
    for _ in range(60):
        x0, x1 = rng.uniform(130, 570), 0.0
        x1 = x0 + rng.normal(0, 60)
        cv2.line(
            ink,
            (int(x0), 760),
            (int(x1), int(rng.uniform(180, 480))),
            255,
            int(rng.integers(2, 8)),
            cv2.LINE_AA,
        )
    cv2.circle(ink, (470, 270), 70, 255, -1, cv2.LINE_AA)
    ink[:140], ink[760:], ink[:, :110], ink[:, 590:] = 0, 0, 0, 0
    art = mix(paper, (0.07, 0.10, 0.13), cv2.GaussianBlur(ink, (0, 0), 1).astype(np.float32) / 255)
    x, z = -0.95, 1.52
    y = ROOM[1] - 0.012
    s.add(
        {
            "type": "rectangle",
            "to_world": mi.ScalarTransform4f().look_at([x, y - 0.004, z], [x, 0, z], [0, 0, 1])
            @ mi.ScalarTransform4f().scale([0.28, 0.36, 1]),
            "bsdf": surface(bitmap(art[::-1].copy()), 0.35, 0.4),
        }
    )
    frame = surface((0.055, 0.04, 0.03), 0.4, 0.4)
    for dx, dz, size in (
        (0, 0.37, (0.61, 0.03, 0.035)),
        (0, -0.37, (0.61, 0.03, 0.035)),
        (-0.2875, 0, (0.035, 0.03, 0.775)),
        (0.2875, 0, (0.035, 0.03, 0.775)),
    ):
        s.box((x + dx, y - 0.008, z + dz), size, frame, 0.005)


def rug(s: Scene) -> None:
    rows, cols = 1800, 1200
    y, x = np.mgrid[0:rows, 0:cols].astype(np.float32)
    rib = 0.5 + 0.5 * np.sin(x * 2 * np.pi / 8)
    tuft = noise((rows, cols), (600, 400), 2, 19)
    band = (np.abs(((y / rows) % 0.25) - 0.125) < 0.022) | (np.abs(y / rows - 0.5) > 0.46)
    colour = mix((0.34, 0.315, 0.265), (0.13, 0.165, 0.185), band.astype(np.float32) * 0.9)
    colour *= (0.85 + 0.12 * rib + 0.07 * tuft)[..., None]
    rows2, cols2 = 120, 90
    v, u = np.mgrid[0:rows2, 0:cols2].astype(float)
    wave = 0.004 * cv2.resize(noise((60, 60), (4, 3), 2, 5), (cols2, rows2))
    s.grid(
        np.stack([u / cols2 * 1.5, v / rows2 * 2.1, 0.009 + np.clip(wave, -0.004, 0.01)], -1),
        np.stack([u / cols2, v / rows2], -1),
        (0.55, 0.85, 0.001),
        surface(bitmap(np.clip(colour, 0, 1)), 0.95, 0.1, (bitmap(rib + 0.4 * tuft), 0.004), sheen=0.3),
        rotation(z=2),
    )


def faults(s: Scene) -> None:
    """A cable down the wall to a socket."""
    cable = surface((0.035, 0.035, 0.038), 0.4, 0.4)
    t = np.linspace(0, 1, 120)
    cx = -0.33 + 0.05 * np.sin(t * 5.2) * t + 0.012 * np.sin(t * 17)
    cz = 1.62 - 1.30 * t
    cy = np.full_like(t, ROOM[1] - 0.006) - 0.01 * np.sin(t * np.pi)
    path = np.stack([cx, cy, cz], 1)
    ring = np.linspace(0, 2 * np.pi, 11)
    tube = path[:, None] + 0.0042 * np.stack([np.cos(ring), np.sin(ring), 0 * ring], -1)[None]
    s.grid(tube, np.stack(np.broadcast_arrays(t[:, None], ring[None]), -1), (0, 0, 0), cable)
    s.box((-0.385, ROOM[1] - 0.005, 0.30), (0.15, 0.012, 0.088), surface((0.60, 0.595, 0.57), 0.3, 0.5), 0.004)
    s.box((-0.33, ROOM[1] - 0.014, 1.63), (0.05, 0.02, 0.08), surface((0.58, 0.57, 0.54), 0.35, 0.5), 0.006)


def stains(linear: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Two stains on the plaster, and their mask."""
    rows, cols = linear.shape[:2]
    stain = np.zeros((rows, cols), np.float32)
    for x, y, r in ((0.245, 0.335, 0.009), (0.66, 0.40, 0.006)):
        yy, xx = np.mgrid[0:rows, 0:cols].astype(np.float32)
        edge = 1 + 0.25 * cv2.resize(noise((200, 300), (30, 45), 3, int(x * 100)), (cols, rows))
        stain += np.clip(1.4 - np.hypot(xx - x * cols, yy - y * rows) / (r * cols * edge), 0, 1)
    stain = np.clip(stain, 0, 1)
    return linear * (1 - stain[..., None] * np.array([0.30, 0.42, 0.52])), stain


if __name__ == "__main__":
    studio.make(
        studio.Shot(
            build=build,
            depth=6,
            clean_boxes=((1640, 860, 2240, 1960),),
            exposure=1.75,
            gains=(1.13, 1.0, 0.80),
            falloff=0.3,
            grain=0.038,
            camera=("Orrery M3", "Lumen 24 f/4", "1/25", 8.0, 400, "2026:10:01 15:20:45", 24),
            truth={"kind": "property", "straighten": -1.7, "faults": ["cable", "stains", "tilt", "warm cast"]},
            spoil=stains,
        )
    )
