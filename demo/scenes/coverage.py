"""How far a scene's subject, or its sky, covers each pixel: truth for what finds or refines a cover. For makers only.

    python demo/scenes/coverage.py cavy demo/pictures/ginger-cavy.cover.png

The scene is rendered once more with the subject white and all else black, by the same lens, so that hair and blur give
the shares that they have in the photograph. Where nothing is hit there is sky.
"""

from __future__ import annotations

import argparse
import importlib
from pathlib import Path
from typing import Any

import cv2
import mitsuba as mi
import numpy as np
from studio import Scene

#: Samples of a pixel in one pass, and rows of a pass: a wave of rays stays small.
_SAMPLES, _ROWS = 16, 256
#: Passes, so that a share is known to about 0.03.
_PASSES = 16


def coverage(scene: Scene, camera: dict[str, Any], size: tuple[int, int], marked: set[str] | None) -> np.ndarray:
    """Share of each pixel, 0-1, that the marked things cover; that nothing covers where `marked` is None."""
    painted = _painted(scene.things, marked or set())
    if marked is None:
        # light that comes from beyond all things, and is seen only where none stands before it
        painted["beyond"] = {"type": "constant", "radiance": {"type": "rgb", "value": [1.0] * 3}}
        seen = mi.load_dict({"type": "path", "max_depth": 1})
    else:
        seen = mi.load_dict({"type": "aov", "aovs": "colour:albedo"})
    world = mi.load_dict({"type": "scene", **painted})
    total = np.zeros((size[1], size[0]), np.float64)
    for top in range(0, size[1], _ROWS):
        rows = min(_ROWS, size[1] - top)
        film = {
            "type": "hdrfilm",
            "width": size[0],
            "height": size[1],
            "crop_offset_y": top,
            "crop_width": size[0],
            "crop_height": rows,
            "rfilter": {"type": "box"},
        }
        for number in range(_PASSES):
            sampler = {"type": "multijitter", "sample_count": _SAMPLES}
            sensor = mi.load_dict({**camera, "film": film, "sampler": sampler})
            part = np.array(mi.render(world, sensor=sensor, integrator=seen, spp=_SAMPLES, seed=1000 * number + top))
            total[top : top + rows] += part[..., 0 if marked is None else -1] / _PASSES
        print(f"{top + rows} of {size[1]} rows", flush=True)
    return np.clip(total, 0, 1)


def _painted(things: dict[str, Any], marked: set[str]) -> dict[str, Any]:
    painted = {}
    for name, thing in things.items():
        if "emitter" in thing or thing["type"] in ("constant", "envmap", "directional"):
            continue
        flat = {"type": "diffuse", "reflectance": {"type": "rgb", "value": [float(name in marked)] * 3}}
        painted[name] = {**thing, "bsdf": {"type": "twosided", "bsdf": flat}}
    return painted


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("scene")
    parser.add_argument("out", type=Path)
    parser.add_argument("--sky", action="store_true", help="what nothing covers, in place of the subject")
    parser.add_argument("--size", type=int, nargs=2, default=(1080, 720))
    options = parser.parse_args()
    scene, camera = importlib.import_module(options.scene).build(clean=False)
    share = coverage(scene, camera, tuple(options.size), None if options.sky else scene.subject)
    cv2.imwrite(str(options.out), np.round(255 * share).astype(np.uint8))


if __name__ == "__main__":
    main()
