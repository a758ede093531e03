"""Panoramas: views beside py360convert, repairs in views beside the truth and the flat picture, faces, levelling."""

from __future__ import annotations

import math
import time
from collections.abc import Iterator
from pathlib import Path
from statistics import median
from typing import Any

import cv2
import numpy as np
import py360convert
from numpy.typing import NDArray

from benchmarks.delivery_speed import worked
from benchmarks.figures import DEMO, Figure, milliseconds
from fern_ticket.core.inspect.seam import seam_step
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.panorama.faces import faces_in
from fern_ticket.core.panorama.plates import plates_in
from fern_ticket.core.panorama.spotting import Spot, spotted_around
from fern_ticket.core.panorama.stand import stand_in
from fern_ticket.core.panorama.uprights import uprights
from fern_ticket.core.pictures.decode import Decoded, decode_file
from fern_ticket.core.pictures.encode import Encoding, encode
from fern_ticket.core.pictures.lab import pixels_to_lab
from fern_ticket.core.pictures.preparing import prepare
from fern_ticket.core.pictures.profiles import srgb
from fern_ticket.core.pictures.pyramid import ArraySource, TiledSource
from fern_ticket.core.pictures.sphere import Sphere, turned_by
from fern_ticket.core.pieces.matching import light_of
from fern_ticket.core.render.around import FlatTurned, Look, looked
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import SMALL_MOVING, LedgerPicture
from fern_ticket.core.render.shown import AroundShown
from tests import plates, spheres
from tests.quality import filling

Picture = NDArray[np.uint8]
PANORAMAS = ("potting-house", "drying-yard")
_SURROUND = (119, 119, 119)
_BLUR = 8.0


def run(folder: Path) -> Iterator[Figure]:
    yield from _speed(folder)
    yield from _stand()
    yield from _levelling()
    yield from _faces()
    yield from _plates()
    yield from _delivery(folder)


def _speed(folder: Path) -> Iterator[Figure]:
    prepare(DEMO / "potting-house.jpg", folder / "around")
    source = TiledSource(folder / "around")
    pixels = decode_file(DEMO / "potting-house.jpg").pixels
    sphere = Sphere.whole(source.size)
    began = time.perf_counter()
    shown = AroundShown(LedgerPicture(source, "a", [], ByteCache(1 << 29)), Look(60, -38, 100, 1280, 800), sphere)
    shown.frame(_SURROUND, fine=True)
    first = 1000 * (time.perf_counter() - began)
    yield Figure("first view of 8192 × 4096", round(first), "ms", "nothing of it read before, kernels warm", 400)
    for fine in (False, True):
        ours, theirs = [], []
        for heading, pitch, field in ((60, -38, 100), (180, 0, 90), (0, -90, 120), (10, 5, 40)):
            picture = LedgerPicture(source, "a", [], ByteCache(1 << 30))
            view = AroundShown(picture, Look(heading, pitch, field, 1280, 800), sphere)
            high = 2 * math.degrees(math.atan(math.tan(math.radians(field / 2)) * 800 / 1280))
            ours.append(milliseconds(lambda view=view, fine=fine: view.frame(_SURROUND, fine=fine), 7))  # type: ignore[misc]
            theirs.append(
                milliseconds(
                    lambda h=heading, p=pitch, f=field, v=high: py360convert.e2p(pixels, (f, v), h, p, (800, 1280)), 3
                )  # type: ignore[misc]
            )
        share = sum(ours) / sum(theirs)
        against = f"py360convert, {sum(theirs) / 4:.0f} ms; ours {sum(ours) / 4:.0f} ms"
        name = "a view at rest" if fine else "a view while the hand moves"
        yield Figure(f"{name}, of py360convert's time", round(share, 2), "×", against, 1.0 if fine else 0.34)
    steps = read_steps([{"op": "exposure", "params": {"ev": 0.3}}, {"op": "contrast", "params": {"amount": 10}}])
    cache, taken = ByteCache(1 << 30), []
    for number in range(40):
        began = time.perf_counter()
        picture = LedgerPicture(source, "a", steps, cache, small=SMALL_MOVING)
        AroundShown(picture, Look(3 * number, -10, 100, 1280, 800), sphere).frame(_SURROUND, fine=False)
        taken.append(1000 * (time.perf_counter() - began))
    yield Figure("drag with two steps of light", round(median(taken)), "ms", "a frame, 3° further each time", 60)


# ----------------------------------------------------------------------------------------- the stand grown shut


