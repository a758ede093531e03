"""Sums of pixels in kernels."""

import numpy as np
import pytest

from fern_ticket.core.kernels import fast_kernel
from fern_ticket.core.lanes import weighted_pixels


@fast_kernel
def _sum(values, at, weights, first, count):
    return weighted_pixels(values, at, weights, first, count)


@pytest.mark.parametrize("count", [0, 1, 4, 7, 15])
@pytest.mark.parametrize(("at", "first"), [(0, 0), (3, 2), (7, 5)])
def test_pixels_are_summed_by_their_weights_from_where_they_begin(count, at, first):
    random = np.random.default_rng(count)
    weights = random.normal(0, 1, first + count).astype(np.float32)
    # one value after the last pixel, which counts for nothing
    values = np.append(random.uniform(0, 65535, at + 3 * count), np.nan).astype(np.float32)
    wanted = weights[first:] @ values[at : at + 3 * count].reshape(-1, 3)
    np.testing.assert_allclose(_sum(values, at, weights, first, count), wanted, rtol=1e-4, atol=0.1)
