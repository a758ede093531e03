"""The repaired photo as covers see it: its pixels before light, what was drawn and found on it, and its fine edges."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from functools import cached_property
from typing import TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.balance.light import Planes
from fern_ticket.core.ledger.covers import Cover
from fern_ticket.core.pictures.plane import from_level
from fern_ticket.core.pictures.pyramid import Source, level_box
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.render.cache import ByteCache, Key, Shelf
from fern_ticket.core.render.light import LightChain, Where
from fern_ticket.core.render.repaired import Pending, Repaired
from fern_ticket.core.render.resample import widened
from fern_ticket.core.source.operation import Opener

T = TypeVar("T")


class CoverGround:
    """The photo as covers see it.

    Fine edges are kept on the `shelf`; with `pend` they are not made at once but told to it, for a `step`, to be made
    beside.
    """

    def __init__(
        self,
        repaired: Repaired,
        name: str,
        cache: ByteCache,
        other: Opener,
        shelf: Shelf | None = None,
        pend: Callable[[Pending], None] | None = None,
        step: str = "",
    ) -> None:
        self._repaired = repaired
        self._name = name
        self._cache = cache
        self._other = other
        self._shelf = shelf
        self._pend = pend
        self._step = step
        self.size = repaired.size
        self.levels = repaired.levels

    def linear(self, level: int, box: Box) -> Planes:
        return self._unlit.linear(widened(self._repaired.read(level, box)), _at(level, box))

    def original(self, level: int, box: Box) -> NDArray[np.uint8]:
        pixels = self._unlit.develop(widened(self._repaired.source.read(level, box)), _at(level, box), np.uint8)
        return np.asarray(pixels, np.uint8)

    def shown(self, level: int) -> NDArray[np.uint8]:
        """sRGB of a level as it is repaired, with its pieces."""
        box = level_box(self.size, level)
        pixels = self._unlit.develop(widened(self._repaired.read(level, box)), _at(level, box), np.uint8)
        return np.asarray(pixels, np.uint8)

    @cached_property
    def _unlit(self) -> LightChain:
        return LightChain(self._repaired.space, ())

    def stored(self, name: str) -> Source:
        return self._other(name)

    def kept(self, key: tuple[str, int], make: Callable[[], NDArray[np.uint16]]) -> NDArray[np.uint16]:
        return self._cache.get_or_make(self._drawn_key(key), make, lambda drawn: drawn.nbytes)

    def had(self, key: tuple[str, int]) -> NDArray[np.uint16] | None:
        held: NDArray[np.uint16] | None = self._cache.get(self._drawn_key(key))
        return held

    def _drawn_key(self, key: tuple[str, int]) -> Key:
        return Key("drawn cover", (self._repaired.key, key))

    def kept_of_original(self, what: str, make: Callable[[], T], weight: int) -> T:
        return self._cache.get_or_make(Key(what, self._name), make, lambda _: weight)

    def _fine_key(self, cover: Cover) -> Key:
        state = self._repaired.key if cover.of_pixels else self._name
        return Key("fine edge", hashlib.sha256(f"{state} {cover.key()}".encode()).hexdigest())

    def made(self, cover: Cover) -> bool:
        """Whether its fine edge is there to be read, if it has one."""
        return cover.fine is None or self._cache.get(self._fine_key(cover)) is not None

    def shelved(self, cover: Cover, make: Callable[[], NDArray[np.uint8]]) -> NDArray[np.uint8] | None:
        key = self._fine_key(cover)
        shelf = self._shelf
        held: NDArray[np.uint8] | None = self._cache.get(key)
        if held is None and shelf is not None:
            held = _unpressed(shelf.get(f"fine {key.own}"))
            if held is not None:
                self._cache.put(key, held, held.nbytes)
        if held is not None:
            return held

        def keep() -> NDArray[np.uint8]:
            made = self._cache.get_or_make(key, make, lambda fine: fine.nbytes)
            if shelf is not None:
                shelf.put(f"fine {key.own}", _pressed(made))
            return made

        if self._pend is None:
            return keep()

        def later(carry_on: Callable[[float], None], _: Callable[[], None]) -> None:
            carry_on(0.1)
            keep()

        whole = Box(0, 0, *self.size)
        self._pend(Pending(str(key.own), self._step, whole, later))
        return None


def _at(level: int, box: Box) -> Where:
    return Where(from_level(level, box.left, box.top))


def _pressed(grey: NDArray[np.uint8]) -> bytes:
    return cv2.imencode(".png", grey)[1].tobytes()


def _unpressed(data: bytes | None) -> NDArray[np.uint8] | None:
    if data is None:
        return None
    found = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_GRAYSCALE)
    return None if found is None else np.asarray(found, np.uint8)
