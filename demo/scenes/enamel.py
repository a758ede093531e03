"""Enamel ware on a paper sweep: a jug, two mugs, a ladle. Product, 12.4 MP.

A price tag hangs on the jug by a thread, dust lies on the sweep, the paper is a little blue and not quite white.
"""

from __future__ import annotations

import cv2
import mitsuba as mi
import numpy as np
import studio
from studio import Scene, bitmap, mix, noise, rotation, surface


def enamel(
    seed: int, rim: tuple[float, float, float] = (0.035, 0.06, 0.13), body=(0.78, 0.775, 0.75), lip: float = 0.5
):
    """White enamel with a dark rim, chips and faint specks. V runs from foot to lip and down inside."""
    rows, cols = 1500, 2400
    v = np.linspace(0, 1, rows)[:, None] * np.ones((1, cols))
    colour = mix(body, np.array(body) * 0.93, 0.45 + 0.2 * noise((rows, cols), (3, 5), 4, seed))
    dots = noise((rows, cols), (300, 480), 1, seed + 1)
    colour = mix(colour, (0.10, 0.11, 0.13), np.clip((dots - 3.05) * 2, 0, 0.7))
    wander = 0.0011 * noise((4, cols), (2, 30), 3, seed + 2)[0][None]
    band = np.exp(-(((v - lip - wander) / 0.013) ** 4))
    colour = mix(colour, rim, band)
    chips = np.clip(noise((rows, cols), (46, 80), 3, seed + 3) - 2.5, 0, 1) * 3 * (np.abs(v - lip) < 0.09)
    colour = mix(colour, (0.045, 0.04, 0.04), np.clip(chips, 0, 0.95))
    height = 0.5 * noise((rows, cols), (10, 16), 4, seed + 4) - 1.2 * np.clip(chips, 0, 1)
    return colour, height


def vessel(s: Scene, profile, centre, seed: int, turn: float, rim=(0.035, 0.06, 0.13), wobble: float = 0.0035) -> None:
    """Outside from foot to lip, then down the inside; the lip lies halfway along V."""
    points = np.asarray(profile, float)
    run = np.r_[0, np.cumsum(np.hypot(*np.diff(points, axis=0).T))]
    length = run[-1]
    colour, height = enamel(seed, rim, lip=float(run[points[:, 1].argmax()] / length))
    around = 2 * np.pi * points[:, 0].max()
    scale = (1 / around, 1 / length)
    glaze = surface(
        bitmap(colour, scale), 0.16, 0.5, (bitmap(height, scale), 0.00035), clearcoat=0.7, clearcoat_gloss=0.93
    )
    s.lathe(profile, centre, glaze, steps=300, wobble=wobble, seed=seed, tilt=rotation(z=turn))


def handle(s: Scene, at, top, bottom, reach: float, thickness: float, turn: float, colour=(0.035, 0.06, 0.13)) -> None:
    t = np.linspace(0, 1, 90)
    out = reach * np.sin(np.pi * t) ** 0.9
    z = top + (bottom - top) * t
    base = np.array([at[0], at[1], 0])
    radius_at = at[2] + (at[3] - at[2]) * t
    local = np.stack([radius_at + out, 0 * t, z], 1) @ rotation(z=turn).T
    s.tube(
        local + base,
        thickness * (1 + 0.15 * np.cos(2 * np.pi * t)),
        surface(colour, 0.16, 0.5, clearcoat=0.7, clearcoat_gloss=0.93),
    )


def build(clean: bool = False) -> tuple[Scene, dict]:
    s = Scene()
    sweep(s)
    with s.of_subject():
        wares(s)
    if not clean:
        tag(s)
    s.lamp((-0.85, -0.35, 0.75), (0, 0, 0.08), (0.42, 0.5), (8.2, 8.5, 8.9))
    s.lamp((0.95, -0.15, 0.6), (0, 0, 0.08), (0.35, 0.45), (3.4, 3.5, 3.7))
    s.lamp((0.0, 0.25, 1.25), (0, 0.1, 0), (0.6, 0.5), (5.6, 5.8, 6.1))
    s.add({"type": "constant", "radiance": {"type": "rgb", "value": [0.16, 0.165, 0.175]}})
    roll = np.radians(-0.8)
    origin, target = [0.03, -0.95, 0.40], [-0.025, 0.0, 0.095]
    up = [np.sin(roll), 0, np.cos(roll)]
    camera = {
        "type": "thinlens",
        "fov": 34.0,
        "fov_axis": "x",
        "aperture_radius": 0.0035,
        "focus_distance": 0.97,
        "to_world": mi.ScalarTransform4f().look_at(origin, target, up),
    }
    return s, camera


