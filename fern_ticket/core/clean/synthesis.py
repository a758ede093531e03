"""Growing a hole shut with texture from its surroundings.

Patch-based synthesis over scales: every patch that touches the hole looks for its most similar patch outside
(`search.py`), and the hole's pixels become what their patches found say (`voting.py`), in turns, from coarse to fine
(Wexler, Shechtman, Irani 2007, doi:10.1109/TPAMI.2007.60; from the rim inward on the coarsest scale as Newson et al.
2014, doi:10.1137/140954933). In the end pixels are copied rather than averaged, and the pieces joined (`joins.py`).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.clean.joins import join
from fern_ticket.core.clean.roughness import Pressure, Roughness, alike_around
from fern_ticket.core.clean.scales import Scale
from fern_ticket.core.clean.search import (
    REACH,
    SIDE,
    Bits,
    Field,
    Grid,
    Penalties,
    Steps,
    in_steps,
    measure,
    search,
    targets_of,
    upsample,
    usable_middles,
    wear,
)
from fern_ticket.core.clean.voting import copy_nearest, take_middle, vote
from fern_ticket.core.pictures.values import deepest

#: The coarsest scale is that at which no pixel of the hole is further from its rim than this: about half a patch.
_DEEPEST = 4.0
#: Turns of searching and voting on the coarsest and on the finest scale (tuned on scikit-image's textures).
_TURNS_COARSE, _TURNS_FINE = 24, 2
#: Sweeps of a turn: where nothing was found before, where a coarser scale found something, and of a ring of the peel.
_SWEEPS_FIRST, _SWEEPS, _SWEEPS_OF_RING = 4, 2, 5
#: Scales from this one on show things rather than texture: there smoothness costs half where the ground is not alike.
_THINGS = 2
#: Matches worse than this share of the middling one hardly count in a mean: the mean of many is soft.
_SHARP = 0.4
#: How fast patches deep in the hole are trusted less, for each pixel from the rim.
_DISTRUST = 0.2
#: What was there weighs so much more than what is grown when patches are compared, so that the rim fits.
_SEEN = np.int16(2)
#: A coarser pixel is of the hole when more than this share of it is.
_HOLE_SHARE = 0.26
#: Random places are tried as far off as the picture at first, then as this share of it, and at least so many pixels.
_NEARER, _NEAREST = 8, 8
#: Share of all work that a scale takes of what the next finer one does.
_COARSER_COST = 0.33
#: Numbers between the seeds of two scales' turns, of two turns, and of two rings of the peel.
_SEED_OF_SCALE, _SEED_OF_TURN, _SEED_OF_RING = 7919, 31, 977


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
    finest = Scale(np.array(values, np.float32, order="C"), hole, usable & ~hole, seen & ~hole)
    middles = usable_middles(finest.usable)
    if not middles.any():
        raise Unfillable
    scales = _pyramid(finest) if start is None else _pyramid(finest)[:2]
    pressure = Pressure(alike_around(finest.values, finest.hole, middles, SIDE))
    coarser: Field | None = None
    for scale in reversed(scales):
        middles = usable_middles(scale.usable)
        if not middles.any():
            continue
        begun = _begin(scale, start if coarser is None else None)
        turns = _turns(scale, len(scales))
        told = _progress(carry_on, scale.number)
        coarser = _grow(scale, middles, coarser, seed + scale.number, turns, pressure, told, begun=begun)
    out = values.copy()
    out[hole] = finest.values[hole]
    return out


def _pyramid(finest: Scale) -> list[Scale]:
    """From fine to coarse, each half the one before."""
    out = [finest]
    while True:
        last = out[-1]
        if deepest(last.hole) <= _DEEPEST or min(last.hole.shape) < 6 * SIDE:
            return out
        coarser = last.halved(_HOLE_SHARE)
        if coarser.hole.all() or not coarser.usable.any():
            return out
        out.append(coarser)


def _begin(scale: Scale, start: Grid | None) -> bool:
    """Empty the hole of a scale, or lay a first filling into it; whether there was one."""
    scale.values[scale.hole] = 0
    if start is None:
        return False
    size = (scale.hole.shape[1], scale.hole.shape[0])
    scale.values[scale.hole] = cv2.resize(start, size, interpolation=cv2.INTER_AREA)[scale.hole]
    return True


def _turns(scale: Scale, scales: int) -> int:
    return _TURNS_FINE + round((_TURNS_COARSE - _TURNS_FINE) * scale.number / max(1, scales - 1))


def _progress(carry_on: Callable[[float], None], number: int) -> Callable[[float], None]:
    """Tells the share of all that is done from the share of one scale."""
    own = _COARSER_COST**number
    return lambda share: carry_on((share * (1 - _COARSER_COST) + _COARSER_COST) * own)


def _grow(
    scale: Scale,
    middles: Bits,
    coarser: Field | None,
    seed: int,
    turns: int,
    pressure: Pressure,
    carry_on: Callable[[float], None],
    *,
    begun: bool,
) -> Field:
    """Fill the hole of one scale in place, in turns of searching and voting; returns its nearest-neighbour field.

    Begun from the field of the coarser scale, from values in the hole that are a first filling, or from nothing.
    """
    found = _guessed(scale, middles, seed)
    inside = found.targets[scale.hole[found.targets[:, 0], found.targets[:, 1]]]
    pressure.ease()
    roughness = Roughness.around(scale.values, scale.hole, middles, SIDE, pressure.alike)
    penalties = Penalties(np.stack([np.zeros_like(found.cost), roughness.rough], axis=-1), roughness.dues(0, 0))
    trust = _trust(scale.hole)
    if coarser is not None:
        _from_coarser(scale, found, coarser)
    elif not begun:
        _peel(scale, found, penalties, seed)
    weight = np.repeat(scale.hole.astype(np.int16) + _SEEN * scale.seen.astype(np.int16), 3, axis=1)
    reach = max(scale.hole.shape) if coarser is None else max(_NEAREST, max(scale.hole.shape) // _NEARER)
    sweeps = _SWEEPS_FIRST if coarser is None else _SWEEPS
    for turn in range(turns):
        steps = in_steps(scale.flat)
        measure(steps, weight, found.field, found.cost, penalties, found.targets)
        for sweep in range(sweeps):
            carry_on((turn + sweep / _SWEEPS_FIRST) / turns)
            own_seed = seed * _SEED_OF_SCALE + _SEED_OF_TURN * turn + sweep
            _sweep(steps, weight, found, penalties, sweep, reach, own_seed)
        middling = float(np.percentile(found.costs, 75)) + 1e-3
        if scale.number == 0 and turn == turns - 1:
            origin = copy_nearest(scale.values, scale.hole, found.field)
            scale.values[:] = join(scale.values, scale.hole, scale.seen, scale.usable, origin)
        else:
            vote(scale.flat, found.field, found.cost, trust, found.targets, scale.hole, np.float32(_SHARP * middling))
        if turn < turns - 1:
            pressure.turn(roughness.found(inside, found.field[inside[:, 0], inside[:, 1]]))
            smooth = pressure.gain * ((1 + pressure.alike) / 2 if scale.number >= _THINGS else 1)
            worn = wear(found.field, found.targets, int(middles.sum()), scale.hole.shape, middling)
            penalties = Penalties(np.stack([worn, roughness.rough], axis=-1), roughness.dues(smooth, middling))
    return found.field


def _guessed(scale: Scale, middles: Bits, seed: int) -> _Found:
    """Every patch that touches the hole, each like a patch taken at random."""
    sources = np.argwhere(middles).astype(np.int32)
    targets = targets_of(scale.hole)
    field = np.zeros((*scale.hole.shape, 2), np.int32)
    field[targets[:, 0], targets[:, 1]] = sources[np.random.default_rng(seed).integers(0, len(sources), len(targets))]
    return _Found(field, np.full(scale.hole.shape, np.inf, np.float32), targets, middles)


def _trust(hole: Bits) -> Grid:
    """How far each patch is believed: less, the deeper in the hole."""
    padded = np.pad(hole, 1).astype(np.uint8)
    depth = np.asarray(cv2.distanceTransform(padded, cv2.DIST_L2, 5), np.float32)[1:-1, 1:-1]
    return np.asarray(1 / np.square(1 + np.float32(_DISTRUST) * depth), np.float32)


def _from_coarser(scale: Scale, found: _Found, coarser: Field) -> None:
    """Begin with what the coarser scale found, and the mean of what it says."""
    upsample(coarser, found.targets, found.middles, found.field)
    found.cost[found.targets[:, 0], found.targets[:, 1]] = 1
    alike = np.ones_like(found.cost)
    vote(scale.flat, found.field, found.cost, alike, found.targets, scale.hole, np.float32(1e12))


def _peel(scale: Scale, found: _Found, penalties: Penalties, seed: int) -> None:
    """A first filling of the coarsest scale, ring by ring from the rim inward; unknown pixels are not compared."""
    left = scale.hole.copy()
    cross = np.ones((3, 3), np.uint8)
    number = 0
    while left.any():
        known = (~left & (scale.hole | scale.seen)).astype(np.uint8)
        ring = left & (cv2.dilate(known, cross) > 0)
        if not ring.any():
            ring = left
        weight = np.repeat(known.astype(np.int16), 3, axis=1)
        steps = in_steps(scale.flat)
        targets = _within_reach(ring)
        if len(targets):
            of_ring = _Found(found.field, found.cost, targets, found.middles)
            measure(steps, weight, found.field, found.cost, penalties, targets)
            for sweep in range(_SWEEPS_OF_RING):
                own_seed = seed + _SEED_OF_RING * number
                _sweep(steps, weight, of_ring, penalties, sweep, max(ring.shape), own_seed)
            take_middle(scale.flat, found.field, targets)
        missed = ring.copy()
        missed[targets[:, 0], targets[:, 1]] = False
        if missed.any():
            filled = cv2.inpaint(
                np.clip(scale.values, 0, 255).astype(np.uint8), missed.astype(np.uint8), 3, cv2.INPAINT_TELEA
            )
            scale.values[missed] = filled[missed]
        left &= ~ring
        number += 1


def _within_reach(ring: Bits) -> NDArray[np.int32]:
    """Pixels of a ring around which a whole patch stands, shape (count, 2)."""
    at = np.argwhere(ring).astype(np.int32)
    rows, columns = ring.shape
    fits = (at >= REACH).all(axis=1) & (at[:, 0] < rows - REACH) & (at[:, 1] < columns - REACH)
    return np.ascontiguousarray(at[fits])


def _sweep(steps: Steps, weight: Steps, found: _Found, penalties: Penalties, sweep: int, reach: int, seed: int) -> None:
    """One sweep of the search, forward and backward by turns."""
    search(steps, weight, found.field, found.cost, found.middles, penalties, found.targets, sweep % 2, reach, seed)
