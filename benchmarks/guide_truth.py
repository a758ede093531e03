"""Regrow along guides: where two rough grounds meet behind a hole, with guides, with those that are found, and without.

Grounds are scikit-image's textures in colours of their own; their edges slope, and are crisp or soft. A third of the
scenes is kept out of tuning and told apart.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import permutations
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from skimage import data

from benchmarks.figures import Figure
from benchmarks.garage import Garage
from fern_ticket.core.clean.guide_finding import guides_through
from fern_ticket.core.clean.limits import Limits
from fern_ticket.core.clean.regrow import Regrow, repair
from fern_ticket.core.clean.repair import Ground
from fern_ticket.core.ledger.masks import OutlineMask
from fern_ticket.core.pictures.regions import Box
from tests.quality import layout_error

Pixels = NDArray[np.uint8]
Line = tuple[tuple[float, float], ...]

_SIZE, _BOX = (520, 360), (210, 120, 320, 240)
_TINTS = {"gravel": (1.1, 0.95, 0.8), "grass": (0.7, 0.9, 0.65), "brick": (1.0, 0.75, 0.65)}
#: Scenes of a vehicle before a garage.
_GARAGES = 9
#: How far a hand draws beside the edge, source pixels.
_BESIDE = 4.0


@dataclass(frozen=True)
class Scene:
    """One ground above another, and the slope and softness of the edge between them."""

    above: str
    below: str
    slope: float
    soft: float
    held_out: bool

    def edge(self, x: float) -> float:
        left, top, right, bottom = _BOX
        return (top + bottom) / 2 + self.slope * (x - (left + right) / 2)

    @property
    def line(self) -> Line:
        return tuple((x, self.edge(x) + _BESIDE) for x in (_BOX[0] - 25.0, _BOX[2] + 25.0))

    @property
    def truth(self) -> Pixels:
        columns, rows = _SIZE
        y, x = np.mgrid[0:rows, 0:columns] + 0.5
        share = cv2.GaussianBlur((y > self.edge(x)).astype(np.float32), (0, 0), self.soft)[..., None]
        mixed = (1 - share) * _tile(self.above) + share * _tile(self.below)
        return np.clip(mixed + np.random.default_rng(5).normal(0, 2, mixed.shape), 0, 255).astype(np.uint8)


def scenes() -> list[Scene]:
    pairs = list(permutations(_TINTS, 2))
    return [
        Scene(above, below, slope, soft, number % 3 == 2)
        for number, (above, below) in enumerate(pairs)
        for slope, soft in ((0.12, 0.7), (-0.3, 2.0))
    ]


def _tile(name: str) -> NDArray[np.float32]:
    grey = cv2.resize(getattr(data, name)(), _SIZE, interpolation=cv2.INTER_AREA).astype(np.float32)
    return grey[..., None] * np.float32(_TINTS[name])


def run(_: Path) -> Iterator[Figure]:
    for held_out in (False, True):
        some = [scene for scene in scenes() if scene.held_out == held_out]
        said = "held out" if held_out else "tuned"
        for take, kind in ((0, "patch by patch"), (1, "whole pieces")):
            plain, led, off = np.mean([_tried(scene, take) for scene in some], axis=0).tolist()
            name = f"guides, {kind}, {len(some)} scenes, {said}"
            yield Figure(f"{name}: layout error", round(led, 2), "", f"without: {plain:.2f}", round(plain, 2))
            yield Figure(f"{name}: edge off its line, mean", round(off, 2), "px", "", 2.0)
        found = [_offered(scene) for scene in some]
        beside = [one for one in found if one is not None]
        yield Figure(f"edges not offered, {said}", round(1 - len(beside) / len(some), 2), "", "", 0.1)
        yield Figure(f"offered edges off theirs, {said}", round(float(np.mean(beside)), 2), "px", "", 4.0)
    yield from _garages()


def _garages() -> Iterator[Figure]:
    """A vehicle before a garage, regrown without guides and with two."""
    for take, kind in ((0, "patch by patch"), (1, "whole pieces")):
        errors = []
        for number in range(_GARAGES):
            scene = Garage(number)
            made = [_grown(scene.hidden, scene.place, take, guides) for guides in ((), scene.guides)]
            errors.append([layout_error(one, scene.truth, scene.hole) for one in made])
        (plain, led), means = np.max(errors, axis=0).tolist(), np.mean(errors, axis=0).round(2).tolist()
        name = f"a vehicle before a garage, {kind}, {_GARAGES} scenes: layout error of the worst"
        yield Figure(f"{name}, two guides", round(led, 2), "", f"mean {means[1]}", 6.0)
        yield Figure(f"{name}, no guide", round(plain, 2), "", f"mean {means[0]}", 10.0)


def _place() -> OutlineMask:
    left, top, right, bottom = _BOX
    return OutlineMask(kind="outline", points=[(left, top), (right, top), (right, bottom), (left, bottom)])


def _hidden(truth: Pixels) -> Pixels:
    left, top, right, bottom = _BOX
    out = truth.copy()
    out[top + 2 : bottom - 2, left + 2 : right - 2] = (180, 30, 40)
    return out


def _ground(pixels: Pixels, guides: tuple[Line, ...] = ()) -> Ground:
    def read(box: Box) -> Pixels:
        return pixels[box.rows, box.columns]

    return Ground((pixels.shape[1], pixels.shape[0]), read, read, Limits(guides=guides))


def _tried(scene: Scene, take: int) -> tuple[float, float, float]:
    """Layout error without and with a guide, and how far the edge with it is off on average."""
    truth, place = scene.truth, _place()
    hole = np.zeros(truth.shape[:2], np.bool_)
    left, top, right, bottom = _BOX
    hole[top:bottom, left:right] = True
    made = [_grown(_hidden(truth), place, take, guides) for guides in ((), (scene.line,))]
    plain, led = (layout_error(one, truth, hole) for one in made)
    return plain, led, _off(made[1], scene)


def _grown(pixels: Pixels, place: OutlineMask, take: int, guides: tuple[Line, ...]) -> Pixels:
    patch = repair(Regrow(take=take), place, _ground(pixels, guides))
    out = pixels.copy()
    patch.lay_on(out[patch.box.rows, patch.box.columns], patch.box, 1.0)
    return out


def _off(pixels: Pixels, scene: Scene) -> float:
    """Mean distance of the edge from its line, by the row where one ground's colour gives way to the other's."""
    one, other = (np.float32(_TINTS[name]) for name in (scene.above, scene.below))
    way = one / one.sum() - other / other.sum()
    values = pixels.astype(np.float32)
    share = cv2.GaussianBlur((values / (values.sum(axis=2, keepdims=True) + 1e-6)) @ way, (9, 1), 4)
    middle = (one / one.sum() + other / other.sum()) / 2 @ way
    found = []
    for x in range(_BOX[0] + 8, _BOX[2] - 8, 6):
        rows = np.arange(round(scene.edge(x)) - 25, round(scene.edge(x)) + 25)
        # where most of what lies above is of the one ground, and most of what lies below of the other
        above = np.cumsum(np.where(share[rows, x] > middle, 1, -1))
        found.append(abs(rows[int(np.argmax(above))] + 1 - scene.edge(x + 0.5)))
    return float(np.mean(found))


def _offered(scene: Scene) -> float | None:
    """How far the guide that is found first lies off the edge; None where none is found."""
    lines = guides_through(_place(), _ground(_hidden(scene.truth)))
    off = [float(np.mean([abs(y - scene.edge(x)) for x, y in line[1:3]])) for line in lines]
    return min(off) if off else None
