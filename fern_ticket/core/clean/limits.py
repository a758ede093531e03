"""What bounds repairs: fences that they do not cross, places to avoid, guides along which edges run on."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.ledger.masks import Place, Point
from fern_ticket.core.pictures.regions import Box

Bits = NDArray[np.bool_]


@dataclass(frozen=True)
class Fence:
    """A line, (x, y) in source pixels, that no stroke, source, blend or synthesis crosses."""

    points: tuple[Point, ...]

    @property
    def box(self) -> Box:
        xs, ys = [x for x, _ in self.points], [y for _, y in self.points]
        return Box(int(min(xs)) - 2, int(min(ys)) - 2, int(max(xs)) + 3, int(max(ys)) + 3)

    def line(self, box: Box) -> Bits:
        """The pixels of `box` that it runs through, shape (rows, columns)."""
        drawn = np.zeros((box.height, box.width), np.uint8)
        corners = np.floor(np.array(self.points)).astype(np.int32) - (box.left, box.top)
        cv2.polylines(drawn, [corners.astype(np.int32)], False, 1, 1, cv2.LINE_8)
        return drawn > 0

    def hidden(self, box: Box, eye: Point) -> Bits:
        """The pixels of `box` that lie behind it, seen from `eye`."""
        drawn = np.zeros((box.height, box.width), np.uint8)
        origin = np.array(eye) - (box.left, box.top)
        corners = np.array(self.points) - (box.left, box.top)
        far = 4.0 * (box.width + box.height + float(np.abs(corners - origin).max()))
        for one, other in itertools.pairwise(corners):
            ways = [corner - origin for corner in (other, one)]
            beyond = [origin + way * (far / max(float(np.hypot(*way)), 1e-6)) for way in ways]
            cv2.fillConvexPoly(drawn, np.round([one, other, *beyond]).astype(np.int32), 1)
        return drawn > 0


@dataclass(frozen=True)
class Limits:
    """Everything that bounds one repair.

    Attributes
    ----------
    fences
        Nothing crosses them.
    avoided
        Places that nothing is copied from.
    guides
        Lines, (x, y) in source pixels, along which edges run on through what is grown.
    """

    fences: tuple[Fence, ...] = ()
    avoided: tuple[Place, ...] = ()
    guides: tuple[tuple[Point, ...], ...] = ()

    def lines(self, box: Box) -> Bits:
        """Pixels of `box` that fences run through."""
        drawn = np.zeros((box.height, box.width), np.bool_)
        for fence in self.fences:
            drawn |= fence.line(box)
        return drawn

    def across(self, box: Box, eye: Point) -> Bits:
        """Pixels of `box` on a fence or behind one, seen from `eye`."""
        drawn = self.lines(box)
        for fence in self.fences:
            drawn |= fence.hidden(box, eye)
        return drawn

    def barred(self, box: Box, eye: Point, size: tuple[int, int]) -> Bits:
        """Pixels of `box` that a repair at `eye` may not copy from."""
        drawn = self.across(box, eye)
        for mask in self.avoided:
            shared = mask.box(size).within(box)
            if not shared.empty:
                inside = shared.relative_to(box)
                drawn[inside.rows, inside.columns] |= mask.alpha(shared) > 0
        return drawn
