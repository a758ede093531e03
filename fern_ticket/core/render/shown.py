"""What a page is shown of a picture: a window on the flat result, or a view into its sphere. One way to ask of both."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.ledger.masks import Alpha
from fern_ticket.core.pictures.chart import Chart
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.plane import mapped
from fern_ticket.core.pictures.sphere import Sphere
from fern_ticket.core.render.around import Developed, Look, looked
from fern_ticket.core.render.picture import LedgerPicture, View

Frame = NDArray[np.uint8]
Surround = tuple[int, int, int]
#: Left, top, right, bottom.
Bounds = tuple[float, float, float, float]


class Shown(Protocol):
    """What is shown of a picture on a screen of some size."""

    @property
    def picture(self) -> LedgerPicture: ...

    def frame(self, surround: Surround, *, fine: bool) -> Frame:
        """sRGB, shape (height, width, 3); where the picture shows nothing lies the surround."""

    def repaired(self) -> Alpha:
        """How far each screen pixel lies in the mask of a repair, 0-1."""

    def cover_of(self, step: str) -> tuple[Alpha, NDArray[np.bool_]] | None:
        """How far the cover of a step of light covers each screen pixel, and which of them show the picture; None where
        the step has no cover, or is off."""

    def on_screen(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """Screen places of source places, shape (n, 2); NaN for those that are not shown."""

    @property
    def bounds(self) -> Bounds | None:
        """The picture's sides on the screen; None where it has none."""


@dataclass(frozen=True)
class FlatShown:
    """A window on the flat result."""

    picture: LedgerPicture
    view: View

    def frame(self, surround: Surround, *, fine: bool) -> Frame:
        return self.picture.view(self.view, surround, fine=fine)

    def repaired(self) -> Alpha:
        return self.picture.coverage(self.view)

    def cover_of(self, step: str) -> tuple[Alpha, NDArray[np.bool_]] | None:
        return self.picture.cover_of(step, self.view)

    def on_screen(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        state = self.picture.plan.frame.state
        x, y = points.T
        if state.turn is not None:
            sphere = state.sphere or Sphere.whole(self.picture.repaired.size)
            x, y = sphere.of_direction(*(state.turn.T @ sphere.direction(x, y)))
        return mapped(np.linalg.inv(self.picture.to_source(self.view)), x, y).T

    @property
    def bounds(self) -> Bounds | None:
        width, height = self.picture.plan.frame.size
        left, top = -self.view.left * self.view.scale, -self.view.top * self.view.scale
        return left, top, left + width * self.view.scale, top + height * self.view.scale


@dataclass(frozen=True)
class AroundShown:
    """A view into a panorama's sphere, turned as the frame turns it; what crops leave out is shown too."""

    picture: LedgerPicture
    look: Look
    sphere: Sphere

    @cached_property
    def chart(self) -> Chart:
        return self.look.chart(self.picture.repaired.size, self.sphere, self.picture.plan.frame.state.turn)

    def frame(self, surround: Surround, *, fine: bool) -> Frame:
        return np.asarray(self._through(self.picture.developed, surround, fine=fine), np.uint8)

    def repaired(self) -> Alpha:
        return self._share(self.picture.covered_by_repairs)

    def cover_of(self, step: str) -> tuple[Alpha, NDArray[np.bool_]] | None:
        if not self.picture.has_cover(step):
            return None
        share = self._share(lambda level, box: self.picture.covered_in(step, level, box))
        return share, np.ones(share.shape, np.bool_)

    def on_screen(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        return self.chart.from_source(*points.T).T

    @property
    def bounds(self) -> Bounds | None:
        return None

    def _share(self, developed: Developed) -> Alpha:
        grey: Pixels = self._through(developed, (0, 0, 0), fine=False)
        return np.asarray(grey[..., 0], np.float32) / np.float32(255)

    def _through(self, developed: Developed, surround: Surround, *, fine: bool) -> Pixels:
        return looked(self.chart, developed, self.picture.repaired.levels, surround, fine=fine)
