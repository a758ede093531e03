"""Lamps: ways of lighting a frame so that faults show. Views only; no picture is ever changed by one."""

from __future__ import annotations

from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.inspect.repeats import Features, Repeat, copied, features_of, repeats
from fern_ticket.core.pictures.pyramid import Source, at_full_size, at_level, level_box, level_within
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.pictures.segments import straight_segments
from fern_ticket.core.pictures.values import narrowed
from fern_ticket.core.render.picture import LedgerPicture
from fern_ticket.core.render.repaired import Repaired
from fern_ticket.core.render.shown import Shown

Lamp = Literal["cast", "speck", "clip", "level", "mask", "repeat"]
Seen = NDArray[np.uint8]

#: How far the cast lamp pushes colour away from its grey.
_PUSHED = 5.0
#: Long side of the picture that repeats are looked for in.
_REPEAT_SIDE = 2200
#: Share of the picture beyond which all of it is looked at anew; pixels around a repair that features are found with.
_MUCH, _CONTEXT = 0.3, 40
#: What is broader than that is light, pixels; levels below which it is dark; by what share of it what is seen differs,
#: and by what share of what was there besides; and how far around it counts, pixels.
_BROAD, _DARK, _OTHER, _MORE, _NEAR = 8.0, 16.0, 0.035, 0.2, 25
#: Shifts that differ by less, pixels, are the same.
_SAME = 12.0
#: Lines that the level lamp marks: their least length, frame pixels; most degrees off; and what counts as true.
_SHORTEST, _HANGS_MOST, _TRUE = 36, 6.0, 0.4
#: What the clip lamp paints whites and blacks without texture with.
_WHITES, _BLACKS = (206, 58, 32), (30, 92, 168)


def lit(lamp: Lamp, shown: Shown, frame: Seen) -> Seen:
    """A frame of what is shown under a lamp.

    `level` marks lines that are upright or level, or nearly; `mask` lights what was repaired and leaves the rest in the
    dark; `repeat` links places that look like copies of one another by lines; the others need the frame alone, see
    `plain`.
    """
    if lamp == "mask":
        return _mask(frame, shown.repaired())
    if lamp == "level":
        return _level(frame, shown.bounds or (-np.inf,) * 4)
    if lamp == "repeat":
        lines = [shown.on_screen(np.array([one.one, one.other])) for one in repeats_of(shown.picture)]
        return _linked(frame, [line for line in lines if np.isfinite(line).all()])
    return plain(lamp, frame)


def repeats_of(picture: LedgerPicture) -> list[Repeat]:
    """Repeats that repairs and pieces made, in source pixels, measured once for a state of them.

    What stood twice before any of them is the picture's own: panes, tiles, a pattern. A repeat of such a shift, one
    that none of them has an end of, or a small one on a ground that repeats by itself (`copied`) is not counted.
    """
    if not (picture.plan.repairs or picture.plan.pieces or picture.plan.above):
        return []

    def measure() -> list[Repeat]:
        found = _made_by_repairs(picture)
        if not found:
            return []
        own = picture.kept_of_source("repeats", lambda: _of_source(picture))
        shifts = np.array([_shift(one) for one in own]).reshape(-1, 2)
        return [one for one in found if not len(shifts) or np.abs(shifts - _shift(one)).max(axis=1).min() > _SAME]

    return picture.kept("repeats", measure)


def _shift(repeat: Repeat) -> NDArray[np.float64]:
    away = np.subtract(repeat.other, repeat.one)
    return away if away[0] >= 0 else -away


