"""Motion: pictures that are blended from two others (ghosting), that are missing, or in each other's place.

A picture that is the weighted mean of its neighbours fits them far better than real motion does. Where a whole file
was brought to another rate by blending, the weights run through a pattern: the picture is sharp where an output picture
falls on a source picture and soft between two. That pattern is looked for in the sharpness of what moves, for each
pair of rates that occurs in practice; the rate it came from is named with it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from brisk_core.meters.change import Steadiness
from brisk_core.meters.kernels import fit_between
from brisk_core.meters.picture import Picture
from brisk_core.meters.rows import Rows
from brisk_core.meters.spans import neighbours, runs

_STANDS_OUT, _MOST_NOISE = 2.0, 4.0  # 8-bit steps above the median block; steps up to which the median can be noise
_LEAST_STRONG, _FEWEST_BLOCKS = 0.5, 20
_LEAST_DETAIL = 0.25  # 8-bit steps added to the detail of every block, so that flat ones tell nothing
_AROUND = 5  # blocks across over which motion is spread when sharpness is compared
_LINE_STEP = 6  # lines of bands between those in which a blend is looked for: one of each band
_MOVES = 10.0  # 8-bit steps between the pictures before and after from which a sample moves
_LEAST_SHARE = 0.005  # of the samples must move
_NOISE = 1.0  # 8-bit steps of change that every block has

_FITS = 0.22  # residual of the blend over the motion, at most
_FITS_BETTER = 0.55  # residual over that of the pictures beside it, at most: slow motion and dissolves fit everywhere
_B_FITS_BETTER = 0.45  # the same for a picture that is predicted from both sides
_WEIGHTS = (0.15, 0.85)
_DOUBLE, _FITS_SURELY = 0.5, 0.18  # of double edges; residual at most where edges cannot be looked at
_MOVES_ON = 0.35  # residual of the pictures beside it in motion that their neighbours do not explain
_MOVES_SURELY = 0.38  # the same, where a coder may have made the picture
_CHEAP, _STARVED = 0.004, 0.006  # bits a sample for each 8-bit step of change: of a picture, and of those around it
_CHEAPER, _AROUND_PICTURES = 0.15, 6  # of the bits of the pictures around it
_FEWEST_MOVED = 16  # samples of a tile that change
_APART = 1.0  # 8-bit steps between both ways a picture can lie between two, from which it tells which it is

#: Rates that material is brought from (frames a second).
_SOURCES = tuple(
    Fraction(*rate)
    for rate in ((24000, 1001), (24, 1), (25, 1), (30000, 1001), (30, 1), (50, 1), (60000, 1001), (60, 1))
)
_LEAST_MOVING = 30  # pictures
_PHASES = 24
_ALIKE = 0.6  # correlation of sharpness with the pattern
_ALIKE_BOTH, _SURELY = 0.5, 1.1  # the same where coarse detail follows it surely
_DEPTH = 0.04  # share of the sharpness that the pattern takes away between two source pictures
_CLEAN_WEIGHT = 0.06  # of the lesser picture, up to which a picture counts as not blended
_USUAL_STEP = 4  # pictures before and after whose steps are the usual
_TURN_SURE, _STEP_SURE = 0.12, 0.025  # samples, and share of a step, within which it is known
_MOST_MOVED = 0.5  # of the pictures
_COARSE_ALIKE, _COARSE_DEPTH = 0.4, 0.045  # correlation of coarse detail with the pattern; the logarithm it takes away

_EDGE_REACH = 0.45  # of a tile's edge: longer steps cannot be told
_SURE_PEAK = 0.08  # height of a correlation peak from which a step is told
_MOVES_TOO, _STEP_NOISE = 0.5, 0.5  # change of the next tile over that of the busiest; samples steps may differ by
_STANDING_PEAK = 0.3  # height of the peak from which a step of none is none
_ALONE_PEAK = 0.5  # height of the peak where only one tile moves
_JUMP, _MOST_LOST = 1.7, 12  # step over that of the neighbours where pictures are missing, and the most that are
_LEAST_STEP = 3.0  # samples a picture
_CRAWLS = 3.0  # samples in two pictures
_LEAST_TURN = 1.0  # samples that a picture moves there, and back


class MotionMeter:
    """Change of sharpness of what moves, the fit of the previous picture to its neighbours, and the step of the busiest
    tile.
    """

    name = "motion"
    row = np.dtype(
        [("sharper", "f2"), ("moves", "f2"), ("weight", "f2"), ("residual", "f2"), ("double", "f2"),
         ("step_x", "f2"), ("step_y", "f2"), ("peak", "f2"), ("coarser", "f2")]
    )  # fmt: skip
    looks_back = True

    def measure(self, now: Picture, before: Sequence[Picture]) -> tuple[Any, ...]:
        """Return change of sharpness where it moves (a logarithm) and strength of motion, weight and residual of the
        fit of the picture before and whether its edges are double, step and its peak, and the change of what is
        coarse where it steps (a logarithm).
        """
        if not before:
            return (np.nan,) * 9
        previous = before[-1]
        change = np.maximum(now.against(previous).changed - _NOISE, 0)
        moves = float(change.sum())
        sharper = _sharper(change, now, previous)
        weight = residual = np.nan
        if len(before) > 1:
            earlier = before[-2]
            weight, residual = fit_between(earlier.bands, previous.bands, now.bands, _LINE_STEP, _MOVES, _LEAST_SHARE)
        fits = residual < _FITS and _WEIGHTS[0] <= weight <= _WEIGHTS[1]
        double = _double(now, previous, before[-2], weight) if fits else np.nan
        return (sharper, moves / change.size, weight, residual, double, *_step(now, previous))


def _sharper(change: NDArray[np.float32], now: Picture, before: Picture) -> float:
    """Return the logarithm of how much sharper what moves is than in the previous picture, NaN where too little moves.

    The median over the blocks that move: a counter or a clock that changes its digits must not speak for the picture.
    """
    # Grain and the coder's changing quality move everywhere; what moves more than most tells.
    strong = np.maximum(change - min(float(np.median(change)), _MOST_NOISE) - _STANDS_OUT, 0)
    # An edge that steps from one block into the next is looked at in both.
    moving = cv2.blur(strong, (_AROUND, 1)) > _LEAST_STRONG
    if np.count_nonzero(moving) < _FEWEST_BLOCKS:
        return float("nan")
    details = [cv2.blur(one.detail_blocks, (_AROUND, 1))[moving] + _LEAST_DETAIL for one in (now, before)]
    return float(np.median(np.log(details[0] / details[1])))


def _double(now: Picture, middle: Picture, earlier: Picture, weight: float) -> float:
    """Return whether a picture between two others shows both of them (1) or what lies half way (-1), NaN where too
    little moves to tell: a coder of few bits, slow motion and fades all fit the mean of their neighbours.
    """
    one, between, other = earlier.tiles, middle.tiles, now.tiles
    if not len(one):
        return np.nan
    edge = one.shape[1]
    best = (_APART, np.nan)
    for at in range(len(one)):
        first, seen, last = (tiles[at].astype(np.float32) for tiles in (one, between, other))
        if float(np.abs(last - first).mean()) < _NOISE:
            continue
        x, y, peak = _tile_step(one[at], other[at])
        margin = int(max(abs(x), abs(y)) / 2) + 2
        if peak < _SURE_PEAK or margin > edge // 4:
            continue
        halves = [
            cv2.warpAffine(tile, np.array([[1, 0, way * x / 2], [0, 1, way * y / 2]]), (edge, edge))
            for tile, way in ((first, 1), (last, -1))
        ]
        inside = np.s_[margin:-margin, margin:-margin]
        # A ground that stands lies half way nowhere: what does not change says nothing.
        moved = np.abs(last - first)[inside] > _MOVES
        if np.count_nonzero(moved) < _FEWEST_MOVED:
            continue
        single = ((halves[0] + halves[1]) / 2)[inside][moved]
        double = ((1 - weight) * first + weight * last)[inside][moved]
        apart = float(np.abs(single - double).mean())
        if apart > best[0]:
            off = [float(np.abs(seen[inside][moved] - one_way).mean()) for one_way in (single, double)]
            best = apart, (off[0] - off[1]) / apart
    return best[1]


def _step(now: Picture, previous: Picture) -> tuple[float, float, float, float]:
    """Return the step of the tile that changes most, in samples across and down, how sure it is, and the logarithm of
    how much more coarse detail the tile has; nothing is sure where the next tile steps another way.
    """
    one, other = now.tiles, previous.tiles
    if not len(one):
        return np.nan, np.nan, 0.0, np.nan
    changes = np.array([float(cv2.mean(cv2.absdiff(a, b))[0]) for a, b in zip(one, other, strict=True)])
    busiest, *rest = np.argsort(-changes, kind="stable").tolist()
    if changes[busiest] < _NOISE:
        return 0.0, 0.0, 0.0, np.nan
    x, y, peak = _tile_step(other[busiest], one[busiest])
    if max(abs(x), abs(y)) > _EDGE_REACH * one.shape[1]:
        return np.nan, np.nan, 0.0, np.nan
    if rest and changes[rest[0]] > _MOVES_TOO * changes[busiest]:
        x_too, y_too, _ = _tile_step(other[rest[0]], one[rest[0]])
        if np.hypot(x_too - x, y_too - y) > _STEADY_STEP * np.hypot(x, y) + _STEP_NOISE:
            peak = 0.0
    elif peak < _ALONE_PEAK:
        peak = 0.0
    details = [_detail_of(picture.coarse_tiles[busiest]) + _LEAST_DETAIL for picture in (now, previous)]
    return 2 * x, 2 * y, peak, float(np.log(details[0] / details[1]))


def _detail_of(cells: NDArray[np.uint8]) -> float:
    """Return how much neighbouring cells differ, down and across, 8-bit steps."""
    beside = (cells[1:], cells[:-1]), (cells[:, 1:], cells[:, :-1])
    return sum(float(cv2.mean(cv2.absdiff(one, other))[0]) for one, other in beside)


@lru_cache(maxsize=2)
def _window(edge: int) -> NDArray[np.float32]:
    return np.asarray(cv2.createHanningWindow((edge, edge), cv2.CV_32F), np.float32)


def _tile_step(before: NDArray[np.uint8], after: NDArray[np.uint8]) -> tuple[float, float, float]:
    """Return by how many samples of the tiles one has moved, and the height of the peak."""
    edge = before.shape[0]
    (x, y), peak = cv2.phaseCorrelate(before.astype(np.float32), after.astype(np.float32), _window(edge))
    return float(x), float(y), float(peak)


@dataclass(frozen=True, slots=True, kw_only=True)
class MotionVerdict:
    """Blended and missing pictures of a file, and those in each other's place."""

    blends: tuple[tuple[int, int], ...]  #: half-open, pictures that are blended
    source_rate: Fraction | None  #: the rate the file was brought from by blending, where the pattern tells
    drops: tuple[tuple[int, int], ...]  #: half-open, the picture after a missing one
    swaps: tuple[tuple[int, int], ...]  #: half-open, two pictures in each other's place


