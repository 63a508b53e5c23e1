"""A cut train laid on the cuts that are seen: for every cut of an edit, the offset of its place in the file.

A chain of offsets is sought that explains the cuts seen with the fewest changes of offset.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from brisk_core.edit.ranges import FrameRange
from brisk_core.edit.timeline import Timeline

Floats = NDArray[np.float64]

TOLERANCE = 1  # frames between a cut that is expected and one that is seen, where rates differ
_MISS, _CHANGE = 1.0, 2.5  # costs of a cut that is not seen and of a change of offset
_MISS_MIXED = 0.1  # cost of a transition in which no cut is seen, as is usual
_STEP, _FEW_FRAMES = 0.9, 12  # cost of a small change, and frames up to which it is one
_TELLING = 6  # frames that another speed must shift the end by, to be told from a shift
_WRONG_END = 1.5  # cost of a file that does not begin or end where it should
_FEWEST_EXACT, _MOST_SEEN = 4, 0.85  # cuts on the line of another speed, and their share of all
_AT_ONCE = 1 << 21  # pairs of cuts compared at once
_MOST_OFFSETS, _MOST_NEAR = 24, 64  # tried in one chain: those that many cuts ask for, and those beside the likeliest
_MOST_SURE = 4  # offsets that the most cuts ask for, beside which others are looked for
_SPEEDS = (Fraction(1), Fraction(25, 24), Fraction(24, 25), Fraction(1001, 1000), Fraction(1000, 1001))


@dataclass(frozen=True, slots=True, kw_only=True)
class Observed:
    """What is seen of a file."""

    cuts: tuple[int, ...]  #: first frames of shots, without the very first
    frames: int
    rate: Fraction  #: frames a second
    black: tuple[tuple[int, int], ...] = ()  #: spans of frames


@dataclass(slots=True)
class CutTrain:
    """A cut train laid on the cuts seen, at one speed of the timeline."""

    speed: Fraction
    expected: NDArray[
        np.float64
    ]  # of every cut of the timeline, in frames of the file counted from the timeline's start
    offsets: NDArray[np.int64]  # for each cut, the offset of its place in the file
    seen: NDArray[np.bool_]
    cost: float


def lay_cuts(
    timeline: Timeline, covered: FrameRange, observed: Observed, cuts: NDArray[np.int64], zones: NDArray[np.int64]
) -> CutTrain:
    """Return the cheapest way to lay the train on the cuts, over the speeds that are met in practice.

    ``zones`` are ``(cuts, 2)``: frames that the transition at each cut lasts, and of them those before the cut; a cut
    may be seen anywhere in it, or nowhere.
    """
    best: CutTrain | None = None
    for speed in _SPEEDS:
        if speed != 1 and abs(1 - 1 / speed) * observed.frames < _TELLING:
            continue  # so short a file looks the same at both
        scale = observed.rate / timeline.rate / speed
        laid = _lay(cuts, zones, scale, covered, observed, speed)
        if best is None or (laid.cost + _MISS < best.cost and _is_exact(laid, observed)):
            best = laid
    assert best is not None  # noqa: S101 - there is at least one speed
    return best


def _is_exact(laid: CutTrain, observed: Observed) -> bool:
    """Does every cut lie within half a frame of one straight line? Frames that were lost here and there look like
    another speed to anybody who allows for more.
    """
    found = np.array(observed.cuts, np.int64)
    if not len(found):
        return False
    places = laid.expected[laid.seen] + laid.offsets[laid.seen]
    nearest = _nearest(found, places)
    off = nearest - laid.expected[laid.seen]
    reached = (laid.expected + laid.offsets > 0) & (laid.expected + laid.offsets < observed.frames)
    if len(off) < _FEWEST_EXACT or float(np.ptp(off)) > 1.0 + 1e-6:
        return False
    return len(np.unique(nearest)) >= _MOST_SEEN * max(len(found), int(np.count_nonzero(reached)))


def _lay(
    cuts: NDArray[np.int64],
    zones: NDArray[np.int64],
    scale: Fraction,
    covered: FrameRange,
    observed: Observed,
    speed: Fraction,
) -> CutTrain:
    found = np.array(observed.cuts, np.int64)
    expected = np.asarray(cuts * float(scale), np.float64)
    tolerance = (0 if scale == 1 else TOLERANCE) + np.ceil(zones[:, 0] * float(scale) / 2)
    middles = (zones[:, 0] / 2 - zones[:, 1]) * float(scale)
    mixed = zones[:, 0] > 0
    ordered = round(-covered.start * float(scale))
    offsets = _candidates(expected, found, ordered)
    seen = np.zeros((len(cuts), len(offsets)), np.bool_)
    for column, offset in enumerate(offsets):
        nearest = _distance(found, np.where(mixed, expected + middles, np.rint(expected + offset) - offset) + offset)
        seen[:, column] = nearest <= tolerance
    reach = np.rint(expected[:, None] + offsets[None, :])
    outside = (reach <= 0) | (reach >= observed.frames)
    miss = np.where(mixed, _MISS_MIXED, _MISS)[:, None]
    costs = np.where(seen, 0.0, np.where(outside, miss * 0.75, miss))
    costs = costs + np.where((offsets == ordered)[None, :], 0.0, 0.01)  # the ordered place wins a tie
    costs[0] += np.where(offsets == ordered, 0.0, _WRONG_END)
    ends = np.rint(float(scale) * covered.end + offsets)
    costs[-1] += np.where(np.abs(ends - observed.frames) <= (0 if scale == 1 else TOLERANCE), 0.0, _WRONG_END)
    path, cost = _cheapest(costs, _change_costs(offsets))
    chosen = offsets[path]
    rows = np.arange(len(cuts))
    unexplained = len(found) - len({int(place) for place in reach[rows, path][seen[rows, path]]})
    return CutTrain(
        speed=speed, expected=expected, offsets=chosen, seen=seen[rows, path], cost=cost + max(unexplained, 0) * 0.5
    )


def _distance(found: NDArray[np.int64], places: Floats) -> Floats:
    """Frames from each place to the nearest cut seen."""
    if not len(found):
        return np.full(len(places), np.inf)
    return np.asarray(np.abs(_nearest(found, places) - places), np.float64)


def _nearest(found: NDArray[np.int64], places: Floats) -> NDArray[np.int64]:
    """The cut seen that is nearest to each place; there is at least one."""
    at = np.searchsorted(found, places)
    before, after = found[np.maximum(at - 1, 0)], found[np.minimum(at, len(found) - 1)]
    return np.where(np.abs(places - before) <= np.abs(after - places), before, after)


def _candidates(expected: Floats, found: NDArray[np.int64], ordered: int) -> NDArray[np.int64]:
    """The offsets at which the most cuts fall on cuts that are seen, the ordered one always among them."""
    if not len(found):
        return np.array([ordered], np.int64)
    lowest, highest = (int(np.floor(one)) for one in (found[0] - expected[-1], found[-1] - expected[0]))
    counted = np.zeros(highest - lowest + 2, np.int64)
    few = max(1, _AT_ONCE // len(found))
    for at in range(0, len(expected), few):
        shifts = np.rint(found[None, :] - expected[at : at + few, None]).astype(np.int64) - lowest
        counted += np.bincount(shifts.ravel(), minlength=len(counted))
    most = np.argsort(counted, kind="stable")[::-1][:_MOST_OFFSETS]
    likely = np.array(sorted({ordered, *(int(at) + lowest for at in most if counted[at] > 1)}), np.int64)
    # A cut or two may tell of a frame lost on both sides of them; by chance, as many fall anywhere.
    there = np.flatnonzero(counted) + lowest
    sure = np.array([ordered, *(most[:_MOST_SURE] + lowest)], np.int64)
    near = there[np.abs(there[:, None] - sure[None, :]).min(axis=1) <= _FEW_FRAMES]
    near = near[np.argsort(counted[near - lowest], kind="stable")[::-1]][:_MOST_NEAR]
    return np.unique(np.concatenate([likely, near]))


def _cheapest(costs: Floats, changes: Floats) -> tuple[NDArray[np.intp], float]:
    """The cheapest path through rows of costs; ``changes`` is what going from one column to another costs."""
    rows, columns = costs.shape
    total = costs[0].copy()
    came = np.zeros((rows, columns), np.intp)
    for row in range(1, rows):
        ways = total[:, None] + changes
        came[row] = ways.argmin(axis=0)
        total = ways.min(axis=0) + costs[row]
    path = np.empty(rows, np.intp)
    path[-1] = int(total.argmin())
    for row in range(rows - 1, 0, -1):
        path[row - 1] = came[row, path[row]]
    return path, float(total.min())


def _change_costs(offsets: NDArray[np.int64]) -> Floats:
    """What a change from one offset to another costs: frames lost or added in a shot are likelier than a cut that is
    missing while another stands beside its place.
    """
    apart = np.abs(offsets[:, None] - offsets[None, :])
    return np.asarray(np.where(apart == 0, 0.0, np.where(apart <= _FEW_FRAMES, _STEP, _CHANGE)), np.float64)
