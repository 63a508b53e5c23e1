"""The map: for every frame of a file the frame of the master that it shows, by signatures and lowest waves alone.

Signatures find the stretches that run along the master (``seeds``). Along each, the lowest waves of the pictures tell
single frames: they are linear in the picture, so a blend of two frames has the blend of their waves. A shift that
lasts is a path through offsets; a frame that differs from its place alone is told by what fits it better.
"""

from __future__ import annotations

import itertools
import math
from collections import Counter
from collections.abc import Container, Iterable, Sequence
from dataclasses import replace
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from brisk_core.master.frame_map import (
    BLENDED,
    DIFFERS,
    FOREIGN,
    IN_PLACE,
    LEAST_NOISE,
    OTHER,
    REPEATED,
    FrameMap,
    Seen,
    Stretch,
    distance,
    runs_of,
)
from brisk_core.master.seeds import FLAT, Line, find_lines
from brisk_core.master.speeds import find_sped, with_sped

_REACH = 6  # frames of the master around its line in which a frame is looked for
_SHIFT = 14.0  # cost of a shift that lasts, in units of the noise
_CAP = 9.0  # the most that one frame may cost
_FOREIGN = 5.0  # cost of a frame that is not in the master, so that a stretch of them is told
_STANDS_OUT = 4.0  # times the noise at which a frame does not show its place
_BESIDE, _OF_BESIDE = 6, 2.0  # frames to either side, and times their misfit, by which a frame must stand out
_BESIDE_REPEAT = 8  # frames by which waves may miss the place of a repeat
_FEWEST_LOOKED, _MOST_LOOKED, _MOST_RELOCATED = 6, 9, 60  # frames of a shot that is looked up, and shots
_OF_SHOT = (0.5, 0.85)  # quantiles of the misfit of a line's frames that must be as good elsewhere
_ROUNDS = 3  # of looking shots up and fitting levels
_DOUBTFUL, _FARTHEST = 2.0, 1000.0  # times the least noise, from which a shot may lie elsewhere; code values at most
_ROUNDED = 0.6  # code values of the mean that rounding a flat picture to fewer bits may add
_LEAST_ODD = 0.35  # code values; two fields of one frame differ by less from the frame that lies between them
_FITS_BETTER = 0.4  # of the misfit at its place, below which another place is believed
_BLENDED = (0.15, 0.85)  # share of the next frame between which a frame counts as blended
_FOREIGN_RUN = 4  # frames; fewer are told one by one
_ENOUGH = 1500  # frames of a line by which it is judged
_SLACK = 0.75  # frames of the master before its first and after its last, where rates differ
_ONE_FOR_ONE = 1.3  # times its roughness, by which a map that does not keep time must fit better
_AROUND = 12  # frames beyond the seeds in which a break is looked for
_PHASE = 0.75  # of the misfit of whole frames, below which another phase is believed
_CERTAIN, _CERTAIN_REACH = 2.0, 3  # times its own misfit at places as far away, from which a place is certain
_AS_GOOD = 1.12  # times the misfit of a line at its own place, up to which another place is as good


def map_frames(file: Seen, master: Seen, cuts: Sequence[int] = (), master_cuts: Sequence[int] = ()) -> FrameMap | None:
    """Return where the frames of a file are in a master, ``None`` when none of them is found.

    ``cuts`` are the file's own; between two of them a shot may run at another speed. ``master_cuts`` are the master's:
    a shot that stands still fits anywhere, and most likely begins where one of the master's does.
    """
    if not len(file) or not len(master):
        return None
    maps: list[tuple[FrameMap, _Refiner, list[Line]]] = []
    for slope in dict.fromkeys((master.rate / file.rate, Fraction(1))):
        lines, _ = find_lines(file.bits, file.waves, master.bits, master.waves, float(slope))
        if lines:
            refiner = _Refiner(file, master, slope, (cuts, master_cuts))
            maps.append((refiner.refine(lines), refiner, lines))
    # Frames taken one for one must fit clearly better than frames that keep time, or nothing tells them apart.
    best = min(maps, key=lambda one: _roughness(one[0]) * (1 if one is maps[0] else _ONE_FOR_ONE), default=None)
    if best is None:
        return None
    found, refiner, lines = best
    sped = find_sped(file, refiner.scaled(), found, cuts)
    return with_sped(refiner.refine(lines, [(one.start, one.end) for one in sped]), sped) if sped else found