@dataclass(frozen=True, slots=True, kw_only=True)
class Coded:
    """What each picture cost its coder, in the order they are shown."""

    types: NDArray[np.uint8]  #: ASCII of I, P, B or ?
    bits: NDArray[np.float64]  #: a sample of luma

    def brought_to(self, count: int) -> Coded:
        """The same for a number of pictures; of those beyond the packets nothing is known."""
        more = max(count - len(self.types), 0)
        types = np.concatenate([self.types[:count], np.full(more, ord("?"), np.uint8)])
        return Coded(types=types, bits=np.concatenate([self.bits[:count], np.full(more, np.inf)]))


def judge_motion(
    rows: Rows, cuts: NDArray[np.intp], steadiness: Steadiness, rate: Fraction, coded: Coded | None = None
) -> MotionVerdict:
    """Find blended and missing pictures; ``rate`` is that of the file in frames a second.

    ``coded`` tells pictures that a coder of few bits has made from those beside them.
    """
    coded = coded.brought_to(len(rows)) if coded is not None else None
    blended = _single_blends(rows, cuts)
    if coded is not None:
        blended &= ~_made_by_coder(rows, coded)
    source, pattern = _rate_pattern(rows, cuts, rate, coded)
    if pattern is not None:
        blended |= pattern
    return MotionVerdict(
        blends=tuple(runs(blended)),
        source_rate=source,
        drops=_find_drops(rows, cuts, steadiness),
        swaps=_find_swaps(rows, cuts, steadiness),
    )


