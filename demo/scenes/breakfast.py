"""Quinces, a bowl and a beaker of milk on linen by a window. Food, 12.4 MP."""

from __future__ import annotations

import cv2
import numpy as np
import studio
from studio import Scene, bitmap, mix, noise, rotation, surface


def quince(scene: Scene, centre, seed: int, size: float, turn) -> None:
    rng = np.random.default_rng(seed)
    profile = [
        (0.001, 0.004),
        (0.012, 0.001),
        (0.026, 0.008),
        (0.036, 0.024),
        (0.038, 0.040),
        (0.033, 0.056),
        (0.024, 0.068),
        (0.013, 0.076),
        (0.006, 0.0745),
        (0.001, 0.070),
    ]
    profile = [(r * size, z * size) for r, z in profile]
    rows, cols = 1400, 1800
    blotch, fine = noise((rows, cols), (5, 6), 5, seed), noise((rows, cols), (160, 200), 3, seed + 1)
    v = np.linspace(0, 1, rows)[:, None]
    ripe = 0.35 + 0.22 * blotch + 0.5 * np.exp(-(((v - 0.1) / 0.16) ** 2)) + 0.35 * np.exp(-(((v - 0.97) / 0.1) ** 2))
    colour = mix((0.72, 0.50, 0.055), (0.42, 0.40, 0.05), ripe)
    freckle = noise((rows, cols), (120, 150), 1, seed + 2)
    colour = mix(colour, (0.30, 0.15, 0.03), 0.55 * np.clip((freckle - 2.25) * 2.2, 0, 1))
    scuff = np.clip(noise((rows, cols), (9, 14), 4, seed + 3) - 1.75, 0, 1)
    colour = mix(colour, (0.25, 0.12, 0.03), 0.75 * scuff)
    down = np.clip(0.35 + 0.5 * noise((rows, cols), (7, 7), 3, seed + 4), 0, 1) * (
        0.5 + 0.5 * np.clip(noise((rows, cols), (700, 60), 1, seed + 5), -1, 1)
    )
    colour = mix(colour, (0.62, 0.56, 0.42), 0.22 * down)
    height = 0.4 * fine + 0.5 * blotch
    bsdf = surface(
        bitmap(colour, (1 / (2 * np.pi * 0.038 * size), 1 / (0.125 * size))),
        0.46,
        0.35,
        (bitmap(height, (1 / (2 * np.pi * 0.038 * size), 1 / (0.125 * size))), 0.00007),
        sheen=0.5,
    )
    scene.lathe(profile, centre, bsdf, wobble=0.035, seed=seed, tilt=rotation(*turn))
    stem_at = np.asarray(centre, float) + rotation(*turn) @ np.array([0, 0, 0.070 * size])
    stem = [(0.0028, 0), (0.0022, 0.006), (0.0020, 0.013), (0.0029, 0.018), (0.001, 0.0185)]
    scene.lathe(
        [(r * size, z * size) for r, z in stem],
        stem_at,
        surface((0.10, 0.055, 0.025), 0.8, 0.2),
        wobble=0.12,
        seed=seed,
        tilt=rotation(turn[0] + rng.uniform(-15, 15), turn[1], 0),
        steps=40,
    )


def cloth(scene: Scene) -> None:
    rows, cols = 420, 560
    y, x = np.mgrid[0:rows, 0:cols].astype(float)
    x, y = (x / cols - 0.5) * 1.5, (y / rows - 0.5) * 1.2
    n = noise((rows, cols), (2.2, 2.6), 3, 77)
    folds = (
        0.010 * np.exp(-(((x * 0.5 + y - 0.28) / 0.03) ** 2))
        + 0.012 * np.exp(-(((x * 0.9 - y + 0.36) / 0.025) ** 2)) * (x < 0.1)
        + 0.006 * np.exp(-(((x + 0.35 * y + 0.30) / 0.018) ** 2))
    )
    crease = 0.0022 * np.exp(-(((x - 0.21) / 0.006) ** 2)) + 0.0016 * np.exp(-(((y + 0.16) / 0.005) ** 2))
    z = 0.0035 * n + folds + crease
    near = np.exp(-(((x - 0.0) ** 2 + (y + 0.05) ** 2) / 0.10))
    z = z * (1 - 0.75 * near) - 0.001
    weave_rows = 2200
    wy, wx = np.mgrid[0:weave_rows, 0:weave_rows].astype(np.float32)
    slub_x = cv2.resize(
        np.random.default_rng(1).standard_normal((550, 24)).astype(np.float32),
        (weave_rows, weave_rows),
        interpolation=cv2.INTER_LINEAR,
    )
    slub_y = cv2.resize(
        np.random.default_rng(2).standard_normal((24, 550)).astype(np.float32),
        (weave_rows, weave_rows),
        interpolation=cv2.INTER_LINEAR,
    )
    px = weave_rows / 275
    warp, weft = np.sin(2 * np.pi * wx / px + 0.3 * slub_y), np.sin(2 * np.pi * wy / px + 0.3 * slub_x)
    over = (np.sin(np.pi * wx / px) * np.sin(np.pi * wy / px)) > 0
    height = np.where(over, np.abs(warp), np.abs(weft)) + 0.25 * (slub_x + slub_y)
    colour = mix((0.50, 0.485, 0.455), (0.66, 0.645, 0.61), 0.5 + 0.25 * height + 0.1 * (slub_x + slub_y))
    # a thread pair of blue-grey stripes along the hem
    for at in (0.62, 0.66):
        stripe = np.exp(-(((np.arange(weave_rows) / weave_rows - at) / 0.008) ** 4))[None, :, None]
        colour = colour * (1 - 0.65 * stripe * np.array([0.72, 0.55, 0.35]))
    scene.grid(
        np.stack([x, y, z], -1),
        np.stack([x + 0.75, y + 0.6], -1),
        (0, 0, 0),
        surface(
            bitmap(colour, (1 / 0.45, 1 / 0.45)),
            0.95,
            0.1,
            (bitmap(height, (1 / 0.45, 1 / 0.45)), 0.0006),
            sheen=0.4,
        ),
    )


