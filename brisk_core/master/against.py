"""A file held against a master or an earlier attempt: the map first, then pictures and sound at places it gives."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from itertools import chain
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from brisk_core.edit.conform import observed_of
from brisk_core.edit.cut_train import Observed
from brisk_core.edit.ranges import FrameRange
from brisk_core.edit.timeline import Timeline
from brisk_core.exact import Timecode
from brisk_core.facts import Held, Inspection, Sentence, keys
from brisk_core.frames import Film, Grey, frames_to_decode
from brisk_core.master.colours import matrix_of
from brisk_core.master.cuts import map_by_cuts
from brisk_core.master.foreign import TakenBack, taken_back
from brisk_core.master.frame_map import FOREIGN, IN_PLACE, FrameMap, Seen, Stretch, in_order
from brisk_core.master.geometry import Geometry, find_geometry
from brisk_core.master.holding import Holding
from brisk_core.master.levels import LevelCurve, find_curve
from brisk_core.master.mapping import map_frames, with_repeats
from brisk_core.master.pairs import Pair, paired
from brisk_core.master.refining import Pictures, healed, refine_breaks, refine_stretches
from brisk_core.master.shots import Journey, MasterShot, Teller, shots_of
from brisk_core.master.shotwise import Shotwise
from brisk_core.master.similarity import Similarity, aligned, bears_out, compare_pictures
from brisk_core.master.singles import Look, doubtful_steps, find_singles
from brisk_core.master.sound import lay_windows
from brisk_core.master.sound_levels import Spans, levels_of, stretches_without
from brisk_core.master.sound_verdict import SoundVerdict, conclude
from brisk_core.master.standing import with_standing
from brisk_core.packets import load_series
from brisk_core.reading import Source
from brisk_core.scan import load_scan

AGAINST_SCHEMA = "brisk-sentry/against/1"
_WIDEST = 960  # samples of pictures that are compared
_LOOKED, _MOST_COMPARED = 12, 360  # pairs by which geometry and levels are found, and that are compared at most
_NOWHERE = "none of its pictures is found in the master"
_ROUGH = 2.0  # code values between a frame and its place, above which it is another picture
_MOST_OF_RUN = 8  # pictures compared of a run that was taken back
_MOST_MARKED = 100  # pictures that the file's own scan marks
_ASIDE = 3  # frames from a cut at which pictures are safe to pair
_MOMENTS, _MOST_MOMENTS, _MOMENT_MORE = 8, 24, 300.0  # windows of sound; one more for so many seconds
Progress = Callable[[int, int], None]  #: pictures compared, pictures in all


@dataclass(frozen=True, slots=True, kw_only=True)
class Side:
    """One of the two files."""

    source: Source
    inspection: Inspection
    series_path: Path  #: of packets
    scan_path: Path  #: of pictures and sound

    @property
    def rate(self) -> Fraction | None:
        """Frames a second."""
        rate: Fraction | None = self.inspection[keys.PICTURE_FRAME_RATE]
        return rate

    def film(self) -> Film:
        """The file as it is decoded."""
        return Film(
            source=self.source,
            series_path=self.series_path,
            full=self.inspection.is_full_range,
            size=self.inspection[keys.PICTURE_SIZE] or (0, 0),
        )

    @property
    def repeats(self) -> list[int]:
        """Frames that repeat their previous one."""
        spans = self.inspection[keys.CONTENT_REPEAT] or ()
        return [frame for span in spans for frame in range(span.start, span.end)]

    @property
    def start(self) -> Timecode | None:
        """Its start timecode."""
        spoken = self.inspection.witnessed(keys.WRAPPER_START_TIMECODE).spoken()
        return next(iter(spoken.values()), None)


@dataclass(frozen=True, slots=True, kw_only=True)
class Against:
    """Everything that was found, and as a judge needs it."""

    held: dict[str, Held]
    document: dict[str, Any]  #: of schema ``brisk-sentry/against/1``


def hold_against(
    file: Side,
    master: Side,
    *,
    ordered: tuple[int, int] | None = None,
    names: Sequence[tuple[int, str]] = (),
    progress: Progress | None = None,
) -> Against:
    """Hold a scanned file against a scanned master.

    ``ordered`` are the master's frames that the file should hold, all of them by default; ``names`` are first frames
    and names of its shots. Reads pictures and sound at places only.
    """
    own, other = observed_of(file.inspection), observed_of(master.inspection)
    if own is None or other is None or file.rate is None or master.rate is None:
        which = "file" if own is None else "master"
        return _nothing(f"the pictures of the {which} have not been scanned")
    own_rows, other_rows = (load_scan(side.scan_path).pictures for side in (file, master))
    seen = Seen.of(own_rows, file.rate), Seen.of(other_rows, master.rate)
    found = map_frames(*seen, own.cuts, other.cuts)
    found = found and with_repeats(found, file.repeats)
    by_cuts = found is None or found.noise > _ROUGH or float(np.mean(found.kinds == FOREIGN)) > 0.5
    if by_cuts:
        # Look-alikes of a picture that was cut another way: its cuts are surer.
        found = map_by_cuts(own, other) or (found if found is not None and found.noise <= _ROUGH else None)
        by_cuts = found is not None and found.noise == 0.0
    if found is None:
        return _nothing(_NOWHERE, told=True)
    rows = own_rows, other_rows
    worker = _Worker(file, master, own, other, rows, found, by_cuts, ordered or (0, other.frames), names, progress)
    return worker.hold() or _nothing("its cuts lie on the master's, but its pictures are composed anew")


def _nothing(reason: str, *, told: bool = False) -> Against:
    """The answer where there is nothing to compare: another film is a fault, a missing scan is not measured."""
    sentence = Sentence(says=f"{reason[0].upper()}{reason[1:]}: it is another film.", frame=0, fault=True)
    rest = Held(right=None, required="as the master", found=reason)
    first = (
        Held(
            right=False,
            required="every frame of the master",
            found="another film",
            sentences=(sentence,),
            remedy="Hold it against the master of this film, or see whether another file was exported.",
        )
        if told
        else rest
    )
    held = {keys.MASTER_MAP.id: first} | {
        f"master.{name}": rest for name in ("geometry", "level_curve", "similarity", "sound")
    }
    return Against(held=held, document={"schema": AGAINST_SCHEMA, "found": False, "says": reason, **_told(held)})


def _told(held: dict[str, Held]) -> dict[str, Any]:
    """Right, required, found and sentences of every characteristic, for the database."""
    return {"held": {id_: held_to_json(one) for id_, one in held.items()}}


def held_to_json(held: Held) -> dict[str, Any]:
    """Return a comparison's result as JSON; ``held_from_json`` reads it."""
    return {
        "right": held.right,
        "required": held.required,
        "found": held.found,
        "document": held.document,
        "sentences": [[one.says, one.frame, one.end, one.fault] for one in held.sentences],
        "remedy": held.remedy,
        "asked": held.asked,
        "look": held.look,
    }


