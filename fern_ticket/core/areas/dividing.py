"""A picture divided in two: models of both sides' looks, and the cheapest border between them.

As graph cuts do it (Boykov, Jolly 2001, doi:10.1109/ICCV.2001.937505; Rother, Kolmogorov, Blake 2004, "GrabCut",
doi:10.1145/1015706.1015720), with three differences: what stands out, or stood before, has a say of its own; a look is
more than colour (where a pixel lies and how sharp it is belong to it); and the cut is found by its convex equal
(Chan, Esedoḡlu, Nikolova 2006, doi:10.1137/040615286) with a primal-dual method (Chambolle, Pock 2011,
doi:10.1007/s10851-010-0251-1).
"""

from __future__ import annotations

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.kernels import fast_kernel

Bits = NDArray[np.bool_]
Plane = NDArray[np.float32]
Looks = NDArray[np.float32]

#: Looks of each side.
_MODELS = 6
#: Pixels that models are made from.
_LEARNT_FROM = 8_000
#: What the models say counts at most so much, and this much of it.
_MOST, _BY_LOOK = 5.0, 0.6
#: Power of the first guess with which it teaches.
_SUREST = 2.0
#: Cost of a border: everywhere, and more where colour does not change.
_BORDER, _BORDER_PLAIN = 0.4, 5.0
#: Rounds of the primal-dual method, and for the first of several cuts, which only have to be near.
_STEPS = 90


def divided(looks: Looks, colours: Looks, lean: Plane, fixed: Plane, rounds: int) -> Bits:
    """Which pixels belong to the one side.

    Parameters
    ----------
    looks
        What tells pixels apart, each of like weight, shape (rows, columns, count).
    colours
        CIELAB, shape (rows, columns, 3): borders run where it changes.
    lean
        Log odds for the one side that the pixel brings with it, shape (rows, columns).
    fixed
        1 where a pixel is on the one side, -1 on the other, 0 where that is asked.
    rounds
        How often models are made of the answer before.
    """
    cheap = _cheap(colours)
    free = fixed == 0
    held = np.where(free, lean, 40 * fixed).astype(np.float32)
    share = (1 / (1 + np.exp(-held))).astype(np.float32)
    if not free.any():
        return np.asarray(fixed > 0)
    # at first only what is surest teaches
    one, other = (_trust(fixed) * odds**_SUREST for odds in (share, 1 - share))
    for _ in range(rounds):
        if min(float(one.sum()), float(other.sum())) < 50:
            break
        said = _likeness(looks, one) - _likeness(looks, other)
        cost = np.where(free, lean + _BY_LOOK * np.clip(said, -_MOST, _MOST), 40 * fixed).astype(np.float32)
        share = _cut(cost, cheap, share, _STEPS)
        one, other = share * _trust(fixed), (1 - share) * _trust(fixed)
    return np.asarray(share > 0.5)


def apart(looks: Looks, found: Bits) -> tuple[float, float]:
    """Share of either side's pixels whose look is more like their own side's, 0-1."""
    own = _likeness(looks, found.astype(np.float32)) > _likeness(looks, (~found).astype(np.float32))
    return float(own[found].mean()), float((~own)[~found].mean())


def plain_border(colours: Looks, found: Bits) -> float:
    """Mean cost of a border between pixels where the two sides meet."""
    cheap = _cheap(colours)
    across, down = found[:, 1:] != found[:, :-1], found[1:] != found[:-1]
    return float(np.concatenate([cheap[0][:, :-1][across], cheap[1][:-1][down]]).mean())


def _trust(fixed: Plane) -> Plane:
    """What is fixed by strokes teaches more than what was only guessed."""
    share = np.count_nonzero(fixed) / fixed.size
    return np.where(fixed == 0, 1, min(20.0, 1 + 0.1 / max(share, 1e-4))).astype(np.float32)