def with_repeats(found: FrameMap, repeats: Sequence[int]) -> FrameMap:
    """Return the map with repeated frames at the places that the file's own pictures tell, to the frame.

    Waves may miss the place of a repeat by some frames where little moves. ``repeats`` are the frames that stand still
    by the pictures of the file; one that waves know nothing of is left to those who hold the file against itself.
    """
    kinds, own = found.kinds.copy(), set(repeats)
    for frame in np.flatnonzero(found.kinds == REPEATED).tolist():
        near = [one for one in repeats if abs(one - frame) <= _BESIDE_REPEAT and found.kinds[one] == IN_PLACE]
        if frame not in own and near:
            kinds[frame] = IN_PLACE
            kinds[min(near, key=lambda one: abs(one - frame))] = REPEATED
    return replace(found, kinds=kinds)


def _roughness(found: FrameMap) -> float:
    """How badly a map fits: its noise, and the frames and breaks that it leaves over."""
    return found.noise * (1 + 4 * float(np.mean(found.kinds != IN_PLACE)) + 0.1 * len(found.stretches))


class _Refiner:
    """Refines coarse lines to single frames."""

    def __init__(
        self, file: Seen, master: Seen, slope: Fraction, cuts: tuple[Sequence[int], Sequence[int]] = ((), ())
    ) -> None:
        self._cuts = tuple(np.array([0, *own], np.int64) for own in cuts)  # of file and master
        self.file, self.master, self.slope = file, master, float(slope)
        self._coded = file.waves  # as they were measured
        self.exact_slope = slope
        self.gain, self.lift = 1.0, 0.0

    def refine(self, lines: list[Line], apart: Sequence[tuple[int, int]] = ()) -> FrameMap:
        """Return the map along some lines; ranges of frames that lie apart from all of them are left out."""
        frames = len(self.file)
        lines = _outside(lines, apart)
        self._fit_levels(lines)
        lines = _joined([self._sharpen(line) for line in lines])
        if self.slope != 1:
            phase = self._phase(lines)
            lines = [Line(line.first, line.last, line.offset + phase) for line in lines]
        self._fit_levels(lines)
        lines = self._absorb(lines)
        for _ in range(_ROUNDS):  # what lay wrong had its part in the levels
            before, lines = lines, self._relocated(lines)
            self._fit_levels(lines)
            if lines == before:
                break
        lines = _outside(lines, apart)
        offsets = np.full(frames, np.nan)
        costs = np.full((frames, 2 * _REACH + 1), np.inf)
        ranges = self._ranges(lines, apart)
        self._settle_rounding(lines, ranges)
        for line, (start, end) in zip(lines, ranges, strict=True):
            offsets[start:end] = line.offset
            costs[start:end] = self._misfits(np.arange(start, end), line.offset)
        noise = self._noise(costs)
        scaled = np.minimum(np.square(costs / noise) / 2, _CAP)
        shifts = np.full(frames, 0)
        foreign = np.zeros(frames, np.bool_)
        for start, end in ranges:
            if end > start:
                shifts[start:end], foreign[start:end] = _follow(scaled[start:end])
        return self._conclude(offsets + shifts, foreign, noise)

    def _scaled(self) -> NDArray[np.float32]:
        """Waves of the master at the levels of the file."""
        waves = self.master.waves * np.float32(self.gain)
        waves[:, 0] += np.float32(self.lift)
        return waves

    def _fit_levels(self, lines: list[Line]) -> None:
        """Gain of the waves and lift of the mean, by all frames on the lines."""
        numbers, places = self._on_lines(lines)
        own, other = self.file.waves[numbers], self.master.waves[places]
        spread = np.abs(other[:, 1:]).sum()
        if spread > 0:
            self.gain = float(np.sum(own[:, 1:] * other[:, 1:]) / max(np.sum(np.square(other[:, 1:])), 1e-6))
            self.gain = min(max(self.gain, 0.3), 3.0)
        self.lift = float(np.median(own[:, 0] - self.gain * other[:, 0]))

    def _settle_rounding(self, lines: Sequence[Line], ranges: Sequence[tuple[int, int]]) -> None:
        """Take out of the mean of the file's pictures what rounding adds: a flat ground of ten bits comes to lie up to
        half a code value beside itself in eight, for as long as it is seen.
        """
        waves = self._coded.copy()
        for line, (start, end) in zip(lines, ranges, strict=True):
            if end <= start:
                continue
            places = np.rint(self.slope * np.arange(start, end) + line.offset)
            inside = self._within(places)
            place = np.clip(places.astype(np.intp), 0, len(self.master) - 1)
            apart = np.where(inside, waves[start:end, 0] - self.scaled()[place, 0], np.nan)
            waves[start:end, 0] -= np.clip(_usual(apart), -_ROUNDED, _ROUNDED)
        self.file = replace(self.file, waves=waves)

    def _on_lines(self, lines: list[Line]) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
        numbers = np.concatenate([np.arange(line.first, line.last + 1) for line in lines])
        offsets = np.concatenate([np.full(line.last + 1 - line.first, line.offset) for line in lines])
        places = np.rint(self.slope * numbers + offsets).astype(np.intp)
        inside = (places >= 0) & (places < len(self.master))
        return numbers[inside], places[inside]

    def _absorb(self, lines: list[Line]) -> list[Line]:
        """Give lines that run as well along a neighbour's offset that offset: they were seeded by look-alikes."""
        changed = True
        left: set[Line] = set()  # two places that are as good would take each other's for ever
        while changed and len(lines) > 1:
            changed = False
            shared = Counter[float]()
            for one in lines:
                shared[one.offset] += one.last + 1 - one.first
            for at, line in enumerate(lines):
                likelier = {lines[one].offset for one in (at - 1, at + 1) if 0 <= one < len(lines)}
                # A shot that hardly moves fits anywhere around; the place that others have is the likely one. Only what
                # more frames have: two that are as good would take each other's for ever.
                likelier |= {
                    one.offset
                    for one in lines
                    if abs(one.offset - line.offset) <= 2 * _REACH and shared[one.offset] >= shared[line.offset]
                }
                offset = self._as_good(line, likelier, left)
                if offset is None:
                    offset = self._as_good(line, self._from_cut_to_cut(line), left)
                if offset is not None:
                    left.add(line)
                    lines[at] = Line(line.first, line.last, offset)
                    lines = _joined(lines)
                    changed = True
                    break
        return lines

    def _as_good(self, line: Line, offsets: Iterable[float], left: Container[Line]) -> float | None:
        """The offset among some at which a line runs as well as at its own, ``None`` where there is none."""
        tried = [one for one in offsets if one != line.offset and Line(line.first, line.last, one) not in left]
        if not tried:
            return None
        # Where most of a shot stands, as a title does, the frames in which it comes and goes tell its place.
        own = self._fit_of(line, line.offset)
        fits = {offset: self._fit_of(line, offset) for offset in tried}
        best = min(fits, key=lambda one: float(fits[one][0]))
        return best if (fits[best] <= np.maximum(own * _AS_GOOD, own + LEAST_NOISE / 2)).all() else None

    def _fit_of(self, line: Line, offset: float) -> NDArray[np.float64]:
        """How far most frames of a line, and nearly all of them, are from their places at an offset."""
        misfit = self._misfit(_thinned(np.arange(line.first, line.last + 1)), offset)
        return np.asarray(np.quantile(np.minimum(misfit, _FARTHEST), _OF_SHOT), np.float64)

    def _from_cut_to_cut(self, line: Line) -> set[float]:
        """The offsets at which the shot of a line begins where a shot of the master begins, those near its own."""
        own, others = self._cuts
        at = int(np.searchsorted(own, line.first + _AROUND, side="right")) - 1
        start = int(own[at])
        end = int(own[at + 1]) if at + 1 < len(own) else len(self.file)
        if line.first < start - _AROUND or line.last > end + _AROUND or len(others) < 2:
            return set()
        offsets = others - self.slope * start
        return set(offsets[np.abs(offsets - line.offset) <= (end - start) * self.slope].tolist())

    def _relocated(self, lines: list[Line]) -> list[Line]:
        """Look the shots of the file that do not fit where they lie up in the whole master, by their waves.

        Signatures alone cannot tell two shots of one set-up apart, and lead to the nearer of them.
        """
        edges = [*self._cuts[0].tolist(), len(self.file)]
        shots = [(start, end) for start, end in itertools.pairwise(edges) if end - start >= _FEWEST_LOOKED]
        looked = {shot: kept for shot in shots if len(kept := self._looked_up(*shot)) >= _FEWEST_LOOKED - 1}
        misfits = {shot: self._misfit_along(lines, numbers) for shot, numbers in looked.items()}
        usual = max(float(np.median(list(misfits.values()))), LEAST_NOISE) if misfits else LEAST_NOISE
        doubtful = [shot for shot, misfit in misfits.items() if misfit > _DOUBTFUL * LEAST_NOISE]
        for start, end in sorted(doubtful, key=lambda shot: -misfits[shot])[:_MOST_RELOCATED]:
            numbers = looked[start, end]
            steps = np.rint(self.slope * (numbers - numbers[0])).astype(np.intp)
            room = len(self.master) - int(steps[-1])
            if room <= 0:
                continue
            apart = [
                _far(self.file.waves[number], self.scaled()[step : step + room])
                for number, step in zip(numbers, steps, strict=True)
            ]
            fits = np.median(apart, axis=0)
            best = int(fits.argmin())
            if fits[best] < max(_FITS_BETTER * misfits[start, end], LEAST_NOISE) and fits[best] < _DOUBTFUL * usual:
                flat = int(numbers[0]) > start + _AROUND // 2  # what is flat lies anywhere
                first = int(numbers[0]) if flat else start
                line = Line(first, end - 1, best - float(np.rint(self.slope * int(numbers[0]))))
                lines = sorted([*_outside(lines, [(first, end)]), line], key=lambda one: one.first)
        return _joined(lines)

    def _looked_up(self, start: int, end: int) -> NDArray[np.intp]:
        """Frames spread over what of a shot is not flat."""
        inside = np.arange(start + 1, end - 1)
        there = inside[np.abs(self.file.waves[inside, 1:]).max(axis=1) > FLAT]
        at = np.unique(np.linspace(0, max(len(there) - 1, 0), _MOST_LOOKED).round().astype(np.intp))
        return np.asarray(there[at] if len(there) else there, np.intp)

    def _misfit_along(self, lines: Sequence[Line], numbers: NDArray[np.intp]) -> float:
        """The median misfit of some frames, each on the line that is nearest to it."""
        away = [np.maximum(np.maximum(line.first - numbers, numbers - line.last), 0) for line in lines]
        nearest = np.argmin(away, axis=0)
        apart = [
            float(self._misfit(numbers[at : at + 1], lines[int(which)].offset)[0]) for at, which in enumerate(nearest)
        ]
        return float(np.median(np.minimum(apart, _FARTHEST)))

    def _sharpen(self, line: Line) -> Line:
        """Bring a line to the frame: the offset around it at which the waves fit best."""
        numbers = _thinned(np.arange(line.first, line.last + 1))
        base = float(np.rint(line.offset))
        wide = 2 * _REACH
        found = []
        for shift in range(-wide, wide + 1):
            misfit = self._misfit(numbers, base + shift, between=True)
            usable = misfit[np.isfinite(misfit)]
            found.append(float(np.median(usable)) + float(usable.mean()) * 0.25 if len(usable) else np.inf)
        best = int(np.argmin(found))
        # A frame of a lower rate stands for several of the master; of those that are alike, the one that keeps time.
        apart = math.ceil(self.slope) - 1
        good = max(found[best] * _AS_GOOD, found[best] + LEAST_NOISE / 2)
        alike = [at for at in range(best - apart, best + apart + 1) if 0 <= at < len(found) and found[at] <= good]
        return Line(line.first, line.last, base - wide + min(alike, key=lambda at: abs(base + at - wide)))

    def _phase(self, lines: list[Line]) -> float:
        """Where between two frames of the master the frames of a file of another rate begin; whole unless it shows."""
        misfits = {}
        for phase in (0.0, -0.25, 0.25, -0.5, 0.5):
            apart = [
                self._misfit(_thinned(np.arange(one.first, one.last + 1)), one.offset + phase, between=True)
                for one in lines
            ]
            known = np.concatenate(apart)
            known = known[np.isfinite(known)]
            misfits[phase] = float(known.mean()) if len(known) else np.inf
        best = min(misfits, key=lambda one: misfits[one])
        return best if misfits[best] < _PHASE * misfits[0.0] else 0.0

    def _misfit(self, numbers: NDArray[np.intp], offset: float, *, between: bool = False) -> NDArray[np.float64]:
        """How far each frame is from its place at an offset, in code values; infinite outside the master.

        Between two frames of the master the nearer of them, or their blend, whichever fits best; with ``between``
        only the blend counts, which tells places apart that share a neighbour.
        """
        places = self.slope * numbers + offset
        first = np.floor(places + 1e-6).astype(np.intp)
        inside = self._within(np.asarray(places, np.float64))
        first = np.clip(first, 0, len(self.master) - 1)
        following = np.minimum(first + 1, len(self.master) - 1)
        scaled = self.scaled()
        own = self.file.waves[numbers]
        apart = distance(own, scaled[first])
        share = (places - np.floor(places + 1e-6)).astype(np.float32)
        if np.any(share > 1e-3):
            blended = scaled[first] + share[:, None] * (scaled[following] - scaled[first])
            if between:
                apart = distance(own, blended)
            else:
                apart = np.minimum(apart, np.minimum(distance(own, scaled[following]), distance(own, blended)))
        return np.where(inside, apart, np.inf)

    def _within(self, places: NDArray[np.float64]) -> NDArray[np.bool_]:
        """Which places lie in the master; at another rate the first and the last frame stand a little longer."""
        slack = 0.0 if self.slope == 1 else _SLACK
        return np.asarray((places > -slack - 1e-6) & (places < len(self.master) + slack - 1e-6), np.bool_)

    def scaled(self) -> NDArray[np.float32]:
        key = (self.gain, self.lift)
        if getattr(self, "_key", None) != key:
            self._key, self._cached = key, self._scaled()
        return self._cached

    def _misfits(self, numbers: NDArray[np.intp], offset: float) -> NDArray[np.float64]:
        return np.stack([self._misfit(numbers, offset + shift) for shift in range(-_REACH, _REACH + 1)], axis=1)

    def _ranges(self, lines: Sequence[Line], apart: Sequence[tuple[int, int]]) -> list[tuple[int, int]]:
        """The frames that belong to each line, up to the next line or to what lies apart."""
        edges: list[tuple[int, int]] = [(0, 0)]
        for one, other in itertools.pairwise(lines):
            between = [(start, end) for start, end in apart if one.last < start and end <= other.first]
            middle = self._split(one, other)
            edges.append((between[0][0], between[-1][1]) if between else (middle, middle))
        edges.append((len(self.file), len(self.file)))
        before = [end for start, end in apart if lines and end <= lines[0].first]
        after = [start for start, end in apart if lines and start > lines[-1].last]
        edges[0] = (0, max(before, default=0))
        edges[-1] = (min(after, default=len(self.file)), len(self.file))
        return [(one[1], other[0]) for one, other in itertools.pairwise(edges)]

    def _split(self, one: Line, other: Line) -> int:
        """The first frame that lies on the later of two lines."""
        # Seeds near a break may have been found by look-alikes, so the break is looked for on both sides of them.
        numbers = np.arange(max(one.last - _AROUND, one.first), min(other.first + _AROUND, other.last) + 1)
        cap = 8.0
        early = np.minimum(self._misfit(numbers, one.offset), cap)
        late = np.minimum(self._misfit(numbers, other.offset), cap)
        sums = np.concatenate([[0.0], np.cumsum(early)]) + np.concatenate([np.cumsum(late[::-1])[::-1], [0.0]])
        return int(numbers[0] + max(int(sums.argmin()), 1))

    def _noise(self, costs: NDArray[np.float64]) -> float:
        """What the coding alone adds, by the frames as they fit best."""
        best = costs.min(axis=1)
        best = best[np.isfinite(best)]
        return max(float(np.median(best)) * 1.2, LEAST_NOISE) if len(best) else LEAST_NOISE

    def _conclude(self, offsets: NDArray[np.float64], foreign: NDArray[np.bool_], noise: float) -> FrameMap:
        frames = len(self.file)
        numbers = np.arange(frames)
        places = self.slope * numbers + offsets
        kinds = np.full(frames, IN_PLACE, np.uint8)
        shares = np.zeros(frames, np.float32)
        outside = ~self._within(places)
        away = foreign | outside
        for start, end in runs_of(away):
            if end - start >= _FOREIGN_RUN or outside[start:end].any():
                kinds[start:end] = FOREIGN
        own = np.full(frames, np.inf)
        for offset in np.unique(offsets):
            here = np.flatnonzero((offsets == offset) & (kinds != FOREIGN))
            own[here] = self._misfit(here, float(offset))
        near = _near(own)
        for at in np.flatnonzero(np.isfinite(own) & (own > max(_STANDS_OUT * noise, _LEAST_ODD))):
            kind, place, share = self._alone(int(at), float(places[at]), float(own[at]), noise)
            if kind != DIFFERS or own[at] > near[at]:  # what fits nowhere better may be a coder's, as beside it
                kinds[at], places[at], shares[at] = kind, place, share
        places[kinds == FOREIGN] = np.nan
        ways, moving = self._ways(numbers, places, kinds, noise)
        single = self._single(places, kinds, noise)
        return FrameMap(
            slope=self.exact_slope,
            places=places,
            kinds=kinds,
            shares=shares,
            single=single,
            stretches=tuple(replace(one, certain=self._is_certain(one)) for one in _stretches(offsets, kinds)),
            gain=self.gain,
            noise=noise,
            moving=moving,
            ways=ways,
        )

    def _is_certain(self, stretch: Stretch) -> bool:
        """Do the waves of a stretch fit clearly worse at every place around?"""
        numbers = _thinned(np.arange(stretch.start, stretch.end))
        shifts = [shift for shift in range(-_CERTAIN_REACH, _CERTAIN_REACH + 1) if shift]
        own = max(float(np.median(self._misfit(numbers, stretch.offset))), LEAST_NOISE)
        return all(float(np.median(self._misfit(numbers, stretch.offset + one))) > _CERTAIN * own for one in shifts)

    def _single(self, places: NDArray[np.float64], kinds: NDArray[np.uint8], noise: float) -> NDArray[np.int64]:
        """The one frame of the master that each frame in place shows, -1 where it lies between two and shows
        neither.
        """
        found = np.full(len(places), -1, np.int64)
        usable = np.flatnonzero((kinds == IN_PLACE) & np.isfinite(places))
        last = len(self.master) - 1
        first = np.clip(np.floor(places[usable] + 1e-6).astype(np.int64), 0, last)
        following = np.minimum(first + 1, last)
        scaled, own = self.scaled(), self.file.waves[usable]
        one, other = distance(own, scaled[first]), distance(own, scaled[following])
        whole = np.abs(places[usable] - np.rint(places[usable])) < 0.02
        nearer = np.where(whole, np.rint(places[usable]).astype(np.int64), np.where(one <= other, first, following))
        alone = whole | (np.minimum(one, other) < 1.5 * noise)
        found[usable[alone]] = np.clip(nearer[alone], 0, last)
        return found

    def _alone(self, frame: int, place: float, misfit: float, noise: float) -> tuple[int, float, float]:
        """What a single frame that does not show its place shows instead."""
        scaled = self.scaled()
        first = max(0, round(place) - _REACH)
        around = scaled[first : round(place) + _REACH + 1]
        own = self.file.waves[frame]
        apart = distance(own[None], around)
        best = int(apart.argmin())
        share, blend, at = _best_blend(own, around)
        limit = max(_FITS_BETTER * misfit, 1.5 * noise)
        if blend < limit and blend < 0.6 * float(apart[best]) and _BLENDED[0] < share < _BLENDED[1]:
            return BLENDED, first + at + share, share
        if float(apart[best]) < limit:
            previous = frame > 0 and float(distance(own[None], self.file.waves[frame - 1][None])[0]) < limit
            return (REPEATED if previous else OTHER), float(first + best), 0.0
        return DIFFERS, place, 0.0

    def _ways(
        self, numbers: NDArray[np.intp], places: NDArray[np.float64], kinds: NDArray[np.uint8], noise: float
    ) -> tuple[tuple[float, float], float]:
        """How frames between two of the master were made, where motion tells; and the share of frames that move."""
        scaled = self.scaled()
        usable = np.flatnonzero((kinds == IN_PLACE) & np.isfinite(places))
        if not len(usable):
            return (0.0, 0.0), 0.0
        first = np.clip(np.floor(places[usable] + 1e-6).astype(np.intp), 0, len(scaled) - 1)
        following = np.minimum(first + 1, len(scaled) - 1)
        step = distance(scaled[following], scaled[first])
        moves = step > 3 * noise
        moving = float(moves.mean())
        share = (places[usable] - np.floor(places[usable] + 1e-6)).astype(np.float32)
        between = moves & (share > _BLENDED[0]) & (share < _BLENDED[1])
        if between.sum() < 5:
            return (0.0, 0.0), moving
        own = self.file.waves[usable[between]]
        one, other = scaled[first[between]], scaled[following[between]]
        blended = one + share[between][:, None] * (other - one)
        alone = np.minimum(distance(own, one), distance(own, other))
        together = distance(own, blended)
        return (float(np.mean(alone < 0.7 * together)), float(np.mean(together < 0.7 * alone))), moving


