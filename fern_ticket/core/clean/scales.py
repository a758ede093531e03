"""A picture with a hole on ever smaller copies, so that a filling can begin coarse."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

import cv2
import numpy as np

from fern_ticket.core.clean.search import Bits, Grid
from fern_ticket.core.threads import in_threads

#: Share of a halved pixel that has to be usable, and known, for it to be so.
_USABLE_SHARE, _SEEN_SHARE = 0.99, 0.4
#: Pixels that are halved faster here than handed to threads.
_AT_ONCE = 1 << 18


@dataclass
class Scale:
    """The picture at one scale. A filling may be grown in place, in the hole of `values`.

    Attributes
    ----------
    values
        Encoded values 0-255, shape (rows, columns, 3), float32.
    hole, usable, seen
        Pixels to fill, that may be copied, and that the filling has to fit to, shape (rows, columns).
    texture
        How textured the ground around each pixel is, shape (rows, columns), float32 (`texture.py`). Grown along with
        the values.
    number
        0 is the finest.
    marks
        What is added to values when places are compared, so that grounds on two sides of a guide are unlike whatever
        they look like, shape of the values; None where there are no guides.
    """

    values: Grid
    hole: Bits
    usable: Bits
    seen: Bits
    texture: Grid
    number: int = 0
    marks: Grid | None = None

    @property
    def flat(self) -> Grid:
        """The values with a pixel's channels beside each other, shape (rows, 3 · columns); the same memory."""
        return self.values.reshape(self.values.shape[0], -1)

    def compared(self, part: tuple[slice, slice] = np.s_[:, :]) -> Grid:
        """What places of a part are compared by: values with their marks, and texture; shape (rows, 4 · columns)."""
        values, texture = self.values[part], self.texture[part]
        if self.marks is not None:
            values = values + self.marks[part]
        return np.dstack([values, texture]).reshape(len(values), -1)

    def halved(self, hole_share: float) -> Scale:
        """The next coarser one, of known colours only; more than `hole_share` of a pixel in the hole makes it hole."""
        rows, columns = self.hole.shape
        size = ((columns + 1) // 2, (rows + 1) // 2)

        def half(plane: Grid) -> Grid:
            if rows % 2 or columns % 2:
                plane = np.asarray(cv2.copyMakeBorder(plane, 0, rows % 2, 0, columns % 2, cv2.BORDER_REPLICATE))
            return np.asarray(cv2.resize(plane, size, interpolation=cv2.INTER_AREA))

        known = (~self.hole & self.seen).astype(np.float32)
        planes: list[Callable[[], Grid]] = [
            lambda: half(np.asarray(cv2.multiply(self.values, cv2.merge([known] * 3)), np.float32)),
            lambda: half(self.texture * known),
            lambda: half(known),
            lambda: half(self.hole.astype(np.float32)),
            lambda: half(self.usable.astype(np.float32)),
        ]
        if self.marks is not None:
            planes.append(partial(half, self.marks))
        worth = self.hole.size > _AT_ONCE
        colour, texture, share, gone, there, *marks = in_threads(lambda plane: plane(), planes, worth=worth)
        most = np.maximum(share, np.float32(1e-6))
        colour /= most[..., None]
        texture /= most
        hole = gone > hole_share
        usable = (there > _USABLE_SHARE) & ~hole
        seen = (share > _SEEN_SHARE) & ~hole
        own_marks = marks[0] if marks else None
        return Scale(np.ascontiguousarray(colour, np.float32), hole, usable, seen, texture, self.number + 1, own_marks)
