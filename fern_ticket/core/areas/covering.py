"""How far a cover covers each pixel of a window, at any place and scale.

Shapes that are formulas are worked out for the window's own pixels. What is drawn (strokes, outlines, stored pictures,
and whatever is feathered) is drawn once for each level of the pyramid that is looked at, and read from there.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.areas.edge_brush import edged
from fern_ticket.core.areas.finding import found, looked_at
from fern_ticket.core.areas.ground import Ground, Window
from fern_ticket.core.balance.light import LUMINANCE, Planes
from fern_ticket.core.cutting.fine_edge import band_along, enlarged, fine_edge
from fern_ticket.core.cutting.sky_enlarged import grown_sky
from fern_ticket.core.cutting.subject import grown
from fern_ticket.core.errors import LedgerError
from fern_ticket.core.ledger.covers import (
    RAMP,
    Bitmap,
    Colours,
    Cover,
    CoverPart,
    Edged,
    Round,
    Shape,
    Sky,
    Straight,
    Subject,
    Tones,
)
from fern_ticket.core.ledger.masks import Alpha, OutlineMask, StrokesMask
from fern_ticket.core.pictures.averaging import mean_of_fours
from fern_ticket.core.pictures.plane import PlaneMap, magnification, mapped, mapped_corners, scaling, translation
from fern_ticket.core.pictures.profiles import SRGB_TO_XYZ_D65, srgb_decode
from fern_ticket.core.pictures.pyramid import at_full_size, at_level, finest, level_box, level_within, tiles_meeting
from fern_ticket.core.pictures.regions import NOWHERE, Box

#: Coverage is kept at 16 bits.
_FULL = np.float32(65535)
#: What is drawn on a coarse level is drawn so many levels finer, if that has no more than so many pixels.
_FINER, _MOST_DRAWN = 2, 24_000_000
#: Long side of the level on which what is found is drawn, at most.
_FOUND_ON = 3200
#: How far beside what strokes changed of a sky it is theirs, pixels of the small copy.
_LED = 5
#: Pixels of a band that are solved for at most; a wider one is solved on a coarser level.
_MOST_SOLVED = 150_000
#: Pixels of the level that a fine edge is held on, at most.
_MOST_HELD = 32_000_000
#: A feather is drawn on the level where its blur's deviation is about so many pixels.
_BLUR = 4.0


def covered(cover: Cover, ground: Ground, window: Window) -> Alpha:
    """Coverage 0-1 of every pixel of a window, shape (rows, columns), float32.

    Raises
    ------
    LedgerError
        A stored picture is missing, or not of the photo's size.
    """
    fine = None if cover.fine is None or cover.whole else finely(cover, ground)
    if fine is not None:
        return fine.over(window)
    width, height = window.size
    total: Alpha = np.zeros((height, width), np.float32)
    if cover.whole or cover.active[0].mode != "add":
        total[:] = 1
    for part in cover.active:
        own = _part(part, ground, window)
        if part.invert:
            own = 1 - own
        if part.mode == "add":
            np.maximum(total, own, out=total)
        elif part.mode == "subtract":
            np.minimum(total, 1 - own, out=total)
        else:
            np.minimum(total, own, out=total)
    return total


def _part(part: CoverPart, ground: Ground, window: Window) -> Alpha:
    shape = part.shape
    if not part.feather and isinstance(shape, Straight | Round):
        x, y = _centres(window)
        return _formula(shape, x, y, magnification(window.to_source, window.size[0] / 2, window.size[1] / 2))
    if not part.feather and isinstance(shape, Tones | Colours):
        return _of_pixels(shape, window.linear())
    return _drawn(part, ground, window)


def _centres(window: Window) -> NDArray[np.float64]:
    """Source coordinates of the window's pixels; one value a row or a column where the map is upright."""
    x, y = (np.arange(window.size[0]) + 0.5)[None], (np.arange(window.size[1]) + 0.5)[:, None]
    across, down = np.broadcast_arrays(x, y)
    return mapped(window.to_source, across, down)


def _eased(share: NDArray[np.floating]) -> Alpha:
    held = np.clip(share, 0, 1)
    return np.asarray(held * held * (3 - 2 * held), np.float32)


