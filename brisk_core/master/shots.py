"""The map put into words: where each shot of the master went, missing, doubled, exchanged, blended or foreign."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from brisk_core.exact import Timecode, spell_rate
from brisk_core.facts import Sentence
from brisk_core.master.frame_map import (
    BLENDED,
    DIFFERS,
    FOREIGN,
    IN_PLACE,
    OTHER,
    REPEATED,
    FrameMap,
    Stretch,
    runs_of,
)

_STANDS = 3  # frames held in a row, from which the picture stands
_MOST_ALONE = 8  # frames that have a sentence of their own; more are told as a number
_THERE = 0.1  # share of a shot's frames below which it counts as missing
_ON_CUT = 2  # frames that a cut of the edit may lie beside a cut that is seen
_SLACK = 1.0  # frames of the master that a hole must exceed when rates differ
_REMEDY_WORDS = {REPEATED: "repeat", OTHER: "show another moment", BLENDED: "are blended from two", DIFFERS: "differ"}


@dataclass(frozen=True, slots=True, kw_only=True)
class MasterShot:
    """A shot of the master."""

    number: int  #: from 1
    name: str  #: of the timeline's event, empty without a timeline
    start: int  #: frames of the master
    end: int


@dataclass(frozen=True, slots=True, kw_only=True)
class ShotPlace:
    """Where a shot of the master went."""

    shot: MasterShot
    state: str  #: in place, early, late, missing, swapped, trimmed, sped
    says: str  #: a few words: "in place", "7 s 04 f early", "after shot 5"
    file_start: int | None  #: frame of the file, None for a shot that is not in it
    file_end: int | None
    alone: int  #: frames of it that do not show their place
    outside: bool = False  #: lies outside the ordered range, so nothing is asked of it


@dataclass(frozen=True, slots=True, kw_only=True)
class Journey:
    """Everything that the map says."""

    shots: tuple[ShotPlace, ...]
    sentences: tuple[Sentence, ...]
    right: bool
    holes: tuple[tuple[int, int], ...]  #: master frames that are nowhere in the file
    way: str  #: how frames between two of the master were made: "", "repeating and leaving out", "blending"


@dataclass(slots=True)
class Teller:
    """Puts a map into words."""

    found: FrameMap
    shots: Sequence[MasterShot]
    frames: int  #: of the file
    master_frames: int
    rate: Fraction  #: of the file
    master_rate: Fraction
    start: Timecode | None  #: of the master
    ordered: tuple[int, int]  #: master frames that the file should hold, the second is the first after

    def tell(self) -> Journey:
        """Return shots and sentences."""
        stretches = self.found.stretches
        swaps, loose = self._exchanged(stretches)
        holes = self._holes()
        replaced = self._replaced(holes)
        sentences = [
            *self._speed(), *self._sped(holes), *self._ends(stretches, holes), *self._missing(holes),
            *self._swap_words(swaps), *self._breaks(stretches, loose, holes), *self._foreign(replaced),
            *self._alone(), *self._blending(),
        ]  # fmt: skip
        return Journey(
            shots=tuple(self._place(shot, swaps) for shot in self.shots),
            sentences=tuple(sentences),
            right=not any(one.fault for one in sentences),
            holes=tuple(holes),
            way=self._way(),
        )

    # Words.

    @property
    def _slope(self) -> float:
        return float(self.found.slope)

    def _label(self, frame: float) -> str:
        return str(self.start.plus(round(frame))) if self.start else f"frame {round(frame)}"

    def length(self, frames: float, rate: Fraction | None = None) -> str:
        """Return a number of frames in words, of the master unless another rate is given."""
        whole, rate = abs(round(frames)), rate or self.master_rate
        if whole < rate:
            return f"{whole} frame{'' if whole == 1 else 's'}"
        seconds, rest = divmod(whole, round(rate))
        return f"{seconds} s {rest:02} f" if rest else f"{seconds} s"

    def _shot_at(self, frame: float) -> MasterShot:
        return next((shot for shot in self.shots if shot.start <= frame < shot.end), self.shots[-1])

    def _span(self, stretch: Stretch) -> tuple[float, float]:
        """The master frames that a stretch shows, the second is the first after."""
        one, other = stretch.place(stretch.start, self._slope), stretch.place(stretch.end, self._slope)
        if stretch.speed == 1:
            return one, other
        first, last = (one, other) if one <= other else (other + 1, one + 1)
        return float(np.floor(first + 0.01)), float(np.ceil(last - 0.01))  # a frame that is shown in part is shown

    @property
    def _shifted_as_one(self) -> bool:
        """Does the whole file run along the master with one shift, begun before it?"""
        stretches = self.found.stretches
        same = len({stretch.offset for stretch in stretches}) == 1
        return same and stretches[0].place(0, self._slope) < -0.5

    # What there is to tell.

    def _speed(self) -> list[Sentence]:
        time = self.master_rate / self.rate
        if self.found.slope == time:
            return []
        much = abs(float(self.found.slope / time) - 1) * 100
        pace = "faster" if self.rate > self.master_rate else "slower"
        says = (
            f"The file runs {much:.1f} % {pace} than the master: its {spell_rate(self.master_rate)} frames a "
            f"second were "
            f"taken one for one as {spell_rate(self.rate)}."
        )
        return [Sentence(says=says, frame=0, fault=True)]

    def _sped(self, holes: list[tuple[int, int]]) -> list[Sentence]:
        """Shots at another speed; what they leave out of themselves is told with them."""
        told = []
        for one in self.found.stretches:
            if one.speed == 1:
                continue
            start, end = self._span(one)
            shot = self._shot_at((start + end) / 2)
            own = [hole for hole in holes if hole[0] >= shot.start - 1 and hole[1] <= shot.end + 1]
            holes[:] = [hole for hole in holes if hole not in own]
            unseen = sum(end - start for start, end in own)
            parts = [f"Shot {shot_name(shot)} {_pace(one.speed)}"]
            if unseen:
                parts.append(f"the file does not show {self.length(unseen)} of it")
            if shift := self._shift_after(one):
                parts.append(f"all after comes {self.length(shift, self.rate)} {'early' if shift > 0 else 'late'}")
            says = ": ".join([parts[0], " and ".join(parts[1:])]) if len(parts) > 1 else parts[0]
            told.append(Sentence(says=f"{says}.", frame=one.start, end=one.end, fault=True))
        return told

    def _shift_after(self, sped: Stretch) -> float:
        """Frames of the file by which what follows a shot at another speed comes early."""
        before = [one for one in self.found.stretches if one.end <= sped.start and one.speed == 1]
        after = [one for one in self.found.stretches if one.start >= sped.end and one.speed == 1]
        if not after:
            return 0.0
        shift = (after[0].offset - (before[-1].offset if before else self.ordered[0])) / self._slope
        return shift if abs(shift) > 0.5 + self._slack() else 0.0

    def _way(self) -> str:
        alone, blended = self.found.ways
        if blended > 0.5:
            return "blending"
        return "repeating and leaving out" if alone > 0.5 else ""

    def _blending(self) -> list[Sentence]:
        if self._way() != "blending":
            return []
        share = self.found.ways[1]
        says = (
            f"{spell_rate(self.rate)} was made from the master's {spell_rate(self.master_rate)} by blending "
            f"neighbours: {share * 100:.0f} % of the frames that move between two of the master are double pictures."
        )
        return [Sentence(says=says, frame=0, fault=True)]

    def _slack(self) -> float:
        return 0.0 if self._slope == 1 else _SLACK

    def _ends(self, stretches: Sequence[Stretch], holes: list[tuple[int, int]]) -> list[Sentence]:
        """Head and tail: where the file begins and ends in the master, against what is ordered."""
        if not stretches:
            return []
        first, last = stretches[0], stretches[-1]
        same = len({(stretch.offset, stretch.speed) for stretch in stretches}) == 1 and first.speed == 1
        # Frames before the first one of the master and after its last are nowhere, but they shift the rest.
        # What a shot at another speed leaves out is told with it.
        begins = first.place(0, self._slope) if (first.start == 0 and first.speed == 1) or same else None
        ends = last.place(self.frames, self._slope) if (last.end == self.frames and last.speed == 1) or same else None
        told = []
        wanted_start, wanted_end = self.ordered
        slack = self._slack() + 0.5
        if begins is not None and ends is not None and same:
            late, over = begins - wanted_start, ends - wanted_end
            if abs(late) > slack and abs(late - over) <= slack:
                word = "early" if late > 0 else "late"
                says = (
                    f"Everything is {self.length(late)} {word}: the file holds {self._label(begins)} to "
                    f"{self._label(ends)} of the master in place of {self._label(wanted_start)} to "
                    f"{self._label(wanted_end)}."
                )
                holes.clear()
                return [Sentence(says=says, frame=0, fault=True)]
        # What another place of the file shows is not missing.
        bare = (
            any(start <= wanted_start < end for start, end in holes),
            any(start < wanted_end <= end for start, end in holes),
        )
        if begins is not None and abs(begins - wanted_start) > slack and (bare[0] if begins > wanted_start else same):
            late = begins > wanted_start
            much = self.length(begins - wanted_start)
            verb = f"{_are(much)} missing at the head" if late else f"{_stand(much)} before the ordered range"
            says = f"{much} {verb}: the file begins at {self._label(begins)} of the master."
            if begins < 0:
                says = f"{much} {_stand(much)} before the master's first frame: all after comes {much} late."
            told.append(Sentence(says=says, frame=0, fault=True))
            holes[:] = [hole for hole in holes if not (late and hole[0] == wanted_start)]
        if ends is not None and abs(ends - wanted_end) > slack and (ends > wanted_end or bare[1]):
            early = ends < wanted_end
            much = self.length(ends - wanted_end)
            verb = f"{_are(much)} missing at the tail" if early else f"{_stand(much)} after the ordered range"
            says = f"{much} {verb}: the file ends at {self._label(ends)} of the master."
            told.append(Sentence(says=says, frame=self.frames - 1, fault=True))
            holes[:] = [hole for hole in holes if not (early and hole[1] == wanted_end)]
        return told

    def _holes(self) -> list[tuple[int, int]]:
        """Ordered frames of the master that no stretch covers."""
        wanted_start, wanted_end = self.ordered
        covered = np.zeros(self.master_frames + 2, np.int64)
        for stretch in self.found.stretches:
            start, end = self._span(stretch)
            start, end = (int(np.clip(np.rint(one), 0, self.master_frames)) for one in (start, end))
            covered[start] += 1
            covered[end] -= 1
        bare = np.cumsum(covered)[: self.master_frames] == 0
        bare[:wanted_start] = False
        bare[wanted_end:] = False
        least = 1 if self._slope == 1 else 2
        return [hole for hole in runs_of(bare) if hole[1] - hole[0] >= least]

    def _missing(self, holes: Sequence[tuple[int, int]]) -> list[Sentence]:
        told = []
        for start, end in holes:
            lost = [shot for shot in self.shots if start <= shot.start + 1 and shot.end - 1 <= end]
            where = self._file_frame(start)
            much = self.length(end - start)
            if lost:
                names = " and ".join(shot_name(shot) for shot in lost[:3])
                more = f" and {len(lost) - 3} more" if len(lost) > 3 else ""
                word, verb = ("Shot", "is") if len(lost) == 1 else ("Shots", "are")
                says = f"{word} {names}{more} {verb} missing: all after {self._label(start)} comes {much} early."
            else:
                shot = self._shot_at(start)
                verb = "is" if end - start == 1 else "are"
                says = (
                    f"{much} {verb} missing in shot {shot_name(shot)} at {self._label(start)}: all after comes early."
                )
            told.append(Sentence(says=says, frame=where, fault=True))
        return told

    def _file_frame(self, place: float) -> int:
        """The frame of the file just after a place of the master."""
        before = [stretch for stretch in self.found.stretches if abs(self._span(stretch)[1] - place) <= 1.5]
        if before:
            return min(before[0].end, self.frames - 1)
        after = [stretch.start for stretch in self.found.stretches if self._span(stretch)[0] >= place - 0.5]
        return min(after, default=0)

    def _exchanged(self, stretches: Sequence[Stretch]) -> tuple[list[tuple[Stretch, Stretch]], list[int]]:
        """Stretches of the file whose places in the master are the other way round, with another between them or none;
        and the breaks they leave over.
        """
        swaps: list[tuple[Stretch, Stretch]] = []
        explained: set[int] = set()
        for at in range(len(stretches) - 1):
            if at in explained:
                continue
            reach = next((reach for reach in (2, 1) if self._turned(stretches[at : at + reach + 1], reach)), 0)
            if reach:
                swaps.append((stretches[at], stretches[at + reach]))
                explained |= set(range(at - 1, at + reach + 1))
        loose = [at for at in range(len(stretches) - 1) if at not in explained]
        return swaps, loose

    def _turned(self, run: Sequence[Stretch], reach: int) -> bool:
        """Do stretches that follow each other in the file lie in the master from back to front, without a hole?"""
        if len(run) <= reach:
            return False
        spans = [self._span(one) for one in run]
        return all(one.speed == 1 for one in run) and all(
            abs(later_end - start) <= 1.5 + self._slack() and end > later
            for (start, end), (later, later_end) in pairwise(spans)
        )

    def _swap_words(self, swaps: Sequence[tuple[Stretch, Stretch]]) -> list[Sentence]:
        told = []
        for one, other in swaps:
            late, early = self._shots_of(one), self._shots_of(other)
            names = f"{early} and {late}"
            says = f"Shots {names} changed places at {self._label(self._span(other)[0])}."
            told.append(Sentence(says=says, frame=one.start, end=other.end, fault=True))
        return told

    def _number_of(self, stretch: Stretch) -> str:
        """The number of its shot, or of its first and last."""
        return self._shots_of(stretch).split(" “")[0]

    def _shots_of(self, stretch: Stretch) -> str:
        start, end = self._span(stretch)
        inside = [shot for shot in self.shots if self._is_of(shot, start, end)]
        if not inside:
            return shot_name(self._shot_at(start))
        if len(inside) == 1:
            return shot_name(inside[0])
        return f"{inside[0].number} to {inside[-1].number}"

    def _breaks(
        self, stretches: Sequence[Stretch], loose: Sequence[int], holes: Sequence[tuple[int, int]]
    ) -> list[Sentence]:
        """Breaks that neither a hole nor an exchange explains: frames that come twice, or go back."""
        told = []
        edges = {edge for hole in holes for edge in hole}
        for at in loose:
            one, other = stretches[at], stretches[at + 1]
            if one.speed != 1 or other.speed != 1:
                continue  # told with the shot at another speed
            jump = self._span(other)[0] - self._span(one)[1] - (other.start - one.end) * self._slope
            if any(abs(self._span(other)[0] - edge) <= 1.5 or abs(self._span(one)[1] - edge) <= 1.5 for edge in edges):
                continue
            if jump > 0.5 and other.start > one.end:
                continue  # foreign frames stand between, told on their own
            if jump < -0.5:
                again = self._span(other)[0]
                twice = [shot for shot in self.shots if again - 1 <= shot.start and shot.end <= again - jump + 1]
                whole = len(twice) == 1 and abs(twice[0].end - twice[0].start + jump) <= 1.5
                what = f"Shot {shot_name(twice[0])}" if whole else self.length(jump)
                verb = "comes" if whole or abs(jump) < 1.5 else "come"
                late = self.length(jump) if whole else "that much"
                says = f"{what} {verb} twice at {self._label(again)}: all after comes {late} late."
                told.append(Sentence(says=says, frame=other.start, fault=True))
            elif jump > 0.5:
                says = f"The file leaps {self.length(jump)} of the master at {self._label(self._span(one)[1])}."
                told.append(Sentence(says=says, frame=other.start, fault=True))
        return told

    def _foreign_runs(self) -> list[tuple[int, int]]:
        return runs_of(self.found.kinds == FOREIGN)

    def _replaced(self, holes: list[tuple[int, int]]) -> dict[int, str]:
        """Take out the holes that foreign frames fill without a shift; name what stood there, by the run's start."""
        found = {}
        for start, end in self._foreign_runs():
            before = next((one for one in self.found.stretches if one.end == start), None)
            after = next((one for one in self.found.stretches if one.start == end), None)
            if before is None or after is None or before.offset != after.offset:
                continue
            place, rest = before.place(start, self._slope), before.place(end, self._slope)
            for hole in [one for one in holes if one[0] >= place - 1.5 and one[1] <= rest + 1.5]:
                holes.remove(hole)
                found[start] = self._shots_of(Stretch(start=start, end=end, offset=before.offset))
        return found

    def _foreign(self, replaced: dict[int, str]) -> list[Sentence]:
        told = []
        for start, end in self._foreign_runs():
            if start == 0 and self._shifted_as_one:
                continue  # told as the shift of everything
            much = self.length(end - start, self.rate)
            where = "at the head" if start == 0 else "at the tail" if end == self.frames else f"from frame {start}"
            verb = "is" if end - start == 1 else "are"
            place = f": they stand in place of shot {replaced[start]}" if start in replaced else ""
            says = f"{much} {where} {verb} not in the master{place}."
            told.append(Sentence(says=says, frame=start, end=end, fault=True))
        return told[:_MOST_ALONE]

    def _alone(self) -> list[Sentence]:
        """Single frames that do not show their place."""
        kinds = self.found.kinds
        told = []
        for kind, words in _REMEDY_WORDS.items():
            numbers = np.flatnonzero(kinds == kind)
            if not len(numbers) or (kind == BLENDED and self._way() == "blending"):
                continue
            if kind == REPEATED:
                longer = [run for run in runs_of(kinds == kind) if run[1] - run[0] >= _STANDS]
                told += [self._stands(*run) for run in longer[:_MOST_ALONE]]
                numbers = np.array([one for one in numbers if not any(start <= one < end for start, end in longer)])
                if not len(numbers):
                    continue
            if len(numbers) == 1:
                words = {
                    REPEATED: "repeats",
                    OTHER: "shows another moment",
                    BLENDED: "is blended from two",
                    DIFFERS: "differs",
                }[kind]
            listed = ", ".join(self._where(int(number)) for number in numbers[:4])
            more = f" and {len(numbers) - 4} more" if len(numbers) > 4 else ""
            count = "1 frame" if len(numbers) == 1 else f"{len(numbers)} frames"
            tail = " the previous one" if kind == REPEATED else " from the master" if kind == DIFFERS else ""
            says = f"{count} {words}{tail}: {listed}{more}."
            told.append(Sentence(says=says, frame=int(numbers[0]), fault=True))
        return told

    def _stands(self, start: int, end: int) -> Sentence:
        says = f"The picture stands for {end - start} frames where the master moves: {self._where(start)}."
        return Sentence(says=says, frame=start, end=end, fault=True)

    def _where(self, frame: int) -> str:
        place = self.found.places[frame]
        shot = self._shot_at(place) if np.isfinite(place) else None
        return f"frame {frame}" + (f" in shot {shot.number}" if shot else "")

    def _is_of(self, shot: MasterShot, start: float, end: float) -> bool:
        """Does most of a shot lie between two places, or most of what lies between them in the shot?

        The cut of an edit may lie in a transition that is part of both shots.
        """
        both = min(shot.end, end) - max(shot.start, start)
        return both > 0 and (both >= (shot.end - shot.start) / 2 or both > (end - start) / 2)

    # Shots.

    def _place(self, shot: MasterShot, swaps: Sequence[tuple[Stretch, Stretch]]) -> ShotPlace:
        wanted_start, wanted_end = self.ordered
        outside = shot.end <= wanted_start or shot.start >= wanted_end
        places, kinds = self.found.places, self.found.kinds
        inside = np.flatnonzero((places >= shot.start - 0.01) & (places < shot.end - 0.01) & (kinds != FOREIGN))
        asked = max(1.0, (min(shot.end, wanted_end) - max(shot.start, wanted_start)) / self._slope)
        if len(inside) < _THERE * asked:
            says = "not ordered" if outside else "missing"
            return ShotPlace(
                shot=shot, state="missing", says=says, file_start=None, file_end=None, alone=0, outside=outside
            )
        start, end = int(inside[0]), int(inside[-1]) + 1
        alone = int(np.count_nonzero(kinds[inside] != IN_PLACE))
        stretch = max(self.found.stretches, key=lambda one: min(one.end, end) - max(one.start, start))
        shift = (wanted_start - stretch.offset) / self._slope
        state, says = self._state(shot, stretch, shift, swaps, len(inside), asked, alone)
        return ShotPlace(
            shot=shot, state=state, says=says, file_start=start, file_end=end, alone=alone, outside=outside
        )

    def _state(
        self,
        shot: MasterShot,
        stretch: Stretch,
        shift: float,
        swaps: Sequence[tuple[Stretch, Stretch]],
        there: int,
        asked: float,
        alone: int,
    ) -> tuple[str, str]:
        if stretch.speed != 1:
            return "sped", _pace(stretch.speed)
        for one, other in swaps:
            if stretch == one:
                return "swapped", f"before shot {self._number_of(other)}"
            if stretch == other:
                return "swapped", f"after shot {self._number_of(one)}"
        if asked - there > 1.5 + self._slack() * 2:
            return "trimmed", f"{self.length(asked - there, self.rate)} short"
        if abs(shift) > 0.5 + self._slack():
            word = "late" if shift > 0 else "early"
            return word, f"{self.length(shift, self.rate)} {word}"
        if alone:
            return "in place", f"{alone} frame{'' if alone == 1 else 's'} not as it should be"
        return "in place", "in place"


