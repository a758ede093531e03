"""What photos are to one another: frames of a bracketed series by their EXIF, panoramas by size and metadata."""

from __future__ import annotations

import math
import warnings
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime

from fern_ticket.core.pictures.exif import text_of
from fern_ticket.core.pictures.metadata import read_metadata
from fern_ticket.core.pictures.opening import open_picture

#: EXIF (CIPA DC-008): original date and time, its fraction, exposure time, f-number, sensitivity, exposure bias, model.
_TAKEN, _FRACTION, _TIME, _APERTURE, _SENSITIVITY, _BIAS, _MODEL = (
    0x9003,
    0x9291,
    0x829A,
    0x829D,
    0x8827,
    0x9204,
    0x0110,
)
#: Frames of a series follow one another within so many seconds (common practice, no source).
_APART = 4.0
#: Frames that differ by less, in stops, are no bracket (common practice, no source).
_LEAST = 0.5


@dataclass(frozen=True)
class Taken:
    """When and how a photo was taken, as far as its file tells.

    Attributes
    ----------
    at
        Seconds; None where the file does not say.
    exposure
        Stops of light let in, from time, aperture and sensitivity; else the exposure bias; None where neither is told.
    model
        The camera.
    """

    at: float | None
    exposure: float | None
    model: str
    width: int
    height: int


def taken(data: bytes) -> Taken | None:
    """Read from a file's header; None where it has none."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            image = open_picture(data)
            exif = image.getexif()
            detail = exif.get_ifd(0x8769)
    except Exception:
        return None
    at = None
    try:
        at = datetime.strptime(text_of(detail.get(_TAKEN)), "%Y:%m:%d %H:%M:%S").timestamp()
        fraction = text_of(detail.get(_FRACTION))
        at += float(f"0.{fraction}") if fraction.isdecimal() else 0.0
    except (ValueError, OverflowError):
        pass
    return Taken(at, _stops(detail), text_of(exif.get(_MODEL)), *image.size)


def series(photos: Iterable[tuple[str, Taken]]) -> list[list[str]]:
    """Names that belong together as bracketed series, each from dark to light.

    Frames of one camera and size that follow one another within seconds and let in different light: at least three, or
    two that are a whole stop apart.
    """
    known = sorted(
        ((name, one) for name, one in photos if one.at is not None and one.exposure is not None),
        key=lambda pair: (pair[1].model, pair[1].width, pair[1].height, pair[1].at or 0),
    )
    groups: list[list[tuple[str, Taken]]] = []
    for name, one in known:
        last = groups[-1][-1][1] if groups else None
        together = last is not None and _follows(last, one)
        # a second frame of an exposure begins the next series
        if together and all(abs((one.exposure or 0) - (o.exposure or 0)) >= _LEAST for _, o in groups[-1]):
            groups[-1].append((name, one))
        else:
            groups.append([(name, one)])
    found = []
    for group in groups:
        light = sorted(group, key=lambda pair: pair[1].exposure or 0)
        spread = (light[-1][1].exposure or 0) - (light[0][1].exposure or 0)
        if len(light) >= 3 or (len(light) == 2 and spread >= 1):
            found.append([name for name, _ in light])
    return found


def panorama_of(data: bytes, width: int, height: int) -> str | None:
    """Why a picture is taken for a flat panorama: its metadata, or its size; None where it is none."""
    if read_metadata(data).panorama is not None:
        return "its metadata says so"
    # as large as a whole look-around is, and exactly 2:1
    return "it is 2:1" if width == 2 * height and width >= 4096 else None


def _follows(before: Taken, after: Taken) -> bool:
    same = (before.model, before.width, before.height) == (after.model, after.width, after.height)
    return same and (after.at or 0) - (before.at or 0) <= _APART


def _stops(detail: dict[int, object]) -> float | None:
    """Light let in, in stops: log2 of time × sensitivity / aperture². The bias where a file tells only that."""

    def number(tag: int, left_out: float | None = None) -> float:
        """What a tag tells, the first of several; a fraction over nothing is no number."""
        value = detail.get(tag, left_out)
        return float(value[0] if isinstance(value, tuple) else value)  # type: ignore[arg-type]

    def light() -> float:
        return math.log2(number(_TIME) * number(_SENSITIVITY, 100) / 100 / (number(_APERTURE, 1) or 1) ** 2)

    for told in (light, lambda: number(_BIAS)):
        try:
            stops = told()
        except (ValueError, TypeError, IndexError, ArithmeticError):
            continue
        if math.isfinite(stops):
            return stops
    return None