def build(clean: bool = False) -> tuple[Scene, dict]:
    s = Scene()
    cloth(s)
    table_colour, table_height = studio.wood(5, (0.20, 0.12, 0.065), (0.07, 0.038, 0.02), 1024, 2400)
    s.box(
        (0, 0.3, -0.045),
        (2.6, 2.0, 0.06),
        surface(
            bitmap(table_colour, (1 / 1.2, 1 / 0.4)),
            0.5,
            0.4,
            (bitmap(table_height, (1 / 1.2, 1 / 0.4)), 0.0015),
        ),
    )
    # stoneware bowl, speckled glaze
    rows, cols = 1200, 2400
    glaze = mix((0.70, 0.69, 0.66), (0.60, 0.585, 0.55), 0.4 + 0.25 * noise((rows, cols), (4, 6), 4, 31))
    dots = noise((rows, cols), (260, 520), 1, 32)
    glaze = mix(glaze, (0.10, 0.07, 0.045), np.clip((dots - 2.7) * 1.6, 0, 0.85))
    bowl = [
        (0.001, 0.004),
        (0.045, 0.003),
        (0.052, 0.006),
        (0.080, 0.030),
        (0.112, 0.062),
        (0.128, 0.090),
        (0.1315, 0.0945),
        (0.1275, 0.093),
        (0.110, 0.066),
        (0.078, 0.036),
        (0.045, 0.014),
        (0.001, 0.011),
    ]
    s.lathe(
        bowl,
        (-0.02, 0.08, 0.004),
        surface(
            bitmap(glaze, (1 / 0.83, 1 / 0.42)),
            0.24,
            0.5,
            (bitmap(noise((rows, cols), (8, 12), 4, 33), (1 / 0.83, 1 / 0.42)), 0.0008),
            clearcoat=0.35,
            clearcoat_gloss=0.85,
        ),
        wobble=0.004,
        seed=9,
        steps=260,
    )
    quince(s, (-0.048, 0.052, 0.056), 11, 1.05, (20, -25, 0))
    quince(s, (0.040, 0.048, 0.054), 12, 1.0, (-35, 30, 60))
    quince(s, (-0.012, 0.128, 0.056), 13, 1.08, (-20, 5, 160))
    quince(s, (-0.004, 0.066, 0.108), 14, 0.96, (48, 20, 100))
    quince(s, (0.235, -0.045, 0.006), 15, 1.0, (6, 4, 10))
    quince(s, (0.185, -0.155, 0.034), 16, 0.9, (88, 10, 55))
    # beaker of milk, white
    milk_white = surface((0.80, 0.79, 0.765), 0.2, 0.5, clearcoat=0.5, clearcoat_gloss=0.9)
    beaker = [
        (0.001, 0.004),
        (0.018, 0.0035),
        (0.030, 0.004),
        (0.0335, 0.010),
        (0.0345, 0.03),
        (0.0360, 0.06),
        (0.0378, 0.09),
        (0.0386, 0.101),
        (0.0380, 0.1035),
        (0.0368, 0.1015),
        (0.0355, 0.088),
        (0.0335, 0.05),
        (0.031, 0.02),
        (0.015, 0.012),
        (0.001, 0.011),
    ]
    s.lathe(beaker, (-0.235, 0.06, 0.002), milk_white, wobble=0.004, seed=21)
    s.lathe(
        [(0.001, 0.0), (0.02, 0.0), (0.034, 0.0004), (0.0366, 0.0016)],
        (-0.235, 0.06, 0.087),
        surface((0.84, 0.815, 0.75), 0.12, 0.5),
        wobble=0.0,
    )
    # wooden board with a knife and cut seed bread slices
    board_colour, board_height = studio.wood(8, (0.46, 0.29, 0.15), (0.24, 0.13, 0.06), 1024, 1800, knots=1)
    s.box(
        (-0.215, -0.135, 0.014),
        (0.30, 0.17, 0.02),
        surface(
            bitmap(board_colour, (1 / 0.5, 1 / 0.22)),
            0.55,
            0.3,
            (bitmap(board_height, (1 / 0.5, 1 / 0.22)), 0.0012),
        ),
        0.006,
        turn=-14,
    )
    bread(s, (-0.245, -0.135, 0.0325), 5, -14)
    bread(s, (-0.175, -0.150, 0.0345), 6, 20)
    steel = {"type": "roughconductor", "material": "Cr", "alpha": 0.12}
    s.box((-0.03, -0.185, 0.008), (0.13, 0.020, 0.0016), steel, 0.0007, turn=12)
    s.box(
        (0.085, -0.161, 0.010),
        (0.105, 0.017, 0.012),
        surface(bitmap(studio.wood(18, (0.16, 0.08, 0.04), (0.05, 0.025, 0.012), 512, 1024)[0], (5, 25)), 0.4, 0.4),
        0.005,
        turn=12,
    )
    if not clean:
        crumbs(s)
    leaf(s)
    # window on the left, warm wall behind, dim bounce at the right
    s.add(
        {
            "type": "rectangle",
            "to_world": mi_look((-1.7, 0.55, 1.0), (0, 0.02, 0.05), 0.62, 0.85),
            "emitter": {"type": "area", "radiance": {"type": "rgb", "value": [9.4, 10.4, 12.0]}},
        }
    )
    s.add(
        {
            "type": "rectangle",
            "to_world": mi_look((1.6, -1.0, 1.3), (0, 0, 0), 0.8, 0.8),
            "emitter": {"type": "area", "radiance": {"type": "rgb", "value": [0.55, 0.5, 0.44]}},
        }
    )
    wall = mix((0.27, 0.255, 0.235), (0.20, 0.19, 0.175), 0.5 + 0.25 * noise((800, 1600), (5, 9), 5, 41))
    s.box((0, 1.5, 0.7), (5, 0.05, 2.4), surface(bitmap(wall, (0.3, 0.5)), 0.95, 0.1))
    s.box((0.62, 1.15, 0.12), (0.22, 0.22, 0.38), surface((0.10, 0.13, 0.11), 0.35, 0.5), 0.02)
    s.add({"type": "constant", "radiance": {"type": "rgb", "value": [0.10, 0.105, 0.115]}})
    import mitsuba as mi

    origin, target = [0.07, -0.78, 0.44], [-0.015, -0.01, 0.045]
    # a slight roll of the camera: 1.4 degrees
    roll = np.radians(1.4)
    camera = {
        "type": "thinlens",
        "fov": 41.0,
        "fov_axis": "x",
        "aperture_radius": 0.0062,
        "focus_distance": 0.83,
        "to_world": mi.ScalarTransform4f().look_at(origin, target, [np.sin(roll), 0, np.cos(roll)]),
    }
    return s, camera


