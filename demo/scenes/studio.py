"""What every scene shares: textures, meshes, the renderer, and a camera that leaves traces.

For makers only. Rendering needs `mitsuba`, `pyoidn` and Debian's `libllvm19`; the finished pictures are
committed, and nothing that a user runs imports this folder. Run one scene with

    python demo/scenes/mill_room.py demo/pictures/long-room.jpg --pair

Lengths are metres, x to the right, y into the room, z up. Colours are linear sRGB, 0-1.
"""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

os.environ.setdefault("DRJIT_LIBLLVM_PATH", "/usr/lib/x86_64-linux-gnu/libLLVM-19.so")

import cv2
import mitsuba as mi

mi.set_variant("llvm_ad_rgb")

FOLDER = Path(tempfile.mkdtemp(prefix="scene-"))


# ---------------------------------------------------------------------------------------------- textures


def noise(size: tuple[int, int], cells: tuple[float, float], octaves: int, seed: int, gain: float = 0.5) -> np.ndarray:
    """Tileable-free fractal value noise, zero mean and unit deviation, shape `size` (rows, columns)."""
    rng = np.random.default_rng(seed)
    rows, cols = size
    total = np.zeros(size, np.float32)
    amplitude = 1.0
    for octave in range(octaves):
        r = max(2, min(rows, int(round(cells[0] * 2**octave)) + 1))
        c = max(2, min(cols, int(round(cells[1] * 2**octave)) + 1))
        total += amplitude * cv2.resize(
            rng.standard_normal((r, c)).astype(np.float32), (cols, rows), interpolation=cv2.INTER_CUBIC
        )
        amplitude *= gain
    total -= total.mean()
    return total / (total.std() + 1e-9)


def mix(a: Any, b: Any, t: np.ndarray) -> np.ndarray:
    t = np.clip(t, 0, 1)[..., None]
    return (np.asarray(a, np.float32) * (1 - t) + np.asarray(b, np.float32) * t).astype(np.float32)


def bitmap(pixels: np.ndarray, scale: tuple[float, float] = (1, 1), raw: bool = True) -> dict[str, Any]:
    """A texture from linear pixels; `scale` is how often it repeats over one metre of the mesh's UV."""
    if pixels.ndim == 2:
        pixels = pixels[..., None]
    return {
        "type": "bitmap",
        "bitmap": mi.Bitmap(np.ascontiguousarray(pixels.astype(np.float32))),
        "raw": raw,
        "wrap_mode": "mirror",
        "to_uv": mi.ScalarTransform4f().scale([scale[0], scale[1], 1]),
    }


def surface(
    colour: Any,
    roughness: Any = 0.6,
    specular: float = 0.4,
    bump: tuple[dict[str, Any], float] | None = None,
    **more: Any,
) -> dict[str, Any]:
    base = colour if isinstance(colour, dict) else {"type": "rgb", "value": list(colour)}
    bsdf: dict[str, Any] = {
        "type": "principled",
        "base_color": base,
        "roughness": roughness,
        "specular": specular,
        **more,
    }
    if bump is not None:
        bsdf = {"type": "bumpmap", "arbitrary": bump[0], "scale": bump[1], "bsdf": bsdf}
    return {"type": "twosided", "bsdf": bsdf} if "spec_trans" not in more else bsdf


def wood(
    seed: int, light: Any, dark: Any, rows: int = 1024, cols: int = 2048, knots: int = 3
) -> tuple[np.ndarray, np.ndarray]:
    """Sawn timber, grain along the columns: colour and height."""
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[0:rows, 0:cols].astype(np.float32)
    y, x = y / rows, x / cols
    warp = 0.05 * noise((rows, cols), (3, 2), 4, seed + 1) + 0.006 * noise((rows, cols), (40, 4), 3, seed + 2)
    for _ in range(knots):
        cy, cx, r = rng.uniform(0.1, 0.9), rng.uniform(0.05, 0.95), rng.uniform(0.02, 0.05)
        d = np.hypot((y - cy), (x - cx) * 0.8) / r
        warp += 0.10 * np.exp(-(d**2) / 3) * np.sign(y - cy + 1e-6)
    rings = 0.5 + 0.5 * np.sin(2 * np.pi * 14 * (y + warp))
    rings = rings**2.2
    pores = noise((rows, cols), (340, 14), 2, seed + 3)
    fibre = noise((rows, cols), (500, 30), 2, seed + 4)
    blotch = noise((rows, cols), (3, 3), 3, seed + 5)
    t = 0.55 * rings + 0.08 * fibre + 0.10 * blotch + 0.2 * (pores > 1.5)
    return mix(light, dark, t), (-0.5 * (pores > 1.4) - 0.2 * rings + 0.08 * fibre).astype(np.float32)


# ------------------------------------------------------------------------------------------------ meshes


