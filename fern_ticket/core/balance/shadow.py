"""What a shadow takes of the light, and where what stands throws it: shared by shades and by pieces that carry one."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.balance.light import LUMINANCE
from fern_ticket.core.ledger.controls import Ruler
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.plane import PlaneMap
from fern_ticket.core.pictures.profiles import srgb_decode

#: Share of light that is left in the deepest shadow.
_DEEPEST = 0.02
#: How far a shadow keeps away from running along the line that it is thrown from.
_ALONG = 0.02


class Shadow(Parameters):
    """A shadow of a soft and a hard part, and a narrow one where a thing touches the ground."""

    soft_blur: float = Field(default=50.0, ge=0, le=1000, description="Deviation, source pixels.")
    soft_density: float = Field(default=30.0, ge=0, le=100, description="Per cent of the light that is taken.")
    hard_blur: float = Field(default=10.0, ge=0, le=1000, description="Deviation, source pixels.")
    hard_density: float = Field(default=25.0, ge=0, le=100, description="Per cent of the light that is taken.")
    contact: float = Field(default=0.0, ge=0, le=100, description="Where it touches the ground, per cent.")
    contact_blur: float = Field(default=6.0, ge=0.5, le=200, description="Deviation, source pixels.")
    colour: tuple[int, int, int] | None = Field(default=None, description="Of another shadow, 8-bit sRGB.")

    def thrown(self) -> list[tuple[float, float]]:
        """Blur and density of the soft and the hard part, as far as they take any light."""
        parts = ((self.soft_blur, self.soft_density), (self.hard_blur, self.hard_density))
        return [(blur, density) for blur, density in parts if density]

    def left_of(self, density: float) -> NDArray[np.float64]:
        """Shares of linear red, green and blue that are left under so many per cent of shadow."""
        left = max(1 - density / 100, _DEEPEST)
        if self.colour is None:
            return np.full(3, left)
        tint = np.maximum(srgb_decode(np.array(self.colour) / 255), 1e-3)
        # the deeper the shadow, the more of its colour
        return np.asarray(left * (tint / float(np.dot(LUMINANCE, tint))) ** (density / 100))


def thrown_onto_ground(angle: float, length: float, rise: float, start: float) -> PlaneMap:
    """Places of a thing to where they fall on the ground that it stands on.

    Each point falls as far from where it stands as it is high, by the direction of the light.

    Parameters
    ----------
    angle
        Where the shadow falls, degrees clockwise from level.
    length
        Of the shadow, as a share of the thing's height.
    rise, start
        The line on which the thing stands: how far it falls down the picture for each pixel to the right, and its y
        at the picture's left edge.
    """
    along, down = length * math.cos(math.radians(angle)), length * math.sin(math.radians(angle))
    off = down - rise * along
    down = rise * along + math.copysign(max(abs(off), _ALONG), off or 1)
    # a point `high` above the ground line falls (along, down) × high from where it stands
    return np.array(
        [
            [1 + along * rise, -along, along * start],
            [(1 + down) * rise, -down, (1 + down) * start],
            [0, 0, 1],
        ],
        np.float64,
    )


#: How its two parts and the narrow one are set by hand.
SHADOW_RULERS = (
    Ruler("soft_density", "%", name="soft"),
    Ruler("soft_blur", "px", name="its blur", scale="logarithmic", low=1, high=400),
    Ruler("hard_density", "%", name="hard"),
    Ruler("hard_blur", "px", name="hard's blur", scale="logarithmic", low=0.5, high=200),
    Ruler("contact", "%", name="contact"),
    Ruler("contact_blur", "px", name="contact's blur", scale="logarithmic", low=0.5, high=100),
)
#: How the way that it falls is set.
FALL_RULERS = (Ruler("angle", "°", name="falls"), Ruler("length", step=0.05))
