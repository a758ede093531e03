"""Whipped curd with blackberries and hazelnuts on dark boards. Food, 12.4 MP.

The curd's crests lie just past clipping; a second, darker frame of the same second holds them, and a 16-bit file too. Juice
has dripped on the boards, a hair lies on the curd.
"""

from __future__ import annotations

import mitsuba as mi
import numpy as np
import studio
from studio import Scene, bitmap, mix, noise, rotation, surface


def boards(s: Scene) -> None:
    rng = np.random.default_rng(4)
    for k in range(8):
        colour, grain = studio.wood(20 + k, (0.085, 0.105, 0.105), (0.045, 0.058, 0.06), 700, 2600, knots=3)
        worn = np.clip(noise(colour.shape[:2], (14, 22), 6, 40 + k, 0.65) + 0.8 * grain - 1.5, 0, 1)
        colour = mix(colour, (0.30, 0.22, 0.14), np.clip(1.8 * worn, 0, 0.9))
        scale = (1 / 1.5, 1 / 0.24)
        bsdf = surface(bitmap(colour, scale), 0.55, 0.4, (bitmap(grain - 0.6 * worn, scale), 0.0024))
        s.box(
            (0, -0.38 + 0.142 * k, -0.012 + 0.0008 * rng.normal()),
            (1.5, 0.1395, 0.024),
            bsdf,
            0.003,
            uv_shift=(rng.uniform(0, 1), 0),
        )


def bowl(s: Scene) -> None:
    rows, cols = 900, 2400
    glaze = mix((0.055, 0.085, 0.13), (0.115, 0.15, 0.19), 0.45 + 0.35 * noise((rows, cols), (9, 12), 5, 31))
    glaze = mix(
        glaze,
        (0.30, 0.21, 0.13),
        np.exp(-((np.abs(np.linspace(0, 1, rows) - 0.485) / 0.012) ** 2))[:, None] * np.ones((1, cols)),
    )
    pits = np.clip(noise((rows, cols), (200, 500), 1, 32) - 2.6, 0, 1)
    glaze = mix(glaze, (0.02, 0.02, 0.025), np.clip(2 * pits, 0, 1))
    profile = [(0.001, 0.004), (0.048, 0.003), (0.056, 0.008), (0.095, 0.032), (0.126, 0.060), (0.1335, 0.0715), (0.1352, 0.0738), (0.1315, 0.0725), (0.120, 0.061), (0.09, 0.038), (0.05, 0.017), (0.001, 0.014)]  # fmt: skip
    bsdf = surface(
        bitmap(glaze, (1 / 0.84, 1 / 0.36)),
        0.22,
        0.5,
        (bitmap(noise((rows, cols), (10, 30), 4, 33), (1 / 0.84, 1 / 0.36)), 0.0012),
        clearcoat=0.5,
        clearcoat_gloss=0.88,
    )
    s.lathe(profile, (0, 0, 0), bsdf, steps=300, wobble=0.004, seed=3)


