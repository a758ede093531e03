"""A rectangle of pixels, the small type that everything local speaks in."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple


class Box(NamedTuple):
    """Whole pixels, `left <= x < right` and `top <= y < bottom`. A tuple, as thousands are made for a frame."""

    left: int
    top: int
    right: int
    bottom: int

    @property
    def width(self) -> int:
        return self.right - self.left

    @property
    def height(self) -> int:
        return self.bottom - self.top

    @property
    def empty(self) -> bool:
        return self.right <= self.left or self.bottom <= self.top

    @property
    def middle(self) -> tuple[float, float]:
        return (self.left + self.right) / 2, (self.top + self.bottom) / 2

    @property
    def rows(self) -> slice:
        return slice(self.top, self.bottom)

    @property
    def columns(self) -> slice:
        return slice(self.left, self.right)

    def grown(self, by: int) -> Box:
        return Box(self.left - by, self.top - by, self.right + by, self.bottom + by)

    def moved(self, dx: int, dy: int) -> Box:
        return Box(self.left + dx, self.top + dy, self.right + dx, self.bottom + dy)

    def meets(self, other: Box) -> bool:
        return not self.within(other).empty

    def within(self, other: Box) -> Box:
        """The part of this box that lies in `other`; empty when they do not meet."""
        return Box(
            max(self.left, other.left),
            max(self.top, other.top),
            min(self.right, other.right),
            min(self.bottom, other.bottom),
        )

    def holds(self, other: Box) -> bool:
        return self.within(other) == other

    def joined(self, other: Box) -> Box:
        """The smallest box that holds both."""
        return Box(
            min(self.left, other.left),
            min(self.top, other.top),
            max(self.right, other.right),
            max(self.bottom, other.bottom),
        )

    def blocks(self, width: int, height: int) -> list[Box]:
        """All of it in boxes of at most so many pixels, by rows.

        >>> Box(0, 0, 3, 2).blocks(2, 2)
        [Box(left=0, top=0, right=2, bottom=2), Box(left=2, top=0, right=3, bottom=2)]
        """
        return [
            Box(left, top, min(left + width, self.right), min(top + height, self.bottom))
            for top in range(self.top, self.bottom, height)
            for left in range(self.left, self.right, width)
        ]

    def relative_to(self, other: Box) -> Box:
        """This box in the coordinates of an array that covers `other`."""
        return self.moved(-other.left, -other.top)


NOWHERE = Box(0, 0, 0, 0)


def joined(boxes: Iterable[Box]) -> Box:
    """The smallest box that holds all that are not empty; empty where none is.

    >>> joined([Box(0, 0, 2, 2), Box(5, 1, 6, 4), NOWHERE])
    Box(left=0, top=0, right=6, bottom=4)
    """
    found = [box for box in boxes if not box.empty]
    if not found:
        return NOWHERE
    return Box(
        min(box.left for box in found),
        min(box.top for box in found),
        max(box.right for box in found),
        max(box.bottom for box in found),
    )
