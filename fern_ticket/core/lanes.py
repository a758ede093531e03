"""Red, green and blue summed side by side, which compilers do not find in loops over pixels."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, cast

import numpy as np
from llvmlite import ir
from numba.core import cgutils, types
from numba.extending import intrinsic
from numpy.typing import NDArray

#: What one pixel is loaded as, and four that follow each other.
_FLOATS = ir.VectorType(ir.FloatType(), 4)
_FOUR_PIXELS = ir.VectorType(ir.FloatType(), 12)
_INTEGER = ir.IntType(32)

Floats = NDArray[np.float32]


def _weighted_pixels(_context: Any, values: Any, _at: Any, weights: Any, _first: Any, _count: Any) -> Any:
    """What a kernel that calls it is told: its types, and how to write its instructions."""
    made: Any = types.UniTuple(types.float32, 3)  # type: ignore[no-untyped-call]
    return made(values, types.intp, weights, types.intp, types.intp), _summed


def _summed(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
    values, at, weights, first, count = arguments
    of_values, _, of_weights = signature.args[:3]
    pixel = builder.gep(context.make_array(of_values)(context, builder, values).data, [at])
    weight = builder.gep(context.make_array(of_weights)(context, builder, weights).data, [first])
    total = _sum_of(builder, pixel, weight, count)
    lanes = [builder.extract_element(total, ir.Constant(_INTEGER, lane)) for lane in range(3)]
    return context.make_tuple(builder, signature.return_type, lanes)


def _sum_of(builder: Any, pixel: Any, weight: Any, count: Any) -> Any:
    """Four pixels at a time, then those that are left: the sum's three values, and one that nobody asks for."""
    index = count.type
    three, fours = ir.Constant(index, 3), builder.lshr(count, ir.Constant(index, 2))
    many: Any = cgutils.alloca_once_value(  # type: ignore[no-untyped-call]
        builder, ir.Constant(_FOUR_PIXELS, [0.0] * 12)
    )
    with cgutils.for_range(builder, fours) as loop:
        first = builder.shl(loop.index, ir.Constant(index, 2))
        values = _loaded(builder, pixel, builder.mul(first, three), _FOUR_PIXELS)
        each = _of_lanes(builder, _loaded(builder, weight, first, _FLOATS), [tap for tap in range(4) for _ in range(3)])
        _add(builder, many, builder.fmul(values, each, ("fast",)))
    summed = builder.load(many)
    quarters = [_of_lanes(builder, summed, [3 * k, 3 * k + 1, 3 * k + 2, 3 * k + 2]) for k in range(4)]
    one, other = (builder.fadd(*quarters[k : k + 2], ("fast",)) for k in (0, 2))
    both: Any = builder.fadd(one, other, ("fast",))
    total: Any = cgutils.alloca_once_value(builder, both)  # type: ignore[no-untyped-call]
    done = builder.shl(fours, ir.Constant(index, 2))
    with cgutils.for_range_slice(builder, done, count, ir.Constant(index, 1)) as (at, _):
        # four values from where a pixel begins: its three, and one more
        four = _loaded(builder, pixel, builder.mul(at, three), _FLOATS)
        once = builder.insert_element(
            ir.Constant(_FLOATS, ir.Undefined), builder.load(builder.gep(weight, [at])), ir.Constant(_INTEGER, 0)
        )
        _add(builder, total, builder.fmul(four, _of_lanes(builder, once, [0] * 4), ("fast",)))
    return builder.load(total)


def _add(builder: Any, total: Any, part: Any) -> None:
    builder.store(builder.fadd(builder.load(total), part, ("fast",)), total)


def _loaded(builder: Any, pointer: Any, at: Any, kind: Any) -> Any:
    place = builder.gep(pointer, [at])
    return builder.load(builder.bitcast(place, kind.as_pointer()), align=4)


def _of_lanes(builder: Any, vector: Any, lanes: list[int]) -> Any:
    """A vector of another's lanes: those of these numbers."""
    return builder.shuffle_vector(
        vector, ir.Constant(vector.type, ir.Undefined), ir.Constant(ir.VectorType(_INTEGER, len(lanes)), lanes)
    )


#: For kernels: red, green and blue of the sum of so many pixels that follow each other, each by its weight. Takes the
#: pixels' values, shape (n,), contiguous, one value more than the last of them has; where the first pixel begins; the
#: weights, shape (m,), contiguous; where the first of these is; how many there are.
weighted_pixels: Callable[[Floats, int, Floats, int, int], tuple[np.float32, np.float32, np.float32]]
weighted_pixels = cast(Any, intrinsic(_weighted_pixels))
