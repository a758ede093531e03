"""Growing a hole shut with texture from its surroundings.

Patch-based synthesis over scales: every patch that touches the hole looks for its most similar patch outside
(`search.py`), and the hole's pixels become what their patches found say (`voting.py`), in turns, from coarse to fine
(Wexler, Shechtman, Irani 2007, doi:10.1109/TPAMI.2007.60; Newson et al. 2014, doi:10.1137/140954933). The coarsest
scale is one where the hole is all but gone, so that what lies where is settled by all that is around; but what lies at
its rim has to be found elsewhere on it. What tells a rough ground from a smooth one of its colour is grown along with
the colour (`texture.py`). Means of patches are in the right place but soft: on the finest scale patches are looked for
that are as rough as their surroundings (`roughness.py`), their pixels are copied rather than averaged, the pieces
joined (`joins.py`), and blotches that come with them evened out (`evening.py`).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.clean.evening import evened, evened_by_rim
from fern_ticket.core.clean.joins import join
from fern_ticket.core.clean.membrane import push_pull
from fern_ticket.core.clean.roughness import ALIKE, Pressure, Roughness, alike_around
from fern_ticket.core.clean.scales import Scale
from fern_ticket.core.clean.search import (
    PLANES,
    SIDE,
    Bits,
    Field,
    Grid,
    Penalties,
    in_steps,
    least_differences,
    measure,
    no_penalties,
    places_of,
    search,
    targets_of,
    upsample,
    usable_middles,
    wear,
)
from fern_ticket.core.clean.texture import texture_of
from fern_ticket.core.clean.voting import copy_led, copy_nearest, vote
from fern_ticket.core.pictures.pyramid import at_full_size, at_level
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.pictures.values import depth_within

#: No scale has a side shorter than this.
_LEAST_SIDE = 20
#: Turns of searching and voting on the coarsest and on the finest scale, and turns of looking for texture.
_TURNS_COARSE, _TURNS_FINE, _TURNS_OF_TEXTURE = 24, 1, 4
#: Of the latter on the finest scale for a hole of more pixels than this: it goes on from what a coarser one found.
_TURNS_OF_LAST_TEXTURE, LARGE = 2, 60_000
#: Scales, from the finest, on which texture is looked for; all of them where the ground is so much alike all around,
#: for then nothing else can be taken for it.
_TEXTURED = 2
#: Sweeps of a turn: where nothing was found before, and where a coarser scale found something.
_SWEEPS_FIRST, _SWEEPS = 4, 2
#: Patches are looked for on scales whose hole has at most so many pixels; finer ones follow.
_SEARCHED = 80_000
#: How slowly a match counts less the worse it is, in middling differences.
_SHARP = 1.6
#: How fast patches deep in the hole are trusted less, for each pixel from the rim.
_DISTRUST = 1.0
#: What was there weighs so much more than what is grown when patches are compared: what meets the rim runs on.
_SEEN = np.int16(16)
#: A coarser pixel is of the hole when more than this share of it is: narrow holes are bridged on coarse scales.
_HOLE_SHARE = 0.75
#: How much worse what lies at the rim may be found again on a scale than on the next finer one, and what is found well
#: enough; larger holes need not be asked; pixels of a patch at the rim that are known, of 49.
_LOST, _FITTING, _LARGE_ENOUGH, _TOLD = 1.7, 0.866, 6_000, 14
#: Patches at the rim that are looked for again, and among how many.
_TARGETS, _SOURCES = 80, 2_000
#: Random places are tried as far off as the picture at first, then as this share of it, and at least so many pixels.
_NEARER, _NEAREST = 8, 8
#: Share of all work that a scale takes of what the next finer one does.
_COARSER_COST = 0.33
#: Numbers between the seeds of two scales' turns, and of two turns.
_SEED_OF_SCALE, _SEED_OF_TURN = 7919, 31


class Unfillable(ValueError):
    """Nothing outside the hole is whole enough to copy from."""


@dataclass
class _Found:
    """The nearest-neighbour field of a scale in the making.

    Attributes
    ----------
    field, cost
        What each patch was found most like, and by how much it differs.
    targets, middles
        Patches that touch the hole, and where patches may be copied from.
    """

    field: Field
    cost: Grid
    targets: NDArray[np.int32]
    middles: Bits

    @property
    def costs(self) -> Grid:
        return self.cost[self.targets[:, 0], self.targets[:, 1]]


def synthesise(
    values: Grid,
    hole: Bits,
    usable: Bits,
    seen: Bits,
    seed: int,
    carry_on: Callable[[float], None] = lambda _: None,
    start: Grid | None = None,
    show: Callable[[Grid], None] = lambda _: None,
    marks: Grid | None = None,
) -> Grid:
    """Fill `hole` with texture from the rest.

    Parameters
    ----------
    values
        Encoded values 0-255, shape (rows, columns, 3), float32. Those in the hole are not read.
    hole
        Pixels to fill, shape (rows, columns).
    usable
        Pixels that may be copied from.
    seen
        Pixels outside the hole that the filling has to fit to. Pixels that are neither seen nor in the hole do not
        exist, such as what lies across a fence.
    seed
        Another one gives another take.
    carry_on
        Told the share done, 0-1; may raise to stop.
    start
        A first filling, shape of `values`, whose structure is right: only its texture is grown, from near by.
    show
        Told what there is of the filling so far, ever finer: values of the rectangle around the hole.
    marks
        Added to values when patches are compared, within 128 of 0; shape of `values`.

    Returns
    -------
    Copy of `values` with the hole filled.

    Raises
    ------
    Unfillable
        No whole patch is usable.

    Examples
    --------
    >>> ground = np.tile(np.float32([[90, 110], [110, 90]]), (20, 20))[..., None].repeat(3, axis=2)
    >>> hole = np.zeros((40, 40), bool)
    >>> hole[16:22, 16:22] = True
    >>> grown = synthesise(ground, hole, ~hole, ~hole, seed=1)
    >>> float(np.abs(grown - ground).max()) < 1
    True
    """
    own, known = np.array(values, np.float32, order="C"), seen & ~hole
    finest = Scale(own, hole, usable & ~hole, known, texture_of(own, known), marks=marks)
    if not usable_middles(finest.usable).any():
        raise Unfillable
    scales = _pyramid(finest) if start is None else [finest]
    searched = _searched(scales)
    least = searched[0]
    alike = alike_around(least.values, least.hole, usable_middles(least.usable), SIDE)
    textured = len(searched) if alike >= ALIKE else _TEXTURED
    _begin(scales[-1], start)
    coarser: tuple[Scale, Field] | None = None
    for scale in reversed(searched):
        depth = scale.number - least.number
        turns = _turns(depth, len(searched))
        told = _progress(carry_on, depth, turns + (_TURNS_OF_TEXTURE if depth < textured else 0))
        growing = _Growing(
            scale, usable_middles(scale.usable), coarser, seed + scale.number, told, far=coarser is None or depth > 0
        )
        for _ in range(turns):
            growing.turn()
        if start is None:
            scale.values[:] = evened_by_rim(scale.values, scale.hole, scale.seen)
        if depth < textured:
            growing.roughen(alike)
        coarser = scale, growing.found.field
        if scale is not finest:
            show(_so_far(values, hole, scale))
    if coarser is not None and coarser[0] is not finest:
        _led(finest, *coarser)
    return finest.values


def _so_far(values: Grid, hole: Bits, scale: Scale) -> Grid:
    """What a coarse scale shows of the rectangle around the hole, at full size."""
    left, top, width, height = cv2.boundingRect(hole.astype(np.uint8))
    first = (left >> scale.number, top >> scale.number)
    last = (left + width >> scale.number) + 1, (top + height >> scale.number) + 1
    near = np.s_[first[1] : last[1], first[0] : last[0]]
    # of pixels at the rim some are neither quite hole nor quite known: they hold no colour
    small = push_pull(scale.values[near], (scale.hole | scale.seen)[near])
    size = (small.shape[1] << scale.number, small.shape[0] << scale.number)
    large = cv2.resize(small, size, interpolation=cv2.INTER_LINEAR)
    left_over, over = left - (first[0] << scale.number), top - (first[1] << scale.number)
    part = np.s_[top : top + height, left : left + width]
    within = large[over : over + height, left_over : left_over + width]
    return np.where(hole[part][..., None], within, values[part])


def _pyramid(finest: Scale) -> list[Scale]:
    """From fine to coarse, each half the one before, as long as there is a hole."""
    out = [finest]
    while min(out[-1].hole.shape) >= 2 * _LEAST_SIDE:
        coarser = out[-1].halved(_HOLE_SHARE)
        if not coarser.hole.any() or not usable_middles(coarser.usable).any():
            break
        out.append(coarser)
    fit = _misfit(out[-1])
    while len(out) > 1 and fit is not None:
        finer = _misfit(out[-2])
        if finer is None or fit <= _LOST * max(finer, _FITTING):
            break
        out.pop()
        fit = finer
    return out


def _misfit(scale: Scale) -> float | None:
    """How far what lies at the rim is from the most like of what may be copied, root mean square; None for a large
    hole, and where nothing at the rim tells.

    On a copy that is too small hardly a whole patch is usable, and the hole would be filled with whatever thing is.
    """
    if int(scale.hole.sum()) > _LARGE_ENOUGH:
        return None
    there = scale.seen & ~scale.hole
    known = cv2.boxFilter(there.astype(np.float32), -1, (SIDE, SIDE), normalize=False, borderType=cv2.BORDER_CONSTANT)
    targets, sources = targets_of(scale.hole), places_of(usable_middles(scale.usable))
    targets = targets[known[targets[:, 0], targets[:, 1]] >= _TOLD]
    chosen = np.random.default_rng(0)
    targets, sources = (
        one if len(one) <= most else one[chosen.choice(len(one), most, replace=False)]
        for one, most in ((targets, _TARGETS), (sources, _SOURCES))
    )
    if not len(targets):
        return None
    weight = np.repeat(there.astype(np.int16), PLANES, axis=1)
    least = least_differences(in_steps(scale.compared()), weight, targets, sources)
    return float(np.sqrt((least / (PLANES * known[targets[:, 0], targets[:, 1]])).mean()))


def _searched(scales: list[Scale]) -> list[Scale]:
    """Those on which patches are looked for: on finer ones the hole is so large that they follow what was found.

    A hole with spurs that a small copy does not show is searched on a finer one.
    """
    least = next((n for n, scale in enumerate(scales) if int(scale.hole.sum()) <= _SEARCHED), len(scales) - 1)
    while least and not _leads(scales[least], scales[0].hole):
        least -= 1
    return scales[least:]


def _leads(scale: Scale, hole: Bits) -> bool:
    """Whether a patch of the scale touches every pixel of the finest scale's hole, but at the picture's edge."""
    side = 1 << scale.number
    touching = cv2.dilate(scale.hole.astype(np.uint8), np.ones((SIDE, SIDE), np.uint8))
    large = np.repeat(np.repeat(touching, side, axis=0), side, axis=1)[: hole.shape[0], : hole.shape[1]]
    return not bool((hole & (large == 0)).any())


def _led(finest: Scale, coarser: Scale, field: Field) -> None:
    """Copy what the coarser scale found, whole pixels of the finest; join the pieces, and even them out."""
    origin = copy_led(finest.values, finest.hole, field, coarser.number)
    join(finest.values, finest.hole, finest.seen, finest.usable, origin)
    rows, columns, off = _off_evened(finest, coarser)
    finest.values[rows, columns] += np.where(finest.hole[rows, columns, None], off, np.float32(0))


def _off_evened(finest: Scale, coarser: Scale) -> tuple[slice, slice, Grid]:
    """By how much the finest scale is off what is even, told on a coarser one that is: rows and columns of the finest
    around its hole, and the values there."""
    number, (rows, columns) = coarser.number, finest.hole.shape
    left, top, width, height = cv2.boundingRect(finest.hole.astype(np.uint8))
    # whole pixels of the coarser scale, and those beside them that lead from one to the next
    hole = Box(left, top, left + width, top + height)
    near = at_level(hole, number).grown(2).within(Box(0, 0, coarser.hole.shape[1], coarser.hole.shape[0]))
    here = at_full_size(near, number)
    there = here.within(Box(0, 0, columns, rows))
    beyond = (here.bottom - there.bottom, here.right - there.right)
    own = cv2.copyMakeBorder(finest.values[there.rows, there.columns], 0, beyond[0], 0, beyond[1], cv2.BORDER_REPLICATE)
    small = coarser.values.copy()
    part = small[near.rows, near.columns]
    less = np.asarray(cv2.resize(own, (near.width, near.height), interpolation=cv2.INTER_AREA), np.float32)
    np.copyto(part, less, where=coarser.hole[near.rows, near.columns, None])
    off = (evened(small, coarser.values, coarser.hole, coarser.seen) - small)[near.rows, near.columns]
    wide = np.asarray(cv2.resize(off, (here.width, here.height), interpolation=cv2.INTER_LINEAR), np.float32)
    return there.rows, there.columns, wide[: there.height, : there.width]


def _begin(scale: Scale, start: Grid | None) -> None:
    """Lay a first filling into the hole: what is given, or the means of what is known at every scale."""
    known = scale.seen & ~scale.hole
    known = known if known.any() else ~scale.hole
    first = push_pull(scale.values, known) if start is None else start
    scale.values[scale.hole] = first[scale.hole]
    scale.texture[scale.hole] = push_pull(scale.texture[..., None], known)[scale.hole, 0]


def _turns(depth: int, scales: int) -> int:
    return _TURNS_FINE + round((_TURNS_COARSE - _TURNS_FINE) * depth / max(1, scales - 1))


def _progress(carry_on: Callable[[float], None], depth: int, turns: int) -> Callable[[float], None]:
    """Tells the share of all that is done from how many turns of a scale are."""
    own = _COARSER_COST**depth
    return lambda turn: carry_on((turn / turns * (1 - _COARSER_COST) + _COARSER_COST) * own)


class _Growing:
    """The hole of one scale, filled in place in turns of searching and voting.

    Begun from the coarser scale with its field, or from the values that the hole holds.
    """

    def __init__(
        self,
        scale: Scale,
        middles: Bits,
        coarser: tuple[Scale, Field] | None,
        seed: int,
        carry_on: Callable[[float], None],
        *,
        far: bool,
    ) -> None:
        self._scale, self._seed, self._carry_on = scale, seed, carry_on
        self.found = _guessed(scale, middles, seed)
        if coarser is not None:
            _from_coarser(scale, self.found, *coarser)
        self._first = coarser is None
        #: Whether texture is looked for everywhere; the finest scale goes on from what a coarser one found.
        self._far = far
        self._trust = _trust(scale.hole)
        self._weight = np.repeat(scale.hole.astype(np.int16) + _SEEN * scale.seen.astype(np.int16), PLANES, axis=1)
        self._steps = in_steps(scale.compared())
        left, top, width, height = cv2.boundingRect(scale.hole.astype(np.uint8))
        self._changing = np.s_[top : top + height, left : left + width]
        self._number = 0

    def turn(self) -> None:
        """What is most like what the hole shows is found; then it shows the mean of that."""
        scale, found = self._scale, self.found
        self._search(no_penalties(found.cost.shape), everywhere=self._first)
        sharp = np.float32(_SHARP * self._middling())
        vote(scale.flat, scale.texture, found.field, found.cost, self._trust, found.targets, scale.hole, sharp)

    def roughen(self, alike: float) -> None:
        """The mean gives way to pixels: patches like it that are as rough as the surroundings, copied and joined."""
        scale, found = self._scale, self.found
        if alike >= ALIKE:
            # how rough it should be is known then, and the means' texture would make all of it alike
            self._weight[:, PLANES - 1 :: PLANES] = 0
        pressure = Pressure()
        roughness = Roughness.around(scale.values, scale.hole, found.middles, SIDE, alike)
        inside = found.targets[scale.hole[found.targets[:, 0], found.targets[:, 1]]]
        count = int(found.middles.sum())
        large = not self._far and int(scale.hole.sum()) > LARGE
        for _ in range(_TURNS_OF_LAST_TEXTURE if large else _TURNS_OF_TEXTURE):
            pressure.turn(roughness.found(inside, found.field[inside[:, 0], inside[:, 1]]))
            middling = self._middling()
            worn = wear(found.field, found.targets, count, scale.hole.shape, middling)
            dues = roughness.dues(pressure.gain)
            self._search(Penalties(np.stack([worn, roughness.rough], axis=-1), dues), everywhere=self._far)
        mean = scale.values.copy()
        origin = copy_nearest(scale.values, scale.hole, found.field)
        join(scale.values, scale.hole, scale.seen, scale.usable, origin)
        scale.values[:] = evened(scale.values, mean, scale.hole, scale.seen)

    def _middling(self) -> float:
        return float(np.percentile(self.found.costs, 75)) + 1e-3

    def _search(self, penalties: Penalties, *, everywhere: bool) -> None:
        """One turn's sweeps, forward and backward by turns."""
        found, longest = self.found, max(self._scale.hole.shape)
        reach = longest if everywhere else max(_NEAREST, longest // _NEARER)
        steps = self._steps
        rows, columns = self._changing
        changing = np.s_[rows, PLANES * columns.start : PLANES * columns.stop]
        steps[changing] = in_steps(self._scale.compared(self._changing))
        measure(steps, self._weight, found.field, found.cost, penalties, found.targets)
        for sweep in range(_SWEEPS_FIRST if everywhere else _SWEEPS):
            self._carry_on(self._number + sweep / _SWEEPS_FIRST)
            seed = self._seed * _SEED_OF_SCALE + _SEED_OF_TURN * self._number + sweep
            search(
                steps,
                self._weight,
                found.field,
                found.cost,
                found.middles,
                penalties,
                found.targets,
                sweep % 2,
                reach,
                seed,
            )
        self._number += 1


def _guessed(scale: Scale, middles: Bits, seed: int) -> _Found:
    """Every patch that touches the hole, each like a patch taken at random."""
    sources = places_of(middles)
    targets = targets_of(scale.hole)
    field = np.zeros((*scale.hole.shape, 2), np.int32)
    field[targets[:, 0], targets[:, 1]] = sources[np.random.default_rng(seed).integers(0, len(sources), len(targets))]
    return _Found(field, np.full(scale.hole.shape, np.inf, np.float32), targets, middles)


def _trust(hole: Bits) -> Grid:
    """How far each patch is believed: less, the deeper in the hole."""
    return np.asarray(1 / np.square(1 + np.float32(_DISTRUST) * depth_within(hole)), np.float32)


def _from_coarser(scale: Scale, found: _Found, coarser: Scale, field: Field) -> None:
    """Begin with what the coarser scale shows; where it found patches, with the mean of what they say here."""
    size = (2 * coarser.hole.shape[1], 2 * coarser.hole.shape[0])
    rows, columns = scale.hole.shape
    for own, its in ((scale.values, coarser.values), (scale.texture, coarser.texture)):
        large = cv2.resize(its, size, interpolation=cv2.INTER_LINEAR)[:rows, :columns]
        own[scale.hole] = large[scale.hole]
    led = upsample(field, found.targets, found.middles, found.field)
    found.cost[found.targets[:, 0], found.targets[:, 1]] = 1
    alike = np.ones_like(found.cost)
    vote(scale.flat, scale.texture, found.field, found.cost, alike, found.targets[led], scale.hole, np.float32(1e12))