def _far(one: NDArray[np.float32], others: NDArray[np.float32]) -> NDArray[np.float32]:
    """How far one picture is from many, as ``distance`` has it, in single precision: a master of two hours is many."""
    apart = others - one
    return np.asarray(np.sqrt(np.einsum("ij,ij->i", apart, apart) / np.float32(len(one))), np.float32)


def _thinned(numbers: NDArray[np.intp]) -> NDArray[np.intp]:
    return numbers[:: max(1, len(numbers) // _ENOUGH)]


def _outside(lines: Sequence[Line], apart: Sequence[tuple[int, int]]) -> list[Line]:
    """The parts of some lines that lie outside some ranges of frames, in file order."""
    kept = list(lines)
    for start, end in apart:
        pieces = []
        for line in kept:
            before, after = min(line.last, start - 1), max(line.first, end)
            pieces += [Line(line.first, before, line.offset)] if before >= line.first else []
            pieces += [Line(after, line.last, line.offset)] if after <= line.last else []
        kept = pieces
    return kept


def _joined(lines: list[Line]) -> list[Line]:
    """Lines with neighbours of the same offset put together."""
    found: list[Line] = []
    for line in lines:
        if found and found[-1].offset == line.offset:
            found[-1] = Line(found[-1].first, line.last, line.offset)
        else:
            found.append(line)
    return found


def _best_blend(own: NDArray[np.float32], around: NDArray[np.float32]) -> tuple[float, float, int]:
    """Share of the second, misfit and place of the blend of two neighbours that fits best."""
    best = (0.0, np.inf, 0)
    for at in range(len(around) - 1):
        step = (around[at + 1] - around[at]).astype(np.float64)
        size = float(step @ step)
        if size < 1e-9:
            continue
        share = min(max(float((own - around[at]) @ step) / size, 0.0), 1.0)
        misfit = float(distance(own[None], (around[at] + share * step)[None].astype(np.float32))[0])
        if misfit < best[1]:
            best = (share, misfit, at)
    return best


def _follow(costs: NDArray[np.float64]) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
    """The cheapest path through shifts, one row a frame; a last column stands for not being in the master at all."""
    rows, columns = costs.shape
    grid = np.concatenate([costs, np.full((rows, 1), _FOREIGN)], axis=1)
    total = grid[0].copy()
    total += np.where(np.arange(columns + 1) == columns // 2, 0.0, _SHIFT / 4)  # the line itself may be off
    came = np.zeros((rows, columns + 1), np.int8)
    own = np.arange(columns + 1)
    for row in range(1, rows):
        cheapest = int(total.argmin())
        changed = total[cheapest] + _SHIFT
        stays = total <= changed
        came[row] = np.where(stays, own, cheapest)
        total = np.where(stays, total, changed) + grid[row]
    path = np.empty(rows, np.int64)
    path[-1] = int(total.argmin())
    for row in range(rows - 1, 0, -1):
        path[row - 1] = came[row, path[row]]
    foreign = path == columns
    # A stretch that is nowhere carries on the shift of what stands before it.
    shifts = np.where(foreign, -1, path)
    for start, end in runs_of(foreign):
        shifts[start:end] = shifts[start - 1] if start else (shifts[end] if end < rows else columns // 2)
    return shifts - columns // 2, foreign


def _near(own: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the misfit from which each frame stands out from those beside it: some shots fit worse than others."""
    finite = np.where(np.isfinite(own), own, np.nan)
    return _usual(finite) * _OF_BESIDE


def _usual(values: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the median of the known values around each; 0 where none is known."""
    padded = np.pad(values, _BESIDE, constant_values=np.nan)
    windows = np.lib.stride_tricks.sliding_window_view(padded, 2 * _BESIDE + 1)
    empty = np.isnan(windows).all(axis=1)
    found = np.zeros(len(values))
    found[~empty] = np.nanmedian(windows[~empty], axis=1)
    return found


def _stretches(offsets: NDArray[np.float64], kinds: NDArray[np.uint8]) -> tuple[Stretch, ...]:
    there = kinds != FOREIGN
    breaks = np.flatnonzero((np.diff(offsets) != 0) | (np.diff(there.astype(np.int8)) != 0)) + 1
    edges = [0, *breaks.tolist(), len(offsets)]
    return tuple(
        Stretch(start=start, end=end, offset=float(offsets[start]))
        for start, end in itertools.pairwise(edges)
        if there[start]
    )
