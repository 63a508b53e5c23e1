"""The cut train of an edit laid on the cuts that are seen in a file: is it the right edit, all of it, in place?

Where the cuts lie tells most of it without a single picture of the source: an offset that changes by a shot's length is
a shot that is missing, one that changes by less is a shot that was trimmed. What cuts alone cannot tell is said.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

import numpy as np
from numpy.typing import NDArray

from brisk_core.edit.cut_train import TOLERANCE, CutTrain, Observed, lay_cuts
from brisk_core.edit.ranges import FrameRange
from brisk_core.edit.timeline import Shot, Timeline
from brisk_core.exact import spell_rate
from brisk_core.facts import Held, Inspection, Sentence, Unheard, keys

_FEWEST_CUTS = 2  # that must lie in place before anything is said of the rest
_REMEDY = "Compare the export's timeline, its version and its in and out points with the order, and export again."
_LOOK = "Look at these places: is one shot there where the timeline has two?"
_CLEARLY_MIXED = 8.0  # frames of a transition, from which a cut in it is worth a look
_MOST_NAMED = 4  # places that one sentence names
_SHARE_OF_SEEN = 0.25  # of the cuts that are seen; a few fall on those of any edit by chance
_SHARE_IN_PLACE = 0.5  # of the cuts in reach of the file; below it the edit is another one


@dataclass(frozen=True, slots=True, kw_only=True)
class ShotState:
    """Where a shot of the timeline is in the file."""

    shot: Shot
    state: str  #: in place, shifted, missing, swapped, trimmed, unseen
    file_start: int | None  #: frame of the file; None for a shot that is not in it
    shift: int  #: frames of the file, later above 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Conform:
    """What the cuts say."""

    measured: bool  #: False when there are too few cuts to tell
    right: bool  #: everything expected is there, in place, and nothing else
    expected: int
    found: int
    matched: int
    missing: tuple[int, ...]  #: frames of the file at which a cut was expected
    extra: tuple[int, ...]  #: frames of the file at which a cut is seen that the timeline does not have
    hard: tuple[int, ...] = ()  #: frames of the file at which a cut is seen in place of a transition
    offset: int | None  #: frames by which most of the file is late; None when nothing matches
    speed: Fraction  #: timeline time that passes in a second of the file
    shots: tuple[ShotState, ...]
    sentences: tuple[Sentence, ...]
    unknown: tuple[str, ...]  #: what cuts alone cannot tell

    def cuts_json(self) -> dict[str, Any]:
        """The value of ``edit.cuts``."""
        return {
            "expected": self.expected,
            "found": self.found,
            "matched": self.matched,
            "missing": list(self.missing),
            "extra": list(self.extra),
            "offset": self.offset,
        }

    def held(self) -> dict[str, Held]:
        """``edit.cuts`` and ``edit.shots`` as what a judge needs."""
        states = Counter(row.state for row in self.shots)
        of_shots = ", ".join(f"{count} {state}" for state, count in states.items()) or "no shots"
        if not self.measured:
            reason = self.unknown[0]
            return {
                id_: Held(right=None, required="as the timeline", found=reason, document=document, asked=False)
                for id_, document in ((keys.EDIT_CUTS.id, self.cuts_json()), (keys.EDIT_SHOTS.id, self.shots_json()))
            }
        told = Held(
            right=self.right,
            required=f"{self.expected} cuts in place",
            found=f"{self.matched} of {self.expected} in place, {len(self.extra)} more",
            document=self.cuts_json(),
            sentences=self.sentences,
            remedy=_REMEDY if not self.right else _LOOK,
            look=self.right and bool(self.missing or self.hard),
        )
        in_place = set(states) <= {"in place", "unseen"}
        shots = Held(
            right=in_place,
            required="every shot in place",
            found=of_shots,
            document=self.shots_json(),
            sentences=self._of_states(),
            remedy=_REMEDY,
        )
        return {keys.EDIT_CUTS.id: told, keys.EDIT_SHOTS.id: shots}

    def _of_states(self) -> tuple[Sentence, ...]:
        """One sentence for all shots of each state that is not in place."""
        found = []
        for state in ("missing", "swapped", "trimmed", "shifted"):
            rows = [row for row in self.shots if row.state == state]
            if rows:
                names = ", ".join(f"{row.shot.number} “{row.shot.name}”" for row in rows[:4])
                more = f" and {len(rows) - 4} more" if len(rows) > 4 else ""
                starts = [row.file_start for row in rows if row.file_start is not None]
                where = starts[0] if starts else None
                says = f"{len(rows)} shot{'s' if len(rows) > 1 else ''} {state}: {names}{more}."
                found.append(Sentence(says=says, frame=where, fault=True))
        return tuple(found)

    def shots_json(self) -> list[dict[str, Any]]:
        """The value of ``edit.shots``."""
        return [
            {"event": row.shot.name, "number": row.shot.number, "state": row.state, "start": row.file_start}
            for row in self.shots
        ]


def observed_of(inspection: Inspection) -> Observed | None:
    """Return what an inspection saw of the cuts of a file, ``None`` while its pictures are not scanned."""
    cuts, black = (inspection.facts[id_].observed for id_ in (keys.CONTENT_CUTS.id, keys.CONTENT_BLACK.id))
    rate, frames = inspection[keys.PICTURE_FRAME_RATE], inspection[keys.PICTURE_FRAME_COUNT]
    if cuts is None or cuts is Unheard.UNHEARD or rate is None or not frames:
        return None
    dark = () if black is None or black is Unheard.UNHEARD else black
    return Observed(
        cuts=tuple(span.start for span in cuts),
        frames=frames,
        rate=rate,
        black=tuple((span.start, span.end) for span in dark),
    )


def conform(timeline: Timeline, covered: FrameRange, observed: Observed) -> Conform:
    """Lay the cuts of a timeline on those of a file that should show a part of it."""
    shots = timeline.shots()
    cuts = np.array([shot.start for shot in shots[1:]], np.int64)
    zones = np.array([(shot.mixed_in, shot.mixed_before) for shot in shots[1:]], np.int64).reshape(-1, 2)
    inside = (cuts > covered.start) & (cuts < covered.end)
    expected_here = int(inside.sum())
    if expected_here < _FEWEST_CUTS and len(observed.cuts) < _FEWEST_CUTS:
        return _untold(
            timeline, covered, observed, expected_here, "the range has too few cuts to tell one edit from another"
        )
    # A range of few cuts may be told from the whole edit that the file shows in its place.
    if min(len(cuts), max(expected_here, len(observed.cuts))) < _FEWEST_CUTS:
        says = (
            f"the range has {expected_here} cuts, the file shows {len(observed.cuts)}; too few to lay one on the other"
        )
        return _untold(timeline, covered, observed, expected_here, says)
    laid = lay_cuts(timeline, covered, observed, cuts, zones)
    return _Reading(timeline, covered, observed, shots, laid).conclude()


def _untold(timeline: Timeline, covered: FrameRange, observed: Observed, expected: int, says: str) -> Conform:
    return Conform(
        measured=False,
        right=False,
        expected=expected,
        found=len(observed.cuts),
        matched=0,
        missing=(),
        extra=(),
        offset=None,
        speed=Fraction(1),
        shots=tuple(
            ShotState(shot=shot, state="unseen", file_start=None, shift=0)
            for shot in timeline.shots()
            if shot.end > covered.start and shot.start < covered.end
        ),
        sentences=(),
        unknown=(says,),
    )


@dataclass(slots=True)
class _Reading:
    """Puts a laid train into states and sentences."""

    timeline: Timeline
    covered: FrameRange
    observed: Observed
    shots: Sequence[Shot]
    laid: CutTrain

    def conclude(self) -> Conform:
        """Return what there is to say."""
        laid, observed = self.laid, self.observed
        places = np.rint(laid.expected + laid.offsets).astype(np.int64)
        reached = (places > 0) & (places < observed.frames)
        matched = laid.seen & reached
        wrong = self._wrong(matched, reached)
        if wrong is not None:
            return wrong
        ordered = self._ordered()
        main = self._main_offset(matched)
        used = {int(place) for place, hit in zip(places, matched, strict=True) if hit}
        near = 0 if self._scale == 1 else TOLERANCE
        extra = [cut for cut in observed.cuts if not any(cut + step in used for step in range(-near, near + 1))]
        extra = [cut for cut in extra if not self._in_zone(cut)]
        swapped, extra, missed = self._swaps(places, matched, reached, extra)
        hard = self._hard(matched)
        missing = self._missing_shots()
        states = self._states(places, matched, missing, swapped, ordered)
        sentences = [
            *self._speed_sentence(), *self._range_sentence(main, ordered), *self._jump_sentences(missing),
            *self._swap_sentences(swapped), *self._lost_cuts(missed, states), *self._extra_cuts(extra),
            *self._hard_cuts(hard),
        ]  # fmt: skip
        inside = self._inside() & ~self._excused(places, matched)
        right = not any(one.fault for one in sentences)
        return Conform(
            measured=True,
            right=right,
            expected=int(inside.sum()),
            found=len(observed.cuts),
            matched=int((matched & inside).sum()),
            missing=tuple(int(one) for one in missed),
            extra=tuple(extra),
            hard=tuple(hard),
            offset=main - ordered,
            speed=laid.speed,
            shots=states,
            sentences=tuple(sentences),
            unknown=self._unknown(),
        )

    def _inside(self) -> NDArray[np.bool_]:
        starts = np.array([shot.start for shot in self.shots[1:]])
        return (starts > self.covered.start) & (starts < self.covered.end)

    @property
    def _mixed(self) -> NDArray[np.bool_]:
        """At which cuts is there a transition?"""
        return np.array([shot.mixed_in > 0 for shot in self.shots[1:]])

    @property
    def _scale(self) -> float:
        return float(self.observed.rate / self.timeline.rate / self.laid.speed)

    def _ordered(self) -> int:
        return round(-self.covered.start * self._scale)

    def _main_offset(self, matched: NDArray[np.bool_]) -> int:
        return int(Counter(self.laid.offsets[matched].tolist()).most_common(1)[0][0])

    def _wrong(self, matched: NDArray[np.bool_], reached: NDArray[np.bool_]) -> Conform | None:
        """The verdict for a file whose cuts are not those of the timeline."""
        hits, asked = int(matched.sum()), int((reached & (matched | ~self._mixed)).sum())
        jumps = int(np.count_nonzero(np.diff(self.laid.offsets[matched]))) if hits else 0
        seen = len(self.observed.cuts)
        enough = max(_SHARE_IN_PLACE * max(min(asked, seen), 1), _SHARE_OF_SEEN * seen)
        if hits >= _FEWEST_CUTS and hits - jumps >= enough:
            return None
        inside = int(self._inside().sum())
        few = f"{hits} of {seen}" if hits else "none"
        verb = "is" if hits == 1 else "are"
        says = f"{few[0].upper()}{few[1:]} of these cuts {verb} in this timeline: it is another edit."
        if not seen:
            says = f"The file shows no cut where the timeline has {inside}: it is another edit, or one shot of it."
        return Conform(
            measured=True,
            right=False,
            expected=inside,
            found=seen,
            matched=0,
            missing=tuple(round((shot.start - self.covered.start) * self._scale) for shot in self._wanted_shots()[1:]),
            extra=self.observed.cuts,
            offset=None,
            speed=Fraction(1),
            shots=tuple(
                ShotState(shot=shot, state="missing", file_start=None, shift=0) for shot in self._wanted_shots()
            ),
            sentences=(Sentence(says=says, frame=0, fault=True),),
            unknown=self._unknown(),
        )

    def _wanted_shots(self) -> list[Shot]:
        return [shot for shot in self.shots if shot.end > self.covered.start and shot.start < self.covered.end]

    # Words.

    def _at(self, frame: float) -> str:
        """The label of a frame of the timeline."""
        start = self.timeline.start
        return str(start.plus(round(frame))) if start else f"frame {round(frame)}"

    def _in_file(self, frame: int) -> float:
        """The frame of the timeline that stands in the file at a frame if everything were in place."""
        return self.covered.start + frame / self._scale

    def _length(self, frames: int) -> str:
        """Frames of the file in words."""
        frames = abs(frames)
        plural = "" if frames == 1 else "s"
        if frames < self.observed.rate:
            return f"{frames} frame{plural}"
        return f"{float(frames / self.observed.rate):.2f} s ({frames} frames)"

    # Shots that are missing, trimmed, exchanged.

    def _jumps(self) -> list[tuple[int, int]]:
        """Changes of offset: the first cut with the new one, and by how many frames it changes."""
        laid = self.laid
        changes = []
        last: int | None = None
        for row in range(len(laid.offsets)):
            if not laid.seen[row]:
                continue
            offset = int(laid.offsets[row])
            if last is not None and offset != last:
                changes.append((row, offset - last))
            last = offset
        return changes

    def _missing_shots(self) -> dict[int, tuple[list[Shot], int]]:
        """For each change of offset to earlier: the shots whose lengths explain it, and the frames they do not."""
        found = {}
        for row, change in self._jumps():
            if change >= 0:
                continue
            lost = -change / self._scale
            # Shots that end at the cut ``row``: the cut that starts shot row + 1 (shots count one more than cuts).
            best: tuple[list[Shot], int] = ([], change)
            taken: list[Shot] = []
            for shot in reversed(self.shots[: row + 1]):
                taken.insert(0, shot)
                rest = lost - sum(one.length for one in taken)
                if abs(rest) <= 1 / self._scale + (self._scale != 1):
                    best = (list(taken), 0)
                    break
                if rest < 0:
                    break
            if not best[0]:
                ahead = self.shots[row + 1] if row + 1 < len(self.shots) else None
                if ahead is not None and abs(lost - ahead.length) <= 1:
                    best = ([ahead], 0)
            found[row] = best
        return found

    def _swaps(
        self, places: NDArray[np.int64], matched: NDArray[np.bool_], reached: NDArray[np.bool_], extra: list[int]
    ) -> tuple[list[tuple[Shot, Shot, int]], list[int], list[int]]:
        """Neighbours that changed places: one cut is not where it should be and stands mirrored between its own."""
        swapped: list[tuple[Shot, Shot, int]] = []
        missed = []
        left = list(extra)
        ends = [0, *places.tolist(), self.observed.frames]
        excused = self._excused(places, matched)
        for row in np.flatnonzero(reached & ~matched).tolist():
            before, here, after = ends[row], int(places[row]), ends[row + 2]
            mirrored = before + after - here
            hit = next((cut for cut in left if abs(cut - mirrored) <= (0 if self._scale == 1 else 1)), None)
            sure = (row == 0 or matched[row - 1]) and (row + 1 == len(places) or matched[row + 1])
            if hit is not None and sure and hit != here:
                swapped.append((self.shots[row], self.shots[row + 1], before))
                left.remove(hit)
            elif self._inside()[row] and not excused[row]:
                missed.append(here)
        return swapped, left, missed

    def _excused(self, places: NDArray[np.int64], matched: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """Return at which cuts of the timeline nothing is seen, and nothing need be: in a transition, and where a shot
        comes up out of the black of a gap or goes down into one.
        """
        black = np.zeros(len(places), np.bool_)
        for start, end in self.observed.black:
            black |= (places > start) & (places < end)
        gaps = np.array([shot.event is None for shot in self.shots])
        return np.asarray(~matched & (self._mixed | (black & (gaps[1:] != gaps[:-1]))), np.bool_)

    def _states(
        self,
        places: NDArray[np.int64],
        matched: NDArray[np.bool_],
        missing: dict[int, tuple[list[Shot], int]],
        swapped: list[tuple[Shot, Shot, int]],
        ordered: int,
    ) -> tuple[ShotState, ...]:
        gone = {shot.number for shots, _ in missing.values() for shot in shots}
        exchanged = {shot.number for first, second, _ in swapped for shot in (first, second)}
        trimmed = {self.shots[row].number for row, (shots, _) in missing.items() if not shots}
        trimmed |= {self.shots[row].number for row, change in self._jumps() if change > 0}
        states = []
        starts = [int(self.laid.offsets[0]), *places.tolist()]
        shifts = [int(self.laid.offsets[0]), *self.laid.offsets.tolist()]
        for index, shot in enumerate(self.shots):
            if shot.end <= self.covered.start or shot.start >= self.covered.end:
                continue
            start, shift = starts[index], shifts[index] - ordered
            length = round(shot.length * self._scale)
            if shot.number in gone or start >= self.observed.frames or start + length <= 0:
                states.append(ShotState(shot=shot, state="missing", file_start=None, shift=0))
                continue
            state = "in place" if shift == 0 else "shifted"
            if shot.number in exchanged:
                state = "swapped"
            elif shot.number in trimmed:
                state = "trimmed"
            elif index and not matched[index - 1] and not (index < len(matched) and matched[index]):
                state = "unseen"
            states.append(ShotState(shot=shot, state=state, file_start=max(start, 0), shift=shift))
        return tuple(states)

    # Sentences.

    def _speed_sentence(self) -> list[Sentence]:
        speed = self.laid.speed
        if speed == 1:
            return []
        much = abs(float(speed) - 1) * 100
        pace = "faster" if speed > 1 else "slower"
        says = (
            f"The programme runs {much:.1f} % {pace} than the timeline: {spell_rate(self.timeline.rate)} frames a "
            f"second were taken one for one as {spell_rate(self.timeline.rate * speed)}."
        )
        return [Sentence(says=says, frame=0, fault=True)]

    def _range_sentence(self, main: int, ordered: int) -> list[Sentence]:
        """Where the file begins and ends on the timeline, when that is not where it should."""
        matched = self.laid.offsets[self.laid.seen]
        first, last = int(matched[0]), int(matched[-1])
        begins, ends = -first / self._scale, (self.observed.frames - last) / self._scale
        sentences = []
        near = 0.5 if self._scale == 1 else 1.0
        late_start = begins - self.covered.start
        late_end = ends - self.covered.end
        if abs(late_start) > near and abs(late_start - late_end) <= near and len(set(matched.tolist())) == 1:
            shift = main - ordered
            if abs(late_start) < self.covered.length / 4 or abs(shift) <= 5:
                word = "late" if shift > 0 else "early"
                says = (
                    f"Everything is {self._length(shift)} {word}: the file begins at {self._at(begins)} of the "
                    f"timeline "
                    f"and ends at {self._at(ends)}; ordered is {self._at(self.covered.start)} to "
                    f"{self._at(self.covered.end)}."
                )
                return [Sentence(says=says, frame=0, fault=True)]
        wrong_start, wrong_end = abs(late_start) > near, abs(late_end) > near
        if wrong_start and wrong_end and len(set(matched.tolist())) == 1:
            says = (
                f"The file holds another range: {self._at(begins)} to {self._at(ends)} of the timeline; ordered is "
                f"{self._at(self.covered.start)} to {self._at(self.covered.end)}."
            )
            return [Sentence(says=says, frame=0, fault=True)]
        if wrong_start:
            word = "late" if late_start > 0 else "early"
            much = self._length(round(late_start * self._scale))
            says = (
                f"The file begins {much} too {word}: at {self._at(begins)} in place of {self._at(self.covered.start)}."
            )
            sentences.append(Sentence(says=says, frame=0, fault=True))
        if wrong_end:
            word = "late" if late_end > 0 else "early"
            much = self._length(round(late_end * self._scale))
            says = f"The file ends {much} too {word}: at {self._at(ends)} in place of {self._at(self.covered.end)}."
            sentences.append(Sentence(says=says, frame=self.observed.frames - 1, fault=True))
        return sentences

    def _jump_sentences(self, missing: dict[int, tuple[list[Shot], int]]) -> list[Sentence]:
        sentences = []
        places = np.rint(self.laid.expected + self.laid.offsets).astype(np.int64)
        for row, change in self._jumps():
            at = int(places[row])
            much = self._length(change)
            since = self._since(row)
            where = f"{since[0].number} “{since[0].name}”" + (f" to {row + 1} “{since[-1].name}”" if since[1:] else "")
            if change > 0:
                verb = "stands" if change == 1 else "stand"
                says = (
                    f"{much} more than the timeline has {verb} before {self._at(self.shots[row + 1].start)}, in or "
                    f"after shot{'s' if since[1:] else ''} {where}; all after comes that much late."
                )
            elif lost := missing[row][0]:
                either = self._same_train(lost)
                names = (" or " if either else " and ").join(
                    f"{shot.number} “{shot.name}”" for shot in (either or lost)[:4]
                )
                verb = "is" if len(lost) == 1 else "are"
                says = (
                    f"Shot{'s' if len(lost) > 1 else ''} {names} {verb} missing at {self._at(lost[0].start)}: all "
                    f"after comes {much} early."
                )
            else:
                subject = f"Shots {where} are together" if since[1:] else f"Shot {where} is"
                says = (
                    f"{subject} {much} too short, somewhere between {self._at(since[0].start)} and "
                    f"{self._at(since[-1].end)}: all after comes that much early."
                )
            sentences.append(Sentence(says=says, frame=at, fault=True))
        return sentences

    def _same_train(self, lost: Sequence[Shot]) -> list[Shot]:
        """Neighbours of one lost shot that are as long as it, with it: without any of them the cuts are the same."""
        if len(lost) != 1:
            return []
        at = lost[0].number - 1
        first = at
        while first and self.shots[first - 1].length == lost[0].length:
            first -= 1
        return list(self.shots[first : at + 1]) if first < at else []

    def _since(self, row: int) -> Sequence[Shot]:
        """The shots that end at a cut, from the last cut before it that is seen."""
        seen = np.flatnonzero(self.laid.seen[:row])
        return self.shots[int(seen[-1]) + 1 if len(seen) else 0 : row + 1]

    def _swap_sentences(self, swapped: list[tuple[Shot, Shot, int]]) -> list[Sentence]:
        return [
            Sentence(
                says=f"Shots {first.number} “{first.name}” and {second.number} “{second.name}” changed places at "
                f"{self._at(first.start)}.",
                frame=at,
                fault=True,
            )
            for first, second, at in swapped
        ]

    def _listed(self, frames: list[int]) -> str:
        """Labels of the first few frames of the file, and how many more there are."""
        more = f" and {len(frames) - _MOST_NAMED} more" if len(frames) > _MOST_NAMED else ""
        return ", ".join(self._at(self._in_file(at)) for at in frames[:_MOST_NAMED]) + more

    def _lost_cuts(self, missed: list[int], states: Sequence[ShotState]) -> list[Sentence]:
        if not missed:
            return []
        verb = "is" if len(missed) == 1 else "are"
        says = (
            f"{len(missed)} cut{'s' if len(missed) > 1 else ''} of the timeline {verb} not seen "
            f"({self._listed(missed)}): shots "
            "that look alike, or one shot in place of two."
        )
        return [Sentence(says=says, frame=missed[0], fault=len(missed) > max(1, len(states) // 8))]

    def _extra_cuts(self, extra: list[int]) -> list[Sentence]:
        if not extra:
            return []
        verb = "stands" if len(extra) == 1 else "stand"
        says = (
            f"{len(extra)} cut{'s' if len(extra) > 1 else ''} that the timeline does not have {verb} at "
            f"{self._listed(extra)}: "
            "cuts inside the source, or material from elsewhere."
        )
        return [Sentence(says=says, frame=extra[0], fault=False)]

    def _hard(self, matched: NDArray[np.bool_]) -> list[int]:
        """Frames of the file at which a cut stands in a transition that is long enough to be seen."""
        begins, lasts = self._zones()
        found = []
        for row in np.flatnonzero(matched & (lasts >= _CLEARLY_MIXED)).tolist():
            found += [cut for cut in self.observed.cuts if -1 <= cut - begins[row] <= lasts[row] + 1][:1]
        return found

    def _hard_cuts(self, hard: list[int]) -> list[Sentence]:
        if not hard:
            return []
        places = "a cut is" if len(hard) == 1 else f"{len(hard)} cuts are"
        says = (
            f"{places[0].upper()}{places[1:]} seen where the timeline has a transition ({self._listed(hard)}): was it "
            "rendered?"
        )
        return [Sentence(says=says, frame=hard[0], fault=False)]

    def _in_zone(self, cut: int) -> bool:
        """Does a cut seen fall into a transition?"""
        begins, lasts = self._zones()
        return bool(np.any((lasts > 0) & (cut >= begins - 1) & (cut <= begins + lasts + 1)))

    def _zones(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """First frame of the file of the transition at each cut, and the frames it lasts, 0 where there is none."""
        lasts, before = np.array([(shot.mixed_in, shot.mixed_before) for shot in self.shots[1:]]).T * self._scale
        return np.asarray(self.laid.expected + self.laid.offsets - before, np.float64), lasts

    def _unknown(self) -> tuple[str, ...]:
        found = ["whether the right pictures stand between the cuts: a master would tell"]
        lengths = Counter(shot.length for shot in self._wanted_shots())
        if any(count > 1 for count in lengths.values()):
            found.append("shots of the same length that changed places")
        if any(shot.lane > 0 for shot in self._wanted_shots()):
            found.append("cuts on upper lanes, which may be titles that do not cut the picture")
        return tuple(found)