def curd_height(x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """The curd over the table: a dome, swirled by a spoon."""
    r, a = np.hypot(x, y), np.arctan2(y, x)
    dome = (
        0.067
        + 0.010 * np.cos(np.clip(r / 0.125, 0, 1) * np.pi / 2) ** 1.2
        - 0.010 * np.clip((r - 0.108) / 0.017, 0, 1) ** 2
    )
    phase = a / (2 * np.pi) + r / 0.036 + 0.12 * np.sin(3 * a + 60 * r) + 0.06 * np.sin(5 * a - 90 * r)
    wave = phase - np.floor(phase)
    crest = np.where(wave < 0.78, (wave / 0.78) ** 2.2, np.cos((wave - 0.78) / 0.22 * np.pi / 2) ** 1.5)
    return dome + 0.0085 * (crest - 0.45) * np.clip((0.126 - r) / 0.03, 0, 1) * np.clip(0.25 + r / 0.05, 0, 1)


def curd(s: Scene) -> None:
    r, a = np.meshgrid(np.linspace(0.0005, 0.1245, 420), np.linspace(0, 2 * np.pi, 900), indexing="ij")
    r = r * (1 + 0.012 * np.sin(5 * a) * (r / 0.1245) ** 6)
    x, y = r * np.cos(a), r * np.sin(a)
    fine = noise((1400, 1400), (60, 60), 5, 51, 0.62)
    lumps = np.clip(noise((1400, 1400), (170, 170), 2, 52) - 1.6, 0, 1)
    white = mix((0.86, 0.845, 0.80), (0.82, 0.795, 0.735), 0.4 + 0.2 * fine)
    bsdf = surface(bitmap(white, (3.7, 3.7)), 0.36, 0.4, (bitmap(fine + 2.0 * lumps, (3.7, 3.7)), 0.0002), sheen=0.2)
    s.grid(np.stack([x, y, curd_height(x, y)], -1), np.stack([x + 0.135, y + 0.135], -1), (0, 0, 0), bsdf)


def blackberry(s: Scene, at, seed: int, size: float, turn) -> None:
    rng = np.random.default_rng(seed)
    rings = [(0.0, 1), (0.34, 6), (0.72, 10), (1.08, 11), (1.45, 11), (1.82, 9), (2.2, 6)]
    tilt = rotation(*turn)
    juice = [
        surface(tone, 0.12, 0.5, clearcoat=0.9, clearcoat_gloss=0.95)
        for tone in ((0.020, 0.007, 0.016), (0.035, 0.009, 0.022), (0.070, 0.012, 0.022))
    ]
    for k, (lat, count) in enumerate(rings):
        for j in range(count):
            lon = 2 * np.pi * (j + 0.5 * (k % 2)) / count + rng.normal(0, 0.06)
            p = (
                np.array([0.0078 * np.sin(lat) * np.cos(lon), 0.0078 * np.sin(lat) * np.sin(lon), 0.0108 * np.cos(lat)])
                * size
            )
            spot = np.asarray(at) + tilt @ p
            s.add(
                {
                    "type": "sphere",
                    "center": list(spot),
                    "radius": (0.0027 + 0.0003 * rng.normal()) * size,
                    "bsdf": juice[rng.choice(3, p=(0.5, 0.4, 0.1))],
                }
            )


def hazelnut(s: Scene, at, seed: int, turn) -> None:
    rng = np.random.default_rng(seed)
    skin = noise((500, 700), (6, 60), 4, seed)
    colour = mix((0.34, 0.165, 0.065), (0.21, 0.09, 0.035), 0.5 + 0.35 * skin)
    colour = mix(
        colour, (0.55, 0.40, 0.24), np.clip(noise((500, 700), (9, 14), 4, seed + 1) - 1.0 + 0.4 * rng.normal(), 0, 0.9)
    )
    profile = [
        (0.001, 0.0),
        (0.0042, 0.0004),
        (0.0068, 0.004),
        (0.0073, 0.0075),
        (0.0058, 0.0115),
        (0.0028, 0.0140),
        (0.001, 0.0148),
    ]
    s.lathe(
        profile,
        at,
        surface(bitmap(colour, (22, 40)), 0.45, 0.4, (bitmap(skin, (22, 40)), 0.0003)),
        steps=70,
        wobble=0.03,
        seed=seed,
        tilt=rotation(*turn),
    )


def topping(s: Scene, rng: np.random.Generator) -> None:
    berries = [
        (0.028, -0.012, 1.15),
        (0.046, 0.010, 1.05),
        (0.012, 0.018, 1.1),
        (-0.012, -0.020, 1.2),
        (0.034, 0.034, 1.0),
        (-0.052, 0.030, 1.1),
        (0.072, -0.028, 1.0),
    ]
    for k, (x, y, size) in enumerate(berries):
        z = float(curd_height(np.array(x), np.array(y))) + 0.006 * size
        blackberry(s, (x, y, z), 60 + k, size, (rng.uniform(-70, 70), rng.uniform(-70, 70), rng.uniform(0, 360)))
    for k in range(16):
        a, r = rng.uniform(0, 6.28), rng.uniform(0.02, 0.095)
        x, y = r * np.cos(a), r * np.sin(a)
        if min(np.hypot(x - b[0], y - b[1]) for b in berries) < 0.019:
            continue
        z = float(curd_height(np.array(x), np.array(y)))
        hazelnut(s, (x, y, z + 0.001), 80 + k, (rng.uniform(-80, 80), rng.uniform(-80, 80), rng.uniform(0, 360)))
    # honey run from a spoon, thick and thin
    t = np.linspace(0, 1, 700)
    x = -0.075 + 0.15 * t + 0.014 * np.sin(17 * t)
    y = -0.040 + 0.055 * np.sin(9 * t) * (1 - 0.3 * t) + 0.01
    z = curd_height(x, y) + 0.0006
    amber = surface((0.55, 0.235, 0.025), 0.10, 0.6, clearcoat=1.0, clearcoat_gloss=0.96)
    s.tube(np.stack([x, y, z], 1), 0.0016 + 0.0010 * np.sin(13 * t) ** 2, amber, 16)


def beside(s: Scene, rng: np.random.Generator) -> None:
    """Beside the bowl: a dish of berries, loose nuts, a stirring stick."""
    clay = surface(
        bitmap(mix((0.52, 0.46, 0.38), (0.42, 0.36, 0.29), 0.5 + 0.3 * noise((300, 500), (6, 9), 4, 91)), (3, 5)),
        0.5,
        0.3,
    )
    s.lathe([(0.001, 0.004), (0.030, 0.003), (0.034, 0.006), (0.050, 0.026), (0.053, 0.034), (0.0495, 0.034), (0.046, 0.026), (0.028, 0.010), (0.001, 0.0085)], (0.205, 0.115, 0.0), clay, steps=140, wobble=0.004)  # fmt: skip
    for k in range(13):
        a, r = rng.uniform(0, 6.28), 0.034 * np.sqrt(rng.uniform())
        blackberry(
            s,
            (0.205 + r * np.cos(a), 0.115 + r * np.sin(a), 0.024 + 0.010 * (k % 3)),
            100 + k,
            rng.uniform(0.95, 1.15),
            (rng.uniform(-80, 80), rng.uniform(-80, 80), 0),
        )
    for k, (x, y) in enumerate(
        ((-0.205, -0.055), (-0.19, -0.085), (-0.225, -0.105), (0.19, -0.075), (0.225, -0.02), (-0.16, -0.135))
    ):
        hazelnut(s, (x, y, 0.0065), 130 + k, (85, rng.uniform(-60, 60), rng.uniform(0, 360)))
    wooden, _ = studio.wood(97, (0.44, 0.29, 0.16), (0.30, 0.18, 0.09), 512, 2048, knots=0)
    v = np.linspace(0, 1, 90)
    lime = surface(bitmap(wooden), 0.5, 0.3)
    s.tube(
        np.stack([-0.30 + 0.24 * v, 0.155 + 0.10 * v, 0.0065 + 0.004 * np.sin(np.pi * v)], 1),
        0.0052 - 0.0016 * np.sin(np.pi * v),
        lime,
        24,
    )


def faults(s: Scene) -> None:
    """Drips of juice on the boards, and a hair on the curd."""
    rng = np.random.default_rng(33)
    for x, y, radius in (
        (0.150, -0.145, 0.0088),
        (0.173, -0.152, 0.0046),
        (0.163, -0.122, 0.0032),
        (0.128, -0.178, 0.0036),
        (-0.105, -0.165, 0.0055),
    ):
        r, a = np.meshgrid(np.linspace(0, 1, 24), np.linspace(0, 2 * np.pi, 90), indexing="ij")
        edge = radius * (1 + 0.10 * np.cos(2 * a + rng.uniform(0, 6)) + 0.06 * np.cos(5 * a + rng.uniform(0, 6)))
        z = 0.0004 + 0.0020 * np.sqrt(np.clip(1 - r**2, 0, 1)) * np.sqrt(radius / 0.008)
        s.grid(
            np.stack([edge * r * np.cos(a), edge * r * np.sin(a), z], -1),
            np.stack([r, a], -1),
            (x, y, 0),
            surface((0.050, 0.004, 0.010), 0.06, 0.6, clearcoat=1.0, clearcoat_gloss=0.97),
        )
    t = np.linspace(0, 1, 160)
    x = -0.095 + 0.075 * t + 0.012 * np.sin(4.4 * t)
    y = -0.030 - 0.055 * t + 0.018 * np.sin(3.2 * t)
    s.tube(np.stack([x, y, curd_height(x, y) + 0.0007], 1), 0.00011, surface((0.03, 0.018, 0.012), 0.4, 0.4), 6)


def build(clean: bool = False) -> tuple[Scene, dict]:
    s = Scene()
    boards(s)
    rng = np.random.default_rng(14)
    with s.of_subject():
        bowl(s)
        curd(s)
        topping(s, rng)
    beside(s, rng)
    if not clean:
        faults(s)
    s.lamp((-1.1, 0.75, 0.85), (0, 0, 0.05), (0.42, 0.42), (13.5, 14.2, 15.4))
    s.lamp((1.2, -0.9, 0.9), (0, 0, 0.05), (0.5, 0.5), (0.9, 0.85, 0.75))
    s.add({"type": "constant", "radiance": {"type": "rgb", "value": [0.13, 0.135, 0.145]}})
    roll = np.radians(0.7)
    camera = {
        "type": "thinlens",
        "fov": 31.0,
        "fov_axis": "x",
        "aperture_radius": 0.0075,
        "focus_distance": 0.80,
        "to_world": mi.ScalarTransform4f().look_at(
            [0.05, -0.66, 0.52], [0.008, -0.012, 0.045], [np.sin(roll), 0, np.cos(roll)]
        ),
    }
    return s, camera


SHOT = studio.Shot(
    build=build,
    depth=6,
    clean_boxes=((1100, 1300, 3300, 2700), (500, 2440, 4320, 2880)),
    exposure=1.5,
    gains=(1.02, 1.0, 0.93),
    falloff=0.22,
    grain=0.013,
    camera=("Orrery M3", "Lumen 90 f/2.8", "1/40", 5.6, 100, "2026:09:02 16:05:20", 90),
    truth={
        "kind": "food",
        "straighten": 0.7,
        "faults": ["juice on the boards", "hair on the curd", "whites just past clipping", "tilt"],
    },
    darker=-2.0,
    sixteen=True,
)


if __name__ == "__main__":
    studio.make(SHOT)
