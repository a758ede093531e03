"""A tortoise on a brick path with grass in its joints. Animal, 12.4 MP.

A plant label stands beside it and throws its shadow; the frame hangs by 1.2 degrees; warm cast.
"""

from __future__ import annotations

import masonry
import mitsuba as mi
import numpy as np
import studio
from scipy.spatial import cKDTree
from studio import Scene, bitmap, mix, noise, rotation, surface


def scales(
    size: tuple[int, int], cells: tuple[int, int], seed: int, jitter: float = 0.36
) -> tuple[np.ndarray, np.ndarray]:
    """Cells like reptile skin: distance to the edge in cells, and a number 0-1 for each cell."""
    rng = np.random.default_rng(seed)
    rows, cols = size
    gy, gx = np.mgrid[-1 : cells[0] + 1, -1 : cells[1] + 1].astype(float)
    gx = gx + 0.5 * (gy % 2)
    points = np.stack([gy.ravel(), gx.ravel()], 1) + rng.uniform(-jitter, jitter, (gy.size, 2)) + 0.5
    y, x = np.mgrid[0:rows, 0:cols].astype(float)
    near, which = cKDTree(points).query(np.stack([y.ravel() / rows * cells[0], x.ravel() / cols * cells[1]], 1), k=2)
    shade = rng.uniform(0, 1, len(points))[which[:, 0]]
    return (0.5 * (near[:, 1] - near[:, 0])).reshape(size).astype(np.float32), shade.reshape(size).astype(np.float32)


LONG, WIDE, TALL = 0.105, 0.078, 0.078
"""Half-lengths of the shell, and its height, metres; the head looks to -x."""


STEEP = np.radians(74)
"""How far the dome bends down to its rim."""


