"""The picture before it is framed, developed: tiles of every level that are kept, for whoever resamples them."""

from __future__ import annotations

import hashlib
import math
from collections.abc import Callable, Sequence
from typing import Any

import numpy as np

from fern_ticket.core.ledger.covers import Cover
from fern_ticket.core.ledger.masks import Alpha
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.plane import PlaneMap, from_level
from fern_ticket.core.pictures.pyramid import at_full_size, level_box, tiles_meeting
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.render.cache import ByteCache, Key
from fern_ticket.core.render.cover_ground import CoverGround
from fern_ticket.core.render.light import Depth, LightChain, Where
from fern_ticket.core.render.plan import Lighting
from fern_ticket.core.render.repaired import Repaired
from fern_ticket.core.render.resample import widened


class DevelopedTiles:
    """Tiles of a picture, each made once for a state of the repairs and pieces in it.

    `name` identifies everything else that shapes them.
    """

    def __init__(self, repaired: Repaired, light: LightChain, cache: ByteCache, name: object) -> None:
        self._repaired = repaired
        self._light = light
        self._cache = cache
        self._name = name

    def read(self, level: int, box: Box, depth: Depth) -> Pixels:
        """sRGB of pixels of a level, shape (rows, columns, 3)."""
        return self._tiled(("developed", depth.__name__), level, box, lambda place: self._lit(level, place, depth))

    def deep(self, level: int, box: Box) -> Pixels:
        """The same at 16 bits."""
        return self.read(level, box, np.uint16)

    def grey(
        self, what: tuple[Any, ...], level: int, box: Box, share: Callable[[PlaneMap, tuple[int, int]], Alpha]
    ) -> Pixels:
        """Shares 0-1 of the pixels of a level, 8 bits, shape (rows, columns, 3); `what` they are shares of."""

        def make(place: Box) -> Pixels:
            found = share(from_level(level, place.left, place.top), (place.width, place.height))
            return np.repeat(np.round(found * np.float32(255)).astype(np.uint8)[..., None], 3, axis=2)

        return self._tiled(what, level, box, make)

    def _lit(self, level: int, place: Box, depth: Depth) -> Pixels:
        reach = math.ceil(self._light.reach / 2**level)
        wide = place.grown(reach).within(level_box(self._repaired.size, level)) if reach else place
        where = Where(from_level(level, wide.left, wide.top), delivered=2.0**-level)
        pixels = self._light.develop(widened(self._repaired.read(level, wide)), where, depth)
        inner = place.relative_to(wide)
        return pixels[inner.rows, inner.columns]

    def _tiled(self, what: tuple[Any, ...], level: int, box: Box, make: Callable[[Box], Pixels]) -> Pixels:
        whole = level_box(self._repaired.size, level)
        out: Pixels | None = None
        for _, _, tile in tiles_meeting(box):
            place = tile.within(whole)
            pixels = self._tile(what, level, place, make)
            if out is None:
                out = np.empty((box.height, box.width, *pixels.shape[2:]), pixels.dtype)
            shared = place.within(box)
            mine, theirs = shared.relative_to(place), shared.relative_to(box)
            out[theirs.rows, theirs.columns] = pixels[mine.rows, mine.columns]
        assert out is not None
        return out

    def _tile(self, what: tuple[Any, ...], level: int, place: Box, make: Callable[[Box], Pixels]) -> Pixels:
        full = at_full_size(place, level)
        near = frozenset(key for key, laid in self._repaired.laid.items() if laid.meets(full))
        key = Key(what[0], (self._name, what[1:], level, place, near))
        return self._cache.get_or_make(key, lambda: make(place), lambda made: made.nbytes)


def lit_key(lighting: Sequence[Lighting], repaired: str, ground: CoverGround) -> str:
    """Changes when the light on any pixel can have changed that itself has not.

    `repaired` tells the state of the picture under it, for steps that look at the whole of it.
    """
    parts: list[str] = []
    for one in lighting:
        if one.operation.looks or any(held.operation.looks for held in one.inner):
            parts.append(repaired)
        covers: list[Cover] = [one.cover] if one.cover is not None else []
        if one.operation.layers is not None:
            covers += [layer.cover for layer in one.operation.layers(one.params)]
        parts += [one.step.key(), str(one.step.strength), *(str(ground.made(cover)) for cover in covers)]
    return hashlib.sha256(" ".join(parts).encode()).hexdigest()