def _stand() -> Iterator[Figure]:
    for name in PANORAMAS:
        photo, clean = (_half(decode_file(DEMO / f"{name}{end}.jpg").pixels) for end in ("", ".clean"))
        size, sphere = (photo.shape[1], photo.shape[0]), Sphere.whole((photo.shape[1], photo.shape[0]))
        through = _through(photo)
        look, loops = stand_in(through, size, sphere)
        view = _view(-90, look.field, (look.width, look.height), size)
        mask = {"kind": "outline", "points": loops[0], "others": loops[1:], "feather": 4, "view": view}
        inside = _grown(photo, {"op": "regrow", "mask": mask, "chart": view})
        flat = _grown(photo, {"op": "regrow", "mask": mask})
        (step,) = read_steps([{"op": "regrow", "mask": mask}])
        assert step.mask is not None
        changed = (inside != photo).any(axis=2)
        box = step.mask.box(size)
        cover = np.zeros(photo.shape[:2], np.float32)
        cover[box.rows, box.columns] = step.mask.alpha(box)
        yield Figure(f"{name}: pixels changed outside the stand", int((changed & (cover == 0)).sum()), "", "none", 0)
        down = Look(0, -90, 90, 1000, 1000).chart(size, sphere)
        shares = np.repeat((cover * 255).astype(np.uint8)[..., None], 3, axis=2)
        hole = _through(shares)(down)[..., 0] > 127
        seen = {word: _through(one)(down) for word, one in (("truth", clean), ("view", inside), ("flat", flat))}
        in_view, on_flat = (filling(seen[word], seen["truth"], hole) for word in ("view", "flat"))
        layouts = {word: _layout(seen[word], seen["truth"], hole) for word in ("view", "flat")}
        against = f"grown on the flat picture: {layouts['flat']:.2f}"
        yield Figure(f"{name}: layout error", round(layouts["view"], 2), "ΔE", against, round(layouts["flat"], 2))
        for what in ("deviation", "energy", "rim"):
            own, other = abs(getattr(in_view, what) - 1), abs(getattr(on_flat, what) - 1)
            said = f"{getattr(in_view, what):.2f}; grown on the flat picture {getattr(on_flat, what):.2f}"
            yield Figure(f"{name}: {what} off 1", round(own, 2), "", said, round(other, 2))
        laid, error = _floor_laid_in(photo, clean, view)
        yield Figure(f"{name}: a shot of the floor laid in, corners off", round(error, 2), "px", "the truth", 1.5)
        layout = _layout(_through(laid)(down), seen["truth"], hole)
        against = f"regrown in the view: {layouts['view']:.2f}"
        yield Figure(f"{name}: layout error of that", round(layout, 2), "ΔE", against, round(layouts["view"], 2))
        share = seam_step(inside) / seam_step(photo)
        yield Figure(f"{name}: step across the seam", round(share, 2), "×", "of the photo's own there", 1.05)


def _floor_laid_in(photo: Picture, clean: Picture, view: dict[str, Any]) -> tuple[Picture, float]:
    """A panorama with another shot of its floor, darker, warmer and with grain, laid where it belongs; and how many
    pixels of the view its corners are off."""
    size = (photo.shape[1], photo.shape[0])
    shot = Look(40, -82, 95, 1800, 1350, roll=7).chart(size, Sphere.whole(size))
    seen = np.asarray(_through(clean)(shot), np.float32) * [0.85, 0.8, 0.74] + 6
    seen += np.random.default_rng(2).normal(0, 2.5, seen.shape)
    lent = ArraySource(Decoded(np.clip(seen, 0, 255).astype(np.uint8), srgb(), "PNG", b""))
    source = ArraySource(Decoded(photo, srgb(), "PNG", b""))

    def opened(**params: Any) -> LedgerPicture:
        steps = [{"op": "piece", "id": "shot", "chart": view, "params": {"picture": "shot", **params}}]
        return LedgerPicture(source, "s", read_steps(steps), ByteCache(1 << 30), lambda _: lent)

    pieced = opened().pieced
    assert pieced is not None
    found = pieced.likeness("shot")
    if found is None:
        return photo, math.inf
    own = np.array([[0, 0], [1800, 0], [1800, 1350], [0, 1350]], np.float64)
    below = Look(0, -90, view["field"], *view["size"]).chart(size, Sphere.whole(size))
    x, y = below.from_source(*shot.to_source(*own.T))
    off = float(np.abs(np.array(found.corners) - np.stack([x, y], axis=1)).max())
    laid = opened(corners=found.corners, softened=60, melt=100, **light_of(found.stops))
    return np.asarray(laid.deliver(np.uint8), np.uint8), off


def _view(
    pitch: float, field: float, seen: tuple[int, int], picture: tuple[int, int], heading: float = 0
) -> dict[str, Any]:
    """A view as steps name it."""
    told = {"heading": heading, "pitch": pitch, "field": field, "size": list(seen), "sphere": [*picture, 0, 0]}
    return {"kind": "view", **told}


