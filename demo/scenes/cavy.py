"""A white and ginger cavy on a lawn, a cord over its back. Animal, 12.4 MP.

The cord crosses fur and blurred ground and lies in the grass behind; the flank is stained yellow, the lawn throws green
into the white.
"""

from __future__ import annotations

import mitsuba as mi
import numpy as np
import studio
from studio import Scene, bitmap, mix, noise, surface

LONG = 0.27
"""From nose to rump, metres; the nose points to -x."""


def shape(s: np.ndarray, a: np.ndarray) -> np.ndarray:
    """The skin at share `s` of the length and angle `a` around it."""
    knots = np.array([0, 0.03, 0.08, 0.16, 0.25, 0.33, 0.42, 0.55, 0.70, 0.84, 0.94, 0.985, 1.0])
    centre = np.interp(
        s, knots, [0.050, 0.051, 0.055, 0.063, 0.069, 0.066, 0.061, 0.060, 0.060, 0.058, 0.055, 0.054, 0.053]
    )
    tall = np.interp(
        s, knots, [0.001, 0.016, 0.024, 0.036, 0.040, 0.039, 0.043, 0.049, 0.052, 0.047, 0.034, 0.018, 0.001]
    )
    wide = np.interp(
        s, knots, [0.001, 0.015, 0.022, 0.032, 0.036, 0.037, 0.043, 0.051, 0.055, 0.050, 0.036, 0.018, 0.001]
    )
    return np.stack([(s - 0.5) * LONG, wide * np.cos(a), centre + tall * np.sin(a)], -1)


def smooth_shape(s: np.ndarray, a: np.ndarray) -> np.ndarray:
    """`shape` with its knots rounded off."""
    shifts = np.linspace(-0.035, 0.035, 9)
    weights = np.exp(-((shifts / 0.018) ** 2))
    parts = [w * shape(np.clip(s + d, 0, 1), a) for w, d in zip(weights, shifts, strict=True)]
    points = sum(parts) / weights.sum()
    points[..., 0] = (s - 0.5) * LONG
    return points


