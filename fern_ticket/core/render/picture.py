"""A photo under a ledger: views for the bench, the whole for delivery."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.frame.geometry import Affine, scaling, translation
from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.pyramid import Source
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


class LedgerPicture:
    """A source with a ledger applied. Cheap to make: everything costly is computed on reading and cached."""

    def __init__(self, source: Source, name: str, steps: Sequence[Step], cache: ByteCache) -> None:
        self.plan: Plan = make_plan(steps, source.size)
        self.repaired = Repaired(source, name, self.plan.repairs, cache)
        self._cache = cache

    def view(self, view: View, surround: tuple[int, int, int], *, fine: bool) -> NDArray[np.uint8]:
        """An sRGB frame of the view, shape (height, width, 3); outside the picture lies the surround."""
        frame = self.plan.frame
        base = frame.state.level_to_source if view.whole else frame.to_source
        to_source = base @ view.to_framed()
        window, outside = self._window(to_source, (view.width, view.height), fine=fine)
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

    def _window(
        self, to_source: Affine, size: tuple[int, int], *, fine: bool
    ) -> tuple[Window, NDArray[np.bool_] | None]:
        key = ("window", self.repaired.key, to_source.tobytes(), size, fine)
        return self._cache.get_or_make(
            key,
            lambda: resample(self.repaired, to_source, size, fine=fine),
            lambda made: made[0].nbytes + (0 if made[1] is None else made[1].nbytes),
        )

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


def _beyond(view: View, size: tuple[int, int]) -> NDArray[np.bool_] | None:
    """Screen pixels whose centre lies off the result."""
    x = view.left + (np.arange(view.width) + 0.5) / view.scale
    y = view.top + (np.arange(view.height) + 0.5) / view.scale
    off_x, off_y = (x < 0) | (x > size[0]), (y < 0) | (y > size[1])
    if not off_x.any() and not off_y.any():
        return None
    return np.asarray(off_x[None] | off_y[:, None])