def _single_blends(rows: Rows, cuts: NDArray[np.intp]) -> NDArray[np.bool_]:
    """Pictures that their neighbours explain, while the pictures beside them are not explained by theirs."""
    count = len(rows)
    found = np.zeros(count, np.bool_)
    weight = np.append(rows["weight"].astype(np.float64)[1:], np.nan)  # of the picture itself
    residual = np.append(rows["residual"].astype(np.float64)[1:], np.nan)
    double = np.append(rows["double"].astype(np.float64)[1:], np.nan)
    broken = np.zeros(count + 2, np.bool_)
    broken[cuts] = True
    crawls = _crawls(rows)
    for at in range(2, count - 2):
        if not (residual[at] < _FITS and _WEIGHTS[0] <= weight[at] <= _WEIGHTS[1]):
            continue
        if crawls[at] or broken[at - 1 : at + 3].any():
            continue
        beside = min(residual[at - 1], residual[at + 1])
        # Where the edges cannot be looked at, the fit itself has to be beyond doubt.
        if np.isnan(double[at]):
            sure = residual[at] < min(_FITS_SURELY, _B_FITS_BETTER * beside) and beside > _MOVES_ON
        else:
            sure = double[at] >= _DOUBLE
        found[at] = sure and beside * _FITS_BETTER > residual[at]
    return found


