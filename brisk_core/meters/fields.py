"""Field analysis: do the two fields of a frame show one moment or two, and which of them is first?

Three weaves of full lines are looked at for each picture: its own two fields, the previous bottom field with the
present top field, and the previous top field with the present bottom field. Where fields of different moments are
woven, lines alternate (combing). In a progressive picture its own weave combs least and the two others alike. In an
interlaced one, the weave over the frame border that lies one field apart combs less than the one that lies three
fields apart; which one that is tells the order. Still pictures comb nowhere, and so say nothing.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from brisk_core.facts import FieldOrder, Scan
from brisk_core.meters.kernels import weigh_weaves
from brisk_core.meters.picture import Picture
from brisk_core.meters.rows import Rows
from brisk_core.meters.spans import neighbours, runs

#: Mean combing of a block in its strongest weave over that in its weakest, in 8-bit steps, from which the block counts:
#: fine detail, grain and the coder's changing quality comb alike in all three.
_LEAST_EXCESS = 1.5
_STRONG_EXCESS = 6.0  # noise does not reach it; where some blocks do, the weak ones are not asked
_CLEAN = 0.2  # share of the strongest weave up to which a block's own weave shows one moment
_SIDED = 0.3  # difference of the two weaves over the border, as a share of the strongest, that tells an order
_ALIKE = 0.5  # the same difference up to which they still count as alike
#: Weight (8-bit steps summed over blocks) from which blocks tell anything, and how far the winner must outweigh the
#: rest.
#: Noise puts its blocks on all sides alike.
_LEAST_WEIGHT = 8.0
_OUTWEIGHS = 4.0
#: Blocks of two moments beside blocks of one: a progressive overlay on interlaced pictures. They count from this
#: share on.
_LEAST_TWO = 0.05
_ONE_ORDER = 8.0  # times the weight of the other order in the whole file, from which weak pictures are believed
_AMONG_ONE = 24.0  # weight from which two moments count beside more of one
_BEYOND_CHANCE = 4.0  # square roots of the weight of both orders by which one must outweigh the other
_LASTS = 11  # pictures before and after over which an order must hold
_LASTING, _PURE = 5.0, 8.0  # times the other order; below the second it must be a share of one moment as well
_LEAST_BESIDE = 0.6
_SAME_FIELD = 0.3  # change of a field over that of the other, below which it shows its previous moment again
_FIELD_MOVES = 0.5  # 8-bit steps by which the other field must change for that
_LEAST_FRAMES = 5  # pictures with motion below which a file says nothing,
_LEAST_SURE = 0.02  # and their share: of pure noise, one in some hundreds seems to say something
_BURST = 2  # pictures in a row of two moments in a progressive file, or of the other order, that are reported
_LONG = 12  # pictures in a row of one moment in an interlaced file that are reported
_PULLDOWN = 5  # frames of a 3:2 pulldown period (SMPTE RP 197): three clean, two mixed
_LEAST_MIXED = 12  # pictures that are sure, from which a file can be both
_STRAY, _FEW_STRAYS = 0.02, 4  # share of pictures, and number of them, that may contradict the verdict

UNSURE, PROGRESSIVE, TOP, BOTTOM = 0, 1, 2, 3
_NO_CUTS = np.zeros(0, np.intp)


class FieldMeter:
    """Combing of the three weaves, and the change of each field against the same field before."""

    name = "fields"
    row = np.dtype(
        [("one", "f4"), ("two_top", "f4"), ("two_bottom", "f4"), ("top", "f2"), ("bottom", "f2"), ("comb", "f2")]
    )
    looks_back = True

    def measure(self, now: Picture, before: Sequence[Picture]) -> tuple[Any, ...]:
        """Return the weight of blocks that show one moment, two with the top field first, two with the bottom field
        first, the change of the top and of the bottom field, and how much the picture itself combs, in 8-bit steps.
        """
        if not before or not now.bands.size:
            return (0.0, 0.0, 0.0, np.nan, np.nan, np.nan)
        weaves, _, top_sum, bottom_sum, samples = now.against(before[-1])
        top, bottom = (total * (1 / samples) for total in (top_sum, bottom_sum))
        if top == bottom == 0:
            return (0.0, 0.0, 0.0, 0.0, 0.0, np.nan)
        weights = weigh_weaves(weaves, (_LEAST_EXCESS, _STRONG_EXCESS, _LEAST_WEIGHT), (_CLEAN, _SIDED, _ALIKE))
        return (*weights, top, bottom, float(weaves[0].mean()))


@dataclass(frozen=True, slots=True, kw_only=True)
class FieldVerdict:
    """What the fields of a file show."""

    scan: Scan | None  #: None without enough motion
    order: FieldOrder | None
    moments: NDArray[np.uint8]  #: for each picture UNSURE, PROGRESSIVE, TOP or BOTTOM
    says: str  #: why nothing can be said, empty when something can
    spans: tuple[tuple[int, int, str], ...]  #: stretches that differ from the verdict, what they are


def moments(rows: Rows, cuts: NDArray[np.intp] = _NO_CUTS) -> NDArray[np.uint8]:
    """Return for each picture what its weaves say; first pictures of shots (``cuts``) say nothing."""
    one, top, bottom = (np.nan_to_num(rows[name].astype(np.float64)) for name in ("one", "two_top", "two_bottom"))
    one[cuts] = top[cuts] = bottom[cuts] = 0
    two = top + bottom
    # Fine patterns that move up or down comb to both sides; what else they do by chance is weak beside that.
    balanced = np.minimum(top, bottom)[one + two >= _LEAST_WEIGHT]
    least = max(_LEAST_WEIGHT, _OUTWEIGHS * float(np.median(balanced))) if len(balanced) else _LEAST_WEIGHT
    said = np.zeros(len(rows), np.uint8)
    said[(one >= _LEAST_WEIGHT) & (one >= _OUTWEIGHS * two)] = PROGRESSIVE
    for kind, mine, other in ((TOP, top, bottom), (BOTTOM, bottom, top)):
        lenient = (mine >= _LEAST_WEIGHT) & (mine >= _OUTWEIGHS * other) & (mine >= _LEAST_TWO * one)
        if float(mine.sum()) < _ONE_ORDER * float(other.sum()):
            # Blocks of noise fall to both sides as chance will: the more there are, the farther they may lie apart.
            beyond_chance = mine - other >= _BEYOND_CHANCE * np.sqrt(mine + other)
            lenient &= beyond_chance & (mine >= least) & ((mine >= one) | (mine >= _AMONG_ONE))
        said[lenient & _is_borne_out(one, mine, other, cuts)] = kind
    said[_repeats_a_field(rows) != UNSURE] = UNSURE
    return said


def _is_borne_out(
    one: NDArray[np.float64], mine: NDArray[np.float64], other: NDArray[np.float64], cuts: NDArray[np.intp]
) -> NDArray[np.bool_]:
    """Return at which pictures an order of fields holds over the pictures before, after or around of the shot as well.

    Thin letters that roll up a progressive picture comb as their lines fall, to one side in this picture and to the
    other in the next; blocks of one moment are more. Fields of two moments comb to one side for as long as they are
    seen.
    """
    count = len(one)
    at, edges = np.arange(count), np.array([0, *cuts, count])
    shot = np.searchsorted(edges, at, side="right")
    first, last = edges[shot - 1], edges[np.minimum(shot, len(edges) - 1)]
    sums = [np.concatenate([[0.0], np.cumsum(values)]) for values in (one, mine, other)]
    found = np.zeros(count, np.bool_)
    for before, after in ((_LASTS, 0), (0, _LASTS), (_LASTS // 2, _LASTS // 2)):
        begin, end = np.maximum(at - before, first), np.minimum(at + after + 1, last)
        once, here, there = (total[end] - total[begin] for total in sums)
        holds = (here >= _PURE * there) | ((here >= _LASTING * there) & (here >= _LEAST_BESIDE * once))
        whole = (end - begin == before + after + 1) | (last - first <= _LASTS)  # at the ends the other way tells
        found |= holds & whole
    return found


def judge_fields(rows: Rows, cuts: NDArray[np.intp] = _NO_CUTS) -> FieldVerdict:
    """Decide what a file is from the rows of its pictures; first pictures of shots (``cuts``) say nothing."""
    said = moments(rows, cuts)
    sure = np.count_nonzero(said)
    if sure < max(_LEAST_FRAMES, _LEAST_SURE * len(rows)):
        says = f"not enough motion: {sure} of {len(rows)} pictures move in a way that tells fields apart"
        return FieldVerdict(scan=None, order=None, moments=said, says=says, spans=())
    counts = {kind: int(np.count_nonzero(said == kind)) for kind in (PROGRESSIVE, TOP, BOTTOM)}
    if (order := _pulldown_order(rows)) is not None:
        return FieldVerdict(scan=Scan.PULLDOWN_3_2, order=order, moments=said, says="", spans=())
    main = max(counts, key=lambda kind: counts[kind])
    spans = tuple((start, end, _WORDS[kind]) for start, end, kind in _other_runs(said, main, rows["comb"]))
    strays = sum(_sure_in(said, start, end, main) for start, end, _ in spans)
    if strays > _STRAY * sure and sure < _LEAST_MIXED:
        says = f"the {sure} of {len(rows)} pictures that move in a way that tells fields apart do not agree"
        return FieldVerdict(scan=None, order=None, moments=said, says=says, spans=spans)
    if strays > max(_STRAY * sure, _FEW_STRAYS):
        fields = {TOP, BOTTOM} - {kind for kind in (TOP, BOTTOM) if counts[kind] <= _STRAY * sure}
        if main != PROGRESSIVE and counts[PROGRESSIVE] <= _STRAY * sure:
            return FieldVerdict(scan=Scan.INTERLACED, order=None, moments=said, says="", spans=spans)
        order = _ORDERS[next(iter(fields))] if len(fields) == 1 else None
        return FieldVerdict(scan=Scan.MIXED, order=order, moments=said, says="", spans=spans)
    scan = Scan.PROGRESSIVE if main == PROGRESSIVE else Scan.INTERLACED
    if main == PROGRESSIVE:
        known = {at for start, end, _ in spans for at in range(start - 1, end + 1)}
        bursts = [span for span in _combed_bursts(rows, cuts) if not known & set(range(*span))]
        spans = tuple(sorted((*spans, *((start, end, _TWO_MOMENTS) for start, end in bursts))))
    return FieldVerdict(scan=scan, order=_ORDERS.get(main), moments=said, says="", spans=spans)


_TWO_MOMENTS = "two moments"
_BURST_COMB, _BURST_LEAST = 3.0, 0.04  # times the combing of the pictures around, and 8-bit steps added to it
_BURST_OVER = 2.0  # times the most that any of the pictures around combs
_BURST_ONE = 0.35  # of the weight of one moment that is usual around
_LONGEST_BURST, _BURST_AROUND = 12, 8  # pictures


def _combed_bursts(rows: Rows, cuts: NDArray[np.intp]) -> list[tuple[int, int]]:
    """Return short runs of pictures that comb far more than those around them, and do not show one moment as they do.

    A few woven pictures beside pictures of one moment are seldom sure of an order.
    """
    comb, one = _carried_on(rows["comb"]), np.nan_to_num(rows["one"].astype(np.float64))
    around, usual = (neighbours(values, _BURST_AROUND) for values in (comb, one))
    around[np.isnan(around).all(axis=1)] = 0  # nothing is known around
    usual_one = np.nan_to_num(np.nanmedian(usual, axis=1)) if len(rows) > 1 else np.zeros(len(rows))
    usual_comb = np.nan_to_num(np.nanquantile(around, 0.6, axis=1)) if len(rows) > 1 else comb
    odd = (comb > _BURST_COMB * usual_comb + _BURST_LEAST) & (one < _BURST_ONE * usual_one)
    odd &= usual_one >= _LEAST_WEIGHT
    # The first woven picture still goes with the one before it.
    mixed = (comb > _BURST_COMB * usual_comb + _BURST_LEAST) & (usual_one >= _LEAST_WEIGHT)
    found = []
    for start, end in runs(mixed):
        near_cut = np.any((cuts >= start - 1) & (cuts <= end + 1))
        beside = np.concatenate([comb[max(start - _BURST_AROUND, 0) : start], comb[end : end + _BURST_AROUND]])
        beside = beside[~np.isnan(beside)]
        stands_out = len(beside) and float(comb[start:end].min()) > _BURST_OVER * float(beside.max())
        if _BURST <= end - start <= _LONGEST_BURST and odd[start:end].any() and stands_out and not near_cut:
            found.append((start, end))
    return found


def _carried_on(comb: NDArray[Any]) -> NDArray[np.float64]:
    """Return the combing of each picture: one that is the same as the picture before combs as that one does. NaN until
    the first that is known.
    """
    last = np.maximum.accumulate(np.where(np.isnan(comb), 0, np.arange(len(comb))))
    return np.asarray(comb[last], np.float64)


_ORDERS = {TOP: FieldOrder.TOP, BOTTOM: FieldOrder.BOTTOM}
_WORDS = {
    PROGRESSIVE: "both fields show one moment",
    TOP: "two moments, top field first",
    BOTTOM: "two moments, bottom field first",
}


def _sure_in(said: NDArray[np.uint8], start: int, end: int, main: int) -> int:
    part = said[start:end]
    return int(np.count_nonzero((part != UNSURE) & (part != main)))


def _other_runs(said: NDArray[np.uint8], main: int, comb: NDArray[Any]) -> list[tuple[int, int, int]]:
    """Runs of at least ``_BURST`` pictures that say something else; a picture or two that say nothing do not break
    one.
    """
    found = []
    for kind in (PROGRESSIVE, TOP, BOTTOM):
        if kind == main:
            continue
        # Overlays of one moment on interlaced pictures can hide the motion for a while.
        least = _LONG if kind == PROGRESSIVE else _BURST
        for start, end in runs(said == kind, bridge=said == UNSURE, most_bridged=2):
            if np.count_nonzero(said[start:end] == kind) >= least:
                found.append((start - _begins_earlier(comb, start, kind), end, kind))
    return sorted(found)


def _begins_earlier(comb: NDArray[Any], start: int, kind: int) -> bool:
    """Does the picture before a run of two moments comb as the run does? After one of one moment its order cannot be
    told.
    """
    if kind == PROGRESSIVE or start < 3:
        return False
    before, first, run = (float(comb[at]) for at in (start - 2, start - 1, start))
    return first - before > 0.5 * (run - before) > 0


def _repeats_a_field(rows: Rows) -> NDArray[np.uint8]:
    """Return for each picture TOP or BOTTOM where that field alone shows its previous moment again, else UNSURE."""
    top, bottom = (np.nan_to_num(rows[name].astype(np.float32)) for name in ("top", "bottom"))
    found = np.zeros(len(rows), np.uint8)
    found[(top < _SAME_FIELD * bottom) & (bottom > _FIELD_MOVES)] = TOP
    found[(bottom < _SAME_FIELD * top) & (top > _FIELD_MOVES)] = BOTTOM
    return found


def _pulldown_order(rows: Rows) -> FieldOrder | None:
    """Return which field comes first in a 3:2 pulldown, ``None`` where there is none.

    Four pictures make ten fields, so in every five frames one field is shown twice in a row and two frames later the
    other one: the first of the two is the field that comes first in time.
    """
    repeated = _repeats_a_field(rows)
    places = np.flatnonzero(repeated)
    if len(places) < 2 * _LEAST_FRAMES:
        return None
    phases = {
        kind: np.bincount(np.flatnonzero(repeated == kind) % _PULLDOWN, minlength=_PULLDOWN) for kind in (TOP, BOTTOM)
    }
    if any(counts.max() < _PULLDOWN_AGREES * max(counts.sum(), 1) for counts in phases.values()):
        return None
    distance = (int(phases[BOTTOM].argmax()) - int(phases[TOP].argmax())) % _PULLDOWN
    return {2: FieldOrder.TOP, 3: FieldOrder.BOTTOM}.get(distance)


_PULLDOWN_AGREES = 0.8
