"""Light and colour: encoded values of the source through every transform to encoded sRGB.

Windows are worked off in blocks of rows that stay in the processor's cache: values are spread into float planes, each
transform passes over them, and the result is encoded and rounded once.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.balance.base import raised
from fern_ticket.core.balance.light import (
    ColourMatrix,
    Covered,
    LocalGain,
    Overview,
    PixelFunction,
    Planes,
    Position,
    ToneCurve,
    Transform,
)
from fern_ticket.core.kernels import fast_kernel
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.plane import PlaneMap, magnification, mapped, scaling, translation
from fern_ticket.core.pictures.profiles import ColourSpace
from fern_ticket.core.render.resample import Window
from fern_ticket.core.threads import cores

#: Pixels of a block: three float planes of so many stay in a second-level cache.
_BLOCK = 65_536

#: Of the values that are made.
Depth = type[np.uint8] | type[np.uint16]


@dataclass(frozen=True)
class Where:
    """How a window lies: its coordinates to the source's, and to shares of the finished frame."""

    to_source: PlaneMap
    to_share: PlaneMap = field(default_factory=lambda: np.eye(3))
    #: Window pixels for one delivered pixel.
    delivered: float = 1.0

    def moved(self, left: int, top: int) -> Where:
        shift = translation(left, top)
        return Where(self.to_source @ shift, self.to_share @ shift, self.delivered)

    def place(self) -> Position:
        # told at the frame's middle: of a picture that was squared up, every window must have the same
        x, y = mapped(np.linalg.inv(self.to_share), np.array([0.5]), np.array([0.5]))
        scale = 1 / magnification(self.to_source, float(x[0]), float(y[0]))
        return Position(self.to_source, self.to_share, scale, self.delivered)


