"""Light and colour: encoded values of the source through every stage to encoded sRGB.

Windows are worked off in blocks of rows that stay in the processor's cache: values are spread into float planes, each
stage passes over them, and the result is encoded and rounded once.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.balance.light import Mixing, Place, Planes, Small, Stage, Toning, Working
from fern_ticket.core.frame.geometry import Affine, scaling, translation
from fern_ticket.core.kernels import fast_kernel
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.profiles import ColourSpace, srgb_decode, srgb_encode
from fern_ticket.core.render.resample import Window

_STEPS = 16384
#: Pixels of a block: three float planes of so many stay in a second-level cache.
_BLOCK = 32_768
#: Slope of the sRGB encoding at white, with which it is carried on.
_SLOPE = np.float32(1.055 / 2.4)


@dataclass(frozen=True)
class Where:
    """How a window lies: its coordinates to the source's, and to shares of the finished frame."""

    to_source: Affine
    to_share: Affine = field(default_factory=lambda: np.eye(3))

    def moved(self, left: int, top: int) -> Where:
        shift = translation(left, top)
        return Where(self.to_source @ shift, self.to_share @ shift)

    def place(self) -> Place:
        return Place(self.to_source, self.to_share, 1 / float(np.sqrt(abs(np.linalg.det(self.to_source[:2, :2])))))