@dataclass
class Scene:
    things: dict[str, Any] = field(default_factory=dict)
    #: Names of the things that the picture is of.
    subject: set[str] = field(default_factory=set)

    def add(self, thing: dict[str, Any]) -> None:
        self.things[f"thing_{len(self.things):04d}"] = thing

    @contextmanager
    def of_subject(self) -> Iterator[None]:
        """What is added inside belongs to the subject."""
        before = set(self.things)
        yield
        self.subject |= set(self.things) - before

    def mesh(
        self,
        vertices: np.ndarray,
        faces: np.ndarray,
        uv: np.ndarray,
        bsdf: dict[str, Any],
        smooth: bool = False,
    ) -> None:
        path = FOLDER / f"mesh_{len(self.things):04d}.ply"
        write_ply(path, vertices, faces, uv)
        self.add({"type": "ply", "filename": str(path), "face_normals": not smooth, "bsdf": bsdf})

    def box(
        self,
        centre: Any,
        size: Any,
        bsdf: dict[str, Any],
        bevel: float = 0.004,
        turn: float = 0.0,
        uv_shift: tuple[float, float] = (0, 0),
        tip: float = 0.0,
        uv_world: bool = False,
    ) -> None:
        """A box with chamfered edges; `turn` degrees about the vertical, `tip` about x before that."""
        half = np.asarray(size, float) / 2
        c = min(bevel, half.min() * 0.45)
        points = []
        for sx in (-1, 1):
            for sy in (-1, 1):
                for sz in (-1, 1):
                    s = np.array([sx, sy, sz])
                    for axis in range(3):
                        p = half - c
                        p[axis] = half[axis]
                        points.append(s * p)
        from scipy.spatial import ConvexHull

        points_array = np.array(points)
        hull = ConvexHull(points_array)
        long_axis = int(np.argmax(half))
        vertices, faces, uv = [], [], []
        for simplex, equation in zip(hull.simplices, hull.equations, strict=True):
            tri = points_array[simplex]
            if np.dot(np.cross(tri[1] - tri[0], tri[2] - tri[0]), equation[:3]) < 0:
                tri = tri[::-1]
            dominant = int(np.argmax(np.abs(equation[:3])))
            others = [a for a in range(3) if a != dominant]
            if long_axis in others:
                others = [long_axis, *[a for a in others if a != long_axis]]
            faces.append([len(vertices), len(vertices) + 1, len(vertices) + 2])
            for p in tri:
                vertices.append(p)
                if uv_world:  # neighbouring boxes share one running texture
                    at = p + np.asarray(centre, float)
                    first, second = [a for a in range(3) if a != dominant]
                    uv.append([at[first], at[second]])
                else:
                    uv.append([p[others[0]] + uv_shift[0], p[others[1]] + uv_shift[1]])
        placed = np.array(vertices)
        t = np.radians(tip)
        placed = placed @ np.array([[1, 0, 0], [0, np.cos(t), -np.sin(t)], [0, np.sin(t), np.cos(t)]]).T
        a = np.radians(turn)
        placed = placed @ np.array([[np.cos(a), -np.sin(a), 0], [np.sin(a), np.cos(a), 0], [0, 0, 1]]).T
        self.mesh(placed + np.asarray(centre, float), np.array(faces), np.array(uv), bsdf)

    def lathe(
        self,
        profile: Any,
        centre: Any,
        bsdf: dict[str, Any],
        steps: int = 160,
        wobble: float = 0.0,
        seed: int = 0,
        tilt: Any = None,
        sharp: bool = False,
    ) -> None:
        """A turned solid: `profile` lists (radius, height) from bottom to top, smoothed by a spline, a monotone one if `sharp`."""
        from scipy.interpolate import CubicSpline, PchipInterpolator

        profile_array = np.asarray(profile, float)
        length = np.r_[0, np.cumsum(np.hypot(*np.diff(profile_array, axis=0).T))]
        spline = (PchipInterpolator if sharp else CubicSpline)(length, profile_array)
        s = np.linspace(0, length[-1], 180)
        r, z = spline(s).T
        r = np.maximum(r, 1e-5)
        self.grid(*ring_surface(r, z, steps, wobble, seed), centre, bsdf, tilt)

    def grid(self, points: np.ndarray, uv: np.ndarray, centre: Any, bsdf: dict[str, Any], tilt: Any = None) -> None:
        rows, cols, _ = points.shape
        vertices = points.reshape(-1, 3)
        if tilt is not None:
            vertices = vertices @ np.asarray(tilt).T
        index = np.arange(rows * cols).reshape(rows, cols)
        a, b, c, d = (
            index[:-1, :-1].ravel(),
            index[:-1, 1:].ravel(),
            index[1:, 1:].ravel(),
            index[1:, :-1].ravel(),
        )
        faces = np.concatenate([np.stack([a, b, c], 1), np.stack([a, c, d], 1)])
        self.mesh(vertices + np.asarray(centre, float), faces, uv.reshape(-1, 2), bsdf, smooth=True)

    def strands(self, points: np.ndarray, radius: np.ndarray, bsdf: dict[str, Any]) -> None:
        """Hairs, blades, threads: `points` (count, knots, 3) along each, `radius` (count, knots)."""
        path = FOLDER / f"strands_{len(self.things):04d}.txt"
        rows = np.concatenate([points, radius[..., None]], -1)
        with path.open("w") as out:
            for strand in rows:
                out.write("\n".join("{:.5f} {:.5f} {:.5f} {:.6f}".format(*knot) for knot in strand))
                out.write("\n\n")
        self.add({"type": "bsplinecurve", "filename": str(path), "bsdf": bsdf})

    def tube(self, path: Any, radius: Any, bsdf: dict[str, Any], ring: int = 24) -> None:
        """A round tube along a path; `radius` may vary along it. U runs along, V around."""
        path = np.asarray(path, float)
        radius = np.broadcast_to(radius, len(path))
        tangent = np.gradient(path, axis=0)
        tangent /= np.linalg.norm(tangent, axis=1, keepdims=True)
        side = np.cross(tangent, [0.13, 0.91, 0.27])
        side /= np.linalg.norm(side, axis=1, keepdims=True)
        up = np.cross(side, tangent)
        a = np.linspace(0, 2 * np.pi, ring + 1)
        points = path[:, None] + radius[:, None, None] * (
            np.cos(a)[None, :, None] * side[:, None] + np.sin(a)[None, :, None] * up[:, None]
        )
        t = np.linspace(0, 1, len(path))
        uv = np.stack(np.broadcast_arrays(t[:, None], a[None] / (2 * np.pi)), -1)
        self.grid(points, uv, (0, 0, 0), bsdf)

    def lamp(self, origin: Any, target: Any, size: tuple[float, float], radiance: Any) -> None:
        """A soft box: a rectangle of half-widths `size` that shines toward `target`."""
        to_world = mi.ScalarTransform4f().look_at(list(origin), list(target), [0, 0.3, 1])
        emitter = {"type": "area", "radiance": {"type": "rgb", "value": list(radiance)}}
        self.add(
            {
                "type": "rectangle",
                "to_world": to_world @ mi.ScalarTransform4f().scale([*size, 1]),
                "emitter": emitter,
            }
        )


