"""What a Balance operation is: a transform that light passes on its way from the source to the result.

There are four kinds. A `ColourMatrix` is a 3×3 matrix, a `ToneCurve` a curve for each channel, a `LocalGain` light
raised by stops that depend on luminance and position, a `PixelFunction` a function of its own over planes of pixels.
Neighbours of the first three kinds become one, so that a chain costs few passes. `Covered` limits some of them to a
cover.

| domain | values |
| --- | --- |
| linear | linear sRGB, 1 is white; nothing is clipped, so values may leave 0-1 |
| encoded | sRGB encoded (IEC 61966-2-1), carried on straight beyond 0-1 |
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, partial
from typing import Any, ClassVar, Protocol, TypeVar

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.balance.marks import Mark
from fern_ticket.core.ledger.covers import Cover
from fern_ticket.core.ledger.operation import Makes, Operation, P, Station
from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.pictures.profiles import Matrix

T = TypeVar("T")

#: Red, green and blue planes, shape (3, rows, columns), float32.
Planes = NDArray[np.float32]
#: A value for each of `CURVE_STEPS` + 1 evenly spaced encoded values 0-1, for each channel, float32.
CurveTable = NDArray[np.float32]

CURVE_STEPS = 4096
#: Weights of red, green and blue in luminance (IEC 61966-2-1, ITU-R BT.709).
LUMINANCE = (0.2126, 0.7152, 0.0722)


def luminance_of(planes: Planes) -> NDArray[np.float32]:
    """Weighted sum of the planes, shape (rows, columns)."""
    return np.ascontiguousarray(np.tensordot(np.array(LUMINANCE, np.float32), planes, axes=1))


def drawn_from_grey(share: float) -> Matrix:
    """Every colour `share` times as far from its grey, which keeps its luminance: 0 leaves greys."""
    grey = np.tile(np.array(LUMINANCE), (3, 1))
    return np.asarray(grey + share * (np.eye(3) - grey))


@dataclass(frozen=True)
class Position:
    """Where planes lie.

    Attributes
    ----------
    to_source
        Plane coordinates to source coordinates, pixel corners at whole numbers, shape (3, 3).
    to_share
        Plane coordinates to shares of the finished frame, 0-1 across and down, shape (3, 3).
    scale
        Plane pixels for one source pixel.
    delivered
        Plane pixels for one delivered pixel.
    """

    to_source: Matrix
    to_share: Matrix
    scale: float
    delivered: float = 1.0

    @property
    def corner(self) -> tuple[float, float]:
        """Where in the finished frame, in pixels as large as the planes', their first one begins: across, down."""
        across, down = self.to_share[0], self.to_share[1]
        return float(across[2] / across[0]), float(down[2] / down[1])


class Surroundings(Protocol):
    """What a transform may know of the whole picture, as it is after the transforms before."""

    def kept(self, what: str, measure: Callable[[Overview], T]) -> T:
        """What `measure` finds on the small picture; kept while the steps before stay, whatever its own parameters."""
        ...


@dataclass(frozen=True)
class Overview:
    """The whole picture at a small size.

    Attributes
    ----------
    planes
        Linear sRGB after the transforms before.
    scale
        Its pixels for one source pixel.
    """

    planes: Planes
    scale: float


@dataclass(frozen=True)
class ColourMatrix:
    """A matrix on linear or encoded values."""

    matrix: Matrix
    encoded: bool = False

    def weakened(self, strength: float) -> ColourMatrix:
        return ColourMatrix(np.eye(3) + strength * (self.matrix - np.eye(3)), self.encoded)


@dataclass(frozen=True)
class ToneCurve:
    """Curves on encoded values, shape (3, CURVE_STEPS + 1). Beyond 0-1 they go on with the slope of their ends."""

    table: CurveTable

    @cached_property
    def pairs(self) -> NDArray[np.float32]:
        """Value and rise to the next for every entry but the last, shape (3, CURVE_STEPS, 2)."""
        return np.ascontiguousarray(np.stack([self.table[:, :-1], np.diff(self.table)], axis=2))

    def weakened(self, strength: float) -> ToneCurve:
        straight = np.linspace(0, 1, CURVE_STEPS + 1)
        return ToneCurve((straight + strength * (self.table - straight)).astype(np.float32))


