"""A picture divided in two: models of both sides' looks, and the cheapest border between them.

As graph cuts do it (Boykov, Jolly 2001, doi:10.1109/ICCV.2001.937505; Rother, Kolmogorov, Blake 2004, "GrabCut",
doi:10.1145/1015706.1015720), with three differences: what stands out, or stood before, has a say of its own; a look is
more than colour (where a pixel lies and how sharp it is belong to it); and the cut is found by its convex equal
(Chan, Esedoḡlu, Nikolova 2006, doi:10.1137/040615286) with a primal-dual method (Chambolle, Pock 2011,
doi:10.1007/s10851-010-0251-1).
"""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import partial

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.cutting.looks import Gaussian, Looks, gaussians
from fern_ticket.core.kernels import fast_kernel
from fern_ticket.core.threads import in_threads

Bits = NDArray[np.bool_]
Plane = NDArray[np.float32]
#: By how much each pixel is likelier on the one side than on the other, log odds, as those under either's weights are.
Judge = Callable[[Plane, Plane], Plane]

#: Looks of each side, and the least variance of one.
_MODELS, _LEAST_SPREAD = 6, 0.3
#: Pixels that models are made from.
_LEARNT_FROM = 8_000
#: What the models say counts at most so much, and this much of it.
_MOST, _BY_LOOK = 5.0, 0.6
#: Power of the first guess with which it teaches.
_SUREST = 2.0
#: Cost of a border: everywhere, and more where colour does not change.
_BORDER, _BORDER_PLAIN = 0.4, 5.0
#: Looks whose likelihood is worked out at once.
_AT_ONCE = 256
#: Rounds of the primal-dual method.
_STEPS = 90
#: Log odds of what strokes say.
SAID = 40


def divided(judge: Judge, borders: Looks, lean: Plane, fixed: Plane, rounds: int) -> Bits:
    """Which pixels belong to the one side.

    Parameters
    ----------
    judge
        What tells the sides apart, such as `more_like` of looks.
    borders
        What a border costs, of `borders_of`.
    lean
        Log odds for the one side that the pixel brings with it, shape (rows, columns).
    fixed
        1 where a pixel is on the one side, -1 on the other, 0 where that is asked.
    rounds
        How often models are made of the answer before.
    """
    free = fixed == 0
    if not free.any():
        return np.asarray(fixed > 0)
    trust = _trust(fixed)
    share = (1 / (1 + np.exp(-np.where(free, lean, SAID * fixed)))).astype(np.float32)
    # at first only what is surest teaches
    one, other = trust * share**_SUREST, trust * (1 - share) ** _SUREST
    for _ in range(rounds):
        if min(float(one.sum()), float(other.sum())) < 50:
            break
        said = judge(one, other)
        cost = np.where(free, lean + _BY_LOOK * np.clip(said, -_MOST, _MOST), SAID * fixed).astype(np.float32)
        share = cut(cost, borders, share)
        one, other = trust * share, trust * (1 - share)
    return np.asarray(share > 0.5)


def apart(judge: Judge, found: Bits) -> tuple[float, float]:
    """Share of either side's pixels that the judge gives to their own side, 0-1."""
    own = judge(found.astype(np.float32), (~found).astype(np.float32)) > 0
    return float(own[found].mean()), float((~own)[~found].mean())


def plain_border(borders: Looks, found: Bits) -> float:
    """Mean cost of a border between pixels where the two sides meet."""
    across, down = found[:, 1:] != found[:, :-1], found[1:] != found[:-1]
    return float(np.concatenate([borders[0][:, :-1][across], borders[1][:-1][down]]).mean())


def _trust(fixed: Plane) -> Plane:
    """What is fixed by strokes teaches more than what was only guessed."""
    share = np.count_nonzero(fixed) / fixed.size
    return np.where(fixed == 0, 1, min(20.0, 1 + 0.1 / max(share, 1e-4))).astype(np.float32)


def more_like(looks: Looks, one: Plane, other: Plane, draws: int = 1) -> Plane:
    """By how much each pixel's look is likelier under the one's weights than under the other's, log odds."""
    like, unlike = in_threads(partial(likeness, looks, draws=draws), [one, other])
    return np.asarray(like - unlike, np.float32)


