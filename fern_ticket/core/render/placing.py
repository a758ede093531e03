"""Repairs in their order, with what identifies the result of each, and an index of where they lie.

A repair's result depends on its own step and on every earlier repair and limit that it can see. When a ledger changes
in one place, only what sees the change is worked out anew; everything else is taken over.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.clean.limits import Fence, Limits
from fern_ticket.core.ledger.masks import Place, Point
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.render.plan import Repair

_UNBOUND = Limits()
#: Rows of all pairs of boxes that are compared at once.
_AT_ONCE = 256
#: Tells how far the patch of a key is.
HowFar = Callable[[str], "Stage"]


class Stage(NamedTuple):
    """How far a repair is: made, or begun, when it shows what it has so far.

    Attributes
    ----------
    made
        Whether it is as it will be.
    begun
        Which of the things that it has shown so far this is; 0 for none.
    """

    made: bool
    begun: int = 0


MADE = Stage(made=True)


@dataclass(frozen=True, eq=False)
class Placed:
    """A repair, or a limit, in its place.

    Attributes
    ----------
    number
        Its place in the order.
    key
        Covers the step itself and everything earlier that it can see: it changes exactly when the pixels can.
    bounds
        The limits that bound it.
    stage
        How far it is: a slow one comes when it is made, or step by step.
    waits
        It is slow, and sees one that is only begun: it would be made in vain.
    """

    number: int
    repair: Repair
    key: str
    bounds: Limits
    stage: Stage
    waits: bool = False

    @property
    def shows(self) -> bool:
        """Whether it is in the picture, as it will be or as far as it is."""
        return self.stage.made or self.stage.begun > 0

    @property
    def box(self) -> Box:
        return self.repair.box

    @cached_property
    def laid_key(self) -> str:
        so_far = "" if self.stage.made else f"~{self.stage.begun}"
        return f"{self.key}{so_far}:{self.repair.step.strength}"


class BoxIndex:
    """Boxes by number, found by where they lie."""

    def __init__(self, boxes: Sequence[Box]) -> None:
        self._edges = np.array(boxes, np.int64).reshape(-1, 4)
        empty = (self._edges[:, 2] <= self._edges[:, 0]) | (self._edges[:, 3] <= self._edges[:, 1])
        self._edges[empty] = (1 << 40, 1 << 40, -(1 << 40), -(1 << 40))

    def spliced(self, prefix: int, boxes: Sequence[Box], suffix: int) -> BoxIndex:
        """The index with all between the first `prefix` and the last `suffix` boxes replaced."""
        made = BoxIndex(boxes)
        count = len(self._edges)
        made._edges = np.concatenate([self._edges[:prefix], made._edges, self._edges[count - suffix :]])
        return made

    def meeting(self, box: Box, before: int | None = None) -> NDArray[np.intp]:
        """Numbers of the boxes that share a pixel with `box`, in order; of those before a number if given."""
        left, top, right, bottom = self._edges[:before].T
        hit = (left < box.right) & (right > box.left) & (top < box.bottom) & (bottom > box.top)
        return np.flatnonzero(hit)

    def earlier(self, sees: BoxIndex) -> list[NDArray[np.intp]]:
        """For each number those before it whose box shares a pixel with what it sees."""
        found: list[NDArray[np.intp]] = []
        left, top, right, bottom = (self._edges[:, k] for k in range(4))
        for first in range(0, len(self._edges), _AT_ONCE):
            seen = sees._edges[first : first + _AT_ONCE, :, None]
            hit = (left < seen[:, 2]) & (right > seen[:, 0]) & (top < seen[:, 3]) & (bottom > seen[:, 1])
            rows, columns = np.nonzero(hit & np.tri(len(seen), len(self._edges), first - 1, np.bool_))
            found += np.split(columns, np.searchsorted(rows, np.arange(1, len(seen))))
        return found


class Placement:
    """Repairs and limits in their order, indexed."""

    def __init__(self, items: Sequence[Placed], index: BoxIndex, sees: BoxIndex) -> None:
        self.items = tuple(items)
        self.index = index
        self.sees = sees
        self.repairs = tuple(one.repair for one in items)
        self.slow = [number for number, repair in enumerate(self.repairs) if repair.operation.slow]

    @cached_property
    def laid(self) -> list[Placed]:
        """Those that are in the picture."""
        return [one for one in self.items if one.shows and not one.repair.is_limit and not one.box.empty]

    @cached_property
    def boxes(self) -> dict[str, Box]:
        """What identifies each result in the picture with its strength, and where it lies."""
        return {one.laid_key: one.box for one in self.laid}

    @cached_property
    def digest(self) -> str:
        """Changes when any pixel can have changed."""
        return hashlib.sha256(" ".join(self.boxes).encode()).hexdigest()

    @cached_property
    def pending(self) -> list[Placed]:
        """Slow ones that are to be made."""
        return [one for one in self.items if not one.stage.made and not one.waits]

    @cached_property
    def limits(self) -> Limits:
        return limits_of(one.repair for one in self.items if one.repair.is_limit)

    def meeting(self, box: Box, before: int | None = None) -> list[Placed]:
        """Those in the picture that change pixels of `box`, in order; only those before a number if given."""
        found = (self.items[number] for number in self.index.meeting(box, before))
        return [one for one in found if one.shows and not one.repair.is_limit]


def limits_of(repairs: Iterable[Repair]) -> Limits:
    """All limits as one."""
    fences: list[Fence] = []
    avoided: list[Place] = []
    guides: list[tuple[Point, ...]] = []
    for repair in repairs:
        fences += repair.limit.fences
        avoided += repair.limit.avoided
        guides += repair.limit.guides
    return Limits(tuple(fences), tuple(avoided), tuple(guides))


def place(name: str, repairs: tuple[Repair, ...], how_far: HowFar, olds: Sequence[Placement] = ()) -> Placement:
    """Repairs in their order, taking over from earlier placements whatever they share.

    Parameters
    ----------
    name
        Of the picture that is repaired.
    repairs
        In order.
    how_far
        Asked for slow repairs; those that are not even begun are left out of the picture.
    olds
        Placements of the same picture; the one that shares most is taken over from.
    """
    for one in olds:
        # equal where every repair is the same object: told apart faster than by counting what is shared
        if not one.slow and one.repairs == repairs:
            return one
    old = max(olds, key=lambda one: sum(_ends(one.repairs, repairs)), default=None)
    prefix, suffix = (0, 0) if old is None else _ends(old.repairs, repairs)
    count = len(repairs)
    kept: list[Placed | None] = [None] * count
    changed: list[Box] = []
    between = repairs[prefix : count - suffix]
    if old is not None:
        gone = old.items[prefix : len(old.items) - suffix]
        changed = [one.box for one in gone]
        kept[:prefix] = old.items[:prefix]
        kept[count - suffix :] = old.items[len(old.items) - suffix :]
        index, sees = old.index, old.sees
        if gone or between:
            index = index.spliced(prefix, [one.box for one in between], suffix)
            sees = sees.spliced(prefix, [one.sees for one in between], suffix)
    else:
        index, sees = BoxIndex([one.box for one in repairs]), BoxIndex([one.sees for one in repairs])

    suspect = np.zeros(count, np.bool_)
    suspect[prefix : count - suffix] = True
    suspect[[number for number, repair in enumerate(repairs) if repair.operation.slow]] = True
    for box in changed:
        suspect[sees.meeting(box)] = True
    items: list[Placed] = kept  # type: ignore[assignment]
    touched = False
    fresh = index.earlier(sees) if old is None else None
    for number in range(count) if fresh is not None else _marked(suspect):
        was = kept[number]
        earlier = fresh[number] if fresh is not None else index.meeting(repairs[number].sees, number)
        now = _placed(name, number, repairs[number], [items[at] for at in earlier], how_far)
        if was is None or (was.key, was.stage, was.waits) != (now.key, now.stage, now.waits):
            items[number] = now
            touched = True
            if fresh is None and not now.box.empty:
                suspect[sees.meeting(now.box)] = True
    if old is not None and not touched and index is old.index:
        return old
    renumbered = [one if one.number == at else replace(one, number=at) for at, one in enumerate(items)]
    return Placement(renumbered, index, sees)


def _marked(suspect: NDArray[np.bool_]) -> Iterator[int]:
    """The numbers that are marked, in order; more may be marked further on meanwhile."""
    number = 0
    while len(rest := np.flatnonzero(suspect[number:])):
        number += int(rest[0])
        yield number
        number += 1


def _placed(name: str, number: int, repair: Repair, seen: Sequence[Placed], how_far: HowFar) -> Placed:
    """A repair in its place, which sees those earlier ones."""
    if repair.is_limit:
        return Placed(number, repair, repair.key, _UNBOUND, MADE)
    if repair.box.empty:
        return Placed(number, repair, f"{name} {repair.key}", _UNBOUND, MADE)
    below = " ".join(one.laid_key for one in seen if one.shows and not one.repair.is_limit)
    bounds = [one.repair for one in seen if one.repair.is_limit]
    bounded = " ".join(one.key for one in bounds)
    key = hashlib.sha256(f"{name} {repair.key} {below} {bounded}".encode()).hexdigest()
    stage = how_far(key) if repair.operation.slow else MADE
    waits = not stage.made and any(one.stage.begun for one in seen)
    return Placed(number, repair, key, limits_of(bounds) if bounds else _UNBOUND, stage, waits)


def _ends(old: tuple[Repair, ...], new: tuple[Repair, ...]) -> tuple[int, int]:
    """How many repairs two lists share at their beginning, and beyond that at their end."""
    least = min(len(old), len(new))
    prefix = _most(least, lambda count: old[:count] == new[:count])
    ends = (len(old), len(new))
    suffix = _most(least - prefix, lambda count: old[ends[0] - count :] == new[ends[1] - count :])
    return prefix, suffix


def _most(limit: int, holds: Callable[[int], bool]) -> int:
    """The largest number up to `limit` that holds, where all smaller ones do: comparing slices is quick, loops are not.

    >>> _most(100, lambda count: count <= 37)
    37
    """
    low, high = 0, limit
    while low < high:
        middle = (low + high + 1) // 2
        if holds(middle):
            low = middle
        else:
            high = middle - 1
    return low
