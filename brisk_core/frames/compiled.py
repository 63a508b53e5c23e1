"""Pictures made half as large, compiled to machine code when this module is loaded (``stills`` asks for it).

A number stands for two neighbouring samples, so that lines are read without gaps.
"""

from __future__ import annotations

import numpy as np
from numba import njit, types

from brisk_core.compiling import compiled, lines_of

_SMALL = types.float32[:, ::1]


@njit(error_model="numpy")
def _sum_bytes(upper, lower, sums):
    for x in range(len(sums)):
        above = np.uint16(np.uint16(upper[x] & np.uint16(255)) + np.uint16(upper[x] >> np.uint16(8)))
        below = np.uint16(np.uint16(lower[x] & np.uint16(255)) + np.uint16(lower[x] >> np.uint16(8)))
        sums[x] = np.uint16(above + below)


@njit(error_model="numpy")
def _sum_words(upper, lower, sums):
    for x in range(len(sums)):
        above = np.uint32(np.uint32(upper[x] & np.uint32(65535)) + np.uint32(upper[x] >> np.uint32(16)))
        below = np.uint32(np.uint32(lower[x] & np.uint32(65535)) + np.uint32(lower[x] >> np.uint32(16)))
        sums[x] = np.uint32(above + below)


@njit(error_model="numpy")
def _quarters(sums, small):
    for x in range(len(small)):
        small[x] = np.float32(np.int32(sums[x])) * np.float32(0.25)


@compiled([_SMALL(lines_of(types.uint16), types.int64)])
def halve_bytes(pairs, across):
    small = np.empty((pairs.shape[0] // 2, across), np.float32)
    sums = np.empty(across, np.uint16)
    for y in range(small.shape[0]):
        _sum_bytes(pairs[2 * y], pairs[2 * y + 1], sums)
        _quarters(sums, small[y])
    return small


@compiled([_SMALL(lines_of(types.uint32), types.int64)])
def halve_words(pairs, across):
    small = np.empty((pairs.shape[0] // 2, across), np.float32)
    sums = np.empty(across, np.uint32)
    for y in range(small.shape[0]):
        _sum_words(pairs[2 * y], pairs[2 * y + 1], sums)
        _quarters(sums, small[y])
    return small
