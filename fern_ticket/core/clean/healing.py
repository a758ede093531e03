"""Gradient-domain healing of one place: texture from a source, colour and light from the surroundings.

result = source + membrane of (surroundings - source), Pérez, Gangnet, Blake 2003 (doi:10.1145/882262.882269).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.clean.membrane import fill_membrane
from fern_ticket.core.clean.repair import Reader
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.pictures.values import rounded


def kept_inside(place: Box, offset: tuple[int, int], size: tuple[int, int]) -> tuple[int, int]:
    """The offset nearest to the one asked for whose source lies inside the picture."""
    dx = min(max(offset[0], -place.left), size[0] - place.right)
    dy = min(max(offset[1], -place.top), size[1] - place.bottom)
    return dx, dy


def heal_place(
    place: Box,
    cover: NDArray[np.float32],
    blocked: NDArray[np.bool_],
    offset: tuple[int, int] | None,
    size: tuple[int, int],
    read: Reader,
) -> Pixels:
    """New pixels for `place`.

    Parameters
    ----------
    place
        Box of the hole, inside the picture.
    cover
        Coverage 0-1 over `place`; everything above 0 is solved for.
    blocked
        Over `place` grown by one and cut to the picture: pixels that belong to other holes, so that nothing flows in
        from them.
    offset
        From the hole to its source, whole pixels. None fills with the membrane alone, without texture.
    size
        Width and height of the picture.
    read
        Reads pixels as they are before the step.

    Returns
    -------
    Shape of `place`, in the depth of the picture.
    """
    rim = place.grown(1).within(Box(0, 0, *size))
    target = read(rim).astype(np.float32)
    hole = np.zeros((rim.height, rim.width), np.bool_)
    inner = place.relative_to(rim)
    hole[inner.rows, inner.columns] = cover > 0
    if offset is None:
        source = np.zeros_like(target)
    else:
        dx, dy = kept_inside(rim, offset, size)
        source = read(rim.moved(dx, dy)).astype(np.float32)
    correction = fill_membrane(target - source, hole, ~hole & ~blocked)
    healed = (source + correction)[inner.rows, inner.columns]
    depth = read(Box(place.left, place.top, place.left + 1, place.top + 1)).dtype
    return rounded(healed, depth)
