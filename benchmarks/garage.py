"""A vehicle before a garage: a panelled door in a brick wall, paving in perspective, a kerb, lawn or road before it.

What stands before all that is a place to be regrown; what is behind it is known. Brick, gravel and grass are
scikit-image's, in colours of their own.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray
from skimage import data

from fern_ticket.core.ledger.masks import OutlineMask

Pixels = NDArray[np.uint8]
Values = NDArray[np.float32]
Line = tuple[tuple[float, float], ...]

SIZE = (1200, 840)
_WALLS = ((1.0, 0.72, 0.6), (0.9, 0.85, 0.75), (1.1, 0.95, 0.8))
_DOORS = ((168, 176, 180), (96, 120, 104), (188, 180, 160))
#: A vehicle from the side, about the middle of its foot: shares of its length and height.
_BODY = (
    (-0.49, -0.35), (-0.47, -0.58), (-0.40, -0.70), (-0.21, -0.75), (-0.12, -0.98), (0.15, -1.0), (0.30, -0.76),
    (0.45, -0.71), (0.50, -0.56), (0.49, -0.36), (0.47, -0.18), (0.32, 0.0), (-0.36, 0.0), (-0.47, -0.15),
)  # fmt: skip
#: How far a hand draws beside an edge, source pixels.
_BESIDE = 3.0


@dataclass(frozen=True)
class Garage:
    """One of the scenes, by its number: everything in it is drawn by lot from that."""

    number: int

    @cached_property
    def _lot(self) -> dict[str, float]:
        random = np.random.default_rng(100 + self.number)
        ends = {
            "foot": (450, 490), "slope": (-0.04, 0.04), "kerb": (640, 680), "turn": (-0.03, 0.05), "brick": (0.35, 0.6),
            "left": (240, 360), "right": (820, 940), "top": (70, 120), "middle": (440, 720), "length": (480, 620),
            "height": (260, 400),
        }  # fmt: skip
        return {name: float(random.uniform(*between)) for name, between in ends.items()}

    def _foot(self, x: Values | float) -> Values | float:
        """Where the wall meets the paving."""
        return self._lot["foot"] + self._lot["slope"] * (x - SIZE[0] / 2)

    def _kerb(self, x: Values | float) -> Values | float:
        return self._lot["kerb"] + (self._lot["slope"] + self._lot["turn"]) * (x - SIZE[0] / 2)

    @cached_property
    def place(self) -> OutlineMask:
        """What the vehicle hides."""
        way = 1 if self.number % 2 else -1
        lot, stands = self._lot, self._lot["kerb"] + 5
        body = [(lot["middle"] + way * lot["length"] * x, stands + lot["height"] * y) for x, y in _BODY]
        return OutlineMask(points=body)

    @cached_property
    def hole(self) -> NDArray[np.bool_]:
        drawn = np.zeros(SIZE[::-1], np.uint8)
        cv2.fillPoly(drawn, [np.round(self.place.points).astype(np.int32)], 1)
        return drawn > 0

    @cached_property
    def guides(self) -> tuple[Line, Line]:
        """Along the wall's foot and along the kerb, as a hand draws them."""
        ends = [pick(x for x, _ in self.place.points) + aside for pick, aside in ((min, -40.0), (max, 40.0))]
        foot, kerb = (tuple((x, float(edge(x)) + _BESIDE) for x in ends) for edge in (self._foot, self._kerb))
        return foot, kerb

    @cached_property
    def truth(self) -> Pixels:
        random, (columns, rows) = np.random.default_rng(self.number), SIZE
        y, x = (np.asarray(one, np.float32) for one in np.mgrid[0:rows, 0:columns] + 0.5)
        below, beyond = y - self._foot(x), y - self._kerb(x)
        shade = np.where(below > 0, 1 - 0.25 * np.exp(-below / 25), 1 - 0.35 * np.exp(below / 14))
        seen = np.where((below > 0)[..., None], self._paving(x, y), self._front(x, y)) * shade[..., None]
        for start, ground in ((0, (190, 188, 182)), (16, (120, 118, 112)), (30, self._before())):
            seen = np.where((beyond > start)[..., None], np.float32(ground), seen)
        seen = cv2.GaussianBlur(np.asarray(seen, np.float32), (0, 0), 0.8)
        grain = cv2.GaussianBlur(random.normal(0, 4, seen.shape), (0, 0), 0.6)
        return np.clip(seen + grain, 0, 255).astype(np.uint8)

    @cached_property
    def hidden(self) -> Pixels:
        """With the vehicle before it, somewhat smaller than what is painted over it."""
        out = self.truth.copy()
        out[cv2.erode(self.hole.astype(np.uint8), np.ones((5, 5))) > 0] = (150, 30, 35)
        return out

    def _front(self, x: Values, y: Values) -> Values:
        """The wall with its door."""
        lot, kind = self._lot, self.number % len(_WALLS)
        wall = _tile(data.brick().T, lot["brick"], self.number)[..., None] * np.float32(_WALLS[kind])
        across = (x - lot["left"]) / (lot["right"] - lot["left"])
        down = (y - lot["top"]) / (self._foot(x) - lot["top"])
        rows, columns = 5, 6 if self.number % 2 else 4
        groove = np.abs(down * rows - np.round(down * rows)) / rows * (lot["foot"] - lot["top"])
        panel = (np.abs(down * rows % 1 - 0.5) < 0.32) & (np.abs(across * columns % 1 - 0.5) < 0.36)
        edge = cv2.morphologyEx(panel.astype(np.uint8), cv2.MORPH_GRADIENT, np.ones((3, 3))) > 0
        shade = np.where(groove < 2.5, 0.62, np.where(groove < 5, 1.12, 1.0)) * (0.94 + 0.1 * down)
        door = np.float32(_DOORS[kind]) * np.where(edge, 0.86 * shade, shade)[..., None]
        wide = lot["right"] - lot["left"]
        framed = (np.abs(across - 0.5) * wide < wide / 2 + 9) & (y > lot["top"] - 9)
        inside = (np.abs(across - 0.5) * wide < wide / 2 - 9) & (y > lot["top"] + 9)
        front = np.where(framed[..., None], np.float32((225, 222, 215)), wall)
        return np.asarray(np.where(inside[..., None], door, front), np.float32)

    def _paving(self, x: Values, y: Values) -> Values:
        """Flags whose joints meet far above."""
        horizon = 260 - 60 * (self.number % 2)
        near = np.maximum(y - horizon, 1) / (SIZE[1] - horizon)
        across, away = (x - SIZE[0] / 2) / near / 190, 6 / near
        beside = np.abs(across - np.round(across)) * 190 * near
        before = np.abs(away - np.round(away)) / 6 * (SIZE[1] - horizon) * near**2
        tone = 120 + 10 * np.sin(np.round(across) * 3.1 + np.round(away) * 5.3)
        flags = np.where((beside < 1.6) | (before < 1.3), 75, tone + 0.35 * _tile(data.gravel(), 0.45, self.number + 7))
        return np.asarray(flags[..., None] * np.float32((1, 0.97, 0.9)), np.float32)

    def _before(self) -> Values:
        """Lawn, or road."""
        if self.number % 2:
            return _tile(data.gravel(), 0.5, self.number + 5)[..., None] * np.float32((0.62, 0.62, 0.66))
        return _tile(data.grass(), 0.7, self.number + 3)[..., None] * np.float32((0.75, 0.95, 0.6))


def _tile(texture: NDArray[np.uint8], scale: float, seed: int) -> Values:
    """A texture from somewhere in it, mirrored on as far as the scene goes."""
    one = cv2.resize(np.asarray(texture, np.float32), None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    one = np.hstack([one, one[:, ::-1]])
    one = np.vstack([one, one[::-1]])
    top, left = np.random.default_rng(seed).integers(0, 200, 2)
    many = np.tile(one, (-(-(SIZE[1] + top) // one.shape[0]), -(-(SIZE[0] + left) // one.shape[1])))
    return np.asarray(many[top : top + SIZE[1], left : left + SIZE[0]], np.float32)