def ring_surface(r: np.ndarray, z: np.ndarray, steps: int, wobble: float, seed: int) -> tuple[np.ndarray, np.ndarray]:
    angle = np.linspace(0, 2 * np.pi, steps + 1)
    lump = np.zeros((len(r), steps + 1))
    if wobble:
        rng = np.random.default_rng(seed)
        for k in range(1, 7):
            lump += rng.normal(0, 1 / k) * np.cos(
                k * angle[None] + rng.uniform(0, 6.28) + np.linspace(0, rng.uniform(-2, 2), len(r))[:, None]
            )
        lump *= wobble
    radius = r[:, None] * (1 + lump)
    points = np.stack([radius * np.cos(angle), radius * np.sin(angle), np.broadcast_to(z[:, None], radius.shape)], -1)
    v = np.r_[0, np.cumsum(np.hypot(np.diff(r), np.diff(z)))]
    uv = np.stack(np.broadcast_arrays(angle[None] * max(r.max(), 1e-3), v[:, None]), -1)
    return points, uv


def grass(
    scene: Scene,
    places: np.ndarray,
    length: tuple[float, float],
    seed: int,
    tones: Any = ((0.10, 0.19, 0.035), (0.14, 0.24, 0.04), (0.19, 0.28, 0.06), (0.08, 0.14, 0.03), (0.34, 0.29, 0.14)),
    width: float = 0.0012,
    height: Any = 0.0,
    lean: float = 0.5,
) -> None:
    """Flat blades rooted at `places` (count, 2); each bends its own way under its weight. One mesh a tone."""
    rng = np.random.default_rng(seed)
    count, knots = len(places), 6
    long = rng.uniform(*length, count)
    way = rng.uniform(0, 2 * np.pi, count)
    bend = np.minimum(np.abs(rng.normal(0, lean, count)), 1.5)
    t = np.linspace(0, 1, knots)[None]
    out = np.sin(bend[:, None] * t * 1.4) * t
    middle = np.stack(
        [
            places[:, :1] + long[:, None] * out * np.cos(way)[:, None],
            places[:, 1:2] + long[:, None] * out * np.sin(way)[:, None],
            np.broadcast_to(np.asarray(height), (count,))[:, None]
            + long[:, None] * t * (1 - 0.35 * (bend[:, None] * t) ** 2)
            - 0.003,
        ],
        -1,
    )
    face = way + np.pi / 2 + rng.normal(0, 0.5, count)
    half = width * (1 - 0.94 * t**2.2) * rng.uniform(0.6, 1.3, count)[:, None]
    across = np.stack([np.cos(face), np.sin(face), rng.normal(0, 0.25, count)], -1)[:, None] * half[..., None]
    blades = np.stack([middle - across, middle + across], 2).reshape(count, 2 * knots, 3)
    step = 2 * np.arange(knots - 1)
    one = np.concatenate([np.stack([step, step + 1, step + 3], 1), np.stack([step, step + 3, step + 2], 1)])
    kind = rng.choice(len(tones), count, p=_shares(len(tones)))
    for k, tone in enumerate(tones):
        chosen = blades[kind == k]
        faces = (one[None] + 2 * knots * np.arange(len(chosen))[:, None, None]).reshape(-1, 3)
        vertices = chosen.reshape(-1, 3)
        scene.mesh(vertices, faces, np.zeros((len(vertices), 2)), surface(tone, 0.5, 0.35), smooth=True)


