"""A photo under a ledger: views for the bench, the whole for delivery."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.frame.geometry import Affine, scaling, translation
from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.pyramid import Source
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.develop import develop
from fern_ticket.core.render.plan import Plan, make_plan
from fern_ticket.core.render.repaired import Repaired
from fern_ticket.core.render.resample import Window, nearest, resample

#: Rows of the result that a delivery holds beside the result itself.
_BAND = 256


@dataclass(frozen=True)
class View:
    """What a page looks at.

    Attributes
    ----------
    left, top
        Of the view, in result pixels (or level coordinates when `whole`).
    scale
        Screen pixels for one such pixel.
    width, height
        Of the view in screen pixels.
    whole
        Show the straightened picture with everything the crop leaves out.
    """

    left: float
    top: float
    scale: float
    width: int
    height: int
    whole: bool = False

    def to_framed(self) -> Affine:
        return translation(self.left, self.top) @ scaling(1 / self.scale, 1 / self.scale)


@dataclass(frozen=True)
class _Seen:
    """A resampled view, what of it lies outside the picture, and the repairs that it shows."""

    window: Window
    outside: NDArray[np.bool_] | None
    laid: dict[str, Box]


class LedgerPicture:
    """A source with a ledger applied. Cheap to make: everything costly is computed on reading and cached."""

    def __init__(self, source: Source, name: str, steps: Sequence[Step], cache: ByteCache) -> None:
        self.plan: Plan = make_plan(steps, source.size)
        self.repaired = Repaired(source, name, self.plan.repairs, cache)
        self._name = name
        self._cache = cache

    def view(self, view: View, surround: tuple[int, int, int], *, fine: bool) -> NDArray[np.uint8]:
        """An sRGB frame of the view, shape (height, width, 3); outside the picture lies the surround."""
        frame = self.plan.frame
        base = frame.state.level_to_source if view.whole else frame.to_source
        to_source = base @ view.to_framed()
        seen = self._window(to_source, (view.width, view.height), fine=fine)
        window, outside = seen.window, seen.outside
        pixels: NDArray[np.uint8] = develop(window, self.repaired.space, self.plan.light, np.uint8)
        if not view.whole:
            beyond = _beyond(view, frame.size)
            outside = beyond if outside is None else outside if beyond is None else outside | beyond
        if outside is not None:
            pixels[outside] = surround
        return pixels

    def samples(self, size: tuple[int, int]) -> Window:
        """Single full-size pixels of the result in a regular grid of `size`, encoded as in the source, before light."""
        frame = self.plan.frame
        to_source = frame.to_source @ scaling(frame.size[0] / size[0], frame.size[1] / size[1])
        return self._cache.get_or_make(
            ("samples", self.repaired.key, to_source.tobytes(), size),
            lambda: nearest(self.repaired, to_source, size)[0],
            lambda window: window.nbytes,
        )

    def _window(self, to_source: Affine, size: tuple[int, int], *, fine: bool) -> _Seen:
        """The resampled view. When only repairs changed since it was last seen, only their places are made anew."""
        key = ("view", self._name, to_source.tobytes(), size, fine)
        seen: _Seen | None = self._cache.get(key)
        changed = None if seen is None else dict(seen.laid.items() ^ self.repaired.laid.items())
        if seen is not None and not changed:
            return seen
        places = [_touched(box, to_source, size) for box in (changed or {}).values()]
        if seen is None or 2 * sum(place.width * place.height for place in places) > size[0] * size[1]:
            window, outside = resample(self.repaired, to_source, size, fine=fine)
        else:
            window, outside = seen.window.copy(), seen.outside
            for place in places:
                if place.empty:
                    continue
                there = to_source @ translation(place.left, place.top)
                part, _ = resample(self.repaired, there, (place.width, place.height), fine=fine)
                window[place.rows, place.columns] = part
        made = _Seen(window, outside, self.repaired.laid)
        self._cache.put(key, made, window.nbytes + (0 if outside is None else outside.nbytes))
        return made

    def deliver(
        self,
        depth: type[np.uint8] | type[np.uint16],
        progress: Callable[[float], None] = lambda _: None,
    ) -> Pixels:
        """The whole result, rendered in bands of rows so that only the result itself is held.

        Parameters
        ----------
        depth
            Of the result.
        progress
            Told the share done, 0-1, after each band; may raise to stop.

        Returns
        -------
        sRGB, shape (rows, columns, 3).
        """
        width, height = self.plan.frame.size
        out: Pixels = np.empty((height, width, 3), depth)
        for top in range(0, height, _BAND):
            rows = min(_BAND, height - top)
            to_source = self.plan.frame.to_source @ translation(0, top)
            window, _ = resample(self.repaired, to_source, (width, rows), fine=True)
            out[top : top + rows] = develop(window, self.repaired.space, self.plan.light, depth)
            progress((top + rows) / height)
        return out


def _touched(box: Box, to_source: Affine, size: tuple[int, int]) -> Box:
    """The result pixels that source pixels of `box` can have a share in, with the reach of every filter."""
    reduction = max(1.0, math.sqrt(abs(np.linalg.det(to_source[:2, :2]))))
    wide = box.grown(math.ceil(6 * reduction) + 2)
    corners = np.array([[wide.left, wide.right] * 2, [wide.top] * 2 + [wide.bottom] * 2, [1] * 4], float)
    x, y, _ = np.linalg.inv(to_source) @ corners
    reached = Box(math.floor(x.min()), math.floor(y.min()), math.ceil(x.max()), math.ceil(y.max()))
    inside = reached.within(Box(0, 0, *size))
    return Box(0, 0, 0, 0) if inside.empty else inside


def _beyond(view: View, size: tuple[int, int]) -> NDArray[np.bool_] | None:
    """Screen pixels whose centre lies off the result."""
    x = view.left + (np.arange(view.width) + 0.5) / view.scale
    y = view.top + (np.arange(view.height) + 0.5) / view.scale
    off_x, off_y = (x < 0) | (x > size[0]), (y < 0) | (y > size[1])
    if not off_x.any() and not off_y.any():
        return None
    return np.asarray(off_x[None] | off_y[:, None])