def _made_by_repairs(picture: LedgerPicture) -> list[Repeat]:
    """Repeats with an end in a repair or a piece. Only what these changed is looked at anew."""
    repaired = picture.repaired
    level = level_within(repaired, _REPEAT_SIDE)
    whole = level_box(repaired.size, level)
    grey = _grey(repaired, level, whole)
    boxes = [_level_box_around(box, level).within(whole) for box in repaired.laid.values()]
    owner = np.zeros((whole.height, whole.width), np.int32)
    for number, box in reversed(list(enumerate(boxes, 1))):
        owner[box.rows, box.columns] = number
    # the photo's own does not change with what is done to it
    before = picture.kept_of_source(
        "fine detail", lambda: _fine(_grey(repaired.source, level, whole)), lambda fine: fine.nbytes
    )
    owner[~_other_than(_fine(grey), before)] = 0

    def owners(features: Features) -> NDArray[np.int32]:
        return owner[features.at[:, 1].astype(np.intp), features.at[:, 0].astype(np.intp)]

    if float((owner > 0).mean()) > _MUCH:
        features = features_of(grey)
    else:
        own = _features_of_source(picture, level)
        parts = [own.those(owners(own) == 0)]
        for number, box in enumerate(boxes, 1):
            near = box.grown(_CONTEXT).within(whole)
            found = _features_near(repaired, level, near)
            parts.append(found.those(owners(found) == number))
        features = Features.joined(parts)
    return _in_source_pixels(copied(grey, repeats(grey, features, owners(features) > 0)), level)


def _other_than(fine: NDArray[np.float32], own: NDArray[np.float32]) -> NDArray[np.bool_]:
    """About where there is something else to be seen than the photo's own, and not the same in another light."""
    other = np.abs(fine - own) > _OTHER + _MORE * np.abs(own)
    return cv2.dilate(other.astype(np.uint8), np.ones((_NEAR, _NEAR), np.uint8)) > 0


def _fine(grey: NDArray[np.uint8]) -> NDArray[np.float32]:
    """What is finer than light, as a share of that."""
    light = cv2.GaussianBlur(grey.astype(np.float32), (0, 0), _BROAD)
    return np.asarray((grey - light) / (light + _DARK), np.float32)


def _of_source(picture: LedgerPicture) -> list[Repeat]:
    source = picture.repaired.source
    level = level_within(source, _REPEAT_SIDE)
    grey = _grey(source, level, level_box(source.size, level))
    return _in_source_pixels(repeats(grey, _features_of_source(picture, level)), level)


def _features_of_source(picture: LedgerPicture, level: int) -> Features:
    source = picture.repaired.source
    return picture.kept_of_source(
        "features",
        lambda: features_of(_grey(source, level, level_box(source.size, level))),
        lambda features: features.weight,
    )


def _features_near(repaired: Repaired, level: int, near: Box) -> Features:
    """Features in a part of a level, once for a state of the repairs there."""

    def detect() -> Features:
        return features_of(_grey(repaired, level, near)).moved(near.left, near.top)

    return repaired.kept_near("features", at_full_size(near, level), detect, lambda features: features.weight)


def _level_box_around(box: Box, level: int) -> Box:
    return at_level(box.grown(round(0.1 * max(box.width, box.height)) + 8), level)


def _grey(source: Source, level: int, box: Box) -> NDArray[np.uint8]:
    return np.asarray(cv2.cvtColor(narrowed(source.read(level, box)), cv2.COLOR_RGB2GRAY), np.uint8)


def _in_source_pixels(found: list[Repeat], level: int) -> list[Repeat]:
    k = 2.0**level
    return [Repeat((k * r.one[0], k * r.one[1]), (k * r.other[0], k * r.other[1]), r.features) for r in found]


def plain(lamp: Literal["cast", "speck", "clip"], frame: Seen) -> Seen:
    """A frame under a lamp that needs nothing but the frame.

    Parameters
    ----------
    lamp
        `cast` pushes saturation to the top; `speck` is raking light: fine contrast only, on grey; `clip` paints whites
        and blacks that have no texture and dims the rest.
    frame
        8-bit sRGB, shape (rows, columns, 3).
    """
    return {"cast": _cast, "speck": _speck, "clip": _clip}[lamp](frame)


