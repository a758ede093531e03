"""The source with its repairs, readable at every level like the source itself."""

from __future__ import annotations

import json
import struct
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import cached_property
from types import MappingProxyType
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.clean.charting import brought_back, charted_ground
from fern_ticket.core.clean.limits import Fence
from fern_ticket.core.clean.packing import packed, unpacked
from fern_ticket.core.clean.repair import Difference, Ground, Patch, at_once
from fern_ticket.core.pictures.averaging import halved
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.profiles import ColourSpace
from fern_ticket.core.pictures.pyramid import Source, at_full_size, at_level, level_box, tiles_meeting
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.render.cache import ByteCache, Key, Shelf
from fern_ticket.core.render.placing import MADE, Placed, Placement, Stage, place
from fern_ticket.core.render.plan import Repair
from fern_ticket.core.threads import cores

T = TypeVar("T")

#: Placements of a picture that are kept: of the ledger, of it under a draft, of parts of it that are measured.
_PLACEMENTS = 6
#: A tile with more than so many changes at once is put on the shelf: that of a photo that was just opened.
_WORTH_KEEPING = 24
#: Bytes that a placement holds for each repair, roughly.
_BYTES = 400


@dataclass(frozen=True)
class Patches:
    """What a repair yields: as a rule one patch; more where it lies in several boxes."""

    parts: tuple[Patch | Difference, ...]

    @property
    def weight(self) -> int:
        return sum(part.weight for part in self.parts)