def coat(rng: np.random.Generator, count: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Roots, outward normals and shares of the length, evenly over the skin."""
    s, a = rng.uniform(0, 1, 3 * count), rng.uniform(-np.pi, np.pi, 3 * count)
    e = 1e-3
    ds = smooth_shape(np.clip(s + e, 0, 1), a) - smooth_shape(np.clip(s - e, 0, 1), a)
    da = smooth_shape(s, a + e) - smooth_shape(s, a - e)
    normal = np.cross(da, ds)
    area = np.linalg.norm(normal, axis=1) + 1e-12
    keep = rng.uniform(0, np.quantile(area, 0.97), len(s)) < area
    keep &= np.cumsum(keep) <= count
    return smooth_shape(s, a)[keep], (normal / area[:, None])[keep], s[keep]


def field(points: np.ndarray, seed: int, scale: float) -> np.ndarray:
    """Smooth noise at points of space, by three waves a direction."""
    rng = np.random.default_rng(seed)
    total = np.zeros(len(points))
    for _ in range(12):
        total += np.sin(points @ (rng.normal(0, 1, 3) / scale) + rng.uniform(0, 6.3))
    return total / 2.4


def fur(s: Scene, stained: bool) -> None:
    rng = np.random.default_rng(3)
    roots, normal, share = coat(rng, 330_000)
    long = np.interp(share, [0, 0.04, 0.14, 0.3, 0.45, 1], [0.003, 0.0045, 0.008, 0.013, 0.019, 0.021])
    long *= rng.uniform(0.65, 1.15, len(roots))
    flow = np.stack([np.ones(len(roots)), 0.1 * normal[:, 1], -0.45 - 0.2 * (share > 0.4)], -1) * np.ones(
        (len(roots), 1)
    )
    flow -= (flow * normal).sum(axis=1, keepdims=True) * normal
    flow /= np.linalg.norm(flow, axis=1, keepdims=True) + 1e-6
    curl = np.stack([field(roots, 10 + k, 0.014) for k in range(3)], -1)
    tuft = np.stack([field(roots, 20 + k, 0.0045) for k in range(3)], -1)
    rise = np.interp(share, [0, 0.2, 0.5, 1], [0.55, 0.6, 0.75, 0.9])[:, None]
    start = normal * rise + 0.75 * flow + 0.17 * tuft
    start /= np.linalg.norm(start, axis=1, keepdims=True)
    end = 0.22 * normal + 0.9 * flow + 0.27 * curl + 0.20 * tuft + 0.10 * rng.normal(0, 1, roots.shape)
    end /= np.linalg.norm(end, axis=1, keepdims=True)
    t = np.linspace(0, 1, 5)[None, :, None]
    points = (
        roots[:, None]
        - 0.001 * normal[:, None]
        + long[:, None, None] * (start[:, None] * (t - 0.5 * t**2) + end[:, None] * 0.5 * t**2 * 1.1)
    )
    radius = 0.00016 * (1 - 0.8 * t[..., 0] ** 1.5) * rng.uniform(0.7, 1.25, len(roots))[:, None]
    patch = field(roots, 5, 0.045) + 1.2 * np.exp(-(((share - 0.20) / 0.13) ** 2)) * (roots[:, 2] > 0.052) - 0.62
    patch += 0.9 * np.exp(-(((share - 0.86) / 0.12) ** 2)) + 0.05 * rng.normal(0, 1, len(roots))
    blaze = np.abs(roots[:, 1]) < 0.009 + 0.004 * field(roots, 8, 0.02)
    ginger = (patch > 0) & ~(blaze & (share < 0.3))
    flank = np.exp(-(((share - 0.60) / 0.075) ** 2) - (((roots[:, 2] - 0.045) / 0.020) ** 2))
    dirty = stained & (flank + 0.2 * field(roots, 31, 0.012) > 0.55) & (roots[:, 1] < 0)
    shade = rng.integers(0, 3, len(roots))
    white = ((0.84, 0.815, 0.765), (0.78, 0.755, 0.705), (0.70, 0.675, 0.625))
    red = ((0.42, 0.19, 0.065), (0.34, 0.145, 0.048), (0.50, 0.25, 0.095))
    yellow = ((0.62, 0.46, 0.22), (0.56, 0.40, 0.18), (0.50, 0.35, 0.15))
    for k in range(3):
        for which, tones in ((~ginger & ~dirty, white), (ginger, red), (dirty & ~ginger, yellow)):
            chosen = which & (shade == k)
            if chosen.any():
                s.strands(points[chosen], radius[chosen], surface(tones[k], 0.42, 0.45))


def skin(s: Scene) -> None:
    share, angle = np.linspace(0, 1, 260), np.linspace(0, 2 * np.pi, 200)
    grid = smooth_shape(share[:, None] * np.ones((1, 200)), angle[None] * np.ones((260, 1)))
    uv = np.stack(np.broadcast_arrays(share[:, None], angle[None]), -1)
    s.grid(grid, uv, (0, 0, 0), surface((0.50, 0.40, 0.33), 0.8, 0.2))


def head(s: Scene) -> None:
    gloss = surface((0.012, 0.008, 0.007), 0.05, 0.6, clearcoat=1.0, clearcoat_gloss=0.97)
    for side in (-1, 1):
        s.add({"type": "sphere", "center": [-0.0915, side * 0.0292, 0.0785], "radius": 0.0066, "bsdf": gloss})
        t = np.linspace(0, 2 * np.pi, 60)
        ring = np.stack([0.0068 * np.cos(t), 0 * t, 0.0058 * np.sin(t)], 1) + [-0.0922, side * 0.0325, 0.0785]
        s.tube(ring, 0.0011, surface((0.16, 0.085, 0.06), 0.5, 0.4), 12)
        # an ear: a petal, cupped, its tip fallen forward
        u, v = np.meshgrid(np.linspace(-1, 1, 50), np.linspace(0, 1, 60))
        wide = (
            0.0155
            * np.sqrt(np.clip(1 - (2 * (v - 0.42)) ** 2 * (v > 0.42) * 0.74, 0.0, 1))
            * (0.62 + 0.38 * np.minimum(v / 0.42, 1))
        )
        x = wide * u + 0.0018 * np.sin(5 * v + 2 * u)
        y = side * (0.003 + 0.016 * v**1.2 + 0.005 * u**2 * (1 - v))
        z = 0.023 * v - 0.0115 * v**3 + 0.0007 * np.sin(9 * u + 3 * v)
        ear = np.stack([x - 0.063, y + side * 0.0255, z + 0.093], -1)
        flesh = mix((0.55, 0.36, 0.30), (0.40, 0.24, 0.19), 0.5 + 0.3 * noise((300, 300), (9, 9), 4, 2))
        s.grid(ear, np.stack([(u + 1) / 2, v], -1), (0, 0, 0), surface(bitmap(flesh), 0.6, 0.3))
        rng = np.random.default_rng(5 + side)
        pick = rng.integers(0, 60 * 50, 2600)
        root = ear.reshape(-1, 3)[pick]
        t = np.linspace(0, 1, 4)[None, :, None]
        way = np.array([0.5, side * 0.5, 0.1]) + 0.4 * rng.normal(0, 1, (len(pick), 3))
        s.strands(
            root[:, None] + 0.0038 * t * way[:, None],
            np.full((len(pick), 4), 0.00007),
            surface((0.45, 0.27, 0.13), 0.5, 0.3),
        )
    # nose leather, low and half in the fur, with two nostrils
    leather = np.linspace(0, np.pi, 40)
    around = np.linspace(0, 2 * np.pi, 60)
    nose = np.stack(
        np.broadcast_arrays(
            -0.1318 - 0.0042 * np.cos(leather)[:, None],
            0.0062 * np.sin(leather)[:, None] * np.cos(around)[None],
            0.0535 + 0.0040 * np.sin(leather)[:, None] * np.sin(around)[None],
        ),
        -1,
    )
    grain = bitmap(0.5 + 0.5 * noise((300, 300), (40, 40), 2, 6))
    s.grid(nose, np.zeros((40, 60, 2)) + 0.3, (0, 0, 0), surface((0.42, 0.24, 0.20), 0.5, 0.35, (grain, 0.0003)))
    for side in (-1, 1):
        hole = {"type": "sphere", "center": [-0.1352, side * 0.0026, 0.0538], "radius": 0.0011}
        s.add({**hole, "bsdf": surface((0.04, 0.018, 0.015), 0.7)})
    rng = np.random.default_rng(9)
    count = 64
    t = np.linspace(0, 1, 6)[None, :, None]
    side = np.where(rng.uniform(size=count) < 0.5, -1, 1)
    root = np.stack(
        [rng.uniform(-0.128, -0.117, count), side * rng.uniform(0.012, 0.018, count), rng.uniform(0.044, 0.058, count)],
        1,
    )
    way = np.stack(
        [rng.normal(-0.15, 0.35, count), side * rng.uniform(0.6, 1, count), rng.normal(0.05, 0.35, count)], 1
    )
    long = rng.uniform(0.018, 0.045, count)[:, None, None]
    whisker = root[:, None] + long * t * way[:, None] + long * t**2 * np.array([0.25, 0, -0.35])
    s.strands(whisker, 0.00011 * (1 - 0.8 * t[..., 0]) * np.ones((count, 1)), surface((0.75, 0.72, 0.68), 0.35, 0.5))


def feet(s: Scene) -> None:
    pink = surface((0.52, 0.33, 0.27), 0.6, 0.3)
    for x, y in ((-0.062, -0.030), (-0.070, 0.028), (0.055, -0.046)):
        for k in range(4):
            t = np.linspace(0, 1, 20)
            path = np.stack([x - 0.020 * t, y + (k - 1.5) * (0.003 + 0.003 * t), 0.009 - 0.004 * t], 1)
            s.tube(path, 0.0030 * (1 - 0.55 * t**2), pink, 14)


def lawn(s: Scene) -> None:
    soil = mix((0.075, 0.06, 0.035), (0.035, 0.03, 0.018), 0.5 + 0.3 * noise((1200, 1200), (60, 60), 5, 4))
    s.add(
        {
            "type": "rectangle",
            "to_world": mi.ScalarTransform4f().translate([0, 4, 0]) @ mi.ScalarTransform4f().scale([9, 9, 1]),
            "bsdf": surface(bitmap(soil, (6, 6)), 0.95, 0.1),
        }
    )
    rng = np.random.default_rng(6)

    def scatter(count: int, x: float, near: float, far: float) -> np.ndarray:
        places = np.stack([rng.uniform(-x, x, count), rng.uniform(near, far, count)], 1)
        under = (np.abs(places[:, 0] + 0.005) < 0.105) & (np.abs(places[:, 1]) < 0.038)
        return places[~under]

    studio.grass(s, scatter(30_000, 0.55, -0.55, 0.35), (0.012, 0.042), 1, lean=0.85)
    studio.grass(s, scatter(42_000, 1.6, 0.35, 2.6), (0.02, 0.055), 2, lean=0.8, width=0.0018)
    studio.grass(s, scatter(26_000, 5.0, 2.6, 9.0), (0.04, 0.10), 3, lean=0.7, width=0.004)
    clover(s, rng)


def clover(s: Scene, rng: np.random.Generator) -> None:
    """Three-leaved, in three greens; one mesh a green."""
    u, r = np.meshgrid(np.linspace(0, 2 * np.pi, 18), np.linspace(0.01, 1, 5))
    blade = np.stack([0.0058 * r * np.cos(u), 0.0050 * r * np.sin(u), 0.0016 * r**2 * np.abs(np.sin(u))], -1).reshape(
        -1, 3
    )
    index = np.arange(90).reshape(5, 18)
    a, b, c, d = (index[:-1, :-1].ravel(), index[:-1, 1:].ravel(), index[1:, 1:].ravel(), index[1:, :-1].ravel())
    faces = np.concatenate([np.stack([a, b, c], 1), np.stack([a, c, d], 1)])
    leaves: tuple[list[np.ndarray], ...] = ([], [], [])
    for k in range(520):
        x, y = rng.uniform(-0.6, 0.6), rng.uniform(-0.5, 1.6)
        if abs(x) < 0.14 and abs(y) < 0.065:
            continue
        height, turn = rng.uniform(0.010, 0.026), rng.uniform(0, 120)
        for leaf in range(3):
            way = np.radians(turn + 120 * leaf)
            middle = np.array([x + 0.006 * np.cos(way), y + 0.006 * np.sin(way), height])
            tilt = studio.rotation(x=rng.normal(0, 14), y=rng.normal(0, 14), z=turn + 120 * leaf)
            leaves[k % 3].append(blade @ tilt.T + middle)
    for group, tone in zip(leaves, ((0.07, 0.16, 0.035), (0.095, 0.195, 0.05), (0.12, 0.23, 0.06)), strict=True):
        vertices = np.concatenate(group)
        mesh = np.concatenate([faces + 90 * k for k in range(len(group))])
        s.mesh(vertices, mesh, np.zeros((len(vertices), 2)), surface(tone, 0.6, 0.3), smooth=True)


def hedge(s: Scene) -> None:
    """Far behind: a dim hedge with gaps of light, wholly out of focus."""
    rows, cols = 500, 1600
    y = np.linspace(1, 0, rows)[:, None]
    leaf = noise((rows, cols), (18, 60), 5, 44)
    picture = mix((0.05, 0.09, 0.028), (0.15, 0.23, 0.06), 0.45 + 0.3 * leaf)
    gaps = np.clip(noise((rows, cols), (16, 50), 3, 45) - 1.1 + 0.9 * (y - 0.35), 0, 1)
    picture = mix(picture, (1.15, 1.2, 1.05), 0.9 * gaps)
    s.add(
        {
            "type": "rectangle",
            "to_world": mi.ScalarTransform4f().look_at([0, 9, 1.4], [0, 0, 1.4], [0, 0, 1])
            @ mi.ScalarTransform4f().scale([8, 1.6, 1]),
            "emitter": {"type": "area", "radiance": bitmap(picture[::-1].copy())},
            "bsdf": surface((0, 0, 0)),
        }
    )


def cord(s: Scene) -> None:
    """From the lower left, over the back just behind the shoulder, into the grass behind."""
    knots = np.array(
        [(-0.42, -0.30, 0.022), (-0.24, -0.20, 0.026), (-0.10, -0.115, 0.040), (-0.035, -0.075, 0.066), (0.000, -0.038, 0.108),
         (0.022, 0.0, 0.1225), (0.050, 0.036, 0.106), (0.12, 0.10, 0.060), (0.26, 0.20, 0.036), (0.46, 0.33, 0.040), (0.90, 0.55, 0.038)]
    )  # fmt: skip
    from scipy.interpolate import CubicSpline

    run = np.r_[0, np.cumsum(np.linalg.norm(np.diff(knots, axis=0), axis=1))]
    at = np.linspace(0, run[-1], 900)
    middle = CubicSpline(run, knots)(at)
    for k, tone in enumerate(((0.16, 0.035, 0.03), (0.20, 0.05, 0.04), (0.13, 0.03, 0.03))):
        turn = at / 0.0085 * 2 * np.pi + k * 2 * np.pi / 3
        strand = middle + 0.00125 * np.stack([np.cos(turn), 0.4 * np.sin(turn), np.sin(turn)], 1)
        s.tube(strand, 0.00135, surface(tone, 0.8, 0.2), 10)


def build(clean: bool = False) -> tuple[Scene, dict]:
    s = Scene()
    lawn(s)
    hedge(s)
    with s.of_subject():
        skin(s)
        fur(s, stained=not clean)
        head(s)
        feet(s)
    if not clean:
        cord(s)
    s.lamp((-1.6, -1.9, 2.6), (0, 0, 0), (0.34, 0.34), (74, 68, 58))
    s.add({"type": "constant", "radiance": {"type": "rgb", "value": [0.50, 0.57, 0.68]}})
    roll = np.radians(-0.6)
    camera = {
        "type": "thinlens",
        "fov": 26.0,
        "fov_axis": "x",
        "aperture_radius": 0.0085,
        "focus_distance": 0.745,
        "to_world": mi.ScalarTransform4f().look_at(
            [-0.30, -0.72, 0.175], [0.004, 0.0, 0.066], [np.sin(roll), 0, np.cos(roll)]
        ),
    }
    return s, camera


if __name__ == "__main__":
    studio.make(
        studio.Shot(
            build=build,
            depth=5,
            clean_boxes=((0, 680, 4320, 2760),),
            exposure=1.12,
            gains=(1.04, 1.0, 0.88),
            falloff=0.24,
            grain=0.020,
            camera=("Orrery M3", "Lumen 90 f/2.8", "1/500", 4.5, 400, "2026:09:19 10:41:30", 90),
            truth={
                "kind": "animal",
                "straighten": -0.6,
                "faults": ["cord over the back and the grass", "stained flank", "warm cast"],
            },
        )
    )