def _formula(shape: Straight | Round, x: NDArray[np.float64], y: NDArray[np.float64], pixel: float) -> Alpha:
    """Coverage at source coordinates x and y, which lie about `pixel` apart: no edge is crisper than that."""
    if isinstance(shape, Straight):
        way = np.subtract(shape.end, shape.start)
        along = ((x - shape.start[0]) * way[0] + (y - shape.start[1]) * way[1]) / float(way @ way)
        return 1 - _eased(along)
    cosine, sine = math.cos(math.radians(shape.angle)), math.sin(math.radians(shape.angle))
    dx, dy = x - shape.middle[0], y - shape.middle[1]
    away = np.hypot((cosine * dx + sine * dy) / shape.radii[0], (cosine * dy - sine * dx) / shape.radii[1])
    finest = pixel / math.sqrt(shape.radii[0] * shape.radii[1])
    if shape.soft <= finest:
        return np.asarray(np.clip((1 - away) / finest + 0.5, 0, 1), np.float32)
    return _eased((1 - away) / shape.soft)


def _of_pixels(shape: Tones | Colours, planes: Planes) -> Alpha:
    if isinstance(shape, Tones):
        light = sum(weight * plane for weight, plane in zip(LUMINANCE, planes, strict=True))
        tone = 100 * _encoded(np.asarray(light, np.float32))
        beyond = np.maximum(shape.low - tone, tone - shape.high)
        return _fading(beyond, shape.soft)
    own = _lab(planes)
    nearest = np.full(planes.shape[1:], np.inf, np.float32)
    for pick in shape.picks:
        other = _lab(srgb_decode(np.array(pick) / 255).astype(np.float32).reshape(3, 1, 1))
        off = own - other
        off[0] *= 0.5
        np.minimum(nearest, np.sqrt(np.square(off).sum(axis=0)), out=nearest)
    return _fading(nearest - shape.tolerance, shape.soft)


def _fading(beyond: NDArray[np.floating], soft: float) -> Alpha:
    """1 where nothing is beyond, 0 where it is by more than `soft`."""
    if soft < 1e-3:
        return np.asarray(beyond <= 0, np.float32)
    return 1 - _eased(beyond / soft)


def _encoded(values: NDArray[np.float32]) -> NDArray[np.float32]:
    """sRGB encoded (IEC 61966-2-1), cut to 0-1."""
    held = np.clip(values, 0, 1)
    return np.where(held <= 0.0031308, 12.92 * held, 1.055 * np.power(held, np.float32(1 / 2.4)) - 0.055)


def _lab(planes: Planes) -> NDArray[np.float32]:
    """CIELAB (CIE 15) of linear sRGB relative to its own white, shape (3, rows, columns)."""
    matrix = (SRGB_TO_XYZ_D65 / SRGB_TO_XYZ_D65.sum(axis=1, keepdims=True)).astype(np.float32)
    xyz = np.tensordot(matrix, np.clip(planes, 0, None), axes=1)
    f = np.where(xyz > (6 / 29) ** 3, np.cbrt(xyz), xyz * np.float32((29 / 6) ** 2 / 3) + np.float32(4 / 29))
    return np.stack([116 * f[1] - 16, 500 * (f[0] - f[1]), 200 * (f[1] - f[2])]).astype(np.float32)


def _drawn(part: CoverPart, ground: Ground, window: Window) -> Alpha:
    """A part read from the level of the pyramid on which it was drawn."""
    width, height = window.size
    level = _level(part, ground, magnification(window.to_source, width / 2, height / 2))
    place = _place(part, ground, level)
    if place.empty:
        return np.zeros((height, width), np.float32)
    raster = ground.kept((part.digest, level), lambda: _raster(part, ground, level, place))
    shrink = 2.0**-level
    to_raster = translation(-place.left, -place.top) @ scaling(shrink, shrink) @ window.to_source
    if not _meets(to_raster, window.size, raster.shape):
        return np.zeros((height, width), np.float32)
    centred = translation(-0.5, -0.5) @ to_raster @ translation(0.5, 0.5)
    # beyond what was drawn there is nothing; only where the picture ends, its edge goes on
    whole = place == level_box(ground.size, level)
    border = cv2.BORDER_REPLICATE if whole else cv2.BORDER_CONSTANT
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    found = cv2.warpPerspective(raster, centred, (width, height), flags=flags, borderMode=border)
    return np.asarray(found, np.float32) / _FULL


