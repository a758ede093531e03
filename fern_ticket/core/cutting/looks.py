"""What a side of a picture looks like: a few Gaussians."""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

Looks = NDArray[np.float32]


@dataclass(frozen=True)
class Gaussian:
    """A cluster of looks.

    Attributes
    ----------
    middle, whitening
        A look less `middle`, through `whitening` (lower triangular), is told in the cluster's own deviations.
    weight
        Log of its share and of its density's greatest value, but for a constant.
    """

    middle: NDArray[np.float64]
    whitening: NDArray[np.float64]
    weight: float


def gaussians(known: Looks, most: int, least: int, spread: float) -> list[Gaussian]:
    """At most `most` clusters of looks, shape (count, features); those of fewer than `least` looks are left out.

    `spread` is added to each variance. Clusters begin from chance: always the same.
    """
    flat = np.ascontiguousarray(known)
    cv2.setRNGSeed(1)
    criteria = (cv2.TERM_CRITERIA_MAX_ITER, 8, 0.0)
    _, labels, _ = cv2.kmeans(flat, most, None, criteria, 1, cv2.KMEANS_PP_CENTERS)  # type: ignore[call-overload]
    clusters = [flat[labels.ravel() == one].astype(np.float64) for one in range(most)]
    return [_gaussian(own, len(flat), spread) for own in clusters if len(own) >= least]


def _gaussian(own: NDArray[np.float64], of: int, spread: float) -> Gaussian:
    covariance = np.cov(own.T) + spread * np.eye(own.shape[1])
    whitening = np.linalg.inv(np.linalg.cholesky(covariance))
    weight = math.log(len(own) / of) - 0.5 * float(np.linalg.slogdet(covariance)[1])
    return Gaussian(own.mean(axis=0), whitening, weight)