def dome(t: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Distance from the ridge's middle and height, both as shares, at share `t` of the way over the dome to the rim."""
    return np.sin(STEEP * t) / np.sin(STEEP), (np.cos(STEEP * t) - np.cos(STEEP)) / (1 - np.cos(STEEP))


def shell(s: Scene) -> None:
    """Five plates along the ridge, four at each side, a rim of small ones; growth rings on each."""
    side = 2400
    v, u = np.mgrid[1 : -1 : side * 1j, -1 : 1 : side * 1j]
    wander = [0.012 * noise((side, side), (24, 24), 4, 60 + k) for k in (0, 1)]
    a, b = u + wander[0], v + wander[1]
    centres = [(-0.62, 0), (-0.31, 0), (0.0, 0), (0.31, 0), (0.61, 0)]
    centres += [
        (x, sign * y) for sign in (-1, 1) for x, y in ((-0.46, 0.50), (-0.15, 0.56), (0.16, 0.56), (0.47, 0.50))
    ]
    inner = np.array(centres)
    near, which = cKDTree(inner).query(np.stack([a.ravel(), b.ravel()], 1), k=2)
    edge = (0.5 * (near[:, 1] - near[:, 0])).reshape(side, side)
    which = which[:, 0].reshape(side, side)
    r = np.hypot(a, b)
    rim = r > 0.855
    around = np.arctan2(b, a) / (2 * np.pi) * 24
    rim_edge = np.minimum(np.abs(around - np.round(around)) * 0.24, np.minimum(np.abs(r - 0.855), np.abs(1 - r) + 0.03))
    edge = np.where(rim, rim_edge, np.minimum(edge, np.abs(0.855 - r)))
    which = np.where(rim, 20 + np.floor(around).astype(int) % 24, which)
    rng = np.random.default_rng(5)
    tone = rng.uniform(-1, 1, 64)[which]
    count = np.clip(edge / 0.16, 0, 1)
    rings = 0.5 + 0.5 * np.sin(2 * np.pi * (count * 9 + 0.15 * noise((side, side), (30, 30), 3, 63)))
    horn = mix(
        (0.43, 0.30, 0.115), (0.30, 0.19, 0.07), 0.45 + 0.25 * tone + 0.22 * noise((side, side), (40, 40), 4, 64)
    )
    dark = np.clip(1.25 - edge / 0.055 + 0.45 * noise((side, side), (26, 26), 4, 65), 0, 1)
    dark = np.maximum(dark, np.clip((count - 0.72) * 6 + 0.6 * noise((side, side), (36, 36), 3, 66), 0, 1))
    ray = np.clip(noise((side, side), (60, 60), 3, 67) - 0.8, 0, 1)
    horn = mix(horn, (0.035, 0.024, 0.014), np.clip(0.88 * dark + 0.5 * ray, 0, 0.93))
    horn = horn * (0.85 + 0.15 * rings)[..., None]
    seam = np.clip(1 - edge / 0.007, 0, 1)
    horn = mix(horn, (0.065, 0.05, 0.032), 0.8 * seam)
    relief = (
        np.clip(edge / 0.10, 0, 1) ** 0.7 + 0.10 * rings - 0.3 * seam + 0.03 * noise((side, side), (300, 300), 2, 68)
    )
    knots = 420
    t, w = np.meshgrid(np.linspace(0.0, 1, knots) ** 0.8, np.linspace(0, 2 * np.pi, 700), indexing="ij")
    out, rise = dome(t)
    x, y = LONG * out * np.cos(w), WIDE * out * np.sin(w)
    at_u, at_v = t * np.cos(w), t * np.sin(w)
    lift = relief[
        np.clip(((1 - at_v) / 2 * (side - 1)).astype(int), 0, side - 1),
        np.clip(((at_u + 1) / 2 * (side - 1)).astype(int), 0, side - 1),
    ]
    flare = 0.010 * np.clip((t - 0.86) / 0.14, 0, 1) ** 1.3
    z = 0.020 + TALL * rise + 0.0050 * lift * np.clip((1 - t) / 0.06, 0, 1)
    x, y = x * (1 + flare * 6), y * (1 + flare * 6)
    gloss = bitmap(np.clip(0.33 + 0.10 * noise((600, 600), (50, 50), 4, 69), 0.1, 0.9))
    bsdf = surface(bitmap(horn[::-1].copy()), gloss, 0.45, (bitmap(relief[::-1].astype(np.float32).copy()), 0.0012))
    s.grid(np.stack([x, y, z], -1), np.stack([(at_u + 1) / 2, (at_v + 1) / 2], -1), (0, 0, 0), bsdf)
    under = np.stack(
        [
            x[-1:] * np.linspace(1, 0.2, 30)[:, None],
            y[-1:] * np.linspace(1, 0.2, 30)[:, None],
            0.020 - 0.008 * np.linspace(0, 1, 30)[:, None] + 0 * x[-1:],
        ],
        -1,
    )
    s.grid(under, np.zeros((30, 700, 2)), (0, 0, 0), surface((0.22, 0.16, 0.08), 0.6, 0.3))


def hide(seed: int, cells: tuple[int, int]) -> dict:
    edge, shade = scales((900, 900), cells, seed)
    colour = mix((0.17, 0.145, 0.095), (0.36, 0.30, 0.175), 0.2 + 0.5 * shade + 0.7 * np.clip(edge, 0, 0.5))
    colour = mix((0.045, 0.036, 0.025), colour, np.clip(edge / 0.10, 0, 1))
    relief = np.clip(edge / 0.22, 0, 1) ** 0.6 + 0.05 * noise((900, 900), (200, 200), 2, seed + 3)
    return surface(bitmap(colour), 0.52, 0.35, (bitmap(relief.astype(np.float32)), 0.0035))


def limb(s: Scene, path: np.ndarray, radius: np.ndarray, seed: int, cells: tuple[int, int]) -> None:
    from scipy.interpolate import CubicSpline

    t = np.linspace(0, 1, len(path))
    at = np.linspace(0, 1, 120)
    s.tube(CubicSpline(t, path)(at), np.maximum(CubicSpline(t, radius)(at), 0.0004), hide(seed, cells), 90)


def body(s: Scene) -> None:
    # neck and head, lifted and a little turned to the camera
    limb(s, np.array([(-0.075, 0.0, 0.045), (-0.105, -0.004, 0.050), (-0.130, -0.010, 0.062), (-0.152, -0.016, 0.0765)]), np.array([0.020, 0.0165, 0.0138, 0.0095]), 11, (26, 26))  # fmt: skip
    t, w = np.meshgrid(np.linspace(0, np.pi, 160), np.linspace(0, 2 * np.pi, 200), indexing="ij")
    long, wide, tall = 0.0235, 0.0135, 0.0135
    x = -long * np.cos(t)
    taper = 1 - 0.30 * np.clip(-x / long, 0, 1) ** 1.6
    y, z = wide * taper * np.sin(t) * np.cos(w), tall * taper * np.sin(t) * np.sin(w)
    z = np.where(z < 0, 0.72 * z, z)
    mouth = np.exp(-(((z + 0.0025) / 0.0007) ** 2)) * (x < 0.006)
    y, z = y * (1 - 0.05 * mouth), z - 0.0012 * (x < -0.017) * (z < 0)
    turn = rotation(y=-8, z=14)
    place = np.array([-0.156, -0.0165, 0.0785])
    s.grid(np.stack([x, y, z], -1) @ turn.T, np.stack([t / np.pi, w / 6.283], -1), place, hide(21, (20, 24)))
    jaw = [
        np.array([-0.0175 + 0.024 * v, side * (0.0092 - 0.0078 * (1 - v) ** 2), -0.0028])
        for side in (1,)
        for v in np.linspace(0, 1, 30)
    ]
    for side in (-1, 1):
        line = np.array([p * [1, side, 1] for p in jaw]) @ turn.T + place
        s.tube(line, 0.00055, surface((0.04, 0.03, 0.02), 0.6, 0.3), 10)
        eye = turn @ np.array([-0.0085, side * 0.0103, 0.0030]) + place
        s.add(
            {
                "type": "sphere",
                "center": list(eye),
                "radius": 0.0032,
                "bsdf": surface((0.014, 0.009, 0.006), 0.05, 0.6, clearcoat=1.0, clearcoat_gloss=0.97),
            }
        )
        a = np.linspace(0, 2 * np.pi, 60)
        lid = np.stack([0.0034 * np.cos(a), side * 0.0016 + 0 * a, 0.0029 * np.sin(a)], 1) @ turn.T + eye
        s.tube(lid, 0.0009, hide(22, (8, 40)), 14)
        nostril = turn @ np.array([-0.0222, side * 0.0022, 0.0016]) + place
        s.add({"type": "sphere", "center": list(nostril), "radius": 0.0007, "bsdf": surface((0.02, 0.015, 0.01), 0.8)})
    claw = surface((0.16, 0.12, 0.075), 0.4, 0.4)
    for k, (x, y, reach) in enumerate(
        ((-0.072, -0.066, -0.030), (0.068, -0.062, 0.018), (-0.075, 0.064, -0.02), (0.07, 0.06, 0.02))
    ):
        foot = np.array([x + reach, y * 1.16, 0.0125])
        limb(s, np.array([(x * 0.8, y * 0.7, 0.040), (x, y * 0.98, 0.036), (x + reach * 0.7, y * 1.12, 0.022), foot, foot - [0, 0, 0.012]]), np.array([0.019, 0.0185, 0.0160, 0.0145, 0.010]), 31 + k, (16, 16))  # fmt: skip
        for j in range(4):
            side = (j - 1.5) * 0.0065
            tip = (
                np.array([[0.0, side, 0.004], [-0.008, side * 1.15, 0.0035], [-0.0145, side * 1.25, 0.001]])
                if reach < 0
                else np.array(
                    [
                        [side, -0.006 * np.sign(-y), 0.004],
                        [side, 0.012 * np.sign(y), 0.003],
                        [side, 0.018 * np.sign(y), 0.001],
                    ]
                )
            )
            s.tube(
                foot * [1, 1, 0] + np.array([-0.012, 0, 0]) * (reach < 0) + tip,
                np.array([0.0026, 0.0020, 0.0004]),
                claw,
                14,
            )
    s.tube(
        [(0.10, -0.01, 0.030), (0.118, -0.016, 0.024), (0.128, -0.022, 0.018)],
        [0.007, 0.0045, 0.001],
        hide(41, (10, 10)),
    )


def path(s: Scene) -> None:
    wide = 2.4
    colour, height = masonry.laid((wide, wide), 1300, masonry.herringbone(0.107), 0.009,
        ((0.30, 0.12, 0.07), (0.37, 0.175, 0.10), (0.24, 0.105, 0.075), (0.42, 0.24, 0.16)), (0.20, 0.17, 0.12), 3)  # fmt: skip
    moss = np.clip(noise(colour.shape[:2], (40, 40), 5, 9) - 0.35, 0, 1) * np.clip(1.1 - 1.7 * height, 0, 1)
    colour = mix(colour, (0.085, 0.12, 0.03), np.clip(1.6 * moss, 0, 0.95))
    lime = np.clip(noise(colour.shape[:2], (20, 20), 6, 10, 0.65) - 1.0, 0, 1)
    colour = mix(colour, (0.50, 0.45, 0.38), 0.55 * lime)
    scale = (1 / wide, 1 / wide)
    u, v = np.meshgrid([0, wide], [0, wide])
    points = np.stack([u - wide / 2, v - 0.9, 0 * u], -1) @ rotation(z=33).T
    s.grid(
        points,
        np.stack([u, v], -1),
        (0, 0, 0),
        surface(bitmap(colour, scale), 0.85, 0.2, (bitmap(height + 0.4 * moss, scale), 0.006)),
    )
    rng = np.random.default_rng(6)
    # tufts in some joints, and the lawn beyond
    spots = []
    turn = rotation(z=33)[:2, :2]
    for _ in range(130):
        joint = np.array([rng.integers(-8, 9) * 0.107, rng.uniform(-0.8, 1.2)])[:: rng.choice((-1, 1))]
        spots.append((joint + [0, 0.0]) + 0.006 * rng.normal(0, 1, (rng.integers(8, 42), 2)) * [1, 2.5])
    places = np.concatenate(spots) @ turn.T
    under = np.hypot(places[:, 0] / 0.16, places[:, 1] / 0.10) < 1
    studio.grass(s, places[~under], (0.012, 0.05), 7, width=0.0011, lean=0.9)
    far = np.stack([rng.uniform(-3, 3, 60_000), rng.uniform(0.75, 4.5, 60_000)], 1)
    studio.grass(s, far, (0.03, 0.09), 8, width=0.0024, lean=0.7)
    s.add(
        {
            "type": "rectangle",
            "to_world": mi.ScalarTransform4f().translate([0, 4.0, -0.004]) @ mi.ScalarTransform4f().scale([6, 3.3, 1]),
            "bsdf": surface((0.05, 0.055, 0.025), 0.95),
        }
    )
    daisies = np.stack([rng.uniform(-1.6, 1.6, 46), rng.uniform(0.9, 3.5, 46), rng.uniform(0.05, 0.09, 46)], 1)
    for spot in daisies:
        s.add({"type": "sphere", "center": list(spot), "radius": 0.007, "bsdf": surface((0.75, 0.74, 0.70), 0.8)})


def label(s: Scene) -> None:
    """The distraction: a white label on a stake, stuck in a joint."""
    import cv2

    card = np.ones((260, 420, 3), np.float32) * np.array([0.72, 0.72, 0.70], np.float32)
    text = np.zeros((260, 420), np.uint8)
    cv2.putText(text, "THYME", (50, 120), cv2.FONT_HERSHEY_DUPLEX, 2.6, 255, 6, cv2.LINE_AA)
    cv2.putText(text, "row 3", (120, 205), cv2.FONT_HERSHEY_SCRIPT_SIMPLEX, 2.0, 255, 4, cv2.LINE_AA)
    card = mix(card, (0.05, 0.06, 0.09), text / 255.0 * 0.9)
    x, z = np.meshgrid([-0.034, 0.034], [0, 0.042])
    turn = rotation(x=-14, z=-12)
    at = np.array([0.135, -0.078, 0.055])
    s.grid(
        np.stack([x, 0 * x, z], -1) @ turn.T,
        np.stack([(x + 0.034) / 0.068, z / 0.042], -1),
        at,
        surface(bitmap(card[::-1].copy()), 0.35, 0.5),
    )
    s.tube(
        [at + turn @ np.array([0, 0.002, 0.02 - 0.08 * v]) for v in np.linspace(0, 1, 12)],
        0.0032,
        surface((0.70, 0.70, 0.68), 0.4, 0.5),
        12,
    )


def build(clean: bool = False) -> tuple[Scene, dict]:
    s = Scene()
    path(s)
    with s.of_subject():
        shell(s)
        body(s)
    if not clean:
        label(s)
    s.lamp((-1.3, -1.5, 2.3), (0, 0, 0), (0.22, 0.22), (135, 124, 104))
    s.add({"type": "constant", "radiance": {"type": "rgb", "value": [0.44, 0.50, 0.60]}})
    roll = np.radians(1.2)
    camera = {
        "type": "thinlens",
        "fov": 29.0,
        "fov_axis": "x",
        "aperture_radius": 0.0075,
        "focus_distance": 0.66,
        "to_world": mi.ScalarTransform4f().look_at(
            [-0.30, -0.62, 0.235], [0.012, 0.0, 0.048], [np.sin(roll), 0, np.cos(roll)]
        ),
    }
    return s, camera


if __name__ == "__main__":
    studio.make(
        studio.Shot(
            build=build,
            depth=5,
            clean_boxes=((2800, 800, 4320, 2400),),
            shadows=900,
            exposure=0.95,
            gains=(1.05, 1.0, 0.90),
            falloff=0.24,
            grain=0.016,
            camera=("Orrery M3", "Lumen 90 f/2.8", "1/320", 6.3, 200, "2026:07:07 09:58:13", 90),
            truth={"kind": "animal", "straighten": 1.2, "faults": ["plant label with its shadow", "tilt", "warm cast"]},
        )
    )
