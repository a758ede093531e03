"""How a picture's parts stand out by how little of the picture's border is theirs.

A ground reaches the border along much of its outline; a subject may touch it and still mostly lies within (Zhu, Liang,
Wei, Sun 2014, "Saliency optimization from robust background detection", doi:10.1109/CVPR.2014.360). Parts are
superpixels (Achanta and others 2012, "SLIC superpixels", doi:10.1109/TPAMI.2012.120); values of deviations are the
paper's, in CIELAB units.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import dijkstra

from fern_ticket.core.cutting.saliency import Features, scaled
from fern_ticket.core.ledger.masks import Alpha

Values = NDArray[np.float64]

#: Side of a part, as a share of the picture's long side; how compact parts are beside how alike.
_PART, _COMPACT, _ROUNDS = 1 / 16, 10.0, 10
#: Deviations: of what counts as one stretch, of what counts as near (a share of the long side), of what is alike.
_STRETCH, _NEAR, _ALIKE = 10.0, 0.4, 10.0
#: How much a ground's place in the answer counts beside a subject's, and neighbours however unlike.
_GROUND, _SMOOTH = 5.0, 0.1


@dataclass(frozen=True)
class _Parts:
    """A picture's superpixels.

    Attributes
    ----------
    labels
        The part of each pixel, shape (rows, columns).
    looks
        Mean features of each, shape (parts, features).
    at
        Middle of each as shares of the long side, x and y, shape (parts, 2).
    beside
        Which touch, shape (parts, parts).
    at_border
        Which touch the picture's border.
    """

    labels: NDArray[np.int32]
    looks: Values
    at: Values
    beside: NDArray[np.bool_]
    at_border: NDArray[np.bool_]


def off_the_border(features: Features) -> Alpha:
    """How much each pixel stands out, 0-1.

    Parameters
    ----------
    features
        Of `saliency.features_of`.

    Returns
    -------
    Shape of a feature, float32.
    """
    parts = _parts_of(features)
    apart = np.sqrt(np.square(parts.looks[:, None] - parts.looks[None]).sum(axis=2))
    linked = parts.beside | parts.at_border[:, None] & parts.at_border[None]
    np.fill_diagonal(linked, False)
    ground = _ground(parts, apart, linked)
    near = np.exp(-np.square(parts.at[:, None] - parts.at[None]).sum(axis=2) / (2 * _NEAR**2))
    contrast = (apart * near) @ ground
    subject = (contrast - contrast.min()) / max(float(np.ptp(contrast)), 1e-9)
    # the answer is near 0 for grounds, near 1 for what contrasts with them, and alike for neighbours that are alike
    reach = linked | ((linked.astype(np.float32) @ linked.astype(np.float32)) > 0)
    ties = np.where(reach, np.exp(-np.square(apart) / (2 * _ALIKE**2)), 0) + _SMOOTH * linked
    laplacian = np.diag(ties.sum(axis=1)) - ties
    found = np.linalg.solve(laplacian + np.diag(_GROUND * ground + subject + 1e-6), subject)
    return scaled(found[parts.labels])


def _ground(parts: _Parts, apart: Values, linked: NDArray[np.bool_]) -> Values:
    """How surely each part is ground, 0-1: by the share of its stretch's outline that is the picture's border."""
    # steps as small as each part's smallest are the ground's own unevenness
    own = float(np.where(linked, apart, np.inf).min(axis=1).mean())
    steps = np.where(linked, np.maximum(apart - own, 0) + 1e-6, 0)
    stretch = np.exp(-np.square(dijkstra(csr_matrix(steps), directed=False)) / (2 * _STRETCH**2))
    border = stretch[:, parts.at_border].sum(axis=1) / np.sqrt(stretch.sum(axis=1))
    return np.asarray(1 - np.exp(-np.square(border) / 2))


def _parts_of(features: Features) -> _Parts:
    image = np.ascontiguousarray(np.moveaxis(features, 0, 2))
    rows, columns, _ = image.shape
    side = max(4, round(_PART * max(rows, columns)))
    slic = cv2.ximgproc.createSuperpixelSLIC(image, cv2.ximgproc.SLIC, side, _COMPACT)
    slic.iterate(_ROUNDS)
    slic.enforceLabelConnectivity(25)
    labels = np.asarray(slic.getLabels(), np.int32)
    flat, count = labels.ravel(), int(labels.max()) + 1
    many = np.maximum(np.bincount(flat, minlength=count), 1)
    y, x = np.mgrid[0:rows, 0:columns] / max(rows, columns)
    means = [np.bincount(flat, one.ravel(), count) / many for one in (*features, x, y)]
    beside = np.zeros((count, count), np.bool_)
    for one, other in ((labels[:, 1:], labels[:, :-1]), (labels[1:], labels[:-1])):
        beside[one.ravel(), other.ravel()] = True
    at_border = np.zeros(count, np.bool_)
    at_border[np.concatenate([labels[0], labels[-1], labels[:, 0], labels[:, -1]])] = True
    return _Parts(labels, np.stack(means[:-2], axis=1), np.stack(means[-2:], axis=1), beside | beside.T, at_border)
