"""Transfer: what code values stand for in light, and back, by the curve that a picture says it has.

``PQ`` is SMPTE ST 2084, light in shares of 10,000 cd/m²; ``HLG`` the hybrid log-gamma of ITU-R BT.2100, light of the
scene in shares of its nominal peak; all else is the power of 2.4 of a reference display (ITU-R BT.1886). Values below 0
are taken as those above, with their sign.
"""

import numpy as np
from numba import njit

from oddmeter.media.files.samples import HLG, PQ
from oddmeter.media.pictures.powers import AT_ONCE, KERNEL, log_of, raise_to, two_to_the

_GAMMA = 2.4
_M1, _M2 = 2610 / 16384, 2523 / 4096 * 128
_C1, _C2, _C3 = np.float32(3424 / 4096), np.float32(2413 / 4096 * 32), np.float32(2392 / 4096 * 32)
_MOST_PQ = np.float32(1.25)
"""Beyond it the curve soon has no light to give."""
_A, _B, _C = 0.17883277, np.float32(0.28466892), np.float32(0.55991073)
_BY_LOG, _BY_EXP = np.float32(_A * np.log(2)), np.float32(1 / (_A * np.log(2)))
_LEAST = np.float32(1e-6)


@njit(**KERNEL)
def to_light(values, count, curve, logs, bits):  # type: ignore[no-untyped-def]
    """Turn the first ``count`` float32 values, 1 for white, into light, in place; ``logs`` and ``bits`` as for
    ``raise_to``."""
    if curve == PQ:
        for i in range(count):
            values[i] = min(max(values[i], -_MOST_PQ), _MOST_PQ)
        raise_to(values, count, np.float32(1 / _M2), logs, bits)
        for i in range(count):
            size = abs(values[i])
            values[i] = np.copysign(max(size - _C1, np.float32(0)) / (_C2 - _C3 * size), values[i])
        raise_to(values, count, np.float32(1 / _M1), logs, bits)
    elif curve == HLG:
        for begins in range(0, count, AT_ONCE):
            some = values[begins : min(count, begins + AT_ONCE)]
            for i in range(len(some)):
                logs[i] = (abs(some[i]) - _C) * _BY_EXP
            two_to_the(logs[: len(some)], bits)
            for i in range(len(some)):
                low, high = some[i] * some[i] / np.float32(3), (logs[i] + _B) / np.float32(12)
                some[i] = np.copysign(low if abs(some[i]) <= np.float32(0.5) else high, some[i])
    else:
        raise_to(values, count, np.float32(_GAMMA), logs, bits)


@njit(**KERNEL)
def from_light(values, count, curve, logs, bits):  # type: ignore[no-untyped-def]
    """The same the other way."""
    if curve == PQ:
        raise_to(values, count, np.float32(_M1), logs, bits)
        for i in range(count):
            size = abs(values[i])
            values[i] = np.copysign((_C1 + _C2 * size) / (np.float32(1) + _C3 * size), values[i])
        raise_to(values, count, np.float32(_M2), logs, bits)
    elif curve == HLG:
        spare = np.empty(AT_ONCE, np.float32)
        for begins in range(0, count, AT_ONCE):
            some = values[begins : min(count, begins + AT_ONCE)]
            for i in range(len(some)):
                spare[i] = max(np.float32(12) * abs(some[i]) - _B, _LEAST)
            log_of(spare[: len(some)], logs, bits)
            for i in range(len(some)):
                low, high = np.sqrt(np.float32(3) * abs(some[i])), logs[i] * _BY_LOG + _C
                some[i] = np.copysign(low if abs(some[i]) <= np.float32(1 / 12) else high, some[i])
    else:
        raise_to(values, count, np.float32(1 / _GAMMA), logs, bits)
