"""Loops over samples, compiled to machine code when this module is loaded (decision 85); meters ask ``kernels``.

All sums are of whole numbers and therefore exact, in whatever order the compiler puts them. Types are narrow on
purpose: a processor works on many narrow samples at once. Indexes start at 0 and never fall, since the compiler must
see that none is negative. Nothing here looks whether an index lies inside; ``kernels`` does.
"""

from __future__ import annotations

import numpy as np
from numba import njit, types

from brisk_core.compiling import compiled, lines_of
from brisk_core.meters.kernels import BAND, BLOCK, NOISE

_LONGEST = 32768  # samples of a line that are counted in 16 bits

_BYTES, _WORDS = lines_of(types.uint8), lines_of(types.uint16)
_INT, _FLOAT = types.int64, types.float64
_CELLS, _WEAVES = types.float32[:, ::1], types.float32[:, :, ::1]
_THREE = types.UniTuple(_FLOAT, 3)


@njit(error_model="numpy")
def _how_many_under(samples, limit):
    """Count in 16 bits, of which a processor adds many at once."""
    count = np.uint16(0)
    for x in range(len(samples)):
        count = np.uint16(count + np.uint16(samples[x] < limit))
    return count


@njit(error_model="numpy")
def _how_many_over(samples, limit):
    count = np.uint16(0)
    for x in range(len(samples)):
        count = np.uint16(count + np.uint16(samples[x] > limit))
    return count


@compiled([types.UniTuple(_INT, 4)(lines, _INT, lines.dtype, lines.dtype) for lines in (_BYTES, _WORDS)])
def count_outside(lines, width, floor, ceiling):
    low, high = np.int64(lines[0, 0]), np.int64(lines[0, 0])
    below, above = 0, 0
    for y in range(lines.shape[0]):
        row = lines[y]
        least, most = row[0], row[0]
        for x in range(width):
            least, most = min(least, row[x]), max(most, row[x])
        if least < floor:  # counted only in lines that have any
            for start in range(0, width, _LONGEST):
                below += _how_many_under(row[start : min(start + _LONGEST, width)], floor)
        if most > ceiling:
            for start in range(0, width, _LONGEST):
                above += _how_many_over(row[start : min(start + _LONGEST, width)], ceiling)
        low, high = min(low, np.int64(least)), max(high, np.int64(most))
    return low, high, below, above


@njit(error_model="numpy")
def _alternates(middle, above, below):
    """How far a sample lies above or below both its neighbours, in steps above noise."""
    high, low = max(above, below), min(above, below)
    off = np.uint8(middle - high) if middle > high else (np.uint8(low - middle) if middle < low else np.uint8(0))
    return np.uint8(off - NOISE) if off > NOISE else np.uint8(0)


@njit(error_model="numpy")
def _means_of_blocks(columns, lines, into):
    """Write the rounded means of blocks of so many lines whose sums by columns are given."""
    share = np.float32(1.0) / np.float32(lines * BLOCK)
    for block in range(len(into)):
        total = np.uint32(0)
        for x in range(block * BLOCK, (block + 1) * BLOCK):
            total += columns[x]
        into[block] = np.rint(np.float32(total) * share)


@compiled([types.Tuple((_WEAVES, _CELLS, _INT, _INT))(_BYTES, _BYTES)])
def compare_bands(now, previous):
    bands, blocks = now.shape[0] // BAND, now.shape[1] // BLOCK
    width, kept = now.shape[1], blocks * BLOCK
    woven = np.empty((3, bands, blocks), np.float32)
    changed = np.empty((bands, blocks), np.float32)
    sums = np.empty((4, kept), np.uint16)
    own, first, second, change = sums[0], sums[1], sums[2], sums[3]
    differs = np.zeros(2, np.int64)
    for band in range(bands):
        sums[:] = 0
        for line in range(BAND):
            y = band * BAND + line
            mine, its = now[y], previous[y]
            total = np.uint32(0)
            for x in range(width):
                total += np.uint8(max(mine[x], its[x]) - min(mine[x], its[x]))
            differs[line % 2] += total
            for x in range(kept):
                change[x] += np.uint8(max(mine[x], its[x]) - min(mine[x], its[x]))
            if line in (0, BAND - 1):
                continue  # beside these stand lines of another band
            above, below, its_above, its_below = now[y - 1], now[y + 1], previous[y - 1], previous[y + 1]
            for x in range(kept):
                own[x] += _alternates(mine[x], above[x], below[x])
            # In a top line the neighbours are of the bottom field, and the other way about.
            one, other = (first, second) if line % 2 == 0 else (second, first)
            for x in range(kept):
                one[x] += _alternates(mine[x], its_above[x], its_below[x])
            for x in range(kept):
                other[x] += _alternates(its[x], above[x], below[x])
        for weave in range(3):
            _means_of_blocks(sums[weave], BAND, woven[weave, band])
        _means_of_blocks(change, BAND, changed[band])
    return woven, changed, differs[0], differs[1]