def _layout(made: Picture, truth: Picture, hole: NDArray[np.bool_]) -> float:
    labs = [cv2.GaussianBlur(pixels_to_lab(one).astype(np.float32), (0, 0), _BLUR) for one in (made, truth)]
    return float(np.sqrt(np.square(labs[0] - labs[1]).sum(axis=2))[hole].mean())


def _half(pixels: NDArray[Any]) -> Picture:
    small = cv2.resize(pixels, (pixels.shape[1] // 2, pixels.shape[0] // 2), interpolation=cv2.INTER_AREA)
    return np.asarray(small, np.uint8)


def _through(pixels: Picture) -> Any:
    levels = [pixels]
    while max(levels[-1].shape) > 512:
        levels.append(np.asarray(cv2.resize(levels[-1], None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA), np.uint8))
    return lambda chart: looked(
        chart, lambda level, box: levels[level][box.rows, box.columns], len(levels), _SURROUND, fine=True
    )


def _grown(pixels: Picture, step: dict[str, Any]) -> Picture:
    source = ArraySource(Decoded(pixels, srgb(), "PNG", b""))
    return np.asarray(LedgerPicture(source, "s", read_steps([step]), ByteCache(1 << 30)).deliver(np.uint8), np.uint8)


# --------------------------------------------------------------------------------------------- levelling, faces


def _levelling() -> Iterator[Figure]:
    off = []
    scenes = [(name, _half(decode_file(DEMO / f"{name}.clean.jpg").pixels)) for name in PANORAMAS]
    scenes.append(("made room", spheres.room(4096)))
    for _, pixels in scenes:
        size, sphere = (pixels.shape[1], pixels.shape[0]), Sphere.whole((pixels.shape[1], pixels.shape[0]))
        straight = uprights(_through(pixels), size, sphere)
        assert straight is not None
        up = turned_by(0, straight.pitch, straight.roll) @ (0, -1, 0)
        for pitch, roll in ((4, -6), (-9, 3), (12, 11)):
            lean = turned_by(0, pitch, roll)
            leaning = FlatTurned(np.eye(3), lean.T, size, size, sphere)
            turned = looked(leaning, lambda _, box, of=pixels: of[box.rows, box.columns], 1, (0, 0, 0), fine=True)  # type: ignore[misc]
            found = uprights(_through(np.asarray(turned, np.uint8)), size, sphere)
            seen = (
                180.0
                if found is None
                else spheres.angle_between(turned_by(0, found.pitch, found.roll) @ (0, -1, 0), lean @ up)
            )
            off.append(seen)
    against = (
        f"median {median(off):.2f}°, of {len(off)} turns; what was found in the unturned one is taken for the truth"
    )
    yield Figure("a turned panorama levelled, the worst", round(max(off), 2), "°", against, 0.2)


def _faces() -> Iterator[Figure]:
    from skimage.data import astronaut

    portrait = astronaut()[0:230, 110:340]
    ground = decode_file(DEMO / "drying-yard.clean.jpg").pixels
    size, sphere = (ground.shape[1], ground.shape[0]), Sphere.whole((ground.shape[1], ground.shape[0]))
    hit = count = false = left = 0
    for seed in range(2):
        random = np.random.default_rng(seed)
        pixels, wanted = np.asarray(ground, np.uint8).copy(), []
        for number, heading in enumerate(range(-170, 180, 34)):
            pitch = float(random.uniform(-60, 60))
            tall = (24, 32, 48, 80, 140)[number % 5]
            side = round(tall / 0.52)
            chart = Look(heading, pitch, side * 360 / size[0], side, side).chart(size, sphere)
            _paste(pixels, cv2.resize(portrait, (side, side), interpolation=cv2.INTER_AREA), chart)
            x, y = chart.to_source(np.array(side * 0.48), np.array(side * 0.5))
            wanted.append((float(x) % size[0], float(y), side, pitch))
        found = spotted_around(faces_in, _through(pixels), size, sphere)
        matched = {
            index
            for index, (x, y, side, pitch) in enumerate(wanted)
            if any(_near(face.x, face.y, x, y, side, pitch, size[0]) for face in found)
        }
        hit += len(matched)
        count += len(wanted)
        false += sum(not any(_near(f.x, f.y, x, y, s, p, size[0]) for x, y, s, p in wanted) for f in found)
        again = spotted_around(faces_in, _through(_hidden(pixels, found)), size, sphere)
        left += sum(any(_near(f.x, f.y, x, y, s, p, size[0]) for x, y, s, p in wanted) for f in again)
    yield Figure("faces missed", round(1 - hit / count, 3), "share", f"{count} of 24 to 140 px, pitches to ±60°", 0.05)
    yield Figure("false places a panorama", false / 2, "", "outdoor scene with pasted portraits", 1)
    yield Figure("hidden faces that are found again", left, "", "none allowed", 0)


def _plates() -> Iterator[Figure]:
    """Made plates on panoramas, of which one was looked at while limits were chosen, the other not."""
    for name in ("drying-yard", "potting-house"):
        ground = np.asarray(decode_file(DEMO / f"{name}.clean.jpg").pixels, np.uint8)
        size, sphere = (ground.shape[1], ground.shape[0]), Sphere.whole((ground.shape[1], ground.shape[0]))
        bare = len(spotted_around(plates_in, _through(ground), size, sphere))
        random, pixels, wanted = np.random.default_rng(9), ground.copy(), []
        for number, heading in enumerate(range(-170, 180, 17)):
            pitch, high = float(random.uniform(-40, 10)), (16, 22, 30, 45, 70)[number % 5]
            wide = round(high * plates.WIDE / plates.HIGH)
            chart = Look(heading, pitch, wide * 360 / size[0], wide, high).chart(size, sphere)
            _paste(pixels, cv2.resize(plates.plate(random), (wide, high), interpolation=cv2.INTER_AREA), chart)
            x, y = chart.to_source(np.array(wide / 2), np.array(high / 2))
            wanted.append((float(x) % size[0], float(y), 2.0 * high, pitch))
        found = spotted_around(plates_in, _through(pixels), size, sphere)
        missed = sum(not any(_near(f.x, f.y, *one, size[0]) for f in found) for one in wanted)
        again = spotted_around(plates_in, _through(_hidden(pixels, found)), size, sphere)
        left = sum(any(_near(f.x, f.y, *one, size[0]) for one in wanted) for f in again)
        against = f"{len(wanted)} of 16 to 70 px, pitches -40 to 10°"
        yield Figure(f"{name}: plates missed", round(missed / len(wanted), 3), "share", against, 0.05)
        yield Figure(f"{name}: false plates without any", bare, "", "", 1)
        yield Figure(f"{name}: hidden plates that are found again", left, "", "none allowed", 0)


def _hidden(pixels: Picture, found: list[Spot]) -> Picture:
    """A whole panorama with all that was found hidden."""
    places = [{"x": f.x, "y": f.y, "size": f.size, "wide": f.wide, "turn": f.turn, "hidden": True} for f in found]
    sphere = [pixels.shape[1], pixels.shape[0], 0, 0]
    return _grown(pixels, {"op": "faces", "params": {"places": places, "sphere": sphere}})


def _paste(pixels: Picture, portrait: NDArray[Any], chart: Any) -> None:
    for box in chart.footprint(chart.whole):
        x, y = np.meshgrid(box.left + np.arange(box.width) + 0.5, box.top + np.arange(box.height) + 0.5)
        u, v = chart.from_source(x, y)
        there = (u > 0.5) & (v > 0.5) & (u < chart.size[0] - 0.5) & (v < chart.size[1] - 0.5)
        maps = (np.nan_to_num(u - 0.5, nan=-9).astype(np.float32), np.nan_to_num(v - 0.5, nan=-9).astype(np.float32))
        part = pixels[box.rows, box.columns]
        part[there] = cv2.remap(np.asarray(portrait), *maps, cv2.INTER_LINEAR)[there]


def _near(ax: float, ay: float, x: float, y: float, side: float, pitch: float, width: int) -> bool:
    across = abs((ax - x + width / 2) % width - width / 2) * math.cos(math.radians(pitch))
    return math.hypot(across, ay - y) < 0.45 * side


# ---------------------------------------------------------------------------------------------------- delivery


def _delivery(folder: Path) -> Iterator[Figure]:
    pixels = decode_file(DEMO / "potting-house.jpg").pixels
    large = cv2.resize(pixels, (16384, 8192), interpolation=cv2.INTER_CUBIC)
    file = folder / "sphere.jpg"
    file.write_bytes(encode(np.asarray(large, np.uint8), Encoding("JPEG", 92)))
    del large, pixels
    worked(file, folder / "sphere", "prepare", 1)
    random = np.random.default_rng(3)
    steps = []
    for number in range(20):
        heading, pitch = float(random.uniform(-180, 180)), (-90.0 if number == 0 else float(random.uniform(-60, 50)))
        view = _view(pitch, 90, (5214, 3476), (16384, 8192), heading)
        stroke = {"points": [[2607, 1738, 1], [2707, 1778, 1]], "size": 120, "hardness": 0.7}
        mask = {"kind": "strokes", "strokes": [stroke], "view": view}
        steps.append({"op": "heal", "mask": mask, "chart": view})
    bare, _ = worked(file, folder / "sphere", "bare", 1)
    taken, memory = worked(file, folder / "sphere", "deliver", 1, steps)
    against = f"bare decode and encode, {bare:.2f} s"
    yield Figure("16384 × 8192 with 20 repairs in views", round(taken / bare, 2), "×", against, 3)
    yield Figure("its memory", round(memory), "MB", "the process, mapped pyramid included", 1000)