def mi_look(origin, target, w, h):
    import mitsuba as mi

    return mi.ScalarTransform4f().look_at(origin, target, [0, 0, 1]) @ mi.ScalarTransform4f().scale([w, h, 1])


def bread(s: Scene, centre, seed: int, turn: float) -> None:
    """A thick slice lying flat: open crumb with holes, dark crust."""
    rows, cols = 1024, 1024
    holes = noise((rows, cols), (64, 64), 3, seed)
    big = noise((rows, cols), (24, 24), 3, seed + 1)
    depth = np.clip(holes - 0.7, 0, 1) * 0.7 + np.clip(big - 1.1, 0, 1) * 1.3
    crumb = mix((0.60, 0.44, 0.25), (0.25, 0.14, 0.06), np.clip(depth * 1.4, 0, 1))
    seeds = noise((rows, cols), (90, 60), 1, seed + 2)
    crumb = mix(crumb, (0.09, 0.055, 0.03), np.clip((seeds - 2.3) * 3, 0, 0.9))
    n = 90
    rng = np.random.default_rng(seed)
    angle = np.linspace(0, 2 * np.pi, n + 1)
    base = (
        0.046
        * (1 + 0.16 * np.cos(2 * angle))
        * (1 + 0.03 * np.cos(3 * angle + rng.uniform(0, 6)) + 0.015 * np.cos(7 * angle))
    )
    t = np.linspace(0, 1, 40) ** 0.8
    height = cv2.resize(noise((200, 200), (14, 14), 3, seed + 4), (n + 1, 40))
    r = base[None] * t[:, None]
    top = np.stack([r * np.cos(angle), r * np.sin(angle), 0.0006 * height * (t[:, None] < 0.97)], -1)
    uv = top[..., :2] + 0.06
    a = rotation(z=turn)
    s.grid(
        top,
        uv,
        centre,
        surface(bitmap(crumb, (1 / 0.12, 1 / 0.12)), 0.9, 0.15, (bitmap(-depth, (1 / 0.12, 1 / 0.12)), 0.0012)),
        a,
    )
    z = np.linspace(0, -0.0125, 14)
    bulge = 0.0018 * np.sin(np.linspace(0, np.pi, 14))
    side_r = base[None] + bulge[:, None] + 0.0007 * cv2.resize(noise((100, 300), (9, 60), 2, seed + 6), (n + 1, 14))
    side = np.stack([side_r * np.cos(angle), side_r * np.sin(angle), np.broadcast_to(z[:, None], side_r.shape)], -1)
    crust = mix((0.22, 0.10, 0.035), (0.10, 0.045, 0.018), 0.5 + 0.3 * noise((400, 800), (20, 40), 4, seed + 7))
    s.grid(
        side,
        np.stack(np.broadcast_arrays(angle[None] * 0.05, z[:, None]), -1),
        centre,
        surface(bitmap(crust, (3, 20)), 0.7, 0.3),
        a,
    )