def _crawls(rows: Rows) -> NDArray[np.bool_]:
    """Return at which pictures what moves goes no farther than edges are wide, by the steps to the picture before and
    from the one after, or by the one of them that is sure: there each picture is about the mean of those beside it.
    """
    steps = np.hypot(rows["step_x"].astype(np.float64), rows["step_y"].astype(np.float64))
    sure = np.where(rows["peak"] > _STANDING_PEAK, steps, np.nan)
    before, after = np.append(np.nan, sure)[:-1], np.append(sure, np.full(2, np.nan))[2:]
    both = np.where(np.isnan(before), after, before) + np.where(np.isnan(after), before, after)
    return np.asarray(both < _CRAWLS, np.bool_)


def _made_by_coder(rows: Rows, coded: Coded) -> NDArray[np.bool_]:
    """Pictures that cost next to nothing: a coder with few bits to spend shows the mean of the pictures beside them.

    Where motion is strong and the pictures around were given their bits, a cheap picture is the mean by its own making.
    """
    residual = np.append(rows["residual"].astype(np.float64)[1:], np.nan)
    bits = np.where((coded.types == ord("I")) | np.isinf(coded.bits), 0.0, coded.bits)
    around, moves = (
        np.median(np.nan_to_num(neighbours(values, _AROUND_PICTURES)), axis=1)
        for values in (bits, rows["moves"].astype(np.float64))
    )
    # A drawing needs few bits; what moves much needs many.
    cheap = coded.bits < np.maximum(_CHEAPER * around, _CHEAP * moves)
    starved = around < _STARVED * moves
    beside = np.nan_to_num(neighbours(residual, 1)).min(axis=1)
    likely = (coded.types == ord("B")) & (residual > _B_FITS_BETTER * beside)
    return np.asarray(likely | (cheap & (starved | (beside < _MOVES_SURELY))), np.bool_)


def _rate_pattern(
    rows: Rows, cuts: NDArray[np.intp], rate: Fraction, coded: Coded | None
) -> tuple[Fraction | None, NDArray[np.bool_] | None]:
    """Return the source rate whose pattern the sharpness follows, and the pictures that are blended."""
    moves, sharper = rows["moves"].astype(np.float64), rows["sharper"].astype(np.float64)
    usable = (moves > _LEAST_PATTERN_MOTION) & ~np.isnan(sharper)
    usable[cuts] = False
    if np.count_nonzero(usable) < _LEAST_MOVING:
        return None, None
    if coded is not None:
        sharper = _less_types(sharper, usable, coded.types)
    relative = np.where(usable, sharper, 0.0)
    numbers = np.arange(len(rows))
    best: tuple[float, Fraction | None, float, float] = (_ALIKE_BOTH, None, 0.0, 0.0)  # score, rate, phase, alike
    for source in _SOURCES:
        ratio = source / rate
        if ratio.denominator == 1 or not _PLAUSIBLE[0] <= ratio <= _PLAUSIBLE[1]:
            continue
        place = numbers * float(ratio)
        for phase in np.arange(_PHASES) / _PHASES:
            pattern = np.diff(_softness(place + phase), prepend=0.0)
            alike, depth = _correlation(relative[usable], -pattern[usable])
            # Several phases fit a short pattern alike; the one that swings most is the one that explains it.
            score = alike + _SWING * float(np.ptp(pattern[usable])) - _ODD * (ratio.denominator > _LONG_PATTERN)
            if alike > _ALIKE_BOTH and depth > _DEPTH and score > best[0] and _holds(relative, -pattern, usable, ratio):
                best = (score, source, float(phase), alike)
    _, source_rate, phase, alike = best
    if source_rate is None:
        return None, None
    places = np.asarray(numbers * float(source_rate / rate) + phase, np.float64)
    coarse = _coarse_follows(rows, usable, places, coded)
    doubtful = alike < _ALIKE or _rests_between_samples(rows, usable, source_rate / rate)
    if doubtful and coarse < (_SURELY if alike < _ALIKE else 1):
        return None, None
    lesser = np.minimum(places % 1, 1 - places % 1)
    return source_rate, (lesser > max(_CLEAN_WEIGHT, 0.5 / _PHASES)) & _near(usable)


