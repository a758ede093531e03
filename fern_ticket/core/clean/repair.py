"""What a Clean operation is, and what it yields: a patch."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any, ClassVar

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.clean.limits import Limits
from fern_ticket.core.errors import LedgerError
from fern_ticket.core.ledger.charts import ChartSpec, CornersChart
from fern_ticket.core.ledger.masks import Mask, Place
from fern_ticket.core.ledger.operation import Makes, Operation, P, Station
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.regions import NOWHERE, Box
from fern_ticket.core.pictures.values import rounded

#: Reads full-size pixels of a box as they are before the step.
Reader = Callable[[Box], Pixels]


@dataclass(frozen=True)
class Patch:
    """New pixels for one place.

    Attributes
    ----------
    box
        Where, in source pixels.
    pixels
        Shape (rows, columns, 3), values of the source's encoding and depth.
    alpha
        Coverage 0-1, shape (rows, columns), float32.
    """

    box: Box
    pixels: Pixels
    alpha: NDArray[np.float32]

    @property
    def weight(self) -> int:
        """Bytes that it holds."""
        return self.pixels.nbytes + self.alpha.nbytes

    def lay_on(self, pixels: Pixels, box: Box, strength: float) -> None:
        """Blend onto `pixels`, which cover `box`, in place."""

        def mixed(mine: Box, below: Pixels, cover: NDArray[np.float32]) -> Pixels:
            new = self.pixels[mine.rows, mine.columns].astype(np.float32)
            return np.asarray(below + (new - below) * cover + 0.5, pixels.dtype)

        _lay(self, pixels, box, strength, mixed)


@dataclass(frozen=True)
class Difference:
    """A change of one place, added to what is there.

    Attributes
    ----------
    box
        Where, in source pixels.
    change
        Shape (rows, columns, 3), float32, in the source's values.
    alpha
        Coverage 0-1, shape (rows, columns), float32.
    """

    box: Box
    change: NDArray[np.float32]
    alpha: NDArray[np.float32]

    @property
    def weight(self) -> int:
        """Bytes that it holds."""
        return self.change.nbytes + self.alpha.nbytes

    def lay_on(self, pixels: Pixels, box: Box, strength: float) -> None:
        """Add to `pixels`, which cover `box`, in place; where nothing is covered they keep every bit."""

        def mixed(mine: Box, below: Pixels, cover: NDArray[np.float32]) -> Pixels:
            added = below + cover * self.change[mine.rows, mine.columns]
            return np.where(cover > 0, rounded(added, pixels.dtype), below)

        _lay(self, pixels, box, strength, mixed)


def _lay(
    patch: Patch | Difference,
    pixels: Pixels,
    box: Box,
    strength: float,
    mixed: Callable[[Box, Pixels, NDArray[np.float32]], Pixels],
) -> None:
    """Put `mixed(part of the patch, what lies below, coverage)` where a patch and `box` meet."""
    shared = patch.box.within(box)
    if shared.empty:
        return
    mine, theirs = shared.relative_to(patch.box), shared.relative_to(box)
    cover = (patch.alpha[mine.rows, mine.columns] * np.float32(strength))[..., None]
    pixels[theirs.rows, theirs.columns] = mixed(mine, pixels[theirs.rows, theirs.columns], cover)


def at_once(_: float) -> None:
    """Progress that nobody waits for."""


def unseen(_: Patch) -> None:
    """What is half done, and nobody looks at."""


@dataclass(frozen=True)
class Ground:
    """What a repair works on.

    Attributes
    ----------
    size
        Width and height of the picture.
    read
        Pixels as they are before the step.
    original
        Pixels as they were before any repair.
    limits
        Fences and avoided places of earlier steps.
    carry_on
        Told the share done, 0-1, by repairs that take long; may raise to stop them.
    outside
        Pixels of a box that are not the picture's, where the ground reaches beyond it; None where it never does.
    show
        Told what a repair that takes long has so far, a patch like the one to come. Nothing may depend on it.
    focal
        Focal length of the photo's lens, source pixels, where that is known.
    """

    size: tuple[int, int]
    read: Reader
    original: Reader
    limits: Limits = field(default_factory=Limits)
    carry_on: Callable[[float], None] = at_once
    outside: Callable[[Box], NDArray[np.bool_]] | None = None
    show: Callable[[Patch], None] = unseen
    focal: float | None = None

    @property
    def whole(self) -> Box:
        return Box(0, 0, *self.size)

    def lines(self, box: Box) -> NDArray[np.bool_]:
        """Pixels of `box` that nothing may flow through: fences, and what is not the picture."""
        return self._beyond(box, self.limits.lines(box))

    def across(self, box: Box, place: Box) -> NDArray[np.bool_]:
        """Pixels of `box` that a repair of `place` may not look at: behind a fence, or not the picture's."""
        return self._beyond(box, self.limits.across(box, place.middle))

    def barred(self, box: Box, place: Box) -> NDArray[np.bool_]:
        """Pixels of `box` that a repair of `place` may not copy from."""
        return self._beyond(box, self.limits.barred(box, place.middle, self.size))

    def _beyond(self, box: Box, found: NDArray[np.bool_]) -> NDArray[np.bool_]:
        return found if self.outside is None else found | self.outside(box)