def _meets(to_raster: PlaneMap, size: tuple[int, int], shape: tuple[int, ...]) -> bool:
    x, y = mapped_corners(to_raster, size)
    return bool(x.max() > -1 and y.max() > -1 and x.min() < shape[1] + 1 and y.min() < shape[0] + 1)


def _level(part: CoverPart, ground: Ground, reduction: float) -> int:
    """The level to draw a part on: as fine as the window, but no finer than its feather shows."""
    level = max(0, math.floor(math.log2(max(reduction, 1e-9)) + 1e-9))
    if isinstance(part.shape, Subject | Sky | Edged):
        # what is found has an edge of some pixels; what is finer is the business of the fine edge
        place = None if isinstance(part.shape, Edged) else looked_at(part.shape, ground)
        level = max(level, level_within(ground, _FOUND_ON, place))
    if part.feather:
        level = max(level, math.floor(math.log2(max(part.feather / RAMP / _BLUR, 1.0))))
    return min(level, ground.levels - 1)


def _place(part: CoverPart, ground: Ground, level: int) -> Box:
    """Where a part can cover, pixels of a level."""
    shape = part.shape
    if isinstance(shape, Subject) and shape.around is not None:
        reach = _rim_of(part.feather, level)
        return at_level(looked_at(shape, ground).grown(reach), level).within(level_box(ground.size, level))
    if isinstance(shape, Edged):
        shape = StrokesMask(strokes=shape.strokes)
    if not isinstance(shape, StrokesMask | OutlineMask):
        return level_box(ground.size, level)
    return _reach_of(shape, part.feather, ground, level)


def _rim_of(feather: float, level: int) -> int:
    """How far what is drawn on a level reaches beside its shape, source pixels."""
    return math.ceil(1.2 * feather) + (2 << level)


def _reach_of(shape: StrokesMask | OutlineMask, feather: float, ground: Ground, level: int) -> Box:
    reach = _rim_of(feather, level)
    width, height = ground.size
    room = Box(-reach, -reach, width + reach, height + reach)
    own = shape.box((width, height)).grown(reach).within(room) if shape.box((width, height)) != NOWHERE else NOWHERE
    if own.empty:
        return NOWHERE
    return at_level(own, level).within(level_box(ground.size, level))


def _raster(part: CoverPart, ground: Ground, level: int, place: Box) -> NDArray[np.uint16]:
    if isinstance(part.shape, StrokesMask) and not part.feather:
        return _painted(part.shape, ground, level)
    drawn = _shape_drawn(part.shape, ground, level, place)
    if part.feather:
        deviation = part.feather / RAMP / 2**level
        drawn = np.asarray(
            cv2.GaussianBlur(drawn, (0, 0), max(deviation, 0.1), borderType=cv2.BORDER_REPLICATE), np.float32
        )
    return _in_16_bits(drawn)


def _in_16_bits(share: Alpha) -> NDArray[np.uint16]:
    return (np.clip(share, 0, 1) * _FULL + np.float32(0.5)).astype(np.uint16)


def _painted(shape: StrokesMask, ground: Ground, level: int) -> NDArray[np.uint16]:
    """Strokes over what they can reach, laid one after the other and rounded after each.

    So one more, on what was kept of those before, gives the same as all of them anew.
    """
    place = _reach_of(shape, 0, ground, level)

    def make() -> NDArray[np.uint16]:
        out = np.zeros((place.height, place.width), np.uint16)
        strokes, before = shape.strokes, shape.before
        old = None if before is None else ground.had(("painted " + before.key(), level))
        if before is not None and old is not None:
            inside = _reach_of(before, 0, ground, level).relative_to(place)
            out[inside.rows, inside.columns] = old
            strokes = strokes[-1:]
        for stroke in strokes:
            _lay(shape.model_copy(update={"strokes": [stroke]}), out, ground, level, place)
        return out

    return ground.kept(("painted " + shape.key(), level), make)


