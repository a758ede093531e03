"""The source with its repairs, readable at every level like the source itself."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.clean.limits import Fence, Limits
from fern_ticket.core.clean.repair import Ground, Patch, at_once
from fern_ticket.core.ledger.masks import Mask
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.profiles import ColourSpace
from fern_ticket.core.pictures.pyramid import Source, halve, level_box
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.plan import Repair


@dataclass(frozen=True)
class _Placed:
    """A repair with what identifies its result.

    `key` covers the step itself and every earlier repair that it can see, so it changes exactly when the pixels can.
    """

    repair: Repair
    box: Box
    key: str
    limits: Limits

    @cached_property
    def laid_key(self) -> str:
        return f"{self.key}:{self.repair.step.strength}"


@dataclass(frozen=True)
class Laid:
    """A repair that is in the picture: its step, its operation, where, and how far it covers, 0-1."""

    step: str
    operation: str
    box: Box
    alpha: NDArray[np.float32]


@dataclass(frozen=True)
class Pending:
    """A slow repair that is not made yet, and so is not in the picture.

    Attributes
    ----------
    key, step, box
        What identifies its result, the step it belongs to, and where it will lie.
    make
        Makes it and keeps it; told progress may raise to stop.
    """

    key: str
    step: str
    box: Box
    make: Callable[[Callable[[float], None]], None]


class Repaired:
    """Evaluates repairs lazily, each once, as patches at full size; lower levels are halved from the level above.

    A patch is cached under a key made of its step and of the earlier repairs it reads, so changing one of many repairs
    recomputes only those that overlap it. With `beside`, slow repairs that are not made yet are left out and listed in
    `pending`, to be made while the picture is looked at without them.
    """

    def __init__(
        self, source: Source, name: str, repairs: Sequence[Repair], cache: ByteCache, *, beside: bool = False
    ) -> None:
        self._source = source
        self._name = name
        self._cache = cache
        self._beside = beside
        self.pending: list[Pending] = []
        self._placed = self._place(repairs)

    @property
    def size(self) -> tuple[int, int]:
        return self._source.size

    @property
    def levels(self) -> int:
        return self._source.levels

    @property
    def dtype(self) -> np.dtype[np.uint8] | np.dtype[np.uint16]:
        return self._source.dtype

    @property
    def space(self) -> ColourSpace:
        return self._source.space

    @property
    def source(self) -> Source:
        """The picture before any repair."""
        return self._source

    @cached_property
    def key(self) -> str:
        """Changes when any pixel can have changed."""
        return self._name + hashlib.sha256(" ".join(p.laid_key for p in self._placed).encode()).hexdigest()

    @cached_property
    def laid(self) -> dict[str, Box]:
        """What identifies each repair's result with its strength, and where it lies."""
        return {p.laid_key: p.box for p in self._placed}

    @property
    def fences(self) -> tuple[Fence, ...]:
        return self._limits.fences

    def laid_repairs(self) -> list[Laid]:
        """Every repair in the picture with what it covers."""
        found = []
        for placed in self._placed:
            patch = self._patch(placed)
            found.append(Laid(placed.repair.step.id, placed.repair.step.op, patch.box, patch.alpha))
        return found

    def _place(self, repairs: Sequence[Repair]) -> list[_Placed]:
        placed: list[_Placed] = []
        limits: list[tuple[str, Box, Limits]] = []
        for repair in repairs:
            operation, params, mask = repair.operation, repair.params, repair.step.mask
            if operation.limit is not None:
                box = operation.covers(params, mask, self.size)
                limits.append((repair.step.key(), box, operation.limit(params, mask)))
                continue
            box = operation.covers(params, mask, self.size)
            if box.empty:
                continue
            sees = operation.reads(params, mask, self.size).joined(box)
            below = " ".join(p.laid_key for p in placed if p.box.meets(sees))
            bounds = [limit for limit in limits if limit[1].meets(sees)]
            bounded = " ".join(key for key, _, _ in bounds)
            key = hashlib.sha256(f"{self._name} {repair.step.key()} {below} {bounded}".encode()).hexdigest()
            one = _Placed(repair, box, key, _joined(bound for _, _, bound in bounds))
            if self._beside and operation.slow and self._cache.get(("patch", key)) is None:
                self.pending.append(self._pending(one, len(placed)))
            else:
                placed.append(one)
        self._limits = _joined(bound for _, _, bound in limits)
        return placed

    def _pending(self, placed: _Placed, count: int) -> Pending:
        def make(carry_on: Callable[[float], None]) -> None:
            patch = self._made(placed, count, carry_on)
            self._cache.put(("patch", placed.key), patch, patch.weight)

        return Pending(placed.key, placed.repair.step.id, placed.box, make)

    def ground(self) -> Ground:
        """What a repair after all of these would work on."""
        return Ground(self.size, lambda box: self.read(0, box), lambda box: self._source.read(0, box), self._limits)

    def read(self, level: int, box: Box) -> Pixels:
        return self._read(level, box, len(self._placed))

    def _read(self, level: int, box: Box, count: int) -> Pixels:
        """Pixels with the first `count` repairs laid on."""
        pixels = self._source.read(level, box)
        dirty = [p for p in self._placed[:count] if _at_level(p.box, level).meets(box)]
        if not dirty:
            return pixels
        pixels = pixels.copy()
        if level == 0:
            for placed in dirty:
                self._patch(placed).lay_on(pixels, box, placed.repair.step.strength)
            return pixels
        for placed in dirty:
            place = _at_level(placed.box, level).within(level_box(self.size, level))
            small = self._halved(place, level, count)
            shared = place.within(box)
            mine, theirs = shared.relative_to(place), shared.relative_to(box)
            pixels[theirs.rows, theirs.columns] = small[mine.rows, mine.columns]
        return pixels

    def _halved(self, place: Box, level: int, count: int) -> Pixels:
        above = Box(2 * place.left, 2 * place.top, 2 * place.right, 2 * place.bottom).within(
            level_box(self.size, level - 1)
        )
        whole = Box(
            above.left << (level - 1),
            above.top << (level - 1),
            above.right << (level - 1),
            above.bottom << (level - 1),
        )
        keys = " ".join(p.laid_key for p in self._placed[:count] if p.box.meets(whole))
        return self._cache.get_or_make(
            ("halved", self._name, level, place, keys),
            lambda: halve(self._read(level - 1, above, count)),
            lambda pixels: pixels.nbytes,
        )

    def _patch(self, placed: _Placed) -> Patch:
        def make() -> Patch:
            return self._made(placed, self._placed.index(placed), at_once)

        return self._cache.get_or_make(("patch", placed.key), make, lambda patch: patch.weight)

    def _made(self, placed: _Placed, count: int, carry_on: Callable[[float], None]) -> Patch:
        """The repair's patch, seen after the first `count`."""
        repair = placed.repair.operation.repair
        assert repair is not None
        ground = Ground(
            self.size,
            lambda box: self._read(0, box, count),
            lambda box: self._source.read(0, box),
            placed.limits,
            carry_on,
        )
        return repair(placed.repair.params, placed.repair.step.mask, ground)


def _joined(limits: Iterable[Limits]) -> Limits:
    fences: list[Fence] = []
    avoided: list[Mask] = []
    for limit in limits:
        fences += limit.fences
        avoided += limit.avoided
    return Limits(tuple(fences), tuple(avoided))


def _at_level(box: Box, level: int) -> Box:
    """The pixels of a level that a box of source pixels touches."""
    return Box(box.left >> level, box.top >> level, -(-box.right >> level), -(-box.bottom >> level))
