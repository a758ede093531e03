"""Red, green and blue summed side by side, which compilers do not find in loops over pixels."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, cast

import numpy as np
from llvmlite import ir
from numba.core import cgutils, types
from numba.extending import intrinsic
from numpy.typing import NDArray

_FLOATS = ir.VectorType(ir.FloatType(), 4)
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
    total: Any = cgutils.alloca_once_value(builder, ir.Constant(_FLOATS, [0.0] * 4))  # type: ignore[no-untyped-call]
    with cgutils.for_range(builder, count) as loop:
        place = builder.gep(pixel, [builder.mul(loop.index, ir.Constant(loop.index.type, 3))])
        # four values from where a pixel begins: its three, and one that nobody asks for
        four = builder.load(builder.bitcast(place, _FLOATS.as_pointer()), align=4)
        part = builder.fmul(four, _in_every_lane(builder, builder.load(builder.gep(weight, [loop.index]))), ("fast",))
        builder.store(builder.fadd(builder.load(total), part, ("fast",)), total)
    made = builder.load(total)
    lanes = [builder.extract_element(made, ir.Constant(_INTEGER, lane)) for lane in range(3)]
    return context.make_tuple(builder, signature.return_type, lanes)


def _in_every_lane(builder: Any, value: Any) -> Any:
    nothing = ir.Constant(_FLOATS, ir.Undefined)
    once = builder.insert_element(nothing, value, ir.Constant(_INTEGER, 0))
    return builder.shuffle_vector(once, nothing, ir.Constant(ir.VectorType(_INTEGER, 4), [0] * 4))


#: For kernels: red, green and blue of the sum of so many pixels that follow each other, each by its weight. Takes the
#: pixels' values, shape (n,), contiguous, one value more than the last of them has; where the first pixel begins; the
#: weights, shape (m,), contiguous; where the first of these is; how many there are.
weighted_pixels: Callable[[Floats, int, Floats, int, int], tuple[np.float32, np.float32, np.float32]]
weighted_pixels = cast(Any, intrinsic(_weighted_pixels))
