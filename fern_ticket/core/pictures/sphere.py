"""The sphere around a camera, and the flat panorama that shows it.

Directions are (right, down, ahead); ahead is the panorama's middle. The flat picture is equirectangular: a degree is as
long everywhere, along a row and down a column (Snyder 1987, USGS Professional Paper 1395, p. 90, with the equator as
standard parallel). Coordinates have pixel corners at whole numbers.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.kernels import fast_kernel
from fern_ticket.core.pictures.plane import PlaneMap, rotation, scaling, translation

Coordinates = NDArray[np.float64]
#: Turns directions: shape (3, 3), orthonormal.
Turn = NDArray[np.float64]


@dataclass(frozen=True)
class Sphere:
    """What of a whole flat panorama a picture shows.

    Attributes
    ----------
    width, height
        Of the whole panorama, pixels of the picture; parts of them where that is a smaller level.
    left, top
        Where in it the picture's upper left corner lies.
    """

    width: float
    height: float
    left: float = 0.0
    top: float = 0.0

    @staticmethod
    def whole(size: tuple[int, int]) -> Sphere:
        """A picture that shows all of it."""
        return Sphere(*size)

    @property
    def size(self) -> tuple[int, int]:
        """Width and height of the whole panorama, whole pixels."""
        return round(self.width), round(self.height)

    def at_level(self, level: int) -> Sphere:
        """The same of a smaller level of the picture."""
        width, height, left, top = (edge / 2.0**level for edge in (self.width, self.height, self.left, self.top))
        return Sphere(width, height, left, top)

    def all_round(self, width: float) -> bool:
        """Whether a picture of that width closes: its left edge meets its right one."""
        return width >= self.width

    @property
    def poles(self) -> tuple[float, float]:
        """The picture's rows in which the zenith and the nadir lie."""
        return -self.top, self.height - self.top

    def of_direction(self, right: Coordinates, down: Coordinates, ahead: Coordinates) -> Coordinates:
        """The picture's coordinates of directions of any length, shape (2, ...); x may lie a turn beside it."""
        across = np.arctan2(right, ahead) / (2 * np.pi) + 0.5
        below = 0.5 + np.arctan2(down, np.hypot(right, ahead)) / np.pi
        return np.stack([across * self.width - self.left, below * self.height - self.top])

    def direction(self, x: Coordinates, y: Coordinates) -> Coordinates:
        """Directions of length 1 of the picture's coordinates, shape (3, ...)."""
        heading = ((x + self.left) / self.width - 0.5) * 2 * np.pi
        fall = ((y + self.top) / self.height - 0.5) * np.pi
        return np.stack([np.sin(heading) * np.cos(fall), np.sin(fall), np.cos(heading) * np.cos(fall)])


def turned_by(heading: float, pitch: float, roll: float = 0.0) -> Turn:
    """Turns what is ahead of an eye to where the eye looks, degrees.

    Positive headings turn right, positive pitches up, positive rolls lean the eye to the right.

    >>> turned_by(90, 0).round(6).tolist()[0]
    [0.0, 0.0, 1.0]
    """
    leaned, tilted, turned = np.eye(3), np.eye(3), np.eye(3)
    leaned[:2, :2] = rotation(roll)[:2, :2]
    tilted[1:, 1:] = rotation(pitch)[:2, :2]  # a ray ahead goes up, that is to smaller y, by a positive pitch
    turned[np.ix_([0, 2], [0, 2])] = rotation(heading)[:2, :2].T
    return turned @ tilted @ leaned


def angles_of(turn: Turn) -> tuple[float, float, float]:
    """Heading, pitch and roll of a turn, degrees: `turned_by` undone. Straight up or down, the roll is 0.

    >>> [round(angle, 6) for angle in angles_of(turned_by(30, -20, 5))]
    [30.0, -20.0, 5.0]
    """
    ahead = turn[:, 2]
    pitch = math.degrees(math.asin(min(1.0, max(-1.0, -float(ahead[1])))))
    if abs(pitch) > 90 - 1e-6:
        return math.degrees(math.atan2(-turn[2, 0], turn[0, 0])), math.copysign(90.0, pitch), 0.0
    heading = math.degrees(math.atan2(ahead[0], ahead[2]))
    leaned = turned_by(heading, pitch).T @ turn
    return heading, pitch, math.degrees(math.atan2(leaned[1, 0], leaned[0, 0]))


