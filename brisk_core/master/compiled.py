"""The likeness of two pictures, compiled to machine code when this module is loaded; ``similarity`` asks for it.

Five softened pictures, of both, of their squares and of their product, are made a line at a time and never leave the
processor's cache. Nothing here looks whether an index lies inside; ``similarity`` does.
"""

from __future__ import annotations

import numpy as np
from numba import njit, types

from brisk_core.compiling import ANY_ORDER, compiled, lines_of

_PICTURE = lines_of(types.float32)
_WEIGHTS = types.Array(types.float32, 1, "C", readonly=True)
_REACH = 5  # samples to either side that a window sees


@njit(error_model="numpy", fastmath=ANY_ORDER)
def _add_line(one, other, weight, sums):
    """Add a line to what is softened down: both, their squares together, and their product."""
    ones, others, squares, products = sums[0], sums[1], sums[2], sums[3]
    for x in range(len(one)):
        first, second = one[x], other[x]
        ones[x] += weight * first
        others[x] += weight * second
        squares[x] += weight * (first * first + second * second)
        products[x] += weight * (first * second)


@njit(error_model="numpy", fastmath=ANY_ORDER)
def _soften_across(line, weights, soft):
    """Soften a line that goes on for ``_REACH`` samples beyond either end."""
    width = len(soft)
    far, near = line[0:width], line[10 : width + 10]
    a1, a2, a3, a4 = line[1 : width + 1], line[2 : width + 2], line[3 : width + 3], line[4 : width + 4]
    b1, b2, b3, b4 = line[9 : width + 9], line[8 : width + 8], line[7 : width + 7], line[6 : width + 6]
    middle = line[5 : width + 5]
    w0, w1, w2, w3, w4, w5 = weights[0], weights[1], weights[2], weights[3], weights[4], weights[5]
    for x in range(width):
        soft[x] = (
            w0 * (far[x] + near[x])
            + w1 * (a1[x] + b1[x])
            + w2 * (a2[x] + b2[x])
            + w3 * (a3[x] + b3[x])
            + w4 * (a4[x] + b4[x])
            + w5 * middle[x]
        )


@njit(error_model="numpy", fastmath=ANY_ORDER)
def _similar(soft, c1, c2):
    """Sum of the structural similarity along a line."""
    ones, others, squares, products = soft[0], soft[1], soft[2], soft[3]
    total = np.float32(0)
    for x in range(len(ones)):
        means = ones[x] * others[x]
        powers = ones[x] * ones[x] + others[x] * others[x]
        above = (np.float32(2) * means + c1) * (np.float32(2) * (products[x] - means) + c2)
        total += above / ((powers + c1) * (squares[x] - powers + c2))
    return total


@njit(error_model="numpy")
def _mirrored(at, count):
    """Where a line beyond an edge is taken from: mirrored about the last one."""
    inside = abs(at)
    return inside if inside < count else 2 * (count - 1) - inside


@compiled([types.float64(_PICTURE, _PICTURE, _WEIGHTS, types.int64, types.float32, types.float32)], fastmath=ANY_ORDER)
def mean_similarity(one, other, weights, step, c1, c2):
    height, width = one.shape
    summed = np.empty((4, width + 2 * _REACH), np.float32)
    soft = np.empty((4, width), np.float32)
    total, lines = 0.0, 0
    for y in range(0, height, step):
        summed[:] = 0
        inside = summed[:, _REACH : _REACH + width]
        for at in range(2 * _REACH + 1):
            line = _mirrored(y + at - _REACH, height)
            _add_line(one[line], other[line], weights[at], inside)
        for row in range(4):
            for beyond in range(_REACH):
                summed[row, _REACH - 1 - beyond] = summed[row, _REACH + 1 + beyond]
                summed[row, width + _REACH + beyond] = summed[row, width + _REACH - 2 - beyond]
            _soften_across(summed[row], weights, soft[row])
        total += _similar(soft, c1, c2)
        lines += 1
    return total / (lines * width)


@compiled([types.float64(_PICTURE, _PICTURE)], fastmath=ANY_ORDER)
def mean_square(one, other):
    """Mean of the squared differences."""
    height, width = one.shape
    total = 0.0
    for y in range(height):
        first, second = one[y], other[y]
        line = np.float32(0)
        for x in range(width):
            apart = first[x] - second[x]
            line += apart * apart
        total += float(line)
    return total / (height * width)