def crumbs(s: Scene) -> None:
    """The distraction: crumbs scattered on the cloth."""
    rng = np.random.default_rng(44)
    for i in range(46):
        x, y = rng.normal(0.02, 0.10), rng.normal(-0.19, 0.045)
        r = abs(rng.normal(0.0012, 0.0008)) + 0.0006
        s.lathe(
            [(0.0002, -r * 0.7), (r * 0.8, -r * 0.5), (r, 0.05 * r), (r * 0.6, r * 0.6), (0.0002, r * 0.75)],
            (x, y, 0.0015 + r * 0.5),
            surface((0.34, 0.19, 0.08) if i % 3 else (0.12, 0.055, 0.02), 0.8, 0.2),
            steps=18,
            wobble=0.28,
            seed=i,
            tilt=rotation(*rng.uniform(0, 360, 3)),
        )


def leaf(s: Scene) -> None:
    rows, cols = 60, 120
    u = np.linspace(-1, 1, rows)[:, None]
    t = np.linspace(0, 1, cols)[None]
    half = 0.020 * np.sin(np.pi * t**0.8) ** 0.8 + 0.0002
    x = 0.075 * t + 0 * u
    y = half * u
    z = (
        0.007 * np.abs(u) ** 1.5 * np.sin(np.pi * t)
        + 0.010 * np.sin(np.pi * t * 1.1)
        + 0.0007 * np.sin(t * 60 + np.abs(u) * 6)
    )
    h, w = 512, 1024
    vy, vx = np.mgrid[0:h, 0:w].astype(np.float32)
    vy, vx = vy / h * 2 - 1, vx / w
    vein = np.exp(-((vy / 0.03) ** 2)) + 0.6 * np.exp(-(((np.sin((vx * 9 - np.abs(vy) * 1.4) * np.pi)) / 0.10) ** 2))
    colour = mix((0.050, 0.095, 0.022), (0.16, 0.22, 0.07), 0.6 * vein + 0.12 * noise((h, w), (8, 16), 4, 3))
    for place, turn in (((0.135, -0.105, 0.006), 205), ((0.285, -0.10, 0.004), -30)):
        s.grid(
            np.stack([x, y, z], -1),
            np.stack([t + 0 * u, (u + 1) / 2 + 0 * t], -1),
            place,
            surface(bitmap(colour), 0.42, 0.4, (bitmap(-vein), 0.0005)),
            rotation(z=turn),
        )


if __name__ == "__main__":
    studio.make(
        studio.Shot(
            build=build,
            depth=5,
            clean_boxes=((1300, 1740, 3960, 2880),),
            exposure=1.75,
            gains=(1.06, 1.0, 0.80),
            falloff=0.25,
            grain=0.03,
            camera=("Orrery M3", "Lumen 60 f/2.8", "1/60", 5.6, 200, "2026:10:02 08:41:12", 60),
            truth={"kind": "food", "straighten": -1.4, "faults": ["crumbs with shadows", "tilt", "warm cast"]},
        )
    )