def _are(much: str) -> str:
    return "is" if much == "1 frame" else "are"


def _stand(much: str) -> str:
    return "stands" if much == "1 frame" else "stand"


def _pace(speed: float) -> str:
    """A speed in words: "runs at 200 % of its speed"."""
    percent = f"{abs(speed) * 100:.0f} %"
    if speed < 0:
        return "runs backwards" if percent == "100 %" else f"runs backwards at {percent} of its speed"
    return f"runs at {percent} of its speed"


def shots_of(cuts: Sequence[int], frames: int, names: Sequence[tuple[int, str]] = ()) -> list[MasterShot]:
    """Return the shots of a master: those of its edit where that is given and fits, else those between its cuts.

    ``names`` are (first frame, name) of the shots of the edit, in order.
    """
    starts = [0, *[cut for cut in cuts if 0 < cut < frames]]
    known = np.array(starts)
    named = [(start, name) for start, name in names if start < frames]
    nearest = [int(known[np.abs(known - start).argmin()]) for start, _ in named]
    on_cuts = [cut if abs(cut - start) <= _ON_CUT else start for cut, (start, _) in zip(nearest, named, strict=True)]
    # The shots of the edit are what is spoken of; another edit than the master's gives no names.
    if named and named[0][0] <= _ON_CUT and sum(one in starts for one in on_cuts) > len(named) / 2:
        starts = [0, *on_cuts[1:]]
        titles = [name for _, name in named]
    else:
        titles = [""] * len(starts)
    ends = [*starts[1:], frames]
    return [
        MasterShot(number=number, name=name, start=start, end=end)
        for number, (start, end, name) in enumerate(zip(starts, ends, titles, strict=True), 1)
        if end > start
    ]


