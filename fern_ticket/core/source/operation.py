"""What a step on the starting picture is: it wraps a source in another of the same size."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.errors import LedgerError
from fern_ticket.core.ledger.operation import Makes, Operation, P, Station
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.profiles import ColourSpace
from fern_ticket.core.pictures.pyramid import Source
from fern_ticket.core.pictures.regions import Box

#: Opens another picture by the name that steps know it by.
Opener = Callable[[str], Source]
#: Keeps what is made once for a step: `(part, make, weigh)` gives what was made, `weigh` tells its bytes.
Keep = Callable[[str, Callable[[], Any], Callable[[Any], int]], Any]


def no_other(name: str) -> Source:
    """For places where a ledger stands alone."""
    raise LedgerError(
        f"A step needs the other picture {name[:24]}, which is not here.", "Apply it on the bench of the ticket."
    )


def only(names: Collection[str], opened: Opener) -> Opener:
    """An opener of some pictures only, whatever a step may name."""

    def checked(name: str) -> Source:
        return opened(name) if name in names else no_other(name)

    return checked


@dataclass(frozen=True)
class SourceOperation(Operation[P]):
    """A step on the starting picture.

    Attributes
    ----------
    alter
        `(params, base, open_other, keep)` to the altered source; the base itself where nothing changes.
    settle
        `(params, base, open_other)` to parameters with nothing left open; None where nothing ever is.
    frames
        Parameters to the names of the other pictures that the starting one is made of.
    """

    makes: ClassVar[Makes] = Makes.SOURCE

    alter: Callable[[Any, Source, Opener, Keep], Source] = lambda _, base, *__: base
    settle: Callable[[Any, Source, Opener], Any] | None = None
    frames: Callable[[Any], tuple[str, ...]] = lambda _: ()

    @property
    def station(self) -> Station:
        return Station.SOURCE


class Altered:
    """A source like another one, but for the values that `read` gives."""

    def __init__(self, base: Source) -> None:
        self.base = base

    @property
    def size(self) -> tuple[int, int]:
        return self.base.size

    @property
    def levels(self) -> int:
        return self.base.levels

    @property
    def dtype(self) -> np.dtype[np.uint8] | np.dtype[np.uint16]:
        return self.base.dtype

    @property
    def space(self) -> ColourSpace:
        return self.base.space

    def read(self, level: int, box: Box) -> Pixels:
        return self.base.read(level, box)


class Weakened(Altered):
    """An altered source mixed with what it was made from."""

    def __init__(self, base: Source, altered: Source, strength: float) -> None:
        super().__init__(base)
        self._altered = altered
        self._strength = strength

    @property
    def dtype(self) -> np.dtype[np.uint8] | np.dtype[np.uint16]:
        return self._altered.dtype

    def read(self, level: int, box: Box) -> Pixels:
        below, above = shares(self.base.read(level, box)), shares(self._altered.read(level, box))
        return stored(below + np.float32(self._strength) * (above - below), self.dtype)


def shares(pixels: Pixels) -> NDArray[np.float32]:
    """Stored values as float32, 0-1."""
    return pixels.astype(np.float32) * np.float32(1 / np.iinfo(pixels.dtype).max)


def stored(values: NDArray[np.floating[Any]], dtype: np.dtype[Any]) -> Pixels:
    """Shares rounded to a depth; what lies outside 0-1 is cut."""
    top = np.iinfo(dtype).max
    return np.asarray(np.clip(values * np.float32(top) + np.float32(0.5), 0, top).astype(dtype))


def rolled(values: NDArray[np.float32]) -> NDArray[np.float32]:
    """NDArray[np.float32] that would pass white roll off toward it instead; up to 0.8 they stay."""
    over = np.maximum(values - np.float32(0.8), 0)
    return np.asarray(np.where(values > 0.8, 0.8 + 0.2 * over / (0.2 + over), values), np.float32)