def _rests_between_samples(rows: Rows, usable: NDArray[np.bool_], ratio: Fraction) -> bool:
    """Does a still picture that is moved come to lie between two samples as often as blends lie between two pictures?

    What is made up between samples is softer by as much, in the same turn.
    """
    turn = float(min(ratio % 1, 1 - ratio % 1))
    sure = rows["peak"] > _STANDING_PEAK
    found = np.zeros(len(rows), np.bool_)
    for name in ("step_x", "step_y"):
        steps = np.where(sure, rows[name].astype(np.float64), np.nan)
        around = neighbours(steps, _USUAL_STEP)
        around[np.isnan(around).all(axis=1)] = 0
        usual = np.abs(np.nanmedian(around, axis=1))
        past = np.minimum(usual % 1, 1 - usual % 1)
        found |= sure & (np.abs(past - turn) < _TURN_SURE + _STEP_SURE * usual)
    return bool(np.count_nonzero(found & usable) > _MOST_MOVED * np.count_nonzero(usable))


def _coarse_follows(rows: Rows, usable: NDArray[np.bool_], places: NDArray[np.float64], coded: Coded | None) -> float:
    """Return how far what is coarse loses its detail too by the place between two pictures, over what a blend takes at
    least: 1 and more for a blend, less for what lies between two samples.
    """
    coarser = rows["coarser"].astype(np.float64)
    known = usable & ~np.isnan(coarser)
    if np.count_nonzero(known) < _LEAST_MOVING:
        return 0.0
    if coded is not None:
        coarser = _less_types(coarser, known, coded.types)
    pattern = np.diff(_softness(places), prepend=0.0)
    alike, depth = _correlation(coarser[known], -pattern[known])
    return min(alike / _COARSE_ALIKE, depth / _COARSE_DEPTH)


def _less_types(
    sharper: NDArray[np.float64], usable: NDArray[np.bool_], types: NDArray[np.uint8]
) -> NDArray[np.float64]:
    """Change of sharpness less what goes with the types of the pictures: coders make some sharper than others."""
    found = sharper.copy()
    steps = types.astype(np.int64) * 256 + np.roll(types, 1)
    for step in np.unique(steps[usable]):
        alike = usable & (steps == step)
        found[alike] -= float(np.median(sharper[alike]))
    return found


def _holds(
    values: NDArray[np.float64], pattern: NDArray[np.float64], usable: NDArray[np.bool_], ratio: Fraction
) -> bool:
    """Does the pattern hold in most stretches of the file, each long enough for a whole turn of the weights?"""
    beat = abs(ratio - round(ratio))
    length = max(_LEAST_STRETCH, round(float(1 / beat)))
    places = np.flatnonzero(usable)
    stretches = [places[at : at + length] for at in range(0, len(places) - length + 1, length)]
    alike = [_correlation(values[stretch], pattern[stretch])[0] > _ALIKE / 2 for stretch in stretches]
    return len(alike) >= _LEAST_STRETCHES and sum(alike) >= _MOST * len(alike)


_SWING = 0.02
_ODD, _LONG_PATTERN = 0.05, 200  # of two rates that fit alike, the one with the shorter pattern is meant
_LEAST_STRETCH, _LEAST_STRETCHES, _MOST = 12, 3, 0.75
_LEAST_PATTERN_MOTION = 0.5
_PLAUSIBLE = (Fraction(2, 5), Fraction(5, 2))


def _softness(place: NDArray[np.float64]) -> NDArray[np.float64]:
    """How much sharpness a blend loses at each place between two source pictures: 0 on one, 1 half way."""
    between = place % 1
    softness: NDArray[np.float64] = 4 * between * (1 - between)
    return softness


def _correlation(values: NDArray[np.float64], pattern: NDArray[np.float64]) -> tuple[float, float]:
    """Return the correlation and the slope: how much of the values one whole pattern explains."""
    values, pattern = np.clip(values, -0.5, 0.5), pattern - pattern.mean()
    energy = float((pattern * pattern).sum())
    if not energy:
        return 0.0, 0.0
    slope = float((values * pattern).sum() / energy)
    spread = float(np.sqrt(((values - values.mean()) ** 2).sum() * energy))
    return (slope * energy / spread if spread else 0.0), slope


