"""The shadow that a piece carries: thrown onto the ground from its lowest place, and following wherever it is moved."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.balance.shadow import Shadow, thrown_onto_ground
from fern_ticket.core.pictures.plane import PlaneMap, translation

#: Long side of a photo for which a shadow's blurs are those that it begins with (common practice, no source).
_FULL_SIZE = 6000
#: A thing touches the ground with the lowest part of its height: what hangs over farther up has no narrow shadow.
_TOUCHING = 0.25


class CarriedShade(Shadow):
    contact: float = Field(default=35.0, ge=0, le=100, description="Where it touches the ground, per cent.")
    angle: float = Field(default=25.0, ge=-180, le=180, description="Where it falls, degrees clockwise from level.")
    length: float = Field(default=0.6, ge=0.05, le=5, description="As a share of the piece's height.")

    def suited(self, photo: tuple[int, int]) -> CarriedShade:
        """With blurs that were left open as long as a photo of that width and height wants them."""
        times = max(photo) / _FULL_SIZE
        opened = {"soft_blur", "hard_blur", "contact_blur"} - self.model_fields_set
        return self.model_copy(update={name: max(0.5, round(times * getattr(self, name), 1)) for name in opened})


@dataclass(frozen=True)
class Thrown:
    """A part of a shadow.

    Attributes
    ----------
    onto
        Places of the thing to where they fall, photo pixels.
    blur
        Deviation, photo pixels.
    left
        Shares of linear red, green and blue that are left under it.
    rises
        It fades in between these two y of the photo; None for all of it.
    """

    onto: PlaneMap
    blur: float
    left: NDArray[np.float64]
    rises: tuple[float, float] | None = None


def thrown_by(shade: CarriedShade, top: float, foot: float) -> list[Thrown]:
    """The parts of the shadow of a thing between two y of the photo, on a level ground at the lower one."""
    onto = thrown_onto_ground(shade.angle, shade.length, 0.0, foot)
    parts = [Thrown(onto, blur, shade.left_of(density)) for blur, density in shade.thrown()]
    if shade.contact:
        # what shows below a thing when it is blurred and let down by as much
        down, rises = translation(0, shade.contact_blur), (foot - _TOUCHING * (foot - top), foot)
        parts.append(Thrown(down, shade.contact_blur, shade.left_of(shade.contact), rises))
    return parts