class LightChain:
    """A chain of transforms over a colour space, fused where transforms allow it."""

    def __init__(self, space: ColourSpace, transforms: Sequence[Transform]) -> None:
        self._space = space
        self._transforms = fused(transforms)
        self.untouched = space.is_srgb and not self._transforms

    @property
    def reach(self) -> float:
        """Source pixels beyond a window that its transforms look at."""
        return _reach(self._transforms)

    def develop(self, window: Window, where: Where, depth: Depth) -> Pixels:
        """Encoded sRGB of a window.

        Parameters
        ----------
        window
            Encoded source values, shape (rows, columns, 3), uint16.
        where
            How the window lies.
        depth
            Of the result. Values beyond what it holds are clipped here and nowhere before.

        Returns
        -------
        sRGB, shape of `window`. With sRGB values and no transform, the values themselves.
        """
        out: Pixels = np.empty(window.shape, depth)
        if self.untouched:
            if depth is np.uint8:
                _narrow(window.reshape(-1), out.reshape(-1))
            else:
                out[:] = window
            return out
        top = np.float32(np.iinfo(depth).max)

        def store(planes: Planes, encoded: bool, rows: slice) -> None:
            if not encoded:
                encode_planes(planes)
            _store(planes, top, out[rows])

        self._run(window, where, store)
        return out

    def linear(self, window: Window, where: Where) -> Planes:
        """Linear sRGB after every transform, unclipped, shape (3, rows, columns), for measuring."""
        out = np.empty((3, *window.shape[:2]), np.float32)

        def store(planes: Planes, encoded: bool, rows: slice) -> None:
            if encoded:
                decode_planes(planes)
            out[:, rows] = planes

        self._run(window, where, store)
        return out

    def _run(self, window: Window, where: Where, store: Callable[[Planes, bool, slice], None]) -> None:
        """Every block through every transform, several at once: kernels run without the interpreter's lock."""
        height, width = window.shape[:2]
        rows = height if self.reach else max(1, min(height, _BLOCK // max(1, width)))
        covers = [self._cover(transform, window, where) for transform in self._transforms]

        def work(top: int) -> None:
            part = slice(top, min(height, top + rows))
            planes = np.empty((3, part.stop - top, width), np.float32)
            lies = where.moved(0, top)
            encoded = self._load(window[part], planes)
            for transform, cover in zip(self._transforms, covers, strict=True):
                if isinstance(transform, Covered):
                    assert cover is not None
                    encoded = _pass_covered(transform, cover[part], planes, lies, encoded)
                else:
                    encoded = _as_wanted(planes, _is_encoded(transform), encoded)
                    _pass(transform, planes, lies.place())
            store(planes, encoded, part)

        tops = range(0, height, rows)
        if len(tops) < 4:
            for top in tops:
                work(top)
        else:
            deque(_threads().map(work, tops), maxlen=0)

    @staticmethod
    def _cover(transform: Transform, window: Window, where: Where) -> NDArray[np.float32] | None:
        return transform.coverage(window, where.to_source) if isinstance(transform, Covered) else None

    def _load(self, window: Window, planes: Planes) -> bool:
        if self._space.is_srgb:
            _load_encoded(window, planes)
            return True
        _load_linear(window, self._space.curves, self._space.to_srgb.astype(np.float32), planes)
        return False


@lru_cache(maxsize=1)
def _threads() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(cores(), thread_name_prefix="light")


def fused(transforms: Sequence[Transform]) -> list[Transform]:
    """Neighbouring matrices of one domain as one, neighbouring curves and neighbouring raisings as one."""
    out: list[Transform] = []
    for transform in transforms:
        last = out[-1] if out else None
        if isinstance(transform, ColourMatrix) and isinstance(last, ColourMatrix) and transform.encoded == last.encoded:
            out[-1] = ColourMatrix(transform.matrix @ last.matrix, transform.encoded)
        elif isinstance(transform, ToneCurve) and isinstance(last, ToneCurve):
            out[-1] = ToneCurve(_through(transform.table, last.table))
        elif (
            isinstance(transform, LocalGain)
            and isinstance(last, LocalGain)
            and transform.strength == last.strength == 1
        ):
            out[-1] = LocalGain((*last.parts, *transform.parts))
        else:
            out.append(transform)
    return out


def small_picture(
    read: Callable[[PlaneMap, tuple[int, int]], Window], source_size: tuple[int, int], long: int
) -> tuple[Window, float]:
    """The whole source at `long` pixels on its long side, and its pixels for one source pixel."""
    scale = min(1.0, long / max(source_size))
    size = (max(1, round(source_size[0] * scale)), max(1, round(source_size[1] * scale)))
    return read(scaling(source_size[0] / size[0], source_size[1] / size[1]), size), scale


def as_small(light: LightChain, window: Window, scale: float) -> Overview:
    return Overview(light.linear(window, Where(scaling(1 / scale, 1 / scale))), scale)


def _is_encoded(transform: Transform) -> bool:
    """The domain that a transform works in, and leaves values in."""
    if isinstance(transform, Covered):
        return _is_encoded(transform.transforms[-1])
    if isinstance(transform, LocalGain):
        return False
    return True if isinstance(transform, ToneCurve) else transform.encoded


def _reach(transforms: Sequence[Transform]) -> float:
    return sum(_reach_of(transform) for transform in transforms)


def _reach_of(transform: Transform) -> float:
    if isinstance(transform, Covered):
        return _reach(transform.transforms)
    return transform.reach if isinstance(transform, PixelFunction) else 0.0


def _as_wanted(planes: Planes, wanted: bool, encoded: bool) -> bool:
    """Planes in the domain that is wanted next, changed in place."""
    if wanted != encoded:
        (encode_planes if wanted else decode_planes)(planes)
    return wanted


def _pass_covered(transform: Covered, cover: NDArray[np.float32], planes: Planes, where: Where, encoded: bool) -> bool:
    """Transforms on what a cover touches of a block, mixed in by its shares; a block without any stays as it is."""
    if not cover.any():
        return encoded
    if transform.strength == 1 and cover.min() == 1:
        return _pass_all(transform.transforms, planes, where.place(), encoded)
    inner = [one.within(cover) if isinstance(one, PixelFunction) else one for one in transform.transforms]
    x, y, width, height = (0, 0, cover.shape[1], cover.shape[0])
    if not _reach(transform.transforms):
        x, y, width, height = cv2.boundingRect((cover > 0).astype(np.uint8))
    inside = np.s_[y : y + height, x : x + width]
    work = planes[:, inside[0], inside[1]].copy()
    state = _pass_all(inner, work, where.moved(x, y).place(), encoded)
    encoded = _as_wanted(planes, state, encoded)
    _mix_in(planes[:, inside[0], inside[1]], work, cover[inside], np.float32(transform.strength))
    return encoded


def _pass_all(transforms: Sequence[Transform], planes: Planes, place: Position, encoded: bool) -> bool:
    """Planes through every transform, in place; the domain that they are left in."""
    for one in transforms:
        encoded = _as_wanted(planes, _is_encoded(one), encoded)
        _pass(one, planes, place)
    return encoded


@fast_kernel
def _mix_in(planes: Planes, work: Planes, cover: NDArray[np.float32], strength: np.float32) -> None:
    for channel in range(3):
        for row in range(planes.shape[1]):
            for column in range(planes.shape[2]):
                share = strength * cover[row, column]
                if share == np.float32(1):
                    planes[channel, row, column] = work[channel, row, column]
                else:
                    old = planes[channel, row, column]
                    planes[channel, row, column] = old + share * (work[channel, row, column] - old)


def _through(later: NDArray[np.float32], earlier: NDArray[np.float32]) -> NDArray[np.float32]:
    """One curve after another, both as tables."""
    planes = np.ascontiguousarray(earlier.reshape(3, 1, -1)).copy()
    _curves(planes, ToneCurve(later).pairs)
    return planes.reshape(3, -1)


def _work(transform: LocalGain | PixelFunction, planes: Planes, place: Position) -> None:
    if isinstance(transform, LocalGain):
        raised(planes, place, transform.parts)
    else:
        transform.work(planes, place)


def _pass(transform: Transform, planes: Planes, place: Position) -> None:
    assert not isinstance(transform, Covered)
    if isinstance(transform, ColourMatrix):
        _mix(planes, transform.matrix.astype(np.float32))
    elif isinstance(transform, ToneCurve):
        _curves(planes, transform.pairs)
    elif transform.strength == 1:
        _work(transform, planes, place)
    else:
        before = planes.copy()
        _work(transform, planes, place)
        _weaken(planes, before, np.float32(transform.strength))


@fast_kernel
def _narrow(window: NDArray[np.uint16], out: NDArray[np.uint8]) -> None:
    for index in range(window.shape[0]):
        out[index] = (np.uint32(window[index]) + np.uint32(128)) // np.uint32(257)


@fast_kernel
def _load_linear(
    window: NDArray[np.uint16], curves: NDArray[np.float32], matrix: NDArray[np.float32], planes: Planes
) -> None:
    for row in range(window.shape[0]):
        for column in range(window.shape[1]):
            r = curves[0, window[row, column, 0]]
            g = curves[1, window[row, column, 1]]
            b = curves[2, window[row, column, 2]]
            for channel in range(3):
                planes[channel, row, column] = matrix[channel, 0] * r + matrix[channel, 1] * g + matrix[channel, 2] * b


def _load_encoded(window: NDArray[np.uint16], planes: Planes) -> None:
    for plane, channel in zip(planes, cv2.split(window), strict=True):
        plane[:] = channel
        plane *= np.float32(1 / 65535)


@fast_kernel
def _mix(planes: Planes, matrix: NDArray[np.float32]) -> None:
    for row in range(planes.shape[1]):
        red, green, blue = planes[0, row], planes[1, row], planes[2, row]
        for column in range(red.shape[0]):
            r, g, b = red[column], green[column], blue[column]
            red[column] = matrix[0, 0] * r + matrix[0, 1] * g + matrix[0, 2] * b
            green[column] = matrix[1, 0] * r + matrix[1, 1] * g + matrix[1, 2] * b
            blue[column] = matrix[2, 0] * r + matrix[2, 1] * g + matrix[2, 2] * b


@fast_kernel
def _weaken(planes: Planes, before: Planes, strength: np.float32) -> None:
    for channel in range(3):
        for row in range(planes.shape[1]):
            for column in range(planes.shape[2]):
                old = before[channel, row, column]
                planes[channel, row, column] = old + strength * (planes[channel, row, column] - old)


@fast_kernel
def _curves(planes: Planes, pairs: NDArray[np.float32]) -> None:
    """Value and rise at CURVE_STEPS places, shape (3, steps, 2); beyond their ends they go on straight.

    The places are found in a vector loop; what is left to the lookup is one pair from one line of the cache.
    """
    last, reach = np.float32(pairs.shape[1] - 1), np.float32(pairs.shape[1])
    index = np.empty(planes.shape[2], np.int32)
    part = np.empty(planes.shape[2], np.float32)
    for channel in range(3):
        own = pairs[channel]
        for row in range(planes.shape[1]):
            line = planes[channel, row]
            for column in range(line.shape[0]):
                place = line[column] * reach
                low = np.int32(min(max(place, np.float32(0)), last))
                index[column] = low
                part[column] = place - np.float32(low)
            for column in range(line.shape[0]):
                at = np.uint32(index[column])
                line[column] = own[at, 0] + own[at, 1] * part[column]


@fast_kernel
def encode_planes(planes: Planes) -> None:
    """Linear to sRGB encoded (IEC 61966-2-1) in place, straight on beyond 0-1.

    The power is a polynomial in the fourth root (least maximum error by Chebyshev's points), within 4e-7.
    """
    foot, one = np.float32(0.0031308), np.float32(1)
    for channel in range(3):
        for row in range(planes.shape[1]):
            line = planes[channel, row]
            for column in range(line.shape[0]):
                value = line[column]
                u = np.sqrt(np.sqrt(min(max(value, foot), one)))
                power = np.float32(-0.0578171868) + u * (
                    np.float32(0.113074739)
                    + u
                    * (
                        np.float32(1.53523068)
                        + u
                        * (
                            np.float32(-1.44030099)
                            + u
                            * (
                                np.float32(1.86993612)
                                + u
                                * (
                                    np.float32(-1.84681502)
                                    + u
                                    * (
                                        np.float32(1.21772194)
                                        + u * (np.float32(-0.471950383) + u * (np.float32(0.0809201424)))
                                    )
                                )
                            )
                        )
                    )
                )
                line[column] = (
                    power
                    + (min(value, foot) - foot) * np.float32(12.92)
                    + (max(value, one) - one) * np.float32(1.055 / 2.4)
                )


@fast_kernel
def decode_planes(planes: Planes) -> None:
    """sRGB encoded to linear (IEC 61966-2-1) in place, straight on beyond 0-1; a polynomial within 2e-7."""
    foot, one = np.float32(0.04045), np.float32(1)
    for channel in range(3):
        for row in range(planes.shape[1]):
            line = planes[channel, row]
            for column in range(line.shape[0]):
                value = line[column]
                x = min(max(value, foot), one)
                power = np.float32(0.000841458238) + x * (
                    np.float32(0.0359185306)
                    + x
                    * (
                        np.float32(0.474760023)
                        + x
                        * (
                            np.float32(0.952119015)
                            + x
                            * (
                                np.float32(-1.29182479)
                                + x
                                * (
                                    np.float32(2.17437748)
                                    + x
                                    * (
                                        np.float32(-2.95552046)
                                        + x
                                        * (
                                            np.float32(2.87715141)
                                            + x
                                            * (
                                                np.float32(-1.84820816)
                                                + x * (np.float32(0.696635877) + x * (np.float32(-0.116250416)))
                                            )
                                        )
                                    )
                                )
                            )
                        )
                    )
                )
                line[column] = (
                    power
                    + (min(value, foot) - foot) * np.float32(1 / 12.92)
                    + (max(value, one) - one) * np.float32(2.4 / 1.055)
                )


def _store(planes: Planes, top: np.float32, out: Pixels) -> None:
    whole = np.empty(planes.shape, out.dtype)
    _round(planes, top, whole)
    out[:] = cv2.merge(list(whole))


@fast_kernel
def _round(planes: Planes, top: np.float32, out: Any) -> None:
    for channel in range(3):
        for row in range(planes.shape[1]):
            line, whole = planes[channel, row], out[channel, row]
            for column in range(line.shape[0]):
                # through a signed whole number: vector units convert to those
                value = min(max(line[column], np.float32(0)), np.float32(1)) * top + np.float32(0.5)
                whole[column] = np.int32(value)