@compiled([_THREE(_WEAVES, _THREE, _THREE)])
def weigh_weaves(weaves, least, shares):
    clean, sided, alike = np.float32(shares[0]), np.float32(shares[1]), np.float32(shares[2])
    strong = 0.0
    _, bands, blocks = weaves.shape
    for band in range(bands):
        for block in range(blocks):
            own, first, second = weaves[0, band, block], weaves[1, band, block], weaves[2, band, block]
            most = max(own, first, second) - min(own, first, second)
            if most > least[1]:
                strong += most
    limit = least[1] if strong >= least[2] else least[0]
    one = top = bottom = 0.0
    for band in range(bands):
        for block in range(blocks):
            own, first, second = weaves[0, band, block], weaves[1, band, block], weaves[2, band, block]
            lowest = min(own, first, second)
            most = max(own, first, second) - lowest
            if not most > limit:
                continue
            side = second - first
            if own - lowest <= clean * most:
                if abs(side) <= alike * most:
                    one += most
            elif side >= sided * most:
                top += most
            elif -side >= sided * most:
                bottom += most
    return one, top, bottom


@compiled([_CELLS(_BYTES)])
def detail_of_bands(bands):
    count, blocks = bands.shape[0] // BAND, bands.shape[1] // BLOCK
    width, kept, lines = bands.shape[1], blocks * BLOCK, BAND // 2
    steps = np.empty((2, kept), np.uint16)
    across, down = steps[0], steps[1]
    means = np.empty((2, blocks), np.float32)
    detail = np.empty((count, blocks), np.float32)
    inner = min(kept, width - 1)  # the last sample of a line has none after it
    for band in range(count):
        steps[:] = 0
        for line in range(lines):
            row = bands[band * BAND + 2 * line]
            for x in range(inner):
                across[x] += np.uint8(max(row[x], row[x + 1]) - min(row[x], row[x + 1]))
            if line < lines - 1:
                after = bands[band * BAND + 2 * line + 2]
                for x in range(kept):
                    down[x] += np.uint8(max(row[x], after[x]) - min(row[x], after[x]))
        _means_of_blocks(across, lines, means[0])
        _means_of_blocks(down, lines, means[1])
        for block in range(blocks):
            detail[band, block] = means[0, block] + means[1, block]
    return detail


@compiled([types.UniTuple(_FLOAT, 2)(_BYTES, _BYTES, _BYTES, _INT, _FLOAT, _FLOAT)])
def fit_between(first, between, last, step, moves, least):
    count = looked = 0
    products, squares, motion = np.int64(0), np.int64(0), np.int64(0)
    for y in range(0, first.shape[0], step):
        one, middle, other = first[y], between[y], last[y]
        looked += len(one)
        for x in range(len(one)):
            way, gone = np.int32(other[x]) - np.int32(one[x]), np.int32(middle[x]) - np.int32(one[x])
            if abs(way) > moves:
                count += 1
                products += way * gone
                squares += way * way
                motion += abs(way)
    if count < least * looked or not count:
        return np.nan, np.nan
    weight, rest = products / squares, 0.0
    for y in range(0, first.shape[0], step):
        one, middle, other = first[y], between[y], last[y]
        for x in range(len(one)):
            way, gone = np.int32(other[x]) - np.int32(one[x]), np.int32(middle[x]) - np.int32(one[x])
            if abs(way) > moves:
                rest += abs(gone - weight * way)
    return weight, rest / motion


_PROFILE = types.float64[::1]


@compiled([types.UniTuple(_PROFILE, 3)(lines, _INT) for lines in (_BYTES, _WORDS)])
def bends_of(lines, most):
    count, width = lines.shape
    values = np.zeros(width, np.int64)
    steps, bends = np.zeros(max(width - 1, 0), np.int64), np.zeros(max(width - 2, 0), np.int64)
    step = np.empty(max(width - 1, 0), np.int32)
    for y in range(count):
        row = lines[y]
        for x in range(width):
            values[x] += row[x]
        for x in range(width - 1):
            step[x] = np.int32(row[x + 1]) - np.int32(row[x])
        for x in range(width - 1):
            steps[x] += min(abs(step[x]), most)
        for x in range(width - 2):
            bends[x] += min(abs(step[x + 1] - step[x]), most)
    return bends / count, steps / count, values / count
