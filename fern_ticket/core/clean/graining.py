"""Grain: the fine noise of film and sensor, measured where it is and made where it is missing.

In bands of size, each an octave wide, with the colours' own covariance: so made grain is as strong, as coarse and as
coloured as what lies around it.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.pictures.values import Values, blurred_within

Bits = NDArray[np.bool_]

#: Blurs between which the bands lie, pixels.
_BLURS = (0.0, 0.7, 1.4, 2.8)
#: Pixels that are needed to know the grain of a place.
_FEWEST = 24


@dataclass(frozen=True)
class Grain:
    """Covariance of the three channels in each band, shape (bands, 3, 3)."""

    covariances: NDArray[np.float64]

    def missing(self, present: Grain) -> Grain:
        """What has to be added to `present` to come to this: where a band has enough already, nothing."""
        out = []
        for wanted, have in zip(self.covariances, present.covariances, strict=True):
            share = max(0.0, 1 - np.trace(have) / max(np.trace(wanted), 1e-12))
            out.append(wanted * share)
        return Grain(np.array(out))

    def times(self, factor: float) -> Grain:
        return Grain(self.covariances * factor * factor)


def measure_grain(values: Values, where: Bits) -> Grain:
    """The grain of a place.

    Parameters
    ----------
    values
        Encoded values, shape (rows, columns, 3), with what is no grain (the ground's own shape) taken off.
    where
        The pixels that are asked for. Others may hold anything; a few pixels at their border are left out.
    """
    cover = where.astype(np.float32)
    inner = cv2.erode(where.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    inner = inner if inner.sum() >= _FEWEST else where
    covariances: list[NDArray[np.float64]] = []
    for band in _bands(values, cover):
        found = band[inner].astype(np.float64)
        if len(found) < _FEWEST:
            covariances.append(np.zeros((3, 3), np.float64))
            continue
        # edges and specks in the place are no grain: spread by the middling deviation, colours by what is within it
        spread = np.asarray(1.4826 * np.median(np.abs(found - np.median(found, axis=0)), axis=0), np.float64)
        usual = (np.abs(found) <= 3 * spread + 1e-9).all(axis=1)
        within = found[usual] if usual.sum() >= _FEWEST else found
        related = np.corrcoef(within.T) if (within.std(axis=0) > 1e-9).all() else np.eye(3)
        covariances.append(np.multiply(np.nan_to_num(related), np.outer(spread, spread), dtype=np.float64))
    return Grain(np.array(covariances))


def make_grain(shape: tuple[int, int], grain: Grain, seed: int) -> Values:
    """Grain of mean 0, shape (rows, columns, 3); the same for the same seed."""
    white = np.random.default_rng(seed).standard_normal((*shape, 3)).astype(np.float32)
    bands = _bands(white, np.ones(shape, np.float32))
    colours = [_colours(wanted) for wanted in grain.covariances]
    gains = _gains(grain)
    return np.asarray(
        sum(np.float32(gain) * band @ mix for gain, band, mix in zip(gains, bands, colours, strict=True)), np.float32
    )


def _colours(covariance: NDArray[np.float64]) -> Values:
    """A matrix that gives white noise this covariance."""
    # triangular, so that all bands mix the channels alike and add up
    steady = covariance + np.eye(3) * (1e-9 + 1e-6 * np.trace(covariance))
    return np.asarray(np.linalg.cholesky(steady).T, np.float32)


def _gains(grain: Grain) -> NDArray[np.float64]:
    """How strongly white noise's bands are taken, so that the sum measures as the grain does: bands overlap."""
    wanted = np.sqrt([np.trace(one) / 3 for one in grain.covariances])
    white = np.random.default_rng(0).standard_normal((160, 160, 1)).astype(np.float32)
    bands = _bands(white, np.ones((160, 160), np.float32))
    gains = np.array([1 / float(band.std()) for band in bands])
    for _ in range(12):
        total = sum(np.float32(g * w) * band for g, w, band in zip(gains, wanted, bands, strict=True))
        found = [float(band.std()) for band in _bands(np.asarray(total, np.float32), np.ones((160, 160), np.float32))]
        gains *= np.clip(wanted / np.maximum(found, 1e-9), 0.5, 2)
    return np.where(wanted > 0, gains, 0)


def _bands(values: Values, cover: Values) -> list[Values]:
    """Differences of neighbouring blurs; what lies outside `cover` does not come in."""
    blurred = [values, *(blurred_within(values, cover, sigma, least=1e-4) for sigma in _BLURS[1:])]
    return [np.asarray(fine - coarse, np.float32) for fine, coarse in itertools.pairwise(blurred)]