def _cast(frame: Seen) -> Seen:
    values = frame.astype(np.float32)
    grey = (values @ np.array([0.2126, 0.7152, 0.0722], np.float32))[..., None]
    return np.asarray(np.clip(grey + _PUSHED * (values - grey), 0, 255), np.uint8)


def _speck(frame: Seen) -> Seen:
    grey = cv2.cvtColor(frame, cv2.COLOR_RGB2GRAY).astype(np.float32)
    # texture of the ground is evened out, so that a speck on plain ground shows as strongly as one on a rough one
    fine = cv2.GaussianBlur(grey, (0, 0), 0.8) - cv2.GaussianBlur(grey, (0, 0), 7)
    usual = np.sqrt(cv2.GaussianBlur(fine * fine, (0, 0), 24)) + 1.2
    raked = np.clip(128 + 30 * fine / usual, 0, 255).astype(np.uint8)
    return np.repeat(raked[..., None], 3, axis=2)


def _clip(frame: Seen) -> Seen:
    grey = cv2.cvtColor(frame, cv2.COLOR_RGB2GRAY)
    out = np.repeat(np.asarray(64 + grey // 2, np.uint8)[..., None], 3, axis=2)
    out[(frame >= 254).any(axis=-1)] = _WHITES
    out[(frame <= 1).all(axis=-1)] = _BLACKS
    return out


def _level(frame: Seen, bounds: tuple[float, float, float, float]) -> Seen:
    """Lines that are nearly upright or level are marked: thin where they are true, thick where they hang."""
    grey = np.asarray(cv2.cvtColor(frame, cv2.COLOR_RGB2GRAY), np.uint8)
    out = np.repeat(np.asarray(30 + grey * 0.75, np.uint8)[..., None], 3, axis=2)
    for x0, y0, x1, y1 in straight_segments(grey):
        sides = (x0 - bounds[0], y0 - bounds[1], x0 - bounds[2], y0 - bounds[3])
        ends = (x1 - bounds[0], y1 - bounds[1], x1 - bounds[2], y1 - bounds[3])
        on_side = any(abs(a) < 4 and abs(b) < 4 for a, b in zip(sides, ends, strict=True))
        if on_side or np.hypot(x1 - x0, y1 - y0) < _SHORTEST:
            continue
        slope = np.degrees(np.arctan2(y1 - y0, x1 - x0))
        off = abs(slope - 90 * round(float(slope) / 90))
        if off > _HANGS_MOST:
            continue
        line = (round(float(x0)), round(float(y0))), (round(float(x1)), round(float(y1)))
        wide = 1 if off < _TRUE else 2
        cv2.line(out, *line, (20, 20, 20), wide + 2, cv2.LINE_AA)
        cv2.line(out, *line, (150, 224, 174) if off < _TRUE else (255, 214, 64), wide, cv2.LINE_AA)
    return out


def _mask(frame: Seen, covered: NDArray[np.float32]) -> Seen:
    dark = 0.28 * cv2.cvtColor(frame, cv2.COLOR_RGB2GRAY)[..., None].astype(np.float32)
    return np.asarray(dark + covered[..., None] * (frame - dark) + 0.5, np.uint8)


def _linked(frame: Seen, lines: list[NDArray[np.float64]]) -> Seen:
    grey = cv2.cvtColor(frame, cv2.COLOR_RGB2GRAY)
    out = np.repeat(np.asarray(40 + grey * 0.7, np.uint8)[..., None], 3, axis=2)
    for one, other in lines:
        ends = [(round(float(x)), round(float(y))) for x, y in (one, other)]
        for colour, thickness in (((20, 20, 20), 4), ((255, 214, 64), 2)):
            cv2.line(out, ends[0], ends[1], colour, thickness, cv2.LINE_AA)
            for end in ends:
                cv2.circle(out, end, 14, colour, thickness, cv2.LINE_AA)
    return out