@dataclass(frozen=True)
class PixelFunction:
    """A function that changes planes in place.

    Attributes
    ----------
    work
        `(planes, place)`.
    encoded
        Which domain it works in.
    reach
        Source pixels that it looks at beyond its own.
    strength
        The renderer mixes the result with what was there.
    mixes
        It mixes pixels, and so has to know which are meant where a cover limits it: its work is told by `coverage`.
    """

    work: Callable[..., None]
    encoded: bool
    reach: float = 0.0
    strength: float = 1.0
    mixes: bool = False

    def weakened(self, strength: float) -> PixelFunction:
        return replace(self, strength=self.strength * strength)

    def within(self, coverage: NDArray[np.float32]) -> PixelFunction:
        """The same for planes that a cover covers so."""
        return replace(self, work=partial(self.work, coverage=coverage)) if self.mixes else self


#: Stops for each log2 luminance of a block, shape (rows, columns), in an array of its own.
Stops = Callable[[NDArray[np.float32], Position], NDArray[np.float32]]


@dataclass(frozen=True)
class LocalGain:
    """Linear light raised by stops that depend on its luminance and its place.

    Several that follow one another share the measuring and the raising: each sees luminance as those before leave it.
    """

    parts: tuple[Stops, ...]
    strength: float = 1.0

    def weakened(self, strength: float) -> LocalGain:
        return LocalGain(self.parts, self.strength * strength)


#: Coverage 0-1 of a window of encoded source values that lies so, shape (rows, columns).
CoverageOf = Callable[["NDArray[np.uint16]", Matrix], NDArray[np.float32]]


@dataclass(frozen=True)
class Covered:
    """Transforms that count where a cover lies. What they make is mixed in the domain of the last of them.

    Attributes
    ----------
    transforms
        In order.
    coverage
        `(window, to_source)` to the cover's share of each pixel.
    """

    transforms: tuple[Transform, ...]
    coverage: CoverageOf
    strength: float = 1.0

    def weakened(self, strength: float) -> Covered:
        return Covered(self.transforms, self.coverage, self.strength * strength)


Transform = ColourMatrix | ToneCurve | LocalGain | PixelFunction | Covered


@dataclass(frozen=True)
class Layer:
    """Light changed where a cover lies.

    Attributes
    ----------
    moved
        Source places to the places whose coverage counts there, shape (3, 3); None for the same.
    without
        Where it does not count, however that is covered.
    """

    cover: Cover
    transform: ColourMatrix | ToneCurve | PixelFunction
    moved: Matrix | None = None
    without: Cover | None = None


MeanAt = Callable[[Mark], NDArray[np.float64]]


@dataclass(frozen=True)
class BalanceOperation(Operation[P]):
    """A step on light and colour.

    Attributes
    ----------
    transform
        `(params, surroundings)` to the transform, or None where the parameters change nothing.
    settle
        `(params, mean_at)` to parameters with nothing left open; `mean_at` gives the mean linear sRGB at a mark, after
        the steps before this one. None where nothing is ever open.
    in_station
        The station that it belongs to.
    looks
        Whether its transform is measured on the whole picture, as the steps before leave it; else it may not look.
    neutrals
        `(params)` to marks of places that should be neutral.
    drawn
        `(params)` to lines by name, each of evenly spaced values 0-1, for whoever draws what the step does to tones.
    within, holds
        For a step that holds others: `(params)` to the cover in which they count, and to them.
    layers
        For a step of several parts, each with a cover of its own: `(params)` to them.
    """

    transform: Callable[[Any, Surroundings], Transform | None] = lambda *_: None
    makes: ClassVar[Makes] = Makes.LIGHT

    settle: Callable[[Any, MeanAt], Any] | None = None
    in_station: Station = Station.BALANCE
    looks: bool = False
    neutrals: Callable[[Any], Sequence[Mark]] = lambda _: ()
    drawn: Callable[[Any], Mapping[str, Sequence[float]]] | None = None
    within: Callable[[Any], Cover] | None = None
    holds: Callable[[Any], Sequence[Step]] = lambda _: ()
    layers: Callable[[Any], Sequence[Layer]] | None = None

    @property
    def station(self) -> Station:
        return self.in_station


def curve(shape: Callable[[NDArray[np.float64]], NDArray[np.float64]]) -> ToneCurve:
    """The same curve for all channels, from a function of encoded values 0-1."""
    values = shape(np.linspace(0, 1, CURVE_STEPS + 1)).astype(np.float32)
    return ToneCurve(np.stack([values] * 3))