def _lay(one: StrokesMask, out: NDArray[np.uint16], ground: Ground, level: int, place: Box) -> None:
    """One stroke over those before it: what it adds is its share of what they leave of its opacity."""
    (stroke,) = one.strokes
    own = _reach_of(one, 0, ground, level).within(place)
    if own.empty:
        return
    inside = own.relative_to(place)
    below = out[inside.rows, inside.columns].astype(np.float32)
    share, most = _drawn_finer(one, level, own), np.float32(stroke.opacity * _FULL)
    if stroke.plain:
        laid = np.maximum(below, share * _FULL)
    else:
        laid = below + np.maximum(most - below, 0) * (share / np.float32(stroke.opacity))
    out[inside.rows, inside.columns] = np.clip(laid + np.float32(0.5), 0, _FULL).astype(np.uint16)


def _shape_drawn(shape: Shape, ground: Ground, level: int, place: Box) -> Alpha:
    if isinstance(shape, StrokesMask):
        drawn = np.zeros((place.height, place.width), np.float32)
        own = _reach_of(shape, 0, ground, level).relative_to(place)
        drawn[own.rows, own.columns] = _painted(shape, ground, level).astype(np.float32) / _FULL
        return drawn
    if isinstance(shape, OutlineMask):
        return _drawn_finer(shape, level, place)
    if isinstance(shape, Tones | Colours):
        return _of_pixels(shape, ground.linear(level, place))
    if isinstance(shape, Bitmap):
        return _of_stored(shape, ground, level, place)
    if isinstance(shape, Subject):
        return _subject_drawn(shape, ground, level, place)
    if isinstance(shape, Sky):
        return _sky_drawn(shape, ground.original(level, place), ground)
    if isinstance(shape, Edged):
        return edged(shape, ground.original(level, place), place, level)
    scale = 2.0**level
    x, y = (place.left + np.arange(place.width) + 0.5) * scale, (place.top + np.arange(place.height) + 0.5) * scale
    grid = np.meshgrid(x, y)
    return _formula(shape, grid[0], grid[1], scale)


def _subject_drawn(shape: Subject, ground: Ground, level: int, place: Box) -> Alpha:
    """Nothing beside what is looked at."""
    seen = at_level(looked_at(shape, ground), level)
    drawn = grown(ground.original(level, seen), found(shape, ground))
    out = np.zeros((place.height, place.width), np.float32)
    shared = seen.within(place)
    here, there = shared.relative_to(place), shared.relative_to(seen)
    out[here.rows, here.columns] = drawn[there.rows, there.columns]
    return out


def _sky_drawn(shape: Sky, pixels: NDArray[np.uint8], ground: Ground) -> Alpha:
    """Strokes have the last word: where they changed the sky, its own colour is not asked."""
    unled = shape.model_copy(update={"led": []})
    proposed = found(unled, ground)
    # kept, so that a stroke is answered without it being followed between leaves once more
    what = f"sky grown on {pixels.shape[1]} × {pixels.shape[0]}"
    kept = ground.kept_of_original(what, lambda: _in_16_bits(grown_sky(pixels, proposed)), 2 * pixels[..., 0].size)
    sky = kept.astype(np.float32) / _FULL
    if not shape.led:
        return sky
    led = found(shape, ground)
    changed = cv2.dilate((led != proposed).astype(np.uint8), np.ones((2 * _LED + 1,) * 2, np.uint8))
    changed = cv2.resize(changed, sky.shape[::-1], interpolation=cv2.INTER_NEAREST)
    return np.where(changed > 0, grown(pixels, led), sky)


def _drawn_finer(shape: StrokesMask | OutlineMask, level: int, place: Box) -> Alpha:
    """Drawn on a finer level and averaged: an edge's own softness, which ends at a pixel, is that of the fine one."""
    steps = min(level, _FINER)
    while steps and (place.width * place.height) << (2 * steps) > _MOST_DRAWN:
        steps -= 1
    fine = Box(place.left << steps, place.top << steps, place.right << steps, place.bottom << steps)
    drawn = shape.scaled(2.0 ** (steps - level)).alpha(fine)
    if not steps:
        return drawn
    return np.asarray(cv2.resize(drawn, (place.width, place.height), interpolation=cv2.INTER_AREA), np.float32)