def likeness(looks: Looks, weight: Plane, draws: int = 1) -> Plane:
    """Log likelihood of each pixel's look under a mixture of Gaussians of the weighted ones, shape (rows, columns).

    Models are made of what is drawn by lot: of several draws together, less of them is luck.
    """
    rows, columns, count = looks.shape
    flat = looks.reshape(-1, count)
    chosen = np.random.default_rng(3)
    odds = weight.ravel().astype(np.float64)
    models: list[Gaussian] = []
    for _ in range(draws):
        drawn = chosen.choice(len(flat), min(_LEARNT_FROM, len(flat)), p=odds / odds.sum())
        models += gaussians(flat[drawn], _MODELS, 4 * count, _LEAST_SPREAD)
    if not models:
        return np.zeros((rows, columns), np.float32)
    middles = np.array([one.middle for one in models], np.float32)
    lowers = np.array([one.whitening for one in models], np.float32)
    logs = np.array([one.weight - math.log(draws) for one in models], np.float32)
    return np.asarray(_mixed(flat, middles, lowers, logs).reshape(rows, columns), np.float32)


@fast_kernel
def _mixed(flat: Looks, middles: Looks, lowers: Looks, logs: NDArray[np.float32]) -> NDArray[np.float32]:
    """Log of the sum of Gaussians at each look.

    Some looks at a time, one feature of all of them after the other, so that many are done by one instruction.
    """
    models, count = middles.shape
    out = np.empty(flat.shape[0], np.float32)
    away, own = np.empty((count, _AT_ONCE), np.float32), np.empty((models, _AT_ONCE), np.float32)
    line, high, total = np.empty((3, _AT_ONCE), np.float32)
    for start in range(0, flat.shape[0], _AT_ONCE):
        some = flat[start : start + _AT_ONCE]
        many = some.shape[0]
        high[:] = np.float32(-1e9)
        total[:] = np.float32(0)
        for m in range(models):
            likely = own[m]
            likely[:] = logs[m]
            for c in range(count):
                for k in range(many):
                    away[c, k] = some[k, c] - middles[m, c]
                line[:] = np.float32(0)
                for d in range(c + 1):
                    weight, one = lowers[m, c, d], away[d]
                    for k in range(many):
                        line[k] += weight * one[k]
                for k in range(many):
                    likely[k] -= np.float32(0.5) * line[k] * line[k]
            for k in range(many):
                high[k] = max(high[k], likely[k])
        for m in range(models):
            likely = own[m]
            for k in range(many):
                total[k] += np.exp(likely[k] - high[k])
        for k in range(many):
            out[start + k] = max(high[k] + np.log(total[k]), np.float32(-60))
    return out


def borders_of(colours: Looks) -> Looks:
    """Cost of a border between a pixel and the next across, and the next below; shape (2, rows, columns).

    `colours` are CIELAB, shape (rows, columns, 3): borders run where they change.
    """
    across, down = np.zeros((2, *colours.shape[:2]), np.float32)
    across[:, :-1] = np.square(colours[:, 1:] - colours[:, :-1]).sum(axis=2)
    down[:-1] = np.square(colours[1:] - colours[:-1]).sum(axis=2)
    steps = np.stack([across, down])
    usual = 2 * float(steps.mean()) + 1e-6
    return (_BORDER + _BORDER_PLAIN * np.exp(-steps / usual)).astype(np.float32)


@fast_kernel
def cut(cost: Plane, borders: Looks, start: Plane) -> Plane:
    """Share of the one side, 0-1: least border and least cost, which is counted for that side.

    Loops run along rows without asking where they are, so that many pixels are done at a time.
    """
    rows, columns = cost.shape
    share = start.copy()
    ahead = start.copy()
    across, down = np.zeros((rows, columns), np.float32), np.zeros((rows + 1, columns), np.float32)
    flow = np.empty(columns, np.float32)
    pace = np.float32(0.35)
    for _ in range(_STEPS):
        for i in range(rows):
            here, own, most = ahead[i], across[i], borders[0, i]
            for j in range(columns - 1):
                one = own[j] + pace * (here[j + 1] - here[j])
                own[j] = min(max(one, -most[j]), most[j])
            if i + 1 < rows:
                below, own, most = ahead[i + 1], down[i + 1], borders[1, i]
                for j in range(columns):
                    one = own[j] + pace * (below[j] - here[j])
                    own[j] = min(max(one, -most[j]), most[j])
        for i in range(rows):
            right, above, below = across[i], down[i], down[i + 1]
            said, here, coming = cost[i], share[i], ahead[i]
            flow[0] = right[0]
            for j in range(1, columns):
                flow[j] = right[j] - right[j - 1]
            for j in range(columns):
                old = here[j]
                new = old + pace * (flow[j] + below[j] - above[j] + said[j])
                here[j] = min(max(new, np.float32(0)), np.float32(1))
                coming[j] = np.float32(2) * here[j] - old
    return share