@dataclass(frozen=True)
class Laid:
    """A repair that is in the picture: it, where, and how far it covers, 0-1."""

    repair: Repair
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
        `(carry_on, begun)`: makes it and keeps it. Told progress may raise to stop; `begun` is called when there is
        something of it to look at.
    """

    key: str
    step: str
    box: Box
    make: Callable[[Callable[[float], None], Callable[[], None]], None]


@dataclass(frozen=True)
class _Tile:
    """A tile of a smaller level with what was laid on when it was made.

    Attributes
    ----------
    laid
        What identifies each repair that shows in it, and where that lies, source pixels.
    """

    laid: dict[str, Box]
    pixels: Pixels

    @property
    def weight(self) -> int:
        return self.pixels.nbytes + _BYTES * len(self.laid)

    def packed(self, name: str, level: int, place: Box) -> bytes:
        """What repairs changed of it, as bytes that `unpacked` reads."""
        boxes = {key: (box.left, box.top, box.right, box.bottom) for key, box in self.laid.items()}
        head = json.dumps([name, boxes]).encode()
        parts = [struct.pack("<I", len(head)), head]
        for box in self.laid.values():
            inside = at_level(box, level).within(place).relative_to(place)
            parts.append(self.pixels[inside.rows, inside.columns].tobytes())
        return b"".join(parts)

    @classmethod
    def unpacked(cls, data: bytes, name: str, level: int, place: Box, pixels: Pixels) -> _Tile | None:
        """A tile from what `packed` gave and the source's own pixels; None for another picture's or damaged bytes."""
        try:
            (length,) = struct.unpack_from("<I", data)
            of, edges = json.loads(data[4 : 4 + length])
            laid = {key: Box(*box) for key, box in edges.items()}
            at = 4 + length
            for box in laid.values():
                inside = at_level(box, level).within(place).relative_to(place)
                shape = (inside.height, inside.width, 3)
                part = np.frombuffer(data, pixels.dtype, inside.height * inside.width * 3, at).reshape(shape)
                pixels[inside.rows, inside.columns] = part
                at += part.nbytes
        except (struct.error, ValueError):
            return None
        return cls(laid, pixels) if of == name else None


class Repaired:
    """Evaluates repairs lazily, each once, as patches at full size; lower levels are halved from the level above.

    A patch is cached under a key made of its step and of the earlier repairs it reads, so changing one of many repairs
    recomputes only those that overlap it. With `background`, slow repairs that are not made yet are left out and listed
    in `pending`, to be made while the picture is looked at without them.
    """

    def __init__(
        self,
        source: Source,
        name: str,
        repairs: Sequence[Repair],
        cache: ByteCache,
        *,
        background: bool = False,
        shelf: Shelf | None = None,
        under: Repaired | None = None,
        on_it: Mapping[str, Box] = MappingProxyType({}),
    ) -> None:
        self._source = source
        self._under = under
        self._on_it = on_it
        self._name = name
        self._cache = cache
        self._shelf = shelf
        key = Key("placements", (name, background))
        olds: tuple[Placement, ...] = cache.get(key) or ()
        how_far = self._how_far if background else lambda _: MADE
        self._placement = place(name, tuple(repairs), how_far, olds)
        if not olds or self._placement is not olds[0]:
            kept = (self._placement, *(one for one in olds if one is not self._placement))[:_PLACEMENTS]
            cache.put(key, kept, _BYTES * sum(len(one.items) for one in kept))

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
        """The picture before any repair, and before any piece."""
        return self._source if self._under is None else self._under.source

    @cached_property
    def key(self) -> str:
        """Changes when any pixel can have changed."""
        return self._name + self._placement.digest

    @property
    def laid(self) -> dict[str, Box]:
        """What identifies each repair's and each piece's result with its strength, and where it lies."""
        if self._under is None:
            return self._placement.boxes
        return {**self._under.laid, **self._on_it, **self._placement.boxes}

    @property
    def fences(self) -> tuple[Fence, ...]:
        under = () if self._under is None else self._under.fences
        return (*under, *self._placement.limits.fences)

    @cached_property
    def pending(self) -> list[Pending]:
        """Slow repairs that are not in the picture yet."""
        under = [] if self._under is None else self._under.pending
        return [*under, *(self._pending(one) for one in self._placement.pending)]

    def laid_repairs(self) -> list[Laid]:
        """Every repair that is made with what it covers."""
        under = [] if self._under is None else self._under.laid_repairs()
        made = (one for one in self._placement.laid if one.stage.made)
        return [*under, *(found for one in made for found in self._laid(one))]

    def _laid(self, placed: Placed) -> list[Laid]:
        return [Laid(placed.repair, part.box, part.alpha) for part in self._patches(placed).parts]

    def _pending(self, placed: Placed) -> Pending:
        def make(carry_on: Callable[[float], None], begun: Callable[[], None]) -> None:
            def show(so_far: Patches) -> None:
                number = self._begun(placed.key) + 1
                self._cache.put(Key("begun", (placed.key, number)), so_far, so_far.weight)
                self._cache.put(Key("begun", placed.key), number, _BYTES)
                begun()

            try:
                self._keep(placed.key, self._made(placed, carry_on, show))
            finally:
                self._cache.put(Key("begun", placed.key), 0, _BYTES)

        return Pending(placed.key, placed.repair.step.id, placed.box, make)

    def kept_near(self, what: str, box: Box, measure: Callable[[], T], weight: Callable[[T], int] = lambda _: 400) -> T:
        """Something that is measured on pixels of `box`, once for a state of the repairs there; small, or of a `weight`
        in bytes."""
        near = tuple(one.laid_key for one in self._placement.meeting(box))
        key = Key(what, (self._name, box, near))
        return self._cache.get_or_make(key, measure, lambda made: weight(made) + 80 * len(near))

    def ground(self) -> Ground:
        """What a repair after all of these would work on."""
        return Ground(
            self.size,
            lambda box: self.read(0, box),
            lambda box: self._source.read(0, box),
            self._placement.limits,
        )

    def read(self, level: int, box: Box) -> Pixels:
        return self._at_full_size(box, None) if level == 0 else self._at_level(level, box)

    def _at_full_size(self, box: Box, before: int | None) -> Pixels:
        """Full-size pixels with the repairs before a number laid on; with all of them for None."""
        pixels = self._source.read(0, box)
        found = self._placement.meeting(box, before)
        if found:
            pixels = pixels.copy()
        for one in found:
            for part in self._patches(one).parts:
                part.lay_on(pixels, box, one.repair.step.strength)
        return pixels

    def _at_level(self, level: int, box: Box) -> Pixels:
        """Pixels of a smaller level, from its tiles; the source's own where no repair lies."""
        if not self._placement.meeting(at_full_size(box, level)):
            return self._source.read(level, box)
        whole = level_box(self.size, level)
        out: Pixels = np.empty((box.height, box.width, 3), self.dtype)
        for _, _, tile in tiles_meeting(box):
            place = tile.within(whole)
            shared = place.within(box)
            mine, theirs = shared.relative_to(place), shared.relative_to(box)
            out[theirs.rows, theirs.columns] = self._tile(level, place)[mine.rows, mine.columns]
        return out

    def _tile(self, level: int, place: Box) -> Pixels:
        """A tile of a level. From one state of the ledger to the next only what changed in it is made anew."""
        key = Key("tile", (self._name, level, place))
        laid = {one.laid_key: one.box for one in self._placement.meeting(at_full_size(place, level))}
        last: _Tile | None = self._cache.get(key) or self._tile_from_shelf(level, place)
        if last is None:
            last = _Tile({}, self._source.read(level, place))
        changed = dict(laid.items() ^ last.laid.items())
        if not changed and last.laid:
            return last.pixels
        pixels = last.pixels.copy()
        for box in changed.values():
            part = at_level(box, level).within(place)
            inside = part.relative_to(place)
            pixels[inside.rows, inside.columns] = self._composed(level, part)
        made = _Tile(laid, pixels)
        self._cache.put(key, made, made.weight)
        if len(changed) > _WORTH_KEEPING and self._shelf is not None:
            self._shelf.put(f"tile {level} {place}", made.packed(self._name, level, place))
        return pixels

    def _composed(self, level: int, part: Box) -> Pixels:
        """A small part of a level: the source's pixels, but halved from the repaired level above where repairs lie."""
        pixels = self._source.read(level, part).copy()
        for one in self._placement.meeting(at_full_size(part, level)):
            where = at_level(one.box, level).within(level_box(self.size, level))
            shared = where.within(part)
            mine, theirs = shared.relative_to(where), shared.relative_to(part)
            pixels[theirs.rows, theirs.columns] = self._halved(where, level)[mine.rows, mine.columns]
        return pixels

    def _halved(self, where: Box, level: int) -> Pixels:
        above = Box(2 * where.left, 2 * where.top, 2 * where.right, 2 * where.bottom).within(
            level_box(self.size, level - 1)
        )
        keys = tuple(one.laid_key for one in self._placement.meeting(at_full_size(above, level - 1)))
        return self._cache.get_or_make(
            Key("halved", (self._name, level, where, keys)),
            lambda: halved(self.read(level - 1, above), self.space),
            lambda pixels: pixels.nbytes,
        )

    def _tile_from_shelf(self, level: int, place: Box) -> _Tile | None:
        data = None if self._shelf is None else self._shelf.get(f"tile {level} {place}")
        if data is None:
            return None
        return _Tile.unpacked(data, self._name, level, place, self._source.read(level, place).copy())

    def make_all(self) -> None:
        """Make every repair, several at once, as all of them will be needed: one that reads another's result makes or
        awaits that first."""
        laid = self._placement.laid
        if len(laid) > 1:
            with ThreadPoolExecutor(cores(), "repairs") as threads:
                list(threads.map(self._patches, laid))

    def _patches(self, placed: Placed) -> Patches:
        if not placed.stage.made:
            # what is half done may be gone again: then the place shows what was there
            so_far: Patches | None = self._cache.get(Key("begun", (placed.key, placed.stage.begun)))
            return so_far or Patches(())

        def make() -> Patches:
            kept = self._from_shelf(placed.key)
            if kept is not None:
                return kept
            made = self._made(placed, at_once)
            self._to_shelf(placed.key, made)
            return made

        return self._cache.get_or_make(Key("patch", placed.key), make, lambda patches: patches.weight)

    def _how_far(self, key: str) -> Stage:
        if self._cache.get(Key("patch", key)) is not None:
            return MADE
        kept = self._from_shelf(key)
        if kept is not None:
            self._cache.put(Key("patch", key), kept, kept.weight)
            return MADE
        return Stage(made=False, begun=self._begun(key))

    def _begun(self, key: str) -> int:
        number: int | None = self._cache.get(Key("begun", key))
        return number or 0

    def _keep(self, key: str, patches: Patches) -> None:
        self._cache.put(Key("patch", key), patches, patches.weight)
        self._to_shelf(key, patches)

    def _from_shelf(self, key: str) -> Patches | None:
        data = None if self._shelf is None else self._shelf.get(key)
        found = None if data is None else unpacked(data)
        return None if found is None else Patches(tuple(found))

    def _to_shelf(self, key: str, patches: Patches) -> None:
        if self._shelf is not None:
            self._shelf.put(key, packed(patches.parts))

    def _made(
        self,
        placed: Placed,
        carry_on: Callable[[float], None],
        show: Callable[[Patches], None] = lambda _: None,
    ) -> Patches:
        """The repair's patches, made on the picture as those before it leave it; `show` is told what it has so far."""
        own = placed.repair
        repair = own.operation.repair
        assert repair is not None
        ground = Ground(
            self.size,
            lambda box: self._at_full_size(box, placed.number),
            lambda box: self._source.read(0, box),
            placed.bounds,
            carry_on,
            show=lambda patch: show(Patches((patch,))),
        )
        if own.chart is None:
            return Patches((repair(own.params, own.place, ground),))
        params, where = own.charted
        chart, firm = own.chart, own.operation.firmness
        place = None if own.operation.beside else own.place
        charted = charted_ground(ground, chart, own.reads)

        def back(patch: Patch) -> Patches:
            return Patches(tuple(brought_back(patch, place, ground, charted, chart, firm)))

        return back(repair(params, where, replace(charted, show=lambda patch: show(back(patch)))))
