"""Joining what was copied: piece to piece, and all of it to the rim.

The guidance field says how each pixel should differ from its neighbours; the screened Poisson equation finds the values
that differ so and stay near those copied (Pérez, Gangnet, Blake 2003, doi:10.1145/882262.882269; Bhat et al. 2008,
doi:10.1007/978-3-540-88688-4_9).
"""

from __future__ import annotations

import cv2
import numpy as np

from fern_ticket.core.clean.membrane import fill_membrane
from fern_ticket.core.clean.search import Bits, Field, Grid
from fern_ticket.core.kernels import kernel
from fern_ticket.core.pictures.regions import Box

#: The screening weight: how firmly levels are held where pieces are joined; matching fades over 1/√0.02, about 7 px.
_SCREENING = 0.02


def join(values: Grid, hole: Bits, seen: Bits, usable: Bits, origin: Field) -> Grid:
    """Values with the copied pieces joined: differences are kept, levels are matched, but only near a seam, so that no
    colour spreads from one thing into another.

    Parameters
    ----------
    values
        Shape (rows, columns, 3), the hole filled by copying.
    hole, seen, usable
        What was filled, what it has to fit to, and what could be copied from, shape (rows, columns).
    origin
        Where each pixel was copied from; outside the hole, itself.
    """
    left, top, width, height = cv2.boundingRect(hole.astype(np.uint8))
    near = Box(left, top, left + width, top + height).grown(2).within(Box(0, 0, hole.shape[1], hole.shape[0]))
    part = np.s_[near.rows, near.columns]
    guidance = np.zeros((near.height, near.width, values.shape[2]), np.float32)
    _guidance(values, origin, hole, hole | seen, usable | seen, near.top, near.left, guidance)
    out = values.copy()
    out[part] = fill_membrane(values[part], hole[part], seen[part], guidance, values[part], _SCREENING)
    return out


@kernel
def _guidance(
    values: Grid, origin: Field, hole: Bits, there: Bits, whole: Bits, top: int, left: int, guidance: Grid
) -> None:
    """The guidance field's divergence, of the part from `top` and `left` on: for each hole pixel the sum of its
    differences from its neighbours, as the places that it and they came from have it.

    Where a pixel and its neighbour came from different places, what the place says that says more: a mean of both would
    be softer than either.
    """
    rows, columns = hole.shape
    for row in range(top, top + guidance.shape[0]):
        for column in range(left, left + guidance.shape[1]):
            if not hole[row, column]:
                continue
            y, x = origin[row, column]
            for way in range(4):
                dy, dx = (0, 0, -1, 1)[way], (-1, 1, 0, 0)[way]
                other_row, other_column = row + dy, column + dx
                if not (0 <= other_row < rows and 0 <= other_column < columns and there[other_row, other_column]):
                    continue
                other_y, other_x = origin[other_row, other_column]
                near_y, near_x, far_y, far_x = y + dy, x + dx, other_y - dy, other_x - dx
                near = 0 <= near_y < rows and 0 <= near_x < columns and whole[near_y, near_x]
                far = 0 <= far_y < rows and 0 <= far_x < columns and whole[far_y, far_x]
                one, two = np.float32(0), np.float32(0)
                for channel in range(3):
                    if near:
                        one += abs(values[y, x, channel] - values[near_y, near_x, channel])
                    if far:
                        two += abs(values[far_y, far_x, channel] - values[other_y, other_x, channel])
                for channel in range(3):
                    if near and (not far or one >= two):
                        off = values[y, x, channel] - values[near_y, near_x, channel]
                    elif far:
                        off = values[far_y, far_x, channel] - values[other_y, other_x, channel]
                    else:
                        continue
                    guidance[row - top, column - left, channel] += off
