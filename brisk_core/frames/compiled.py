"""Pictures made half as large, compiled to machine code when this module is loaded (``stills`` asks for it).

A number stands for two neighbouring samples, so that lines are read without gaps. Sums are kept in the type of such
numbers, which four samples never fill: a processor works on many narrow ones at once.
"""

from __future__ import annotations

import numpy as np
from numba import njit, types

from brisk_core.compiling import compiled, lines_of


@njit(error_model="numpy")
def _sum_pairs(upper, lower, bits, least, sums):
    """Sums of two by two samples of two lines; ``least`` is where the first of two neighbours stands."""
    kind = sums.dtype.type
    for x in range(len(sums)):
        above = kind(kind(upper[x] & least) + kind(upper[x] >> bits))
        below = kind(kind(lower[x] & least) + kind(lower[x] >> bits))
        sums[x] = kind(above + below)


@njit(error_model="numpy")
def _quarters(sums, small):
    for x in range(len(small)):
        small[x] = np.float32(np.int32(sums[x])) * np.float32(0.25)


@compiled([types.float32[:, ::1](lines_of(kind), types.int64) for kind in (types.uint16, types.uint32)])
def halve(pairs, across):
    """Means of two by two samples, ``across`` of them in a line."""
    kind, bits = pairs.dtype.type, pairs.itemsize * 4
    small = np.empty((pairs.shape[0] // 2, across), np.float32)
    sums = np.empty(across, pairs.dtype)
    for y in range(small.shape[0]):
        _sum_pairs(pairs[2 * y], pairs[2 * y + 1], kind(bits), kind((1 << bits) - 1), sums)
        _quarters(sums, small[y])
    return small