def _of_stored(shape: Bitmap, ground: Ground, level: int, place: Box) -> Alpha:
    stored = ground.stored(shape.file)
    if stored.size != ground.size:
        raise LedgerError(
            f"The picture {shape.file} is {stored.size[0]} × {stored.size[1]} pixels.",
            f"A cover must be as large as the photo, {ground.size[0]} × {ground.size[1]}.",
        )
    # coverage is averaged as it is stored: the picture's own smaller levels are averages of light
    pixels = stored.read(0, at_full_size(place, level).within(level_box(stored.size, 0)))
    share: NDArray[Any] = np.asarray(cv2.transform(pixels, np.full((1, 3), 1 / 3)))
    for _ in range(level):
        share = mean_of_fours(share)
    return np.asarray(share / np.float32(np.iinfo(pixels.dtype).max), np.float32)


# ---------------------------------------------------------------------------------------------------- the fine edge


@dataclass(frozen=True)
class Finely:
    """A fine edge as it was made on one level.

    Attributes
    ----------
    coverage
        8 bits, shape (rows, columns) of the level.
    """

    level: int
    coverage: NDArray[np.uint8]

    def over(self, window: Window) -> Alpha:
        """Read on a window: averaged first where that is coarser, as a coarser level of a picture is."""
        width, height = window.size
        shrink = 2.0**-self.level
        to_level = scaling(shrink, shrink) @ window.to_source
        reduction = magnification(to_level, width / 2, height / 2)
        source = self.coverage
        if reduction > 1.5:
            times = 2 ** max(1, round(math.log2(reduction)))
            rows, columns = source.shape
            size = (max(1, -(-columns // times)), max(1, -(-rows // times)))
            source = np.asarray(cv2.resize(source, size, interpolation=cv2.INTER_AREA), np.uint8)
            to_level = scaling(size[0] / columns, size[1] / rows) @ to_level
        centred = translation(-0.5, -0.5) @ to_level @ translation(0.5, 0.5)
        flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        read = cv2.warpPerspective(source, centred, (width, height), flags=flags, borderMode=cv2.BORDER_REPLICATE)
        return np.asarray(read, np.float32) / np.float32(255)


def finely(cover: Cover, ground: Ground) -> Finely | None:
    """The fine edge of a cover; None while it is made beside."""
    assert cover.fine is not None
    band = cover.fine.band
    level = finest(ground, lambda size: math.prod(size) <= _MOST_HELD)
    made = ground.shelved(cover, lambda: _fine_raster(cover.crisp, ground, band, level))
    return None if made is None else Finely(level, made)


def _solving_level(cover: Cover, ground: Ground, band: float) -> int:
    """The finest level on which the band has few enough pixels to be solved for."""
    coarse = level_within(ground, 1100)
    along = np.count_nonzero(band_along(covered_on(coarse, cover, ground), band / 2**coarse))
    level = coarse
    while level > 0 and along << (2 * (coarse - level + 1)) <= _MOST_SOLVED:
        level -= 1
    return level


def covered_on(level: int, cover: Cover, ground: Ground) -> Alpha:
    """Coverage 0-1 of every pixel of a level of the photo."""
    place = level_box(ground.size, level)
    scale = 2.0**level
    window = Window(scaling(scale, scale), (place.width, place.height), lambda: ground.linear(level, place))
    return covered(cover, ground, window)


def _fine_raster(cover: Cover, ground: Ground, band: float, top: int) -> NDArray[np.uint8]:
    """The fine edge, solved for on a level where that is quick and enlarged to the `top` one by the photo's colours."""
    level = max(top, _solving_level(cover, ground, band))
    pixels = ground.original(level, level_box(ground.size, level))
    share = fine_edge(pixels, covered_on(level, cover, ground), band / 2**level)
    if level == top:
        return np.asarray(np.round(share * np.float32(255)), np.uint8)
    whole = level_box(ground.size, top)
    size = (whole.width, whole.height)
    large = np.asarray(cv2.resize(share, size, interpolation=cv2.INTER_LINEAR), np.float32)
    out = np.asarray(np.round(large * np.float32(255)), np.uint8)
    times = 2 ** (level - top)
    for _, _, tile in tiles_meeting(whole):
        place = tile.within(whole)
        own = large[place.rows, place.columns]
        if not ((own > 0.01) & (own < 0.99)).any():
            continue
        wide = place.grown(8 * times).within(whole)
        finer = enlarged(ground.original(top, wide), large[wide.rows, wide.columns], times)
        inside = place.relative_to(wide)
        out[place.rows, place.columns] = np.round(finer[inside.rows, inside.columns] * np.float32(255))
    return out
