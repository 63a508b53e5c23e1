"""Where in a master the frames of a file may be: seeds by signature, then one path through them with jumps."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

_MOST_SEEDS = 2400  # frames of the file that are looked up; two hours are seeded every two seconds
_BLOCK = 12  # frames of the master of which the nearest is kept: neighbours look alike
_KEPT = 10  # places kept for each frame looked up
_FARTHEST = 14  # bits of 64 in which a frame may differ from its master after heavy coding
_NOWHERE = 15.0  # cost of a frame that is in no place, in bits
_JUMP = 26.0  # cost of a break in the path, in bits; two breaks must be worth a stretch of several seeds
_RUNS_AWAY, _FEWEST = 4.0, 4  # frames by which the halves of a line may lie apart, and seeds of a half at least
FLAT = 1.5  #: code values of the strongest wave below which a picture has no signature to speak of


@dataclass(frozen=True, slots=True)
class Line:
    """A stretch of the file that runs along the master: frame ``k`` shows about ``slope * k + offset``."""

    first: int  #: first frame of the file that was looked up and lies on it
    last: int  #: last one
    offset: float


def find_lines(
    file_bits: NDArray[np.uint64],
    file_waves: NDArray[np.float32],
    master_bits: NDArray[np.uint64],
    master_waves: NDArray[np.float32],
    slope: float,
) -> tuple[list[Line], float]:
    """Return the stretches of the file that run along the master at a slope, in file order, and the mean cost in bits.

    ``slope`` is master frames a file frame. A file that is nowhere in the master gives no lines and a high cost.
    """
    step = max(1, -(-len(file_bits) // _MOST_SEEDS))
    numbers = np.arange(0, len(file_bits), step)
    numbers = numbers[np.abs(file_waves[numbers, 1:]).max(axis=1) > FLAT]
    usable = np.abs(master_waves[:, 1:]).max(axis=1) > FLAT
    if not len(numbers) or not usable.any():
        return [], _NOWHERE
    places, costs = _candidates(file_bits[numbers], master_bits, usable)
    path, cost = _path(numbers, places, costs, slope)
    return _lines(numbers, path, slope), cost / len(numbers)


def _candidates(
    bits: NDArray[np.uint64], master: NDArray[np.uint64], usable: NDArray[np.bool_]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The nearest places in the master of some frames, and how many bits they differ in; the last place is nowhere."""
    blocks = -(-len(master) // _BLOCK)
    padded = np.zeros(blocks * _BLOCK, np.uint64)
    padded[: len(master)] = master
    dead = np.ones(blocks * _BLOCK, np.uint8)
    dead[: len(master)] = np.where(usable, 0, 64)
    # One row for each place in a block, so that the nearest of every block is found down contiguous rows.
    grid, unusable = (np.ascontiguousarray(one.reshape(blocks, _BLOCK).T) for one in (padded, dead))
    kept = min(_KEPT, blocks)
    places = np.zeros((len(bits), kept + 1))
    costs = np.full((len(bits), kept + 1), _NOWHERE)
    for row, value in enumerate(bits):
        apart = np.bitwise_count(grid ^ value) | unusable
        nearest = apart.min(axis=0)
        best = np.argpartition(nearest, kept - 1)[:kept]
        places[row, :kept] = best * _BLOCK + apart[:, best].argmin(axis=0)
        found = nearest[best].astype(np.float64)
        costs[row, :kept] = np.where(found <= _FARTHEST, found, np.inf)
    return places, costs


def _path(
    numbers: NDArray[np.intp], places: NDArray[np.float64], costs: NDArray[np.float64], slope: float
) -> tuple[NDArray[np.float64], float]:
    """The cheapest choice of a place for every seed; NaN for nowhere."""
    rows, columns = places.shape
    nowhere = columns - 1
    total, last = costs[0].copy(), places[0].copy()
    last[nowhere] = np.nan
    came = np.zeros((rows, columns), np.intp)
    bent = np.empty((rows, columns))  # the place carried on through stretches that are nowhere
    bent[0] = last
    near = _BLOCK / 2 + 2
    for row in range(1, rows):
        ran = (numbers[row] - numbers[row - 1]) * slope
        expected = bent[row - 1] + ran
        apart = np.abs(places[row][None, :] - expected[:, None])
        broken = np.where(apart <= near, 0.0, _JUMP)
        broken[np.isnan(expected), :] = 0.0
        broken[:, nowhere] = 0.0
        sums = total[:, None] + broken
        came[row] = sums.argmin(axis=0)
        total = sums.min(axis=0) + costs[row]
        bent[row] = places[row]
        bent[row, nowhere] = expected[came[row, nowhere]]
    chosen = np.empty(rows)
    at = int(total.argmin())
    for row in range(rows - 1, -1, -1):
        chosen[row] = np.nan if at == nowhere else places[row, at]
        at = came[row, at]
    return chosen, float(total.min())


def _lines(numbers: NDArray[np.intp], path: NDArray[np.float64], slope: float) -> list[Line]:
    lines: list[Line] = []
    members: list[int] = []
    near = _BLOCK / 2 + 2

    def close() -> None:
        for piece in _straight(members, path - slope * numbers):
            offset = float(np.median(path[piece] - slope * numbers[piece]))
            lines.append(Line(int(numbers[piece[0]]), int(numbers[piece[-1]]), offset))
        members.clear()

    for row, place in enumerate(path):
        if np.isnan(place):
            continue
        if members:
            previous = members[-1]
            expected = path[previous] + slope * (numbers[row] - numbers[previous])
            if abs(place - expected) > near:
                close()
        members.append(row)
    close()
    return lines


def _straight(members: list[int], offsets: NDArray[np.float64]) -> list[list[int]]:
    """Split seeds that run away from a line by small steps, as those of a shot at another speed do."""
    half = len(members) // 2
    if half < _FEWEST:
        return [members.copy()] if members else []
    early, late = members[:half], members[half:]
    if abs(float(np.median(offsets[early])) - float(np.median(offsets[late]))) <= _RUNS_AWAY:
        return [members.copy()]
    return _straight(early, offsets) + _straight(late, offsets)
