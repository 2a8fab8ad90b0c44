"""Powers of many values, which take samples for light and back: by polynomials, in vectors.

Written so that numba puts every loop into vectors by itself, and that all machines come to the same: in float32, with
only those operations taken together that say so.
"""

from typing import Any

import numpy as np
from llvmlite import ir
from numba import njit, types
from numba.extending import intrinsic

KERNEL = {"cache": True, "nogil": True, "error_model": "numpy"}
AT_ONCE = 256
"""Values that are raised at once, which stay close to the processor."""
_LOG = (
    1.442695, -0.72134745, 0.48091075, -0.36069328, 0.28790325, -0.23916988, 0.21607822, -0.20586188, 0.12310968,
)  # fmt: skip
_L0, _L1, _L2, _L3, _L4, _L5, _L6, _L7, _L8 = map(np.float32, _LOG)
"""The polynomial of log2(1 + f) / f, for f from √½ − 1 to √2 − 1 (interpolated at Chebyshev's points)."""
_EXP = (0.6931472, 0.24022651, 0.05550327, 0.009618057, 0.0013400428, 0.00015461445)
_E1, _E2, _E3, _E4, _E5, _E6 = map(np.float32, _EXP)
"""That of 2 to the power of r, beyond 1, for r from −½ to ½ (the same way)."""
_BITS, _BIAS = np.float32(1 << 23), np.float32(127)
"""What the exponent of a float32 counts for in the number that its bits are, and what it is at 1."""
_LEAST = np.float32(-126)
"""The smallest exponent."""


def _once_rounded(typed: Any, one: Any, two: Any, three: Any) -> Any:
    def code(context: Any, builder: Any, signature: Any, values: Any) -> Any:
        number = ir.FloatType()
        function = builder.module.declare_intrinsic("llvm.fma", [number], ir.FunctionType(number, [number] * 3))
        return builder.call(function, values)

    return types.float32(types.float32, types.float32, types.float32), code


_fused = intrinsic(_once_rounded)
"""The first number times the second, and the third, rounded once: the same on all machines, and a single step on those
of today."""


@njit(**KERNEL)
def log_of(sizes, logs, bits):  # type: ignore[no-untyped-def]
    """The logarithm to base 2 of each of at most ``AT_ONCE`` float32 values, whatever their signs, into ``logs``;
    ``bits``, int32, is room for as many."""
    scale = bits.view(np.float32)
    for i in range(len(sizes)):
        scale[i] = abs(sizes[i])
    for i in range(len(sizes)):  # the number of the bits is the logarithm, but for what is bent between wholes
        logs[i] = np.floor(_fused(np.float32(bits[i]), np.float32(1) / _BITS, np.float32(0.586) - _BIAS))
    for i in range(len(sizes)):
        bits[i] = np.int32(_fused(logs[i], -_BITS, _BIAS * _BITS))
    for i in range(len(sizes)):
        f = _fused(abs(sizes[i]), scale[i], np.float32(-1))
        log = _fused(_fused(_fused(_fused(_L8, f, _L7), f, _L6), f, _L5), f, _L4)
        log = _fused(_fused(_fused(_fused(log, f, _L3), f, _L2), f, _L1), f, _L0)
        logs[i] = _fused(log, f, logs[i])


@njit(**KERNEL)
def two_to_the(logs, bits):  # type: ignore[no-untyped-def]
    """Two to the power of each of at most ``AT_ONCE`` float32 values from −126 to 127, in place; ``bits`` as above."""
    scale = bits.view(np.float32)
    for i in range(len(logs)):
        whole = np.floor(logs[i] + np.float32(0.5))
        r = logs[i] - whole
        power = _fused(_fused(_fused(_fused(_fused(_E6, r, _E5), r, _E4), r, _E3), r, _E2), r, _E1)
        logs[i] = _fused(power, r, np.float32(1))
        bits[i] = np.int32(_fused(whole, _BITS, _BIAS * _BITS))
    for i in range(len(logs)):
        logs[i] *= scale[i]


@njit(**KERNEL)
def raise_to(values, count, power, logs, bits):  # type: ignore[no-untyped-def]
    """Raise the first ``count`` float32 values to a power, in place, each with its sign: to 4e-7 of what comes, and to
    1e-7 where that is less than 1. ``logs``, float32, and ``bits``, int32, are room for ``AT_ONCE`` each."""
    for begins in range(0, count, AT_ONCE):
        some = values[begins : min(count, begins + AT_ONCE)]
        log_of(some, logs, bits)
        for i in range(len(some)):
            logs[i] = max(power * logs[i], _LEAST)
        two_to_the(logs[: len(some)], bits)
        for i in range(len(some)):
            some[i] = np.copysign(logs[i], some[i])
