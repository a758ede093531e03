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
from fern_ticket.core.threads import by_rows

#: The screening weight: how firmly levels are held where pieces are joined; matching fades over 1/√0.02, about 7 px.
_SCREENING = 0.02
#: The same for colour where there are no pieces, as each pixel comes from elsewhere: noise would add up to blotches,
#: which in light look like the ground's own.
_COLOUR_OF_SINGLE = 0.5
#: Pixels that are looked at faster here than handed to threads.
_AT_ONCE = 1 << 16
#: Side of the square around a pixel, and shares of its neighbours that come from elsewhere: where there are still
#: pieces, and where there are none.
_AROUND, _PIECES, _SINGLE = 7, 0.35, 0.75


def join(values: Grid, hole: Bits, seen: Bits, usable: Bits, origin: Field) -> None:
    """Join the copied pieces of values, in place: differences are kept, levels are matched, but only near a seam, so
    that no colour spreads from one thing into another.

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
    there, whole = hole | seen, usable | seen

    def guided(rows: slice) -> None:
        _guidance(values, origin, hole, there, whole, near.top + rows.start, near.left, guidance[rows])

    by_rows(near.height, guided, worth=near.width * near.height > _AT_ONCE)
    single = _single(origin[part], hole[part])
    colour = _SCREENING * (_COLOUR_OF_SINGLE / _SCREENING) ** single
    own, wanted = _light_and_colour(values[part]), _light_and_colour(guidance)

    def joined(some: slice, held: float | Grid) -> Grid:
        return fill_membrane(own[..., some], hole[part], seen[part], wanted[..., some], own[..., some], held)

    found = np.concatenate([joined(np.s_[:1], _SCREENING), joined(np.s_[1:], colour)], axis=2)
    np.copyto(values[part], _red_green_blue(found), where=hole[part][..., None])


def _light_and_colour(values: Grid) -> Grid:
    """Red, green and blue as their sum and two differences, which are 0 in grey."""
    red, green, blue = np.moveaxis(values, 2, 0)
    return np.stack([red + green + blue, red - green, (red + green) / 2 - blue], axis=2)


def _red_green_blue(values: Grid) -> Grid:
    """What `_light_and_colour` was made of."""
    total, apart, above = np.moveaxis(values, 2, 0)
    both = (total + above) / np.float32(1.5)
    return np.stack([(both + apart) / 2, (both - apart) / 2, total - both], axis=2)


def _single(origin: Field, hole: Bits) -> Grid:
    """How far pixels come from elsewhere than those beside them, 0 in pieces, 1 where there are none."""
    apart, pairs = np.zeros((2, *hole.shape), np.float32)
    for axis in (0, 1):
        here, there = (np.s_[:, 1:], np.s_[:, :-1]) if axis else (np.s_[1:], np.s_[:-1])
        step = origin[here] - origin[there]
        step[..., axis] -= 1
        inside = hole[here] & hole[there]
        apart[here] += inside & step.any(axis=2)
        pairs[here] += inside
    some, all_of_them = (cv2.blur(one, (_AROUND, _AROUND), borderType=cv2.BORDER_CONSTANT) for one in (apart, pairs))
    share = some / np.maximum(all_of_them, np.float32(1e-6))
    return np.asarray(np.clip((share - _PIECES) / (_SINGLE - _PIECES), 0, 1), np.float32)


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
