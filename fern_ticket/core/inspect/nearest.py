"""The nearest of many descriptors to each of them, found exactly."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.kernels import kernel

#: So many are compared with all at a time: what that takes stays small.
_ROWS = 512


def nearest(
    found: NDArray[np.float32], count: int, asked: NDArray[np.float32] | None = None
) -> tuple[NDArray[np.int64], NDArray[np.float32]]:
    """For each descriptor, or each that is asked for, the `count` nearest of those that were found.

    As a brute-force matcher finds them, in half the time and less: distances come from one product of matrices,
    |a - b|² = |a|² + |b|² - 2 a·b, which is exact for descriptors of whole numbers as SIFT gives them.

    Parameters
    ----------
    found
        Shape (n, m), whole numbers, squares that sum to less than 2²³.
    count
        At least 1, at most n.
    asked
        Those whose nearest are looked for, shape (k, m); all where left out, each its own nearest then.

    Returns
    -------
    (indices, distances)
        Shape (k, count) each, the nearest first; of equal ones that with the lower index. Distances are Euclidean.
    """
    squares = np.einsum("nm,nm->n", found, found)
    of = found if asked is None else asked
    own = np.einsum("nm,nm->n", of, of)
    indices = np.empty((len(of), count), np.int64)
    distances = np.empty((len(of), count), np.float32)
    for start in range(0, len(of), _ROWS):
        rows = slice(start, min(start + _ROWS, len(of)))
        apart = of[rows] @ found.T
        _least(apart, squares, own[rows], indices[rows], distances[rows])
    return indices, distances


@kernel
def _least(
    products: NDArray[np.float32],
    squares: NDArray[np.float32],
    own: NDArray[np.float32],
    indices: NDArray[np.int64],
    distances: NDArray[np.float32],
) -> None:
    """Write the least of each row's squared distances, kept in order while going along it."""
    count = indices.shape[1]
    for row in range(len(products)):
        least, at = distances[row], indices[row]
        least[:] = np.inf
        for k in range(len(squares)):
            value = squares[k] - 2 * products[row, k]
            if value < least[count - 1]:
                place = count - 1
                while place > 0 and value < least[place - 1]:
                    least[place], at[place] = least[place - 1], at[place - 1]
                    place -= 1
                least[place], at[place] = value, k
        for k in range(count):
            least[k] = np.sqrt(max(least[k] + own[row], np.float32(0)))
