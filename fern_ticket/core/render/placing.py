"""Repairs in their order, with what identifies the result of each, and an index of where they lie.

A repair's result depends on its own step and on every earlier repair and limit that it can see. When a ledger changes
in one place, only what sees the change is worked out anew; everything else is taken over.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.clean.limits import Fence, Limits
from fern_ticket.core.ledger.masks import Place
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.render.plan import Repair

#: Tells whether the patch of a key is made.
IsMade = Callable[[str], bool]


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
    made
        Whether it is in the picture: a slow one comes when it is made.
    """

    number: int
    repair: Repair
    key: str
    bounds: Limits
    made: bool

    @property
    def box(self) -> Box:
        return self.repair.box

    @cached_property
    def laid_key(self) -> str:
        return f"{self.key}:{self.repair.step.strength}"


class BoxIndex:
    """Boxes by number, found by where they lie."""

    def __init__(self, boxes: Sequence[Box]) -> None:
        self._edges = np.array([(b.left, b.top, b.right, b.bottom) for b in boxes], np.int64).reshape(-1, 4)
        empty = (self._edges[:, 2] <= self._edges[:, 0]) | (self._edges[:, 3] <= self._edges[:, 1])
        self._edges[empty] = (1 << 40, 1 << 40, -(1 << 40), -(1 << 40))

    def meeting(self, box: Box, before: int | None = None) -> NDArray[np.intp]:
        """Numbers of the boxes that share a pixel with `box`, in order; of those before a number if given."""
        left, top, right, bottom = self._edges[:before].T
        hit = (left < box.right) & (right > box.left) & (top < box.bottom) & (bottom > box.top)
        return np.flatnonzero(hit)


class Placement:
    """Repairs and limits in their order, indexed."""

    def __init__(self, items: Sequence[Placed], index: BoxIndex, sees: BoxIndex) -> None:
        self.items = tuple(items)
        self._index = index
        self._sees = sees
        self.repairs = tuple(one.repair for one in items)

    @cached_property
    def laid(self) -> list[Placed]:
        """Those that are in the picture."""
        return [one for one in self.items if one.made and not one.repair.is_limit and not one.box.empty]

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
        """Slow ones that are not made yet."""
        return [one for one in self.items if not one.made]

    @cached_property
    def limits(self) -> Limits:
        return limits_of(one.repair for one in self.items if one.repair.is_limit)

    def meeting(self, box: Box, before: int | None = None) -> list[Placed]:
        """Those in the picture that change pixels of `box`, in order; only those before a number if given."""
        found = (self.items[number] for number in self._index.meeting(box, before))
        return [one for one in found if one.made and not one.repair.is_limit]


def limits_of(repairs: Iterable[Repair]) -> Limits:
    """All limits as one."""
    fences: list[Fence] = []
    avoided: list[Place] = []
    for repair in repairs:
        fences += repair.limit.fences
        avoided += repair.limit.avoided
    return Limits(tuple(fences), tuple(avoided))


def place(name: str, repairs: tuple[Repair, ...], is_made: IsMade, olds: Sequence[Placement] = ()) -> Placement:
    """Repairs in their order, taking over from earlier placements whatever they share.

    Parameters
    ----------
    name
        Of the picture that is repaired.
    repairs
        In order.
    is_made
        Asked for slow repairs; those that are not made are left out of the picture.
    olds
        Placements of the same picture; the one that shares most is taken over from.
    """
    old = max(olds, key=lambda one: _shared(one.repairs, repairs), default=None)
    prefix, suffix = (0, 0) if old is None else _ends(old.repairs, repairs)
    count = len(repairs)
    kept: list[Placed | None] = [None] * count
    changed: list[Box] = []
    if old is not None:
        gone = old.items[prefix : len(old.items) - suffix]
        changed = [one.box for one in gone]
        kept[:prefix] = old.items[:prefix]
        if suffix:
            kept[count - suffix :] = old.items[len(old.items) - suffix :]
        if not gone and prefix + suffix == count == len(old.items):
            index, sees = old._index, old._sees
        else:
            index, sees = _indexes(repairs)
    else:
        index, sees = _indexes(repairs)

    suspect = np.array([one is None or repair.operation.slow for one, repair in zip(kept, repairs, strict=True)])
    for box in changed:
        suspect[sees.meeting(box)] = True
    items: list[Placed] = kept  # type: ignore[assignment]
    number, touched = 0, False
    while True:
        rest = np.flatnonzero(suspect[number:])
        if not len(rest):
            break
        number += int(rest[0])
        was = kept[number]
        now = _placed(name, number, repairs, items, index, is_made)
        if was is None or was.key != now.key or was.made != now.made:
            items[number] = now
            touched = True
            if not now.box.empty:
                suspect[sees.meeting(now.box)] = True
        number += 1
    if old is not None and not touched and index is old._index:
        return old
    renumbered = [one if one.number == at else _renumbered(one, at) for at, one in enumerate(items)]
    return Placement(renumbered, index, sees)


def _renumbered(one: Placed, number: int) -> Placed:
    return Placed(number, one.repair, one.key, one.bounds, one.made)


def _indexes(repairs: Sequence[Repair]) -> tuple[BoxIndex, BoxIndex]:
    return BoxIndex([one.box for one in repairs]), BoxIndex([one.sees for one in repairs])


def _placed(
    name: str, number: int, repairs: Sequence[Repair], items: Sequence[Placed], index: BoxIndex, is_made: IsMade
) -> Placed:
    repair = repairs[number]
    if repair.is_limit:
        return Placed(number, repair, repair.key, Limits(), True)
    if repair.box.empty:
        return Placed(number, repair, f"{name} {repair.key}", Limits(), True)
    seen = [items[at] for at in index.meeting(repair.sees, number)]
    below = " ".join(one.laid_key for one in seen if one.made and not one.repair.is_limit)
    bounds = [one.repair for one in seen if one.repair.is_limit]
    bounded = " ".join(one.key for one in bounds)
    key = hashlib.sha256(f"{name} {repair.key} {below} {bounded}".encode()).hexdigest()
    made = not repair.operation.slow or is_made(key)
    return Placed(number, repair, key, limits_of(bounds), made)


def _shared(old: Sequence[Repair], new: Sequence[Repair]) -> int:
    prefix, suffix = _ends(old, new)
    return prefix + suffix


def _ends(old: Sequence[Repair], new: Sequence[Repair]) -> tuple[int, int]:
    """How many repairs two lists share at their beginning, and beyond that at their end."""
    least = min(len(old), len(new))
    prefix = next((at for at in range(least) if old[at] is not new[at]), least)
    room = least - prefix
    suffix = next((at for at in range(room) if old[-1 - at] is not new[-1 - at]), room)
    return prefix, suffix