def _shares(count: int) -> np.ndarray:
    """Fewer of the last tone, which stands for dry blades."""
    shares = np.ones(count)
    shares[-1] = 0.25
    return shares / shares.sum()


def rotation(x: float = 0, y: float = 0, z: float = 0) -> np.ndarray:
    a, b, c = np.radians([x, y, z])
    rx = np.array([[1, 0, 0], [0, np.cos(a), -np.sin(a)], [0, np.sin(a), np.cos(a)]])
    ry = np.array([[np.cos(b), 0, np.sin(b)], [0, 1, 0], [-np.sin(b), 0, np.cos(b)]])
    rz = np.array([[np.cos(c), -np.sin(c), 0], [np.sin(c), np.cos(c), 0], [0, 0, 1]])
    return rz @ ry @ rx


def write_ply(path: Path, vertices: np.ndarray, faces: np.ndarray, uv: np.ndarray) -> None:
    table = np.zeros(len(vertices), [("x", "<f4"), ("y", "<f4"), ("z", "<f4"), ("u", "<f4"), ("v", "<f4")])
    for name, column in zip("xyzuv", (*vertices.T, *uv.T), strict=True):
        table[name] = column
    rows = np.zeros(len(faces), [("n", "u1"), ("i", "<i4", 3)])
    rows["n"], rows["i"] = 3, faces
    header = f"ply\nformat binary_little_endian 1.0\nelement vertex {len(vertices)}\n"
    header += "".join(f"property float {n}\n" for n in "xyzuv")
    header += f"element face {len(faces)}\nproperty list uchar int vertex_indices\nend_header\n"
    path.write_bytes(header.encode() + table.tobytes() + rows.tobytes())


# ------------------------------------------------------------------------------------------------ camera


