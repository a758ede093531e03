"""What a mirror in a panorama should show, and where in it the camera and its stand would stand.

A flat mirror shows what lies in the directions that its plane reflects. How near all that is a panorama cannot tell:
it is shown as from far away, larger than in the mirror. The camera itself shows where the plane is met at a right
angle, its stand below that, however far off the mirror hangs.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.inspect.plane_finding import plane_at
from fern_ticket.core.ledger.charts import ViewChart
from fern_ticket.core.pictures.chart import Chart
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.perspective import from_rectangle
from fern_ticket.core.pictures.sphere import Sphere, turned_by

Seen = Callable[[Chart], Pixels]
Direction = NDArray[np.float64]

#: Degrees that a mirror's plane may lean, and be turned from the eye, for lines about it to be those of its wall.
_LEANS, _TURNED = 20.0, 75.0
#: Degrees below the camera that its stand is looked for, and between points of that line.
_BELOW, _STEP = 40, 4
#: Degrees across what a mirror should show: a room's other side is about three times as far off in it.
_FIELD = 80.0


@dataclass(frozen=True)
class Hangs:
    """How a mirror hangs.

    Attributes
    ----------
    heading, pitch
        Degrees; where its plane is met at a right angle.
    told
        Whether lines about it tell that; else it is taken to face the camera.
    """

    heading: float
    pitch: float
    told: bool

    def straight(self, below: float = 0.0) -> Direction:
        """Where its plane is met at a right angle, or so many degrees below that, shape (3,)."""
        return turned_by(self.heading, self.pitch - below) @ (0.0, 0.0, 1.0)


def hangs(seen: Seen, picture: tuple[int, int], sphere: Sphere, place: tuple[float, float]) -> Hangs:
    """How a mirror at a place hangs, by the lines of its wall.

    Parameters
    ----------
    seen
        Gives what a chart shows, sRGB.
    picture
        Width and height of the panorama, pixels.
    place
        Where the mirror is, pixels.
    """
    view = ViewChart.towards(sphere, place)
    chart = view.chart(picture)
    facing = Hangs(view.heading, 0.0, told=False)
    corners = plane_at(np.asarray(seen(chart), np.uint8), view.middle)
    if corners is None:
        return facing
    across, down, _ = (chart.plane @ from_rectangle(np.array(corners), 1, 1)).T
    straight = np.cross(across, down)
    straight /= np.linalg.norm(straight)
    ahead = chart.plane @ (*view.middle, 1.0)
    ahead /= np.linalg.norm(ahead)
    straight *= math.copysign(1.0, float(straight @ ahead))
    pitch = math.degrees(math.asin(-straight[1]))
    if abs(pitch) > _LEANS or math.degrees(math.acos(min(1.0, float(straight @ ahead)))) > _TURNED:
        return facing
    return Hangs(math.degrees(math.atan2(straight[0], straight[2])), pitch, told=True)


def camera_in(mirror: Hangs, sphere: Sphere) -> list[tuple[float, float]]:
    """Where camera and stand would show in it, from the camera downward, pixels of the panorama.

    The line is in one piece: over the seam its x lie beside the panorama.
    """
    ways = np.stack([mirror.straight(below) for below in range(0, _BELOW + 1, _STEP)])
    x, y = sphere.of_direction(*ways.T)
    x = np.unwrap(x, period=sphere.width)
    return [(float(across), float(below)) for across, below in zip(x, y, strict=True)]


def should_show(
    mirror: Hangs, picture: tuple[int, int], sphere: Sphere, place: tuple[float, float], size: tuple[int, int]
) -> Chart:
    """The panorama as a mirror at a place reflects it from far away, left and right exchanged as in any mirror."""
    reflected = np.eye(3) - 2 * np.outer(mirror.straight(), mirror.straight())
    view = ViewChart.towards(sphere, place).model_copy(update={"field": _FIELD, "size": size}).chart(picture)
    return Chart(reflected @ view.plane, size, picture, view.sphere)