class Light:
    """A chain of stages over a colour space, fused where stages allow it."""

    def __init__(self, space: ColourSpace, stages: Sequence[Stage]) -> None:
        self._space = space
        self._stages = fused(stages)
        self.untouched = space.is_srgb and not self._stages
        self._first_encoded = space.is_srgb and bool(self._stages) and _is_encoded(self._stages[0])

    @property
    def reach(self) -> float:
        """Source pixels beyond a window that its stages look at."""
        return sum(stage.reach for stage in self._stages if isinstance(stage, Working))

    def develop(self, window: Window, where: Where, depth: type[np.uint8] | type[np.uint16]) -> Pixels:
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
        sRGB, shape of `window`. With sRGB values and no stage, the values themselves.
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
            if encoded:
                _store_encoded(planes, top, out[rows])
            else:
                _store_linear(planes, _encode_table(), top, out[rows])

        self._run(window, where, store)
        return out

    def linear(self, window: Window, where: Where) -> Planes:
        """Linear sRGB after every stage, unclipped, shape (3, rows, columns), for measuring."""
        out = np.empty((3, *window.shape[:2]), np.float32)

        def store(planes: Planes, encoded: bool, rows: slice) -> None:
            if encoded:
                _by_table(planes, _decode_table())
            out[:, rows] = planes

        self._run(window, where, store)
        return out

    def _run(self, window: Window, where: Where, store: Callable[[Planes, bool, slice], None]) -> None:
        height, width = window.shape[:2]
        rows = height if self.reach else max(1, min(height, _BLOCK // max(1, width)))
        scratch = np.empty((3, rows, width), np.float32)
        for top in range(0, height, rows):
            part = slice(top, min(height, top + rows))
            planes = scratch[:, : part.stop - top]
            place = where.moved(0, top).place()
            encoded = self._load(window[part], planes)
            for stage in self._stages:
                wanted = _is_encoded(stage)
                if wanted != encoded:
                    _by_table(planes, _encode_table() if wanted else _decode_table())
                    encoded = wanted
                _pass(stage, planes, place)
            store(planes, encoded, part)

    def _load(self, window: Window, planes: Planes) -> bool:
        if self._first_encoded:
            _load_encoded(window, planes)
            return True
        _load_linear(window, self._space.curves, self._space.to_srgb.astype(np.float32), planes)
        return False


def fused(stages: Sequence[Stage]) -> list[Stage]:
    """Neighbouring matrices of one domain as one, neighbouring curves as one."""
    out: list[Stage] = []
    for stage in stages:
        last = out[-1] if out else None
        if isinstance(stage, Mixing) and isinstance(last, Mixing) and stage.encoded == last.encoded:
            out[-1] = Mixing(stage.matrix @ last.matrix, stage.encoded)
        elif isinstance(stage, Toning) and isinstance(last, Toning):
            out[-1] = Toning(_through(stage.table, last.table))
        else:
            out.append(stage)
    return out


def small_picture(
    read: Callable[[Affine, tuple[int, int]], Window], source_size: tuple[int, int], long: int
) -> tuple[Window, float]:
    """The whole source at `long` pixels on its long side, and its pixels for one source pixel."""
    scale = min(1.0, long / max(source_size))
    size = (max(1, round(source_size[0] * scale)), max(1, round(source_size[1] * scale)))
    return read(scaling(source_size[0] / size[0], source_size[1] / size[1]), size), scale


def as_small(light: Light, window: Window, scale: float) -> Small:
    return Small(light.linear(window, Where(scaling(1 / scale, 1 / scale))), scale)


def _is_encoded(stage: Stage) -> bool:
    return True if isinstance(stage, Toning) else stage.encoded


def _through(later: NDArray[np.float32], earlier: NDArray[np.float32]) -> NDArray[np.float32]:
    """One curve after another, both as tables."""
    planes = np.ascontiguousarray(earlier.reshape(3, 1, -1)).copy()
    _curves(planes, later)
    return planes.reshape(3, -1)


def _pass(stage: Stage, planes: Planes, place: Place) -> None:
    if isinstance(stage, Mixing):
        _mix(planes, stage.matrix.astype(np.float32))
    elif isinstance(stage, Toning):
        _curves(planes, stage.table)
    elif stage.strength == 1:
        stage.work(planes, place)
    else:
        before = planes.copy()
        stage.work(planes, place)
        _weaken(planes, before, np.float32(stage.strength))


@lru_cache(maxsize=1)
def _encode_table() -> NDArray[np.float32]:
    """sRGB encoding of _STEPS + 1 evenly spaced linear values, and one more so that interpolation may look ahead.

    Linear interpolation between them is within 2e-6 of IEC 61966-2-1, a sixth of a 16-bit step.
    """
    table = srgb_encode(np.linspace(0, 1, _STEPS + 1))
    return np.append(table, 1.0 + float(_SLOPE) / _STEPS).astype(np.float32)


@lru_cache(maxsize=1)
def _decode_table() -> NDArray[np.float32]:
    table = srgb_decode(np.linspace(0, 1, _STEPS + 1))
    return np.append(table, 1.0 + 1 / (float(_SLOPE) * _STEPS)).astype(np.float32)


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


@fast_kernel
def _load_encoded(window: NDArray[np.uint16], planes: Planes) -> None:
    unit = np.float32(1 / 65535)
    for row in range(window.shape[0]):
        for column in range(window.shape[1]):
            for channel in range(3):
                planes[channel, row, column] = np.float32(window[row, column, channel]) * unit


@fast_kernel
def _mix(planes: Planes, matrix: NDArray[np.float32]) -> None:
    for row in range(planes.shape[1]):
        for column in range(planes.shape[2]):
            r, g, b = planes[0, row, column], planes[1, row, column], planes[2, row, column]
            for channel in range(3):
                planes[channel, row, column] = matrix[channel, 0] * r + matrix[channel, 1] * g + matrix[channel, 2] * b


@fast_kernel
def _weaken(planes: Planes, before: Planes, strength: np.float32) -> None:
    for channel in range(3):
        for row in range(planes.shape[1]):
            for column in range(planes.shape[2]):
                old = before[channel, row, column]
                planes[channel, row, column] = old + strength * (planes[channel, row, column] - old)


@fast_kernel
def _curves(planes: Planes, table: NDArray[np.float32]) -> None:
    """Tables of CURVE_STEPS + 1 values; beyond their ends they go on straight."""
    steps = table.shape[1] - 1
    reach = np.float32(steps)
    for channel in range(3):
        for row in range(planes.shape[1]):
            for column in range(planes.shape[2]):
                place = planes[channel, row, column] * reach
                index = min(max(int(place), 0), steps - 1)
                low = table[channel, index]
                planes[channel, row, column] = low + (table[channel, index + 1] - low) * (place - np.float32(index))


@fast_kernel
def _by_table(planes: Planes, table: NDArray[np.float32]) -> None:
    steps = table.shape[0] - 2
    for channel in range(3):
        for row in range(planes.shape[1]):
            for column in range(planes.shape[2]):
                place = planes[channel, row, column] * np.float32(steps)
                index = min(max(int(place), 0), steps)
                low = table[index]
                planes[channel, row, column] = low + (table[index + 1] - low) * (place - np.float32(index))


@fast_kernel
def _store_linear(planes: Planes, table: NDArray[np.float32], top: np.float32, out: Any) -> None:
    steps = table.shape[0] - 2
    for row in range(planes.shape[1]):
        for column in range(planes.shape[2]):
            for channel in range(3):
                value = planes[channel, row, column]
                place = min(max(value, np.float32(0)), np.float32(1)) * np.float32(steps)
                index = int(place)
                low = table[index]
                encoded = low + (table[index + 1] - low) * (place - np.float32(index))
                out[row, column, channel] = int(encoded * top + np.float32(0.5))


@fast_kernel
def _store_encoded(planes: Planes, top: np.float32, out: Any) -> None:
    for row in range(planes.shape[1]):
        for column in range(planes.shape[2]):
            for channel in range(3):
                value = min(max(planes[channel, row, column], np.float32(0)), np.float32(1))
                out[row, column, channel] = int(value * top + np.float32(0.5))