def _near(usable: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Entries with usable ones close by: in still shots a blend cannot be seen."""
    return np.convolve(usable.astype(np.float64), np.ones(5), "same") > 0


def sure_steps(rows: Rows) -> NDArray[np.float64]:
    """Return by how many samples the busiest tile of each picture has moved, NaN where that is not sure."""
    steps = np.hypot(rows["step_x"].astype(np.float64), rows["step_y"].astype(np.float64))
    # Nothing at all changes where the step is none without a peak.
    return np.asarray(np.where((rows["peak"] > _STANDING_PEAK) | (steps == 0), steps, np.nan), np.float64)


def find_turns(rows: Rows) -> NDArray[np.bool_]:
    """Return at which pictures what moves turns back: a camera that shakes shows one place for one picture alone."""
    step = rows["step_x"].astype(np.float64) + 1j * rows["step_y"].astype(np.float64)
    step = np.where((rows["peak"] > _STANDING_PEAK) & (np.abs(step) >= _LEAST_TURN), step, np.nan)
    onwards = np.append(step[1:], np.nan)
    return np.asarray((step * onwards.conj()).real < 0, np.bool_)


def _find_drops(rows: Rows, cuts: NDArray[np.intp], steadiness: Steadiness) -> tuple[tuple[int, int], ...]:
    """Steps that are whole times as long as those before and after, in the same direction, away from cuts and
    repeats.
    """
    step, sure, unsteady = _steps_and_doubts(rows, cuts, steadiness)
    found = []
    for at in range(3, len(rows) - 2):
        if unsteady[at - 2 : at + 3].any() or not sure[at - 2 : at + 3].all():
            continue
        usual = _steady(step[[at - 2, at - 1, at + 1, at + 2]])
        if usual is None:
            continue
        jump = step[at] / usual
        lost = round(jump.real) - 1
        if (
            jump.real >= _JUMP
            and lost <= _MOST_LOST
            and abs(jump.real - lost - 1) < _WHOLE_STEP
            and abs(jump.imag) < _STEADY_STEP
        ):
            found.append((at, at + 1))
    return tuple(found)


def _find_swaps(rows: Rows, cuts: NDArray[np.intp], steadiness: Steadiness) -> tuple[tuple[int, int], ...]:
    """Pictures in each other's place: in a steady motion two steps onwards, one back, two onwards."""
    step, sure, unsteady = _steps_and_doubts(rows, cuts, steadiness)
    found = []
    for at in range(3, len(rows) - 4):
        if unsteady[at - 2 : at + 5].any() or not sure[at - 2 : at + 5].all():
            continue
        usual = _steady(step[[at - 2, at - 1, at + 3, at + 4]])
        if usual is not None and np.abs(step[at : at + 3] / usual - _SWAPPED).max() < _WHOLE_STEP:
            found.append((at, at + 2))
    return tuple(found)


def _steady(around: NDArray[np.complex128]) -> complex | None:
    """Return the mean of the steps around a place, ``None`` where they are short or differ."""
    usual = complex(around.mean())
    steady = abs(usual) >= _LEAST_STEP and np.abs(around - usual).max() <= _STEADY_STEP * abs(usual)
    return usual if steady else None


def _steps_and_doubts(
    rows: Rows, cuts: NDArray[np.intp], steadiness: Steadiness
) -> tuple[NDArray[np.complex128], NDArray[np.bool_], NDArray[np.bool_]]:
    """Steps across and down as complex numbers, which of them are sure, and pictures at cuts and beside repeats."""
    step = rows["step_x"].astype(np.float64) + 1j * rows["step_y"].astype(np.float64)
    sure = (rows["peak"].astype(np.float64) > _SURE_PEAK) & ~np.isnan(step)
    unsteady = np.zeros(len(rows) + 3, np.bool_)
    unsteady[cuts] = True
    for start, end in (*steadiness.repeats, *steadiness.freezes):
        unsteady[start : end + 1] = True
    return step, sure, unsteady


_STEADY_STEP = 0.25
_WHOLE_STEP = 0.4  # of a step, to the nearest whole number of them
_SWAPPED = np.array([2, -1, 2])  # steps over the usual one, of two pictures in each other's place
