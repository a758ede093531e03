"""Repairs beside common baselines of the same run: texture, thin lines, smooth ground, tight strokes, repeats."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from itertools import product
from pathlib import Path
from statistics import median

import cv2
import numpy as np
from numpy.typing import NDArray
from skimage import data
from skimage.restoration import inpaint_biharmonic

from benchmarks.figures import DEMO, Figure
from fern_ticket.core.clean.synthesis import synthesise
from fern_ticket.core.inspect.repeats import Repeat, copied, features_of, repeats
from fern_ticket.core.ledger.masks import BitmapMask, Mask, Stroke, StrokesMask
from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.pictures.decode import Decoded, decode_file
from fern_ticket.core.pictures.profiles import srgb
from fern_ticket.core.pictures.pyramid import ArraySource
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture
from fern_ticket.core.settling import settle
from tests.quality import blob, filling, noisy, sky

Picture = NDArray[np.uint8]
Bits = NDArray[np.bool_]


def run(folder: Path) -> Iterator[Figure]:
    del folder
    yield from _texture()
    yield from _speed()
    yield from _thin_lines()
    yield from _smooth()
    yield from _tight()
    yield from _repeats()


def baselines(pixels: Picture, hole: Bits) -> dict[str, Picture]:
    """OpenCV's inpaint by both methods and xphoto, scikit-image's biharmonic."""
    drawn = hole.astype(np.uint8)
    out = {
        "Telea": np.asarray(cv2.inpaint(pixels, drawn, 5, cv2.INPAINT_TELEA), np.uint8),
        "Navier-Stokes": np.asarray(cv2.inpaint(pixels, drawn, 5, cv2.INPAINT_NS), np.uint8),
    }
    shifted = np.zeros_like(pixels)
    lab = cv2.cvtColor(pixels, cv2.COLOR_RGB2Lab)
    cv2.xphoto.inpaint(lab, (1 - drawn) * 255, shifted, cv2.xphoto.INPAINT_SHIFTMAP)
    out["shift map"] = np.asarray(cv2.cvtColor(shifted, cv2.COLOR_Lab2RGB), np.uint8)
    smooth = inpaint_biharmonic(pixels, hole, channel_axis=-1)
    out["biharmonic"] = np.clip(smooth * 255 + 0.5, 0, 255).astype(np.uint8)
    return out


def grounds() -> Iterator[tuple[str, Picture, Bits]]:
    """Textures with a hole of 90 px: scikit-image's, and grounds of the demo's clean pictures."""
    for name in ("grass", "gravel", "hubble_deep_field", "brick"):
        pixels = np.asarray(getattr(data, name)())
        pixels = np.repeat(pixels[..., None], 3, axis=2) if pixels.ndim == 2 else pixels
        yield name, np.ascontiguousarray(pixels[30:430, 30:430]), blob(400, 400, 90)
    for name, left, top in (("path-tortoise", 600, 2100), ("ginger-cavy", 300, 2450), ("quay-cottage", 2900, 2550)):
        clean = decode_file(DEMO / f"{name}.clean.jpg").pixels
        yield (
            f"{name} ground",
            np.ascontiguousarray(clean[top - 100 : top + 300, left : left + 400]),
            blob(400, 400, 90),
        )


def _texture() -> Iterator[Figure]:
    for name, pixels, hole in grounds():
        for suffix, seen in (("", pixels), (", under noise", noisy(pixels, 6))):
            found = filling(_grown(seen, hole), seen, hole)
            others = {label: filling(made, seen, hole) for label, made in baselines(seen, hole).items()}
            label, best = min(others.items(), key=lambda pair: pair[1].away)
            against = f"{label}: {best.deviation:.2f}, {best.energy:.2f}, {best.rim:.2f}"
            numbers = f"{found.deviation:.2f}, {found.energy:.2f}, {found.rim:.2f}"
            yield Figure(
                f"regrow {name}{suffix}: deviation, gradient energy and rim {numbers}; away from 1",
                round(found.away, 3),
                "mean",
                against,
                round(best.away, 3),
            )
            if name == "brick":
                yield Figure(
                    f"regrow brick{suffix}: 20 dB less likeness", round(20 - found.likeness, 2), "dB", "20 dB", 0
                )


def _speed() -> Iterator[Figure]:
    """A place of 300 × 300 in its surroundings."""
    grass, gravel = (np.repeat(getattr(data, name)()[..., None], 3, axis=2) for name in ("grass", "gravel"))
    wide = np.concatenate([gravel, grass], axis=1)
    pixels = np.ascontiguousarray(np.concatenate([wide, wide[:, ::-1]], axis=0)[:750, :750])
    hole = np.zeros(pixels.shape[:2], np.bool_)
    hole[225:525, 225:525] = True
    taken = []
    for seed in range(3):
        start = time.perf_counter()
        synthesise(pixels.astype(np.float32), hole, ~hole, ~hole, seed)
        taken.append(time.perf_counter() - start)
    start = time.perf_counter()
    with ThreadPoolExecutor(2) as threads:
        list(threads.map(lambda seed: synthesise(pixels.astype(np.float32), hole, ~hole, ~hole, seed), range(3)))
    yield Figure("regrow 300 × 300, three takes on two threads", round(time.perf_counter() - start, 2), "s", "-", 5)
    start = time.perf_counter()
    lab, out = cv2.cvtColor(pixels, cv2.COLOR_RGB2Lab), np.zeros_like(pixels)
    cv2.xphoto.inpaint(lab, np.where(hole, 0, 255).astype(np.uint8), out, cv2.xphoto.INPAINT_SHIFTMAP)
    shift_map = time.perf_counter() - start
    yield Figure("regrow 300 × 300, a take", round(median(taken), 2), "s", "stands alone", 1.5)
    yield Figure(
        "regrow 300 × 300, of the shift map's time",
        round(median(taken) / shift_map, 3),
        "×",
        f"{shift_map:.1f} s",
        0.33,
    )


def _thin_lines() -> Iterator[Figure]:
    for name, ground, target in (("smooth ground", sky(300, 400)[0], 0.5), ("crossing edges", _bars(), None)):
        pixels = ground.copy()
        cv2.line(pixels, (20, 140), (380, 175), (25, 28, 30), 4, cv2.LINE_AA)
        mask = {"kind": "strokes", "strokes": [{"points": [[22, 141, 1], [378, 175, 1]], "size": 20}]}
        step, made = _made(pixels, "unthread", StrokesMask.model_validate(mask))
        hole = _hole(step.mask, pixels)
        ours = filling(made, ground, hole)
        other = filling(baselines(pixels, hole)["biharmonic"], ground, hole)
        if target is not None:
            against = f"biharmonic {other.likeness:.1f} dB"
            yield Figure(
                f"unthread on {name}: dB behind", round(other.likeness - ours.likeness, 2), "dB", against, target
            )
        else:
            against = f"biharmonic's energy {other.energy:.2f}; ours {ours.energy:.2f} of the truth's, at least 0.6"
            yield Figure(f"unthread over {name}: energy lost", round(1 - ours.energy, 3), "share", against, 0.4)


def _bars() -> Picture:
    """Upright and slanted bars of strong contrast."""
    y, x = np.mgrid[0:300, 0:400]
    wave = np.where((x < 200) & (x // 22 % 2 == 0), 60, 190) + 0 * y
    slanted = np.where((x + y // 2) // 26 % 2 == 0, 70, 180)
    plane = cv2.GaussianBlur(np.where(x < 200, wave, slanted).astype(np.float32), (0, 0), 0.8)
    return np.clip(plane[..., None] + (0, 6, 12), 0, 255).astype(np.uint8)


def _smooth() -> Iterator[Figure]:
    worst, grain = 0.0, []
    for seed in range(4):
        pixels, pure = sky(420, 560, 1.5, seed)
        spoiled = pixels.copy()
        hole = blob(420, 560, 130 + 20 * seed)
        spoiled[hole] = (30, 30, 30)
        _, quiet = _made(spoiled, "calm", _bitmap(hole), {"grain": 0})
        worst = max(worst, float(np.sqrt(((quiet - pure - 0.0)[hole] ** 2).mean())))
        _, grained = _made(spoiled, "calm", _bitmap(hole), {"seed": seed})
        ring = (cv2.dilate(hole.astype(np.uint8), np.ones((61, 61), np.uint8)) > 0) & ~hole
        grain.append((grained - pure)[hole].std() / (pixels - pure)[ring].std())
    yield Figure("calm on gradients: error before grain", round(worst, 3), "of 255, RMS", "the gradient itself", 1.0)
    off = max(abs(1 - float(share)) for share in grain)
    yield Figure("calm: grain away from its ring's", round(off, 3), "share", "the ring's deviation", 0.1)


def _tight() -> Iterator[Figure]:
    """Spots with a fading edge under strokes that just cover them, on slopes and on photographs' smooth places."""
    worst, left, telea = 0.0, [], []
    grounds = [sky(300, 400, grain, 3)[0] for grain in (0.5, 2.0)]
    grounds.append(np.asarray(data.rocket())[0:180, 0:240])
    grounds.append(np.asarray(data.astronaut())[0:120, 330:500])
    for ground, radius, hardness in product(grounds, (4, 12), (0.0, 0.3, 0.7, 1.0)):
        y, x = (side // 2 + 0.5 for side in ground.shape[:2])
        yy, xx = np.mgrid[: ground.shape[0], : ground.shape[1]] + 0.5
        away = np.hypot(yy - y, xx - x)
        share = 1 / (1 + np.exp(np.clip((away - radius) / 0.4, -50, 50)))[..., None]
        spoiled = np.asarray(ground * (1 - share) + 30 * share, np.uint8)
        tip = Stroke(points=[(x, y, 1.0)], size=2 * radius + 4, hardness=hardness)
        _, healed = _made(spoiled, "heal", StrokesMask(strokes=[tip]))
        inpainted = cv2.inpaint(spoiled, (away < radius + 2).astype(np.uint8), 3, cv2.INPAINT_TELEA)
        errors = []
        for made in (healed, inpainted):
            off = cv2.GaussianBlur(made.astype(np.float32) - ground, (0, 0), 2)[away < radius + 2]
            errors.append(float(np.abs(off).mean()))
        left.append(errors[0])
        telea.append(errors[1])
        worst = max(worst, errors[0])
    against = f"OpenCV inpaint on the whole of each stroke: {median(telea):.2f}"
    name = "heal under a tight stroke: error after a blur of 2 px"
    yield Figure(f"{name}, median", round(median(left), 2), "of 255", against, 1)
    yield Figure(f"{name}, worst", round(worst, 2), "of 255", f"OpenCV inpaint: {max(telea):.2f}", 5)


def _repeats() -> Iterator[Figure]:
    pictures = {
        name: np.asarray(getattr(data, name)()) for name in ("gravel", "coffee", "chelsea", "rocket", "astronaut")
    }
    kinds: dict[str, Callable[[Picture, int], Picture]] = {
        "hard": lambda p, k: _pasted(p, k, 0),
        "feathered": lambda p, k: _pasted(p, k, 6),
        "JPEG 75": lambda p, k: _through_jpeg(_pasted(p, k, 0), 75),
        "healed": _healed,
    }
    # gravel and grass hold a true near-duplicate of their own, 25 features strong in gravel
    clean = [len(repeats(_grey(pixels))) for name, pixels in pictures.items() if name != "gravel"]
    yield Figure("repeats on clean pictures", sum(clean), "pairs", f"{len(clean)} pictures", 0)
    coloured = [np.repeat(one[..., None], 3, axis=2) if one.ndim == 2 else one for one in pictures.values()]
    tries = [(np.ascontiguousarray(pixels), seed) for pixels in coloured for seed in range(4)]

    def missed(kind: str, found: Callable[[Picture, int], list[Repeat]], target: float) -> Figure:
        share = sum(not found(pixels, seed) for pixels, seed in tries) / len(tries)
        return Figure(
            f"repeats: {kind} copies of 60 px missed", round(share, 3), "share", f"{len(tries)} copies", target
        )

    for kind, copy in kinds.items():

        def anywhere(pixels: Picture, seed: int, copy: Callable[[Picture, int], Picture] = copy) -> list[Repeat]:
            grey = _grey(copy(pixels, seed))
            return copied(grey, repeats(grey))

        yield missed(kind, anywhere, 0.4 if kind == "healed" else 0.05)
    for kind, turn in _TURNED.items():

        def of_the_copy(pixels: Picture, seed: int, turn: NDArray[np.float64] = turn) -> list[Repeat]:
            made, box = _turned(pixels, seed, turn)
            grey = _grey(made)
            features = features_of(grey)
            x, y = features.at.T
            asked = (x > box.left) & (x < box.right) & (y > box.top) & (y < box.bottom)
            return copied(grey, repeats(grey, features, asked))

        yield missed(kind, of_the_copy, 0.2)


#: How a copy is turned and mirrored: from its own pixels to those of what is copied, about both middles.
_TURNED = {
    "mirrored across": np.diag([-1.0, 1.0]),
    "mirrored down": np.diag([1.0, -1.0]),
    "turned by 15°": cv2.getRotationMatrix2D((0, 0), 15, 1)[:, :2],
    "turned by -20°": cv2.getRotationMatrix2D((0, 0), -20, 1)[:, :2],
}


def _turned(pixels: Picture, seed: int, turn: NDArray[np.float64]) -> tuple[Picture, Box]:
    """A copy of 60 px that is turned or mirrored, and where it is."""
    (x, y), (u, v) = _places(pixels, seed)
    middle = np.array([29.5, 29.5])
    warp = np.column_stack([turn, np.array([x, y]) + middle - turn @ middle])
    flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
    out = pixels.copy()
    out[v : v + 60, u : u + 60] = cv2.warpAffine(pixels, warp, (60, 60), flags=flags, borderMode=cv2.BORDER_REFLECT)
    return out, Box(u, v, u + 60, v + 60)


def _places(pixels: Picture, seed: int) -> tuple[tuple[int, int], tuple[int, int]]:
    """Corners of a textured square of 60 px and of where it is copied to."""
    random = np.random.default_rng(seed)
    grey = _grey(pixels).astype(np.float32)
    texture = cv2.cornerMinEigenVal(grey - cv2.GaussianBlur(grey, (0, 0), 8), 15, 3)
    rows, columns = grey.shape
    while True:
        y, x, v, u = (int(random.integers(0, n - 64)) for n in (rows, columns, rows, columns))
        if np.hypot(v - y, u - x) > 90 and np.median(texture[y : y + 60, x : x + 60]) > 40:
            return (x, y), (u, v)


def _pasted(pixels: Picture, seed: int, feather: int) -> Picture:
    (x, y), (u, v) = _places(pixels, seed)
    cover = np.zeros((60, 60), np.float32)
    cover[feather : 60 - feather, feather : 60 - feather] = 1
    cover = cv2.GaussianBlur(cover, (0, 0), feather / 2) if feather else cover
    out = pixels.astype(np.float32)
    place = out[v : v + 60, u : u + 60]
    place += cover[..., None] * (pixels[y : y + 60, x : x + 60] - place)
    return np.clip(out + 0.5, 0, 255).astype(np.uint8)


def _healed(pixels: Picture, seed: int) -> Picture:
    (x, y), (u, v) = _places(pixels, seed)
    hole = np.zeros(pixels.shape[:2], np.bool_)
    hole[v : v + 60, u : u + 60] = True
    return _made(pixels, "heal", _bitmap(hole), {"source": {"dx": x - u, "dy": y - v}})[1]


def _through_jpeg(pixels: Picture, quality: int) -> Picture:
    data_ = cv2.imencode(".jpg", pixels[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, quality])[1]
    return np.ascontiguousarray(cv2.imdecode(data_, cv2.IMREAD_COLOR)[..., ::-1])


def _grey(pixels: Picture) -> Picture:
    return pixels if pixels.ndim == 2 else np.asarray(cv2.cvtColor(pixels, cv2.COLOR_RGB2GRAY), np.uint8)


def _grown(pixels: Picture, hole: Bits) -> Picture:
    return _made(pixels, "regrow", _bitmap(hole))[1]


def _bitmap(hole: Bits) -> BitmapMask:
    mask = BitmapMask(file="mask")
    mask._pixels = hole.astype(np.uint8) * 255
    return mask


def _hole(mask: Mask | None, pixels: Picture) -> Bits:
    assert mask is not None
    box = mask.box((pixels.shape[1], pixels.shape[0]))
    hole = np.zeros(pixels.shape[:2], np.bool_)
    hole[box.rows, box.columns] = mask.alpha(box) > 0
    return hole


def _source(pixels: Picture) -> ArraySource:
    return ArraySource(Decoded(pixels, srgb(), "PNG", b""))


def _made(pixels: Picture, op: str, mask: Mask, params: dict[str, object] | None = None) -> tuple[Step, Picture]:
    """The settled step and what it makes."""
    source, cache = _source(pixels), ByteCache(1 << 28)
    step = settle(source, "q", [], Step(op=op, params=params or {}, mask=mask), cache)
    return step, np.asarray(LedgerPicture(source, "q", [step], cache).deliver(np.uint8), np.uint8)