def _of_mask(_: Any, mask: Place | None, size: tuple[int, int]) -> Box:
    return NOWHERE if mask is None else mask.box(size)


@dataclass(frozen=True)
class CleanOperation(Operation[P]):
    """A repair, or a limit to repairs.

    Attributes
    ----------
    covers
        `(params, mask, size)` to the box of source pixels that it can change; as a rule the mask's.
    reads
        `(params, mask, size)` to the box of full-size pixels that the repair looks at; as a rule the mask's.
    repair
        `(params, mask, ground)` to a patch. Same arguments, same pixels. None for a limit.
    settle
        `(params, mask, ground)` to parameters and mask with everything left open decided, such as a proposed source.
        Run once, when the step is made, so that later changes elsewhere do not move it.
    parts
        `(params)` to places that are repaired as steps of their own, for a step that stands for many.
    limit
        `(params, mask)` to what it sets to the repairs after it.
    beside
        Whether what it makes may lie beside its mask, by an offset `dx`, `dy` among its parameters.
    everywhere
        Whether it needs no mask: it has its places in its parameters.
    slow
        It can take so long that nobody should wait for it: it is made in the background, and shows when it is done.
    firmness
        How much firmer than painted it is laid on.
    leads
        Whether a new one goes before all repairs that are grown: it is drawn when these were tried.
    leaves_traces
        Whether a rim, lost grain or a colour across a fence can give it away.
    refused
        `(params)` to places (x, y, diameter) that a person looked at and left as they are.
    plane
        `(params)` to a plane of the scene that it names for other steps; None where it names none.
    """

    makes: ClassVar[Makes] = Makes.PATCHES

    covers: Callable[[Any, Any, tuple[int, int]], Box] = _of_mask
    reads: Callable[[Any, Any, tuple[int, int]], Box] = _of_mask
    repair: Callable[[Any, Any, Ground], Patch] | None = None
    settle: Callable[[Any, Any, Ground], tuple[Any, Mask | None]] | None = None
    parts: Callable[[Any], Sequence[Part]] | None = None
    limit: Callable[[Any, Mask | None], Limits] | None = None
    beside: bool = False
    everywhere: bool = False
    slow: bool = False
    firmness: float = 1.0
    leads: bool = False
    leaves_traces: bool = True
    refused: Callable[[Any], Sequence[tuple[float, float, float]]] | None = None
    plane: Callable[[Any], CornersChart] | None = None

    @property
    def station(self) -> Station:
        return Station.CLEAN

    @property
    def masked(self) -> bool:
        return not self.everywhere

    @property
    def limits(self) -> bool:
        return self.limit is not None

    def places(self, params: P) -> int:
        return 1 if self.parts is None else len(self.parts(params))