def wares(s: Scene) -> None:
    jug = [
        (0.001, 0.003), (0.055, 0.002), (0.0635, 0.006), (0.068, 0.03), (0.0725, 0.075), (0.0715, 0.115), (0.062, 0.155),
        (0.0505, 0.187), (0.0475, 0.21), (0.0520, 0.236), (0.0575, 0.249), (0.0595, 0.2515), (0.0570, 0.2505),
        (0.0505, 0.236), (0.0458, 0.21), (0.0485, 0.187), (0.060, 0.155), (0.0695, 0.115), (0.0705, 0.075), (0.066, 0.03),
        (0.03, 0.012), (0.001, 0.011),
    ]  # fmt: skip
    vessel(s, jug, (-0.055, 0.05, 0), 3, 25)
    handle(s, (-0.055, 0.05, 0.0495, 0.070), 0.232, 0.105, 0.058, 0.0058, -28)
    mug = [
        (0.001, 0.003), (0.030, 0.002), (0.0375, 0.006), (0.0392, 0.03), (0.0402, 0.07), (0.0408, 0.078), (0.0420, 0.0805),
        (0.0402, 0.0795), (0.0390, 0.07), (0.0378, 0.03), (0.025, 0.010), (0.001, 0.009),
    ]  # fmt: skip
    vessel(s, mug, (0.115, -0.03, 0), 21, 80)
    handle(s, (0.115, -0.03, 0.0395, 0.0395), 0.066, 0.018, 0.026, 0.0042, 20)
    bowl = [
        (0.001, 0.003), (0.040, 0.002), (0.048, 0.007), (0.072, 0.028), (0.088, 0.048), (0.0935, 0.0555), (0.0955, 0.0567),
        (0.0930, 0.0555), (0.0865, 0.048), (0.070, 0.030), (0.045, 0.011), (0.001, 0.008),
    ]  # fmt: skip
    vessel(s, bowl, (-0.185, -0.085, 0), 31, 0, rim=(0.20, 0.035, 0.028))
    ladle(s)


def sweep(s: Scene) -> None:
    """Paper from a roll: flat, then curving up behind; a soft sag and paper tooth."""
    across = np.linspace(-1.4, 1.4, 160)
    t = np.linspace(0, 1, 260)
    flat, radius = 0.55, 0.45
    length = 0.9 + flat + radius * np.pi / 2 + 1.2
    d = t * length - 0.9
    y = np.where(
        d < flat, d, np.where(d < flat + radius * np.pi / 2, flat + radius * np.sin((d - flat) / radius), flat + radius)
    )
    z = np.where(
        d < flat,
        0,
        np.where(
            d < flat + radius * np.pi / 2,
            radius * (1 - np.cos((d - flat) / radius)),
            radius + d - flat - radius * np.pi / 2,
        ),
    )
    sag = 0.004 * cv2.resize(noise((30, 30), (2, 3), 2, 9), (160, 260)) * (d > 0.35)[:, None]
    points = np.stack(np.broadcast_arrays(across[None], y[:, None] + sag, z[:, None]), -1)
    uv = np.stack(np.broadcast_arrays(across[None], d[:, None]), -1)
    tooth = noise((1800, 1800), (700, 700), 2, 4)
    colour = mix(
        (0.66, 0.675, 0.695), (0.635, 0.65, 0.67), 0.5 + 0.16 * tooth + 0.1 * noise((1800, 1800), (5, 5), 3, 5)
    )
    s.grid(
        points,
        uv,
        (0, 0, 0),
        surface(bitmap(colour, (1 / 0.5, 1 / 0.5)), 0.95, 0.08, (bitmap(tooth, (1 / 0.5, 1 / 0.5)), 0.00022)),
    )


