"""How loops over pixels are compiled: once, kept on disk, run without the interpreter's lock, on one thread.

Kernels stand at module level; one that closed over another would compile anew in every process.
"""

from __future__ import annotations

from typing import Any

import numba


def kernel(function: Any) -> Any:
    """Compile with exact floating point."""
    return numba.njit(cache=True, nogil=True)(function)


def fast_kernel(function: Any) -> Any:
    """Compile with sums and products in any order, where the last bit does not matter."""
    return numba.njit(cache=True, nogil=True, fastmath=True)(function)
