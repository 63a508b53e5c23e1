"""From the lines of an EDL to the timeline: every event at its record time, whatever the order of the lines.

An EDL tells where on the record each event lies. So an event that is not in the file is black, one that lies over
another takes its place, and one on a second picture track lies where it says.
"""

from __future__ import annotations

import re
from bisect import bisect_left, bisect_right
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from fractions import Fraction
from itertools import pairwise

from brisk_core.edit.edl_lines import BLACK, NO_REEL, EdlEvent, EdlLines
from brisk_core.edit.timeline import Event, Lane, Mark, Source
from brisk_core.errors import EditRefused, ValueRefused
from brisk_core.exact import Timecode, nominal_frames

_CHANNEL = re.compile(r"V\d*|A\d*|B")
_MOST_REMARKS = 50
_MOST_LANES = 100
_FASTEST = 1000  # times


@dataclass(slots=True)
class _Track:
    """Clips of one channel, in the order of time, none over another."""

    rate: Fraction
    clips: list[Event] = field(default_factory=list)
    owners: list[EdlEvent] = field(default_factory=list)  #: of the clips
    mixes: list[Event] = field(default_factory=list)

    def lay(self, new: Event, owner: EdlEvent) -> list[tuple[EdlEvent, int]]:
        """Lay an event over what is there; return the events that it covers, with frames."""
        first = bisect_right(self.clips, new.start, key=lambda one: one.end)
        last = bisect_left(self.clips, new.end, key=lambda one: one.start)
        kept: list[tuple[Event, EdlEvent]] = []
        covered: list[tuple[EdlEvent, int]] = []
        for clip, its in zip(self.clips[first:last], self.owners[first:last], strict=True):
            covered.append((its, min(clip.end, new.end) - max(clip.start, new.start)))
            if clip.start < new.start:
                kept.append((replace(clip, end=new.start), its))
            if clip.end > new.end:
                kept.append((self._rest(clip, new.end), its))
        kept.append((new, owner))
        kept.sort(key=lambda one: one[0].start)
        self.clips[first:last] = [clip for clip, _ in kept]
        self.owners[first:last] = [its for _, its in kept]
        return covered

    def events(self) -> tuple[Event, ...]:
        """Clips with what is empty between them, and the transitions."""
        found: list[Event] = []
        at = 0
        for clip in self.clips:
            if clip.start > at:
                found.append(Event(kind="gap", name="", start=at, end=clip.start))
            found.append(clip)
            at = clip.end
        return tuple(sorted([*found, *self.mixes], key=lambda one: (one.start, one.end)))

    def _rest(self, clip: Event, start: int) -> Event:
        """What is left of a clip from a frame on."""
        begun = clip.source_start
        later = Fraction(start - clip.start) / self.rate * clip.speed
        return replace(clip, start=start, source_start=None if begun is None else begun + later)