@dataclass(frozen=True)
class Part:
    """One of the places of a step that stands for many: which repair, and where, and in which view or plane."""

    operation: CleanOperation[Any]
    params: Any
    mask: Mask
    chart: ChartSpec | None = None


def needed_mask(mask: Mask | None, title: str) -> Mask:
    """The mask.

    Raises
    ------
    LedgerError
        There is none.
    """
    if mask is None:
        raise LedgerError(f"{title} needs a place to work on.", "Give the step a mask: strokes or a bitmap.")
    return mask


@dataclass(frozen=True)
class Painted:
    """A mask drawn once: its box in the picture, which may be empty, and its coverage 0-1 there."""

    box: Box
    alpha: NDArray[np.float32]

    @staticmethod
    def of(mask: Place, ground: Ground, title: str = "The repair") -> Painted:
        """The mask on its ground. What lies across a fence from where a stroke began is left out.

        Raises
        ------
        LedgerError
            The mask lies outside the picture, covers all of it, or covers nothing.
        """
        box = mask.box(ground.size)
        if box.empty:
            raise LedgerError(f"{title}: the place lies outside the picture.", "Paint on the picture.")
        alpha = mask.alpha(box)
        fences = ground.limits.lines(box)
        if fences.any():
            alpha = _this_side(mask, box, alpha, fences)
        covered = alpha > 0
        if box == ground.whole and covered.all():
            raise LedgerError("The mask covers the whole picture.", "Leave something around it to take texture from.")
        if not covered.any():
            raise LedgerError(f"{title}: the mask covers nothing.", "Paint a larger place.")
        return Painted(box, alpha)

    def places(self, apart: int = 0) -> Iterator[tuple[Box, NDArray[np.float32]]]:
        """Each place, connected but for gaps of at most about twice `apart` pixels: its box and its own coverage."""
        if self.box.empty:
            return
        covered = (self.alpha > 0).astype(np.uint8)
        near = np.ones((2 * apart + 1, 2 * apart + 1), np.uint8)
        count, labels, stats, _ = cv2.connectedComponentsWithStats(cv2.dilate(covered, near), connectivity=8)
        for label in range(1, count):
            left, top, width, height, _ = (int(v) for v in stats[label])
            wide = np.s_[top : top + height, left : left + width]
            own = (labels[wide] == label) & (covered[wide] > 0)
            inset, drop, width, height = cv2.boundingRect(own.astype(np.uint8))
            inner = np.s_[drop : drop + height, inset : inset + width]
            place = Box(0, 0, width, height).moved(self.box.left + left + inset, self.box.top + top + drop)
            yield place, np.where(own, self.alpha[wide], np.float32(0))[inner]

    def over(self, region: Box) -> NDArray[np.bool_]:
        """Which pixels of a region are covered at all."""
        covered = np.zeros((region.height, region.width), np.bool_)
        shared = self.box.within(region)
        if not shared.empty:
            mine, theirs = shared.relative_to(self.box), shared.relative_to(region)
            covered[theirs.rows, theirs.columns] = self.alpha[mine.rows, mine.columns] > 0
        return covered


def _this_side(mask: Place, box: Box, alpha: NDArray[np.float32], fences: NDArray[np.bool_]) -> NDArray[np.float32]:
    """What is left of a mask when fences run through it: the parts that strokes began in, else the largest part."""
    free = ((alpha > 0) & ~fences).astype(np.uint8)
    _, labels, stats, _ = cv2.connectedComponentsWithStats(free, connectivity=4)
    kept: set[int] = set()
    for start in mask.starts:
        x, y = int(start[0]) - box.left, int(start[1]) - box.top
        if 0 <= x < box.width and 0 <= y < box.height and labels[y, x]:
            kept.add(int(labels[y, x]))
    if not kept and len(stats) > 1:
        kept.add(1 + int(np.argmax(stats[1:, cv2.CC_STAT_AREA])))
    return np.where(np.isin(labels, list(kept)), alpha, np.float32(0))