def angles_towards(sphere: Sphere, x: float, y: float) -> tuple[float, float]:
    """Heading and pitch of a place of a picture, degrees."""
    heading = ((x + sphere.left) / sphere.width - 0.5) * 360
    pitch = (0.5 - (y + sphere.top) / sphere.height) * 180
    return (heading + 180) % 360 - 180, max(-90.0, min(90.0, pitch))


def to_ray(field: float, size: tuple[int, int]) -> PlaneMap:
    """A view's pixels to directions from an eye that looks ahead; `field` degrees across the width."""
    focal = size[0] / 2 / math.tan(math.radians(field) / 2)
    return scaling(1 / focal, 1 / focal) @ translation(-size[0] / 2, -size[1] / 2)


def places_seen(
    plane: PlaneMap,
    sphere: Sphere,
    first: tuple[float, float],
    apart: float,
    across: NDArray[np.float32],
    below: NDArray[np.float32],
) -> None:
    """The picture's coordinates of points of a view in a regular grid, right to a hundredth of a pixel.

    Parameters
    ----------
    plane
        The view's pixels to directions.
    first, apart
        The grid's corner, and how far its points, which are the middles of its cells, lie apart.
    across, below
        Filled, shape (rows, columns) each; across from 0 on, once round.
    """
    about = np.array([sphere.width, sphere.height, sphere.left, sphere.top], np.float32)
    begin = np.array([first[0], first[1], apart], np.float32)
    _places_seen(plane.astype(np.float32), about, begin, across, below)


@fast_kernel
def _places_seen(
    plane: NDArray[np.float32],
    about: NDArray[np.float32],
    begin: NDArray[np.float32],
    across: NDArray[np.float32],
    below: NDArray[np.float32],
) -> None:
    """Picture coordinates of a view's pixels. Arctangents by a polynomial, right to a millionth of a turn."""
    half_turn = np.float32(np.pi)
    per_turn, per_half = about[0] / np.float32(2 * np.pi), about[1] / half_turn
    for row in range(across.shape[0]):
        y = begin[1] + begin[2] * np.float32(row + 0.5)
        for column in range(across.shape[1]):
            x = begin[0] + begin[2] * np.float32(column + 0.5)
            right = plane[0, 0] * x + plane[0, 1] * y + plane[0, 2]
            down = plane[1, 0] * x + plane[1, 1] * y + plane[1, 2]
            ahead = plane[2, 0] * x + plane[2, 1] * y + plane[2, 2]
            level = np.sqrt(right * right + ahead * ahead)
            heading = _arctangent(right, ahead)
            fall = _arctangent(down, level)
            place = (heading + half_turn) * per_turn - about[2]
            across[row, column] = place
            below[row, column] = (fall + np.float32(0.5) * half_turn) * per_half - about[3]


@fast_kernel
def _arctangent(y: np.float32, x: np.float32) -> np.float32:
    """The angle of (x, y) by a minimax polynomial of the eleventh degree (Hastings 1955), without branches."""
    a, b = abs(x), abs(y)
    low, high = min(a, b), max(max(a, b), np.float32(1e-30))
    t = low / high
    s = t * t
    p = np.float32(-0.01172120)
    p = p * s + np.float32(0.05265332)
    p = p * s - np.float32(0.11643287)
    p = p * s + np.float32(0.19354346)
    p = p * s - np.float32(0.33262347)
    p = p * s + np.float32(0.99997726)
    angle = p * t
    angle = np.float32(np.pi / 2) - angle if b > a else angle
    angle = np.float32(np.pi) - angle if x < 0 else angle
    return -angle if y < 0 else angle