def ladle(s: Scene) -> None:
    cup = [
        (0.001, 0.0), (0.016, 0.002), (0.027, 0.012), (0.0315, 0.027), (0.0325, 0.0295), (0.0312, 0.0285), (0.0255, 0.014),
        (0.015, 0.0045), (0.001, 0.003),
    ]  # fmt: skip
    vessel(s, cup, (0.195, -0.125, 0.0), 41, 0)
    t = np.linspace(0, 1, 120)
    rise = 0.0215 * np.exp(-((t / 0.30) ** 2.2))
    path = np.stack([0.165 - 0.255 * t, -0.135 - 0.075 * t, 0.0055 + rise], 1)
    s.tube(path, 0.0042 * (1 - 0.25 * t), surface((0.035, 0.06, 0.13), 0.16, 0.5, clearcoat=0.7, clearcoat_gloss=0.93))


def tag(s: Scene) -> None:
    """The distraction: a card on a thread over the jug's handle."""
    paper = np.ones((500, 320, 3), np.float32) * np.array([0.60, 0.50, 0.33])
    paper *= (1 + 0.05 * noise((500, 320), (90, 60), 3, 2))[..., None]
    text = np.zeros((500, 320), np.uint8)
    cv2.putText(text, "No 14", (52, 230), cv2.FONT_HERSHEY_SCRIPT_SIMPLEX, 2.1, 255, 5, cv2.LINE_AA)
    cv2.putText(text, "38,-", (80, 360), cv2.FONT_HERSHEY_SCRIPT_SIMPLEX, 2.1, 255, 5, cv2.LINE_AA)
    cv2.circle(text, (160, 52), 22, 160, -1, cv2.LINE_AA)
    card = mix(paper, (0.06, 0.05, 0.05), text.astype(np.float32) / 255 * 0.85)
    anchor = np.array([0.048, 0.0, 0.158])
    u, v = np.meshgrid(np.linspace(-0.016, 0.016, 20), np.linspace(0, -0.052, 30))
    bend = 0.0035 * np.sin(np.linspace(0, 2.2, 30))[:, None] + 0.4 * u**2 / 0.016
    local = np.stack([u, bend - 0.002, v], -1) @ (rotation(y=-9) @ rotation(z=14)).T
    low = anchor + np.array([0.010, -0.022, -0.052])
    uv = np.stack([(u + 0.016) / 0.032, 1 + v / 0.052], -1)
    s.grid(local + low, uv, (0, 0, 0), surface(bitmap(card[::-1].copy()), 0.9, 0.15))
    t = np.linspace(0, 1, 60)[:, None]
    thread = surface((0.45, 0.40, 0.30), 0.9, 0.1)
    for shift in (-0.004, 0.005):
        sag = np.stack(
            [0.004 * np.sin(np.pi * t[:, 0]) * np.sign(shift), -0.004 * np.sin(np.pi * t[:, 0]), 0 * t[:, 0]], 1
        )
        start = anchor + np.array([shift, 0, 0])
        s.tube(
            start + t * (low + np.array([0, -0.001, -0.006]) - start) + sag,
            0.00055,
            thread,
            8,
        )


DUST = [(512, 2391, 6, 0.30), (1204, 2650, 4, 0.42), (3811, 2302, 7, 0.24), (3560, 640, 5, 0.30), (640, 884, 6, 0.22), (2960, 2712, 5, 0.4), (2210, 2768, 4, 0.35), (3987, 1503, 5, 0.28), (288, 1622, 4, 0.34), (1810, 512, 5, 0.25)]  # fmt: skip


if __name__ == "__main__":
    studio.make(
        studio.Shot(
            build=build,
            depth=6,
            clean_boxes=((2050, 620, 2960, 1960),),
            exposure=0.52,
            gains=(0.95, 1.0, 1.07),
            falloff=0.22,
            grain=0.016,
            camera=("Orrery M3", "Lumen 90 f/2.8", "1/125", 11.0, 100, "2026:10:05 14:02:11", 90),
            truth={
                "kind": "product",
                "straighten": -0.8,
                "specks": [list(p) for p in DUST],
                "faults": ["price tag on a thread", "specks", "cool cast", "grey sweep"],
            },
            spoil=studio.dusted(DUST),
        )
    )