def shot_name(shot: MasterShot) -> str:
    """Number and name of a shot, as sentences speak of it."""
    return f"{shot.number} “{shot.name}”" if shot.name else str(shot.number)


def map_document(found: FrameMap, journey: Journey) -> dict[str, Any]:
    """Return the value of ``master.map``."""
    return {
        "slope": f"{found.slope.numerator}/{found.slope.denominator}",
        "stretches": [
            [one.start, one.end, one.offset] + ([one.speed] if one.speed != 1 else []) for one in found.stretches
        ],
        "alone": [
            [int(at), int(found.kinds[at]), float(found.places[at]) if np.isfinite(found.places[at]) else None]
            for at in _told_alone(found.kinds)
        ],
        "holes": [list(hole) for hole in journey.holes],
        "way": journey.way,
        "moving": round(found.moving, 3),
        "shots": [
            {
                "number": row.shot.number, "name": row.shot.name, "start": row.shot.start, "end": row.shot.end,
                "state": row.state, "says": row.says, "file_start": row.file_start, "file_end": row.file_end,
                "alone": row.alone, "outside": row.outside,
            }
            for row in journey.shots
        ],
    }  # fmt: skip


def _told_alone(kinds: NDArray[np.uint8]) -> NDArray[np.intp]:
    return np.flatnonzero((kinds != IN_PLACE) & (kinds != FOREIGN))[:500]
