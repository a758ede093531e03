"""Outlines as the page is told them."""

from __future__ import annotations

from fern_ticket.core.areas.outlining import Loops


def told(loops: Loops) -> Loops:
    """Closed outlines of (x, y), to a tenth of a pixel."""
    return [[(round(x, 1), round(y, 1)) for x, y in loop] for loop in loops]