def render(scene: Scene, camera: dict[str, Any], size: tuple[int, int], samples: int, depth: int) -> np.ndarray:
    """Linear RGB, denoised. The film is filled window by window, so that memory stays small."""
    width, height = size
    out = np.zeros((height, width, 3), np.float32)
    guides = np.zeros((height, width, 6), np.float32)
    step_x, step_y = 1080, 720
    world = {"type": "scene", **scene.things}
    loaded = None
    for top in range(0, height, step_y):
        for left in range(0, width, step_x):
            w, h = min(step_x, width - left), min(step_y, height - top)
            film = {
                "type": "hdrfilm",
                "width": width,
                "height": height,
                "crop_offset_x": left,
                "crop_offset_y": top,
                "crop_width": w,
                "crop_height": h,
                "rfilter": {"type": "box"},
                "pixel_format": "rgb",
                "component_format": "float32",
            }
            sensor = mi.load_dict({**camera, "film": film, "sampler": {"type": "independent", "sample_count": samples}})
            if loaded is None:
                loaded = mi.load_dict(world)
            seed = (top // step_y) * 97 + left // step_x
            beauty = mi.load_dict({"type": "path", "max_depth": depth})
            out[top : top + h, left : left + w] = np.array(
                mi.render(loaded, sensor=sensor, integrator=beauty, spp=samples, seed=seed)
            )
            aov = mi.load_dict({"type": "aov", "aovs": "al:albedo,nn:sh_normal"})
            extra = np.array(mi.render(loaded, sensor=sensor, integrator=aov, spp=8, seed=seed + 5000))
            guides[top : top + h, left : left + w] = extra[..., -6:]
            print(f"window {left},{top} of {width}x{height}", flush=True)
    np.nan_to_num(out, copy=False, nan=0.0, posinf=50.0)
    return denoise(out, np.clip(guides[..., :3], 0, 1), guides[..., 3:])


def render_part(
    scene: Scene,
    camera: dict[str, Any],
    size: tuple[int, int],
    box: tuple[int, int, int, int],
    samples: int,
    depth: int,
) -> np.ndarray:
    """One window (left, top, right, bottom) of the same picture, for the second of a pair. Linear RGB, denoised."""
    loaded, sensor = _window_of(scene, camera, size, box, samples)
    total = np.zeros((box[3] - box[1], box[2] - box[0], 3), np.float32)
    for pass_number in range(2):
        beauty = mi.load_dict({"type": "path", "max_depth": depth})
        total += (
            np.array(mi.render(loaded, sensor=sensor, integrator=beauty, spp=samples // 2, seed=40 + pass_number)) / 2
        )
    guides = _guides(loaded, sensor)
    np.nan_to_num(total, copy=False, nan=0.0, posinf=50.0)
    return denoise(total, np.clip(guides[..., :3], 0, 1), guides[..., 3:])


def things_of(
    scene: Scene, camera: dict[str, Any], size: tuple[int, int], box: tuple[int, int, int, int]
) -> np.ndarray:
    """Colour and direction of the surfaces in a window, the same rays each time: where two scenes differ, things do."""
    return _guides(*_window_of(scene, camera, size, box, 8))


def _window_of(
    scene: Scene, camera: dict[str, Any], size: tuple[int, int], box: tuple[int, int, int, int], samples: int
) -> tuple[Any, Any]:
    left, top, right, bottom = box
    film = {
        "type": "hdrfilm",
        "width": size[0],
        "height": size[1],
        "crop_offset_x": left,
        "crop_offset_y": top,
        "crop_width": right - left,
        "crop_height": bottom - top,
        "rfilter": {"type": "box"},
        "pixel_format": "rgb",
        "component_format": "float32",
    }
    sensor = mi.load_dict({**camera, "film": film, "sampler": {"type": "independent", "sample_count": samples}})
    return mi.load_dict({"type": "scene", **scene.things}), sensor


def _guides(loaded: Any, sensor: Any) -> np.ndarray:
    aov = mi.load_dict({"type": "aov", "aovs": "al:albedo,nn:sh_normal"})
    return np.array(mi.render(loaded, sensor=sensor, integrator=aov, spp=8, seed=99))[..., -6:]


def replaced(
    linear: np.ndarray, part: np.ndarray, changed: np.ndarray, box: tuple[int, int, int, int], shadows: int | None = 90
) -> tuple[np.ndarray, np.ndarray]:
    """The first picture of a pair with the second's pixels where things or their shadows differ, and that mask, 0-1.

    `changed` says where things differ; shadows are broad differences of light, at most `shadows` pixels from them, or
    anywhere when it is None, as in a mirror. What differs by noise alone stays as it is in the first.
    """
    left, top, right, bottom = box
    first = linear[top:bottom, left:right]
    light = [np.log(cv2.GaussianBlur(p, (0, 0), 7).mean(axis=-1) + 0.02) for p in (first, part)]
    mask = np.abs(light[0] - light[1]) > 0.05
    if shadows is not None:
        near = cv2.dilate(changed.astype(np.uint8), np.ones((2 * shadows + 1, 2 * shadows + 1), np.uint8))
        mask = (mask & (near > 0)) | changed
        _, labels = cv2.connectedComponents(mask.astype(np.uint8))
        mask &= np.isin(labels, np.unique(labels[changed]))
    mask = cv2.dilate(mask.astype(np.uint8), cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (17, 17)))
    soft = cv2.GaussianBlur(mask.astype(np.float32), (0, 0), 4)
    # fade out at the window's sides, but not where they are the picture's own
    rim = np.ones_like(soft)
    sides = (top > 0, bottom < linear.shape[0], left > 0, right < linear.shape[1])
    for inner, strip in zip(sides, (rim[:24], rim[-24:], rim[:, :24], rim[:, -24:]), strict=True):
        if inner:
            strip[:] = 0
    soft *= cv2.GaussianBlur(rim, (0, 0), 6, borderType=cv2.BORDER_REPLICATE)
    out = linear.copy()
    out[top:bottom, left:right] = first + soft[..., None] * (part - first)
    whole = np.zeros(linear.shape[:2], np.float32)
    whole[top:bottom, left:right] = soft
    return out, whole


def write_truth(path: Path, mask: np.ndarray | None, **truth: Any) -> None:
    """`truth.json` and the mask beside a picture."""
    import json

    from PIL import Image

    if mask is not None:
        name = path.with_suffix(".mask.png")
        Image.fromarray(((mask > 0.02) * 255).astype(np.uint8)).convert("1").save(name, optimize=True)
        truth["mask"] = name.name
    path.with_suffix(".truth.json").write_text(json.dumps(truth, indent=1) + "\n")


def add_truth(path: Path, **more: Any) -> None:
    """Further lines in a `truth.json` that stands already."""
    import json

    said = path.with_suffix(".truth.json")
    known = json.loads(said.read_text()) if said.exists() else {}
    said.write_text(json.dumps({**known, **more}, indent=1) + "\n")


def denoise(colour: np.ndarray, albedo: np.ndarray, normal: np.ndarray) -> np.ndarray:
    import pyoidn

    return np.asarray(pyoidn.denoise(colour, albedo.astype(np.float32), normal.astype(np.float32), hdr=True))


def photograph(
    linear: np.ndarray,
    exposure: float,
    gains: Any = (1, 1, 1),
    falloff: float = 0.25,
    grain: float = 0.006,
    seed: int = 1,
    softness: float = 0.55,
) -> np.ndarray:
    """As `exposed`, in 8-bit sRGB."""
    encoded = exposed(linear, exposure, gains, falloff, grain, seed, softness)
    rounding = np.random.default_rng(seed + 1).uniform(-0.5, 0.5, encoded.shape) / 255
    return (np.clip(encoded + rounding, 0, 1) * 255 + 0.5).astype(np.uint8)


def exposed(
    linear: np.ndarray,
    exposure: float,
    gains: Any = (1, 1, 1),
    falloff: float = 0.25,
    grain: float = 0.006,
    seed: int = 1,
    softness: float = 0.55,
) -> np.ndarray:
    """A camera's traces: lens falloff and a trace of blur, cast, shot and read noise, a film-like shoulder. Encoded sRGB, 0-1."""
    rng = np.random.default_rng(seed)
    h, w, _ = linear.shape
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    d = np.hypot((x - w / 2), (y - h / 2)) / np.hypot(w / 2, h / 2)
    light = linear * (1 - falloff * d[..., None] ** 2) * exposure
    bloom = cv2.GaussianBlur(np.minimum(light, 6), (0, 0), h / 90)
    light = 0.985 * light + 0.015 * bloom
    light = cv2.GaussianBlur(light, (0, 0), softness)
    light *= np.asarray(gains, np.float32)
    sigma = grain * np.sqrt(np.clip(light, 0, 1) * 0.35 + 0.004)
    fine = rng.standard_normal(light.shape).astype(np.float32)
    fine = 0.75 * fine + 0.5 * fine.mean(-1, keepdims=True)
    light = light + sigma * cv2.GaussianBlur(fine, (0, 0), 0.45) * 1.5
    light = np.clip(light, 0, None)
    knee = 0.72
    over = np.maximum(light - knee, 0)
    light = np.where(light > knee, knee + (1 - knee) * (1 - np.exp(-over / (1 - knee))) * 1.012, light)
    return np.clip(
        np.where(light <= 0.0031308, 12.92 * light, 1.055 * np.clip(light, 1e-6, None) ** (1 / 2.4) - 0.055), 0, 1
    )


def specks(pixels: np.ndarray, places: Any, seed: int = 3) -> np.ndarray:
    """Sensor dust: soft round shadows (x, y, radius, depth 0-1) multiplied into the picture."""
    out = pixels.astype(np.float32)
    for x, y, radius, depth in places:
        y0, y1, x0, x1 = (
            int(max(0, y - 3 * radius)),
            int(y + 3 * radius),
            int(max(0, x - 3 * radius)),
            int(x + 3 * radius),
        )
        yy, xx = np.mgrid[y0 : min(y1, out.shape[0]), x0 : min(x1, out.shape[1])]
        d = np.hypot(xx - x, yy - y) / radius
        shade = 1 - depth / (1 + np.exp((d - 1) * 9))
        out[y0:y1, x0:x1] *= shade[..., None]
    return np.clip(out + 0.5, 0, 255).astype(np.uint8)


def speck_mask(size: tuple[int, int], places: Any) -> np.ndarray:
    """Where `specks` darken a picture of `size` (rows, columns), 0-1."""
    mask = np.zeros(size, np.uint8)
    for x, y, radius, _ in places:
        cv2.circle(mask, (int(x), int(y)), int(radius * 1.6 + 1), 255, -1)
    return mask.astype(np.float32) / 255


def dusted(places: Any, width: int = 4320) -> Any:
    """A `spoil` for a shot: specks at `places` of a picture of this width, in linear light, and their mask."""

    def spoil(linear: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        rows, cols = linear.shape[:2]
        scale = cols / width
        scaled = [(x * scale, y * scale, max(1, r * scale), depth) for x, y, r, depth in places]
        shade = np.ones((rows, cols), np.float32)
        yy, xx = np.mgrid[0:rows, 0:cols].astype(np.float32)
        for x, y, r, depth in scaled:
            near = (
                slice(max(0, int(y - 4 * r)), int(y + 4 * r) + 1),
                slice(max(0, int(x - 4 * r)), int(x + 4 * r) + 1),
            )
            shade[near] *= 1 - depth / (1 + np.exp((np.hypot(xx[near] - x, (yy[near] - y) * 1.3) / r - 1) * 7))
        return linear * shade[..., None], speck_mask((rows, cols), scaled)

    return spoil


def save(
    path: Path,
    pixels: np.ndarray,
    model: str,
    lens: str,
    seconds: str,
    f_number: float,
    iso: int,
    when: str,
    focal: float,
    quality: int = 92,
    bias: float = 0.0,
    xmp: bytes | None = None,
) -> None:
    """A JPEG with EXIF of an invented camera, the sRGB profile, and XMP where the picture needs it; `bias` in EV."""
    from PIL import Image, ImageCms

    exif = Image.Exif()
    exif[0x010F], exif[0x0110], exif[0x0112] = "Orrery", model, 1
    exif[0x011A], exif[0x011B], exif[0x0128] = 300.0, 300.0, 2
    exif[0x0132] = when
    detail = exif.get_ifd(0x8769)
    numerator, denominator = seconds.split("/")
    from PIL.TiffImagePlugin import IFDRational

    detail[0x829A] = IFDRational(round(int(numerator) * 2**bias * 64), int(denominator) * 64)
    detail[0x829D] = IFDRational(int(f_number * 10), 10)
    detail[0x8827], detail[0x9003], detail[0xA434] = iso, when, lens
    detail[0x920A] = IFDRational(int(focal * 10), 10)
    detail[0x9204] = IFDRational(round(bias * 3), 3)
    profile = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    Image.fromarray(pixels).save(
        path,
        quality=quality,
        subsampling=0 if quality > 94 else 2,
        exif=exif,
        icc_profile=profile,
        dpi=(300, 300),
        optimize=True,
        **({"xmp": xmp} if xmp else {}),
    )


# ------------------------------------------------------------------------------------------------- pairs


@dataclass(frozen=True)
class Shot:
    """One picture of a scene, how its camera took it, and what is known to be wrong with it.

    Attributes
    ----------
    build
        `(clean)` to scene and camera; with `clean` nothing distracts.
    depth
        Bounces of light.
    clean_boxes
        Left, top, right, bottom of each window in which the clean picture differs, at full size.
    spoil
        What the camera or the years add: linear picture to the spoiled one and the mask of those places, or None.
    exposure, gains, falloff, grain
        As `photograph` takes them. The gains are the cast.
    camera
        Model, lens, seconds, f-number, ISO, date, focal length, as `save` takes them.
    truth
        What else is known, written to truth.json.
    size, enlarge
        Width and height that are rendered, and how many times the finished picture is as large.
    xmp, quality
        Of the finished JPEG.
    mirrors
        Windows in which things differ by their reflections alone.
    shadows
        How far a thing's shadow reaches in the picture, pixels.
    darker
        Stops of a second frame of the same moment, saved as NAME.dark.jpg.
    sixteen
        Whether to save a half-size 16-bit TIFF too, exposed for the whites, as NAME.16bit.tiff.
    """

    build: Any
    depth: int
    clean_boxes: tuple[tuple[int, int, int, int], ...]
    exposure: float
    gains: tuple[float, float, float]
    falloff: float
    grain: float
    camera: tuple[Any, ...]
    truth: dict[str, Any]
    spoil: Any = None
    size: tuple[int, int] = (4320, 2880)
    enlarge: int = 1
    xmp: bytes | None = None
    quality: int = 92
    darker: float | None = None
    shadows: int = 90
    mirrors: tuple[tuple[int, int, int, int], ...] = ()
    sixteen: bool = False


def make(shot: Shot) -> None:
    """The command line of a scene: render, spoil, photograph, save; with --pair the clean picture, mask and truth too."""
    import argparse

    parser = argparse.ArgumentParser()
    parser.add_argument("out", type=Path)
    parser.add_argument("--scale", type=float, default=1.0)
    parser.add_argument("--samples", type=int, default=16)
    parser.add_argument("--linear", type=Path, help="develop this saved render again instead of rendering")
    parser.add_argument(
        "--series", action="store_true", help="add a frame two stops under and one two over, as from the hand"
    )
    parser.add_argument("--pair", action="store_true", help="make the clean picture, the mask and the truth as well")
    options = parser.parse_args()
    size = (round(shot.size[0] * options.scale), round(shot.size[1] * options.scale))
    if options.linear:
        linear = np.load(options.linear).astype(np.float32)
    else:
        linear = render(*shot.build(clean=False), size, options.samples, shot.depth)
        np.save(options.out.with_suffix(".npy"), linear.astype(np.float16))
    spoiled, spoil_mask = shot.spoil(linear) if shot.spoil else (linear, None)
    _develop(shot, spoiled, options.out)
    more = {}
    if shot.darker is not None:
        more["darker"] = options.out.with_suffix(".dark.jpg").name
        _develop(shot, spoiled, options.out.with_name(more["darker"]), bias=shot.darker)
    if shot.sixteen:
        more["sixteen"] = options.out.with_suffix(".16bit.tiff").name
        _develop_deep(shot, spoiled, options.out.with_name(more["sixteen"]))
    if options.series:
        more["series"] = _series(shot, spoiled, options.out)
        add_truth(options.out, series=more["series"])
    if not options.pair:
        return
    clean, mask = linear, np.zeros(linear.shape[:2], np.float32)
    scenes = [shot.build(clean=clean_one) for clean_one in (False, True)]
    for wanted in (*shot.clean_boxes, *shot.mirrors):
        box = tuple(round(v * options.scale) for v in wanted)
        part = render_part(*scenes[1], size, box, options.samples, shot.depth)
        with_things, without = (things_of(*scene, size, box) for scene in scenes)
        changed = np.abs(with_things - without).max(axis=-1) > 0.02
        reach = None if wanted in shot.mirrors else round(shot.shadows * options.scale)
        clean, differs = replaced(clean, part, changed, box, reach)
        mask = np.maximum(mask, differs)
    if spoil_mask is not None:
        mask = np.maximum(mask, spoil_mask)
    if shot.enlarge > 1:
        mask = cv2.resize(mask, None, fx=shot.enlarge, fy=shot.enlarge, interpolation=cv2.INTER_LINEAR)
    clean_path = options.out.with_suffix(".clean.jpg")
    _develop(shot, clean, clean_path)
    write_truth(options.out, mask, gains=list(shot.gains), clean=clean_path.name, **more, **shot.truth)


HAND = {-2: ((2.6, -1.8), 0.035), 2: ((-3.7, 2.3), -0.05)}
"""How far the hand moved (pixels right and down, degrees) before each further frame of a series, by its EV."""


def _series(shot: Shot, linear: np.ndarray, out: Path) -> list[dict[str, Any]]:
    rows, cols = linear.shape[:2]
    frames = [{"file": out.name, "ev": 0, "shift": [0, 0], "turn": 0}]
    for ev, (shift, turn) in HAND.items():
        move = cv2.getRotationMatrix2D((cols / 2, rows / 2), turn, 1.0)
        move[:, 2] += shift
        moved = cv2.warpAffine(linear, move, (cols, rows), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
        path = out.with_suffix(".under.jpg" if ev < 0 else ".over.jpg")
        _develop(shot, np.maximum(moved, 0), path, bias=ev)
        frames.append({"file": path.name, "ev": ev, "shift": list(shift), "turn": turn})
    return frames


def _develop(shot: Shot, linear: np.ndarray, path: Path, bias: float = 0.0) -> None:
    if shot.enlarge > 1:
        linear = cv2.resize(linear, None, fx=shot.enlarge, fy=shot.enlarge, interpolation=cv2.INTER_CUBIC)
    pixels = photograph(
        np.maximum(linear, 0),
        shot.exposure * 2**bias,
        shot.gains,
        falloff=shot.falloff,
        grain=shot.grain,
        seed=1 if bias == 0 else 7,
    )
    save(path, pixels, *shot.camera, xmp=shot.xmp, quality=shot.quality, bias=bias)


def _develop_deep(shot: Shot, linear: np.ndarray, path: Path) -> None:
    """Half size, 1.3 stops darker so that no white is lost, 16 bits of which the camera fills the upper 12."""
    import tifffile
    from PIL import ImageCms

    small = cv2.resize(linear, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
    encoded = exposed(small, shot.exposure * 2**-1.3, shot.gains, falloff=shot.falloff, grain=shot.grain * 0.5)
    deep = ((encoded * 4095 + 0.5).astype(np.uint16)) << 4
    profile = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    tifffile.imwrite(
        path, deep, photometric="rgb", compression="deflate", predictor=True, iccprofile=profile, resolution=(300, 300), resolutionunit="INCH"
    )  # fmt: skip


def scan_pair(
    out: Path,
    clean: np.ndarray,
    dirt: np.ndarray,
    tone: Any,
    places: Any,
    scanned: Any,
    scanner: tuple[Any, ...],
    **truth: Any,
) -> None:
    """A scan with dirt on it, the clean scan, the mask and the truth.

    `dirt` is the cover 0-1 of what lies on the sheet in the linear colour `tone`; `places` are specks; `scanned` develops a
    linear picture; `scanner` is what `save` takes.
    """
    save(out, specks(scanned(mix(clean, tone, dirt)), places), *scanner)
    clean_path = out.with_suffix(".clean.jpg")
    save(clean_path, scanned(clean), *scanner)
    listed = [[int(x), int(y), int(r), round(float(d), 3)] for x, y, r, d in places]
    mask = np.maximum(dirt, speck_mask(clean.shape[:2], places))
    write_truth(out, mask, kind="artwork", specks=listed, clean=clean_path.name, **truth)