@dataclass(slots=True)
class _Layer:
    """Lays the events of one EDL out."""

    lines: EdlLines
    rate: Fraction
    tracks: dict[str, _Track] = field(default_factory=dict)
    sources: dict[tuple[str, str], int] = field(default_factory=dict)
    found: list[Source] = field(default_factory=list)
    remarks: list[str] = field(default_factory=list)
    zero: int = 0  #: frame of the earliest record label

    def lay(self) -> None:
        """Lay all events out."""
        records = self._records()
        self.zero = min(start for start, _ in records)
        for number, (event, (start, end)) in enumerate(zip(self.lines.events, records, strict=True)):
            self._event(event, start - self.zero, end - self.zero, self._goes_over(number))

    def _goes_over(self, number: int) -> EdlEvent | None:
        """The event that this one goes over into: the line under it has its number, and its change."""
        following = self.lines.events[number + 1 : number + 2]
        event = self.lines.events[number]
        return next((one for one in following if one.number == event.number and one.goes_over), None)

    def _records(self) -> list[tuple[int, int]]:
        """Record in and out of all events in frames; what lies behind midnight goes on counting."""
        found = [(self._frames(event.times[2]), self._frames(event.times[3])) for event in self.lines.events]
        day = self._frames(f"23:59:59:{nominal_frames(self.rate) - 1:02}") + 1
        starts = sorted({start for start, _ in found})
        wide, evening = max(((after - before, after) for before, after in pairwise(starts)), default=(0, 0))
        if wide > day // 2:  # nothing lies there: the programme goes over midnight
            found = [(start + day, end + day) if start < evening else (start, end) for start, end in found]
        for number, (event, (start, end)) in enumerate(zip(self.lines.events, found, strict=True)):
            if end < start - day // 2:
                found[number] = start, end + day
            elif end < start:
                _, _, before, after = event.times
                raise EditRefused(f"line {event.line}: the record out {after} lies before the record in {before}")
        return found

    def _frames(self, label: str) -> int:
        return Timecode.parse(label, self.rate, drop=self.lines.drop).frames

    def _event(self, event: EdlEvent, start: int, end: int, into: EdlEvent | None) -> None:
        channels = _channels(event.channels)
        if not channels:
            self._remark(event, "has no channel (NONE) and is left out")
            return
        if event.change in ("K", "KO"):
            self._remark(event, f"keys {event.reel} over what is there; what lies below is laid out")
            return
        if end > start:
            clip = self._clip(event, start, end)
            for channel in channels:
                self._lay(channel, clip, event)
            self._compare(event, end - start, into)
        if event.mixed and end > start:
            mix = Event(kind="transition", name="", start=start, end=min(start + event.mixed, end))
            for channel in channels:
                self._track(channel).mixes.append(mix)

    def _track(self, channel: str) -> _Track:
        if channel not in self.tracks and len(self.tracks) >= _MOST_LANES:
            raise EditRefused(f"the EDL names more than {_MOST_LANES} channels")
        return self.tracks.setdefault(channel, _Track(self.rate))

    def _lay(self, channel: str, clip: Event, event: EdlEvent) -> None:
        for covered, frames in self._track(channel).lay(clip, event):
            if covered.number == event.number and frames <= event.mixed:
                continue  # the part that goes over, written on both lines
            if channel[0] == "V":
                word = "frame" if frames == 1 else "frames"
                self._remark(
                    event, f"lies over event {covered.number} for {frames} {word} and is laid out in its place"
                )

    def _clip(self, event: EdlEvent, start: int, end: int) -> Event:
        if event.reel.upper() in BLACK:
            return Event(kind="gap", name="BL", start=start, end=end)
        speed = self._speed(event, end - start)
        begun = event.times[1] if speed < 0 else event.times[0]
        return Event(
            kind="clip",
            name=event.name or event.number,
            start=start,
            end=end,
            source=self._source(event),
            source_start=self._seconds(event.speed_at if speed < 0 and event.speed_at else begun),
            speed=speed,
        )

    def _seconds(self, label: str) -> Fraction | None:
        for drop in (self.lines.drop, False):
            try:
                return Timecode.parse(label, self.rate, drop=drop).frames / self.rate
            except ValueRefused:
                continue
        return None

    def _source(self, event: EdlEvent) -> int:
        """The place of an event's media among the sources: by its file, its clip or its reel."""
        named = event.file.replace("\\", "/").rsplit("/", 1)[-1] or event.name
        reel = event.reel if event.reel.upper() != NO_REEL else "" if named else event.number
        key = (reel, event.file or event.name)
        if key not in self.sources:
            self.sources[key] = len(self.found)
            self.found.append(Source(name=(named or reel)[:200]))
        return self.sources[key]

    def _lengths(self, event: EdlEvent) -> set[int]:
        """Frames that an event takes of its source, by either way of counting."""
        found = set()
        for drop in {False, self.lines.drop}:
            try:
                first, last = (Timecode.parse(label, self.rate, drop=drop).frames for label in event.times[:2])
            except ValueRefused:
                continue
            found.add(last - first)
        return found

    def _speed(self, event: EdlEvent, length: int) -> Fraction:
        """Source time that passes in record time, by the speed line (M2) in frames a second.

        Such a line may count 30 a second where pictures run at 30000/1001; the lengths tell which.
        """
        if not event.speed:
            return Fraction(1)
        stated = Fraction(event.speed)
        ways = [stated / nominal_frames(self.rate), stated / self.rate]
        taken = Fraction(max(self._lengths(event), default=0), length)
        speed = min(ways, key=lambda one: abs(abs(one) - taken)) if taken else ways[0]
        if abs(speed) > _FASTEST:
            raise EditRefused(
                f"line {event.line}: runs at {float(speed):g} times its speed; expected at most {_FASTEST}"
            )
        return speed.limit_denominator(100_000)

    def _compare(self, event: EdlEvent, record: int, into: EdlEvent | None) -> None:
        """Say where an event is longer on one side than on the other; a speed line (M2) is a good reason."""
        lengths = self._lengths(event)
        if event.speed or event.reel.upper() in BLACK or not lengths or record in lengths or into is not None:
            return
        self._remark(
            event,
            f"takes {min(lengths)} frames of {event.reel} and fills {record}, without a speed line;"
            f" {record} are laid out",
        )

    def _remark(self, event: EdlEvent, says: str) -> None:
        if len(self.remarks) < _MOST_REMARKS:
            self.remarks.append(f"line {event.line}: event {event.number} {says}")


def _channels(said: str) -> list[str]:
    """Tracks that an event lies on: AA is two tracks of sound, B one of each, V1 the first picture track."""
    if said == "NONE":
        return []
    found: list[str] = []
    for one in _CHANNEL.findall(said):
        names = ["V", "A1"] if one == "B" else ["V"] if one in ("V", "V1") else [one if one != "A" else "A1"]
        for name in names:
            found.append("A2" if name in found and name == "A1" else name)
    return list(dict.fromkeys(found))


def lay_out(lines: EdlLines, rate: Fraction) -> tuple[list[Lane], list[Source], list[str], str]:
    """Return lanes (pictures first, the lowest first), sources, remarks and the label of the first frame.

    Raises ``EditRefused`` for record times that cannot be.
    """
    layer = _Layer(lines, rate)
    layer.lay()
    order = sorted(layer.tracks, key=lambda name: (name[0] != "V", int(name[1:] or 1)))
    lanes = [
        Lane(kind="picture" if name[0] == "V" else "sound", name=name, events=layer.tracks[name].events())
        for name in order
    ]
    if not any(event.kind == "clip" for lane in lanes for event in lane.events):
        raise EditRefused("the EDL has no events but black; expected at least one of a source")
    label = str(Timecode.parse("00:00:00:00", rate, drop=lines.drop).plus(layer.zero))
    return lanes, layer.found, layer.remarks, label


def marks_of(lines: EdlLines, start: Timecode, length: int) -> Iterator[Mark]:
    """Marks at their own timecode, which is one of the record time; those outside the timeline are left out."""
    for label, name in lines.marks:
        try:
            at = Timecode.parse(label, start.rate, drop=lines.drop).frames - start.frames
        except ValueRefused:
            continue
        if 0 <= at < length:
            yield Mark(name=name, start=at)
