"""What covers lie on, and where they are asked for."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol, TypeVar

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.balance.light import Planes
from fern_ticket.core.ledger.covers import Cover
from fern_ticket.core.pictures.plane import PlaneMap
from fern_ticket.core.pictures.pyramid import Levelled, Source
from fern_ticket.core.pictures.regions import Box

T = TypeVar("T")


class Ground(Levelled, Protocol):
    """The repaired photo that a cover lies on."""

    def linear(self, level: int, box: Box) -> Planes:
        """Linear sRGB before any step of light, of pixels of a level."""

    def original(self, level: int, box: Box) -> NDArray[np.uint8]:
        """sRGB of the photo as it came, before any repair, of pixels of a level."""

    def stored(self, name: str) -> Source:
        """Another picture by its name."""

    def kept(self, key: tuple[str, int], make: Callable[[], NDArray[np.uint16]]) -> NDArray[np.uint16]:
        """What was drawn of a part at a level, drawn once."""

    def had(self, key: tuple[str, int]) -> NDArray[np.uint16] | None:
        """What was drawn under that key, if it is still there."""

    def kept_of_original(self, what: str, make: Callable[[], T], weight: int) -> T:
        """What was found in the photo as it came, found once."""

    def shelved(self, cover: Cover, make: Callable[[], NDArray[np.uint8]]) -> NDArray[np.uint8] | None:
        """A picture that takes seconds to make, and is kept; None while it is made beside."""


@dataclass(frozen=True)
class Window:
    """Where coverage is asked for.

    Attributes
    ----------
    to_source
        Window coordinates to source coordinates, shape (3, 3).
    size
        Width and height, pixels.
    linear
        Gives the window's own pixels, linear sRGB before any step of light.
    """

    to_source: PlaneMap
    size: tuple[int, int]
    linear: Callable[[], Planes]