def _likeness(looks: Looks, weight: Plane) -> Plane:
    """Log likelihood of each pixel's look under a mixture of Gaussians of the weighted ones."""
    rows, columns, count = looks.shape
    flat = looks.reshape(-1, count)
    chosen = np.random.default_rng(3)
    odds = weight.ravel().astype(np.float64)
    drawn = chosen.choice(len(flat), min(_LEARNT_FROM, len(flat)), p=odds / odds.sum())
    known = np.ascontiguousarray(flat[drawn])
    cv2.setRNGSeed(1)
    criteria = (cv2.TERM_CRITERIA_MAX_ITER, 8, 0.0)
    _, labels, _ = cv2.kmeans(known, _MODELS, None, criteria, 1, cv2.KMEANS_PP_CENTERS)  # type: ignore[call-overload]
    models = [_gaussian(known[labels.ravel() == one], len(known)) for one in range(_MODELS)]
    fit = [one for one in models if one is not None]
    if not fit:
        return np.zeros((rows, columns), np.float32)
    middles, lowers, logs = (np.array(each, np.float32) for each in zip(*fit, strict=True))
    return np.asarray(_mixed(flat, middles, lowers, logs).reshape(rows, columns), np.float32)


def _gaussian(own: Looks, of: int) -> tuple[NDArray[np.float64], NDArray[np.float64], float] | None:
    """Mean, whitening matrix and log weight of a cluster; None for too few looks."""
    count = own.shape[1]
    if len(own) < 4 * count:
        return None
    exact = own.astype(np.float64)
    spread = np.cov(exact.T) + 0.3 * np.eye(count)
    lower = np.linalg.inv(np.linalg.cholesky(spread))
    return exact.mean(axis=0), lower, math.log(len(own) / of) - 0.5 * float(np.linalg.slogdet(spread)[1])


@fast_kernel
def _mixed(flat: Looks, middles: Looks, lowers: Looks, logs: NDArray[np.float32]) -> NDArray[np.float32]:
    """Log of the sum of Gaussians at each look."""
    out = np.empty(flat.shape[0], np.float32)
    models, count = middles.shape
    own = np.empty(models, np.float32)
    away = np.empty(count, np.float32)
    for k in range(flat.shape[0]):
        high = np.float32(-1e9)
        for m in range(models):
            distance = np.float32(0)
            for c in range(count):
                away[c] = flat[k, c] - middles[m, c]
                line = np.float32(0)
                for d in range(c + 1):
                    line += lowers[m, c, d] * away[d]
                distance += line * line
            own[m] = logs[m] - np.float32(0.5) * distance
            high = max(high, own[m])
        total = np.float32(0)
        for m in range(models):
            total += np.exp(own[m] - high)
        out[k] = max(high + np.log(total), np.float32(-60))
    return out


def _cheap(colours: Looks) -> Looks:
    """Cost of a border between a pixel and the next across, and the next below; shape (2, rows, columns)."""
    across, down = np.zeros((2, *colours.shape[:2]), np.float32)
    across[:, :-1] = np.square(colours[:, 1:] - colours[:, :-1]).sum(axis=2)
    down[:-1] = np.square(colours[1:] - colours[:-1]).sum(axis=2)
    steps = np.stack([across, down])
    usual = 2 * float(steps.mean()) + 1e-6
    return (_BORDER + _BORDER_PLAIN * np.exp(-steps / usual)).astype(np.float32)


@fast_kernel
def _cut(cost: Plane, cheap: Looks, start: Plane, steps: int) -> Plane:
    """Share of the one side, 0-1: least border and least cost, which is counted for that side."""
    rows, columns = cost.shape
    share = start.copy()
    ahead = start.copy()
    across, down = np.zeros((rows, columns), np.float32), np.zeros((rows, columns), np.float32)
    pace = np.float32(0.35)
    for _ in range(steps):
        for i in range(rows):
            for j in range(columns):
                if j + 1 < columns:
                    one = across[i, j] + pace * (ahead[i, j + 1] - ahead[i, j])
                    across[i, j] = min(max(one, -cheap[0, i, j]), cheap[0, i, j])
                if i + 1 < rows:
                    one = down[i, j] + pace * (ahead[i + 1, j] - ahead[i, j])
                    down[i, j] = min(max(one, -cheap[1, i, j]), cheap[1, i, j])
        for i in range(rows):
            for j in range(columns):
                flow = across[i, j] + down[i, j]
                if j > 0:
                    flow -= across[i, j - 1]
                if i > 0:
                    flow -= down[i - 1, j]
                old = share[i, j]
                new = min(max(old + pace * (flow + cost[i, j]), np.float32(0)), np.float32(1))
                share[i, j] = new
                ahead[i, j] = np.float32(2) * new - old
    return share