def held_of(document: dict[str, Any]) -> dict[str, Held]:
    """Return what a judge needs of a document of schema ``brisk-sentry/against/1``."""
    return {id_: held_from_json(held) for id_, held in document["held"].items()}


def ordered_frames(
    timeline: Timeline, covered: FrameRange, master_rate: Fraction, master_frames: int
) -> tuple[int, int]:
    """Return the frames of a master of the whole timeline that a range of it asks for."""
    scale = master_rate / timeline.rate
    return min(round(covered.start * scale), master_frames - 1), min(round(covered.end * scale), master_frames)


def shot_names(timeline: Timeline, master_rate: Fraction) -> list[tuple[int, str]]:
    """Return first frames in a master of the whole timeline, and names, of the shots of an edit."""
    scale = master_rate / timeline.rate
    return [(round(shot.start * scale), shot.name) for shot in timeline.shots()]


def held_from_json(document: dict[str, Any]) -> Held:
    """Return what ``held_to_json`` wrote."""
    sentences = tuple(
        Sentence(says=says, frame=frame, end=end, fault=fault) for says, frame, end, fault in document["sentences"]
    )
    return Held(**{**document, "sentences": sentences})


@dataclass(slots=True)
class _Worker:
    file: Side
    master: Side
    own: Observed
    other: Observed
    rows: tuple[NDArray[np.void], NDArray[np.void]]  #: of the scans of both
    found: FrameMap
    by_cuts: bool
    ordered: tuple[int, int]
    names: Sequence[tuple[int, str]]
    progress: Progress | None
    doubtful: list[int] = field(default_factory=list)  #: frames that their steps make doubtful
    taken: TakenBack | None = None
    shotwise: Shotwise | None = None

    def hold(self) -> Against | None:
        """Compare everything; ``None`` when only the cuts spoke and no picture bears them out."""
        films = self.file.film(), self.master.film()
        looked = list(paired(*films, self._near_random_access(self._wanted(), _LOOKED), _WIDEST, colour=True))
        # Every other one first: spread like the rest, and enough as a rule.
        geometry = find_geometry([*looked[::2], *looked[1::2]], films[0].size, films[1].size, bears_out)
        if geometry is None and self.by_cuts:
            return None
        if geometry is not None:
            pictures = Pictures(
                file=films[0],
                master=films[1],
                master_frames=self.other.frames,
                geometry=geometry,
                widest=_WIDEST,
            )
            self.found = refine_breaks(
                refine_stretches(healed(self.found, pictures), pictures), pictures, self.own.cuts
            )
            self.taken = taken_back(with_standing(self.found, *self.rows, pictures, self.own.cuts), pictures)
            self.found = self.taken.found
        journey = self._journey()
        curve: LevelCurve | None = None
        similarity: Similarity | None = None
        if geometry is not None:
            matrices = matrix_of(self.file.inspection), matrix_of(self.master.inspection)
            curve = find_curve(self._still_paired(looked), geometry, matrices)
            self.doubtful = doubtful_steps(self.found, *self.rows)[:_MOST_MARKED]
            compared = self._compared(self._wanted())
            del looked
            similarity = self._compare(films, compared, geometry, curve)
        if geometry is not None and similarity is not None:
            look = self._look(films, geometry, curve)
            singles = find_singles(similarity, look, self.doubtful, self._own_blends())
            self.found.kinds[list(singles)] = list(singles.values())
            if self.shotwise is not None:
                self.shotwise.leave_out(singles)
            journey = self._journey()
        sound = self._sound()
        holding = self._holding()
        held = {
            keys.MASTER_MAP.id: holding.map(journey),
            keys.MASTER_GEOMETRY.id: holding.geometry(geometry),
            keys.MASTER_LEVEL_CURVE.id: holding.levels(curve),
            keys.MASTER_SIMILARITY.id: holding.similarity(similarity),
            keys.MASTER_SOUND.id: holding.sound(sound),
        }
        return Against(held=held, document=self._document(held, journey, geometry, similarity))

    def _compare(
        self, films: tuple[Film, Film], compared: list[tuple[int, int]], geometry: Geometry, curve: LevelCurve | None
    ) -> Similarity | None:
        """Compare pairs of pictures as wholes, and in their parts."""
        self.shotwise = Shotwise(geometry=geometry, levelled=curve is not None and curve.changed)
        pairs = self._counted(paired(*films, compared, _WIDEST, colour=True), len(compared))
        return compare_pictures(pairs, geometry, curve, self.shotwise.take)

    def _still_paired(self, looked: Sequence[Pair]) -> list[Pair]:
        """Those of some pairs that are pairs by the map as it is now."""
        return [pair for pair in looked if self.found.single[pair.own.number] == pair.other.number]

    def _own_blends(self) -> list[int]:
        """Frames that the file's own scan takes for blends where the master's does not."""
        there = {
            frame for span in self.master.inspection[keys.CONTENT_BLEND] or () for frame in range(span.start, span.end)
        }
        own = (
            frame for span in self.file.inspection[keys.CONTENT_BLEND] or () for frame in range(span.start, span.end)
        )
        places, kinds = self.found.places, self.found.kinds
        return [
            frame
            for frame in own
            if frame < len(places) and kinds[frame] == IN_PLACE and round(float(places[frame])) not in there
        ]

    def _look(self, films: tuple[Film, Film], geometry: Geometry, curve: LevelCurve | None) -> Look:
        """A frame of the file beside the frames of the master around its place."""

        def look(frame: int) -> tuple[Grey, list[Grey]] | None:
            place = round(float(self.found.places[frame]))
            around = [one for one in range(place - 1, place + 2) if 0 <= one < self.other.frames]
            laid = [
                both
                for pair in paired(*films, [(frame, one) for one in around], _WIDEST)
                if (both := aligned(pair, geometry, curve)) is not None
            ]
            return (laid[0][0], [both[1] for both in laid]) if len(laid) > 1 else None

        return look

    def _counted(self, pairs: Any, total: int) -> Any:
        for number, pair in enumerate(pairs, 1):
            if self.progress:
                self.progress(number, total)
            yield pair

    def _journey(self) -> Journey:
        rate, master_rate = self.own.rate, self.other.rate
        return Teller(
            found=self.found,
            shots=self._shots(),
            frames=self.own.frames,
            master_frames=self.other.frames,
            rate=rate,
            master_rate=master_rate,
            start=self.master.start,
            ordered=self.ordered,
        ).tell()

    def _shots(self) -> list[MasterShot]:
        return shots_of(self.other.cuts, self.other.frames, self.names)

    def _wanted(self) -> list[tuple[int, int]]:
        """Pairs of frames that show the same picture, away from cuts and from faults of the map."""
        single = self.found.single
        numbers = np.flatnonzero(single >= 0)
        cuts = np.array([0, *self.own.cuts, self.own.frames])
        at = np.searchsorted(cuts, numbers, side="right")
        away = np.minimum(numbers - cuts[at - 1], cuts[np.minimum(at, len(cuts) - 1)] - 1 - numbers)
        kept = numbers[away >= _ASIDE] if np.count_nonzero(away >= _ASIDE) > 20 else numbers
        inside = kept[single[kept] < self.other.frames]
        return [(int(one), int(single[one])) for one in inside]

    def _compared(self, wanted: list[tuple[int, int]]) -> list[tuple[int, int]]:
        """The pairs whose likeness is measured: all of a short file; of a long one those spread over it, and those that
        its own scan marks where the master's does not.
        """
        marked = {
            frame
            for id_ in (keys.CONTENT_BLEND.id, keys.CONTENT_DROP.id, keys.CONTENT_COMB.id, keys.CONTENT_UNREADABLE.id)
            for span in self.file.inspection.best(id_) or ()
            for frame in range(span.start, min(span.end, span.start + _MOST_MARKED))
        } | set(self.doubtful)
        doubtful = [pair for pair in wanted if pair[0] in marked][:_MOST_MARKED]
        # What its waves did not find in the master is other in something: a part of it, or its levels.
        runs = self.taken.alike if self.taken else ()
        taken = [_spread([pair for pair in wanted if start <= pair[0] < end], _MOST_OF_RUN) for start, end in runs]
        return sorted({*_spread(wanted, _MOST_COMPARED), *doubtful, *chain.from_iterable(taken)})

    def _near_random_access(self, pairs: list[tuple[int, int]], most: int) -> list[tuple[int, int]]:
        """Pairs spread over the file, of each part of it the one that takes the least decoding."""
        if len(pairs) <= most:
            return pairs
        sides = (self.file, self.master)
        away = sum(
            frames_to_decode(load_series(side.series_path), [pair[at] for pair in pairs])
            for at, side in enumerate(sides)
        )
        parts = np.array_split(np.arange(len(pairs)), most)
        return [pairs[int(part[np.argmin(np.asarray(away)[part])])] for part in parts]

    def _sound(self) -> SoundVerdict | None:
        stretches = in_order([one for one in self.found.stretches if one.end - one.start >= 2], self.found.slope)
        if not stretches or not self.file.inspection[keys.SOUND_TRACKS]:
            return None
        seconds = float(self.own.frames / self.own.rate)
        moments = self._moments(stretches, min(_MOST_MOMENTS, _MOMENTS + int(seconds / _MOMENT_MORE)))
        if seconds < 20:
            moments = moments[1::3]
        pace = self.found.slope * self.own.rate / self.other.rate
        laid = lay_windows(self.file.source, self.master.source, moments, seconds, pace)
        if laid is None:
            return None
        windows, channels = laid
        first = conclude(windows, channels)
        missing, added = ((), ()) if first.drift or first.speed != 1 else self._without(stretches, first)
        return conclude(windows, channels, missing, added) if windows or missing or added else None

    def _moments(self, stretches: Sequence[Stretch], count: int) -> list[tuple[float, float]]:
        """Moments spread evenly over some stretches: seconds of the file, and of the master."""
        total = sum(one.end - one.start for one in stretches)
        moments = []
        for number in range(count):
            at = (number + 0.5) * total / count
            for one in stretches:
                if at < one.end - one.start:
                    frame = one.start + at
                    place = one.place(frame, float(self.found.slope))
                    moments.append((frame / float(self.own.rate), place / float(self.other.rate)))
                    break
                at -= one.end - one.start
        return moments

    def _without(self, stretches: Sequence[Stretch], verdict: SoundVerdict) -> tuple[Spans, Spans]:
        """Where the file has no sound and the master has, and the reverse, by the levels of both scans."""
        scans = [load_scan(side.scan_path) for side in (self.file, self.master)]
        lengths = (self.own.frames / self.own.rate, self.other.frames / self.other.rate)
        own, other = (levels_of(scan.sounds, scan.starts, float(one)) for scan, one in zip(scans, lengths, strict=True))

        def place(seconds: NDArray[np.float64]) -> NDArray[np.float64]:
            frames = (seconds - verdict.late_at(seconds)) * float(self.own.rate)
            found = np.full(len(frames), np.nan)
            for one in stretches:
                here = (frames >= one.start) & (frames < one.end)
                found[here] = one.places(frames[here], float(self.found.slope)) / float(self.other.rate)
            return found

        return stretches_without(own, other, place)

    def _holding(self) -> Holding:
        file, master = self.file.inspection, self.master.inspection
        return Holding(
            found=self.found,
            by_cuts=self.by_cuts,
            ordered=self.ordered,
            shots=self._shots(),
            rate=self.own.rate,
            aspects=(file[keys.PICTURE_PIXEL_ASPECT] or Fraction(1), master[keys.PICTURE_PIXEL_ASPECT] or Fraction(1)),
            tracks=(file[keys.SOUND_TRACKS] or 0, master[keys.SOUND_TRACKS] or 0),
            shotwise=self.shotwise,
            otherwise=self.taken.otherwise if self.taken else (),
        )

    def _document(
        self, held: dict[str, Held], journey: Journey, geometry: Geometry | None, similarity: Similarity | None
    ) -> dict[str, Any]:
        shots = []
        for row in journey.shots:
            like = None
            if similarity is not None and row.file_start is not None and row.file_end is not None:
                like = similarity.of(row.file_start, row.file_end)
            shots.append(round(like, 4) if like is not None else None)
        return {
            "schema": AGAINST_SCHEMA,
            "found": True,
            "frames": [self.own.frames, self.other.frames],
            "rates": [f"{rate.numerator}/{rate.denominator}" for rate in (self.own.rate, self.other.rate)],
            "ordered": list(self.ordered),
            "shot_similarity": shots,
            **_told(held),
        }


def _spread(pairs: list[tuple[int, int]], most: int) -> list[tuple[int, int]]:
    if len(pairs) <= most:
        return pairs
    return [pairs[int(at)] for at in np.linspace(0, len(pairs) - 1, most)]
