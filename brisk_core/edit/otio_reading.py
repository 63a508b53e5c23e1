"""From an OpenTimelineIO document to the timeline: tracks, nested edits, speeds, sources, marks."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from fractions import Fraction
from functools import lru_cache
from typing import Any, TypeVar

import opentimelineio as otio

from brisk_core.edit.hints import EditHints
from brisk_core.edit.timeline import Event, Lane, Mark, Source, Timeline, stack_lanes
from brisk_core.errors import EditRefused, ValueRefused
from brisk_core.exact import Timecode, nearest_standard_rate, parse_rate, parse_ratio, parse_size, read_whole
from brisk_core.facts import Scan

_MOST_EVENTS = 200_000
_DEEPEST = 24  # edits inside edits
_LONGEST = 10 * 24 * 3600  # seconds of a timeline; beyond it a number is a mistake
_WHOLE = Fraction(1, 100)  # how far a frame count may stray from a whole number, for times kept as floats
Chosen = TypeVar("Chosen", bound=str)
_METADATA_KEY = "brisk_sentry"
_FASTEST = 1000  # source seconds a second
_SLOWEST = 0.001  # frames a second: a picture in a quarter of an hour
_FASTEST_RATE = 1000  # frames a second of a timeline
_FASTEST_CLOCK = 10_000_000  # units a second that a time may count in: sound counts samples
_MOST_REMARKS = 50


def from_document(document: otio.schema.Timeline, stem: str, hints: EditHints) -> Timeline:
    """Return the timeline of a document that states its own rate; raises ``EditRefused``."""
    own = document.metadata.get(_METADATA_KEY, {})
    try:
        stated = EditHints.from_json({key: _plain(value) for key, value in dict(own).items()})
    except ValueRefused as error:
        raise EditRefused(f"the metadata {_METADATA_KEY!r} of the OTIO document: {error}") from error
    merged = replace(
        stated, **{key: getattr(hints, key) for key in EditHints.__slots__ if getattr(hints, key) is not None}
    )
    rate = merged.rate or _rate_of(document)
    start = document.global_start_time
    label: Timecode | None = None
    if merged.start:
        label = Timecode.parse(merged.start, rate)
    elif start is not None:
        label = Timecode(frames=_frames(start, rate, "the start"), rate=rate)
    return build_timeline(document, stem, rate, merged, start=label)


def _plain(value: Any) -> Any:
    return list(value) if not isinstance(value, str | int | float | bool) and hasattr(value, "__len__") else value


def _rate_of(document: otio.schema.Timeline) -> Fraction:
    """The rate of the global start, else of the first picture clip, else of the first clip."""
    if document.global_start_time is not None:
        return _timeline_rate(document.global_start_time.rate)
    for track in (*document.video_tracks(), *document.audio_tracks()):
        for child in track:
            if isinstance(child, otio.core.Item) and child.source_range:
                return _timeline_rate(child.duration().rate)
    for clip in document.find_clips():
        if clip.source_range:
            return _timeline_rate(clip.source_range.duration.rate)
    raise EditRefused("the OTIO document states no rate anywhere; give the rate when importing")


def _timeline_rate(rate: float) -> Fraction:
    found = exact_rate(rate)
    if found > _FASTEST_RATE:
        raise EditRefused(
            f"the edit counts {rate:g} a second, as sound does; give the frame rate of its pictures when importing"
        )
    return found


@lru_cache(maxsize=256)
def exact_rate(rate: float) -> Fraction:
    """Return the exact rate behind a float: the standard rate it abbreviates, else the float's own short fraction."""
    if not _SLOWEST <= rate <= _FASTEST_CLOCK:
        met = f"met {rate} frames a second in the edit"
        raise EditRefused(f"{met}; expected {_SLOWEST} to {_FASTEST_RATE}, or the sample rate of sound")
    try:
        labelled = parse_rate(f"{rate:.6g}")
    except ValueRefused:
        labelled = Fraction(rate).limit_denominator(1001)
    return nearest_standard_rate(labelled) or labelled


def _exact(time: Any, rate: Fraction, what: str) -> int | Fraction:
    """Return a time in frames of ``rate``, which may lie between two; raises ``EditRefused`` for absurd ones."""
    own = exact_rate(time.rate)
    if own == rate and time.value.is_integer() and abs(time.value) < _LONGEST * 10:
        return int(time.value)  # the usual case, without exact arithmetic
    if not math.isfinite(time.value):
        raise EditRefused(f"{what} has a time of {time.value}; expected a number of frames or of seconds")
    exact = Fraction(time.value) * rate / own
    if abs(exact) > _LONGEST * rate:
        raise EditRefused(f"{what} lies {float(exact / rate):.0f} s from the beginning; expected less than 10 days")
    whole = round(exact)
    return whole if abs(exact - whole) <= _WHOLE else exact


def _frames(time: Any, rate: Fraction, what: str) -> int:
    """Return a time in whole frames of ``rate``, to the nearest."""
    return round(_exact(time, rate, what))


@dataclass(slots=True)
class _Reader:
    """Reads one document; counts what it makes, so that a small file cannot grow without end."""

    rate: Fraction
    sources: dict[tuple[str, str], int] = field(default_factory=dict)
    found: list[Source] = field(default_factory=list)
    remarks: list[str] = field(default_factory=list)
    made: int = 0
    hears: bool = False  #: is a track of sound being read?

    def track(self, track: Any, what: str, depth: int = 0) -> list[Event]:
        """Events of a track, or of what lies in a track's place, cut to the part of it that is used."""
        events = self.events(_children(track), what, depth)
        used = track.source_range if isinstance(track, otio.schema.Track) else None
        return events if used is None else self.used(events, used, what)

    def used(self, events: list[Event], used: Any, what: str) -> list[Event]:
        """The part of some events that is used, from 0 on."""
        begin, length = (_frames(one, self.rate, what) for one in (used.start_time, used.duration))
        return _cut_out(events, begin, length, 0, Fraction(1), self.rate)

    def events(self, children: Iterable[Any], what: str, depth: int = 0) -> list[Event]:
        """Events of a track in its own frames from 0, nested edits opened."""
        if depth > _DEEPEST:
            raise EditRefused(f"{what} lies in more than {_DEEPEST} edits inside one another")
        events: list[Event] = []
        at: int | Fraction = 0  # lengths add up exactly, each cut lies on the nearest frame
        for number, child in enumerate(children, 1):
            place = f"event {number} of {what}"
            if isinstance(child, otio.schema.Transition):
                events += self._transition(child, round(at), place)
                continue
            length = self._length(child, place)
            start, at = round(at), at + length
            if round(at) > start:
                events += self._item(child, start, round(at) - start, place, depth)
            self._count(len(events))
        return sorted(events, key=lambda event: (event.start, event.end))

    def _count(self, more: int) -> None:
        self.made += 1
        if max(self.made, more) > _MOST_EVENTS:
            raise EditRefused(f"the timeline has more than {_MOST_EVENTS} events")

    def _transition(self, child: otio.schema.Transition, at: int, place: str) -> list[Event]:
        before, after = (_frames(one, self.rate, place) if one else 0 for one in (child.in_offset, child.out_offset))
        if before < 0 or after < 0:
            raise EditRefused(f"{place} is a transition of negative length ({before} and {after} frames)")
        if before + after == 0:
            return []
        return [Event(kind="transition", name=child.name or "", start=max(at - before, 0), end=at + after)]

    def _length(self, child: Any, place: str) -> int | Fraction:
        try:
            stated = child.duration()
            length = _exact(stated, self.rate, place)
        except (otio.exceptions.OTIOError, ValueError, AttributeError) as error:
            raise EditRefused(f"{place} ({getattr(child, 'name', '')!r}) has no length: {error}") from error
        if length < 0:
            raise EditRefused(f"{place} ({child.name!r}) has a length of {float(length):g} frames; expected at least 0")
        odd = isinstance(length, Fraction) and exact_rate(stated.rate) == self.rate and not self.hears
        if odd:
            says = f"is {float(length):.2f} frames long; its cuts are laid on the nearest frames"
            self._remark(f"{place} ({child.name!r}) {says}")
        return length

    def _item(self, child: Any, at: int, length: int, place: str, depth: int) -> list[Event]:
        name, end = child.name or "", at + length
        if isinstance(child, otio.schema.Gap) or not getattr(child, "enabled", True) or _is_black(child):
            return [Event(kind="gap", name=name, start=at, end=end)]
        speed = self._speed(child, place)
        if isinstance(child, otio.schema.Track | otio.schema.Stack):
            inner = self._nested(child, place, depth + 1)
            begin = _frames(child.source_range.start_time, self.rate, place) if child.source_range else 0
            return _cut_out(inner, begin, length, at, speed, self.rate)
        source = self._source(child)
        begun = _seconds(child.source_range.start_time) if child.source_range else self.found[source].start
        return [Event(kind="clip", name=name, start=at, end=end, source=source, source_start=begun, speed=speed)]

    def _speed(self, child: Any, place: str) -> Fraction:
        speed = Fraction(1)
        for effect in getattr(child, "effects", ()):
            if not effect.enabled:
                continue
            if isinstance(effect, otio.schema.LinearTimeWarp):
                scalar = effect.time_scalar
                if not abs(scalar) <= _FASTEST:  # also refuses what is no number
                    raise EditRefused(f"{place} runs at {scalar} times its speed; expected at most {_FASTEST}")
                speed *= Fraction(scalar).limit_denominator(100_000)
            elif isinstance(effect, otio.schema.TimeEffect):
                what = effect.effect_name or effect.name or "of no name"
                self._remark(f"{place} ({child.name!r}) has an effect on its speed, {what}, that is not read")
        return speed

    def _remark(self, says: str) -> None:
        if len(self.remarks) < _MOST_REMARKS:
            self.remarks.append(says)

    def _nested(self, child: Any, place: str, depth: int) -> list[Event]:
        if isinstance(child, otio.schema.Track):
            return self.events(child, place, depth)
        lanes = [
            Lane(kind="picture", name="", events=tuple(self.track(one, place, depth)))
            for one in child
            if not isinstance(one, otio.schema.Track) or _hears(one) == self.hears
        ]
        length = max((lane.events[-1].end for lane in lanes if lane.events), default=0)
        inner = []
        for _, event, start, end in stack_lanes(tuple(lanes), length):
            if event is None:
                inner.append(Event(kind="gap", name="", start=start, end=end))
                continue
            later = Fraction(start - event.start) / self.rate * event.speed
            begun = event.source_start + later if event.source_start is not None else None
            inner.append(replace(event, start=start, end=end, source_start=begun))
        kept = [event for lane in lanes[-1:] for event in lane.events if event.kind == "transition"]
        return sorted([*inner, *kept], key=lambda event: (event.start, event.end))

    def _source(self, clip: Any) -> int:
        """The place of a clip's media among the sources; clips of the same media share one."""
        reference = getattr(clip, "media_reference", None)
        url = str(getattr(reference, "target_url", "") or "")
        name = (getattr(reference, "name", "") or url.replace("\\", "/").rsplit("/", 1)[-1] or clip.name or "")[:200]
        key = (name, url)
        known = self.sources.get(key)
        if known is None:
            known = self.sources[key] = len(self.found)
            self.found.append(self._new_source(clip, reference, name))
        return known

    def _new_source(self, clip: Any, reference: Any, name: str) -> Source:
        stated: dict[str, Any] = {}
        for holder in (clip, reference):
            own = holder.metadata.get(_METADATA_KEY, {}) if holder is not None else {}
            stated |= {key: _plain(value) for key, value in dict(own).items()}
        missing = reference is None or isinstance(reference, otio.schema.MissingReference)
        around = getattr(reference, "available_range", None)
        try:
            return Source(
                name=name,
                rate=_read(stated, "rate", parse_rate) or (exact_rate(around.start_time.rate) if around else None),
                rate_mode=_choice(stated, "rate_mode", ("constant", "variable")),
                size=_read(stated, "size", parse_size),
                scan=_choice(stated, "scan", (Scan.PROGRESSIVE, Scan.INTERLACED)),
                pixel_aspect=_read(stated, "pixel_aspect", parse_ratio),
                sample_rate=_read(stated, "sample_rate", _whole),
                bit_depth=_read(stated, "bit_depth", _whole),
                start=_seconds(around.start_time) if around else None,
                length=_seconds(around.duration) if around else None,
                online=not missing,
            )
        except ValueRefused as error:
            raise EditRefused(f"the metadata of the source {name!r}: {error}") from error


def _read(stated: Mapping[str, Any], key: str, reader: Any) -> Any:
    value = stated.get(key)
    return reader(value) if value not in (None, "") else None


def _choice(stated: Mapping[str, Any], key: str, allowed: tuple[Chosen, ...]) -> Chosen | None:
    value = stated.get(key)
    if value in (None, ""):
        return None
    if value not in allowed:
        raise ValueRefused(f"met {value!r} as {key}; expected {' or '.join(allowed)}")
    return allowed[allowed.index(value)]


def _whole(value: Any) -> int:
    number = read_whole(str(value)) if isinstance(value, int | str) else None
    if number is None or not 1 <= number <= 1_000_000:
        raise ValueRefused(f"met {value!r}; expected a whole number above 0")
    return number


def _seconds(time: Any) -> Fraction:
    if not math.isfinite(time.value):
        raise EditRefused(f"met {time.value} as a time of a clip's media; expected a number of frames or of seconds")
    return Fraction(time.value).limit_denominator(1_000_000) / exact_rate(time.rate)


def _children(item: Any) -> Iterable[Any]:
    return item if isinstance(item, otio.schema.Track) else (item,)


def _cut_out(inner: Iterable[Event], begin: int, length: int, at: int, speed: Fraction, rate: Fraction) -> list[Event]:
    """The part of a nested edit that is used, laid out from ``at``."""
    if speed <= 0:  # standing still or running back: the inner cuts cannot be told frame by frame
        first = next((event for event in inner if event.kind == "clip" and event.end > begin), None)
        return [replace(first, start=at, end=at + length, speed=speed)] if first else []
    used = []
    for event in inner:
        start, end = (max(0, min(round((one - begin) / speed), length)) for one in (event.start, event.end))
        if end <= start:
            continue
        later = max(Fraction(begin - event.start), Fraction(0))
        begun = event.source_start
        if begun is not None and event.kind == "clip":
            begun += later / rate * event.speed
        used.append(replace(event, start=at + start, end=at + end, speed=event.speed * speed, source_start=begun))
    return used


def build_timeline(
    document: otio.schema.Timeline, stem: str, rate: Fraction, hints: EditHints, start: Timecode | None
) -> Timeline:
    """Return the timeline of a document at a rate; raises ``EditRefused`` with what was met and where."""
    if not len(document.tracks):
        raise EditRefused("the timeline has no tracks; expected at least one picture track")
    reader = _Reader(rate=rate)
    lanes, marks, length = [], [], 0
    try:
        for number, track in enumerate(document.tracks, 1):
            lane, its_marks = _lane(reader, track, number, document.tracks.source_range)
            lanes.append(lane)
            length = max([length, *(event.end for event in lane.events if event.kind != "transition")])
            marks += its_marks
    except RecursionError as error:
        raise EditRefused("the timeline is nested too deeply") from error
    marks += _inside(_marks(document.tracks.markers, rate), document.tracks.source_range, rate)
    if not any(event.kind == "clip" for lane in lanes for event in lane.events):
        raise EditRefused("the timeline has tracks but no clips that are switched on; expected at least one")
    return Timeline(
        name=document.name or stem,
        rate=rate,
        start=start,
        length=length,
        lanes=tuple(lanes),
        marks=tuple(sorted(set(marks), key=lambda mark: (mark.start, mark.name))),
        sources=tuple(reader.found),
        size=hints.size,
        scan=hints.scan,
        field_order=hints.field_order,
        pixel_aspect=hints.pixel_aspect,
        sample_rate=hints.sample_rate,
        remarks=tuple(reader.remarks),
    )


def _lane(reader: _Reader, track: Any, number: int, used: Any) -> tuple[Lane, list[Mark]]:
    """A track and its marks, cut to the part of it and to the part of the whole that are used."""
    what = f"track {number}"
    reader.hears = _hears(track)
    kind = "sound" if reader.hears else "picture"
    events = reader.track(track, what)
    marks = [*_marks(getattr(track, "markers", ()), reader.rate), *_marks_of_items(track, reader.rate)]
    marks = _inside(marks, getattr(track, "source_range", None), reader.rate)
    if used is not None:
        events, marks = reader.used(events, used, what), _inside(marks, used, reader.rate)
    if not getattr(track, "enabled", True):
        events = [replace(event, kind="gap") for event in events]
    return Lane(kind=kind, name=track.name or f"{kind} {number}", events=tuple(events)), marks


def _hears(track: Any) -> bool:
    """Is it a track of sound?"""
    return bool(getattr(track, "kind", "") == otio.schema.TrackKind.Audio)


def _inside(marks: list[Mark], used: Any, rate: Fraction) -> list[Mark]:
    """The marks inside the part that is used, counted from its first frame."""
    if used is None:
        return marks
    begin, length = (_frames(one, rate, "a mark") for one in (used.start_time, used.duration))
    return [replace(one, start=one.start - begin) for one in marks if 0 <= one.start - begin < length]


def _is_black(child: Any) -> bool:
    reference = getattr(child, "media_reference", None)
    return isinstance(reference, otio.schema.GeneratorReference) and reference.generator_kind == "black"


def _marks(markers: Any, rate: Fraction, shift: int = 0) -> list[Mark]:
    found = []
    for marker in markers:
        at = _frames(marker.marked_range.start_time, rate, f"the mark {marker.name!r}") + shift
        found.append(Mark(name=marker.name, start=at))
    return found


def _marks_of_items(track: Any, rate: Fraction) -> list[Mark]:
    """Marks that sit on clips, in frames of the timeline; those on parts that were trimmed away are not shown."""
    found: list[Mark] = []
    end: int | Fraction = 0
    for child in _children(track):
        if not isinstance(child, otio.core.Item):
            continue
        at, end = round(end), end + _exact(child.duration(), rate, "a clip")
        length = round(end) - at
        begin = _frames(child.source_range.start_time, rate, "a clip") if child.source_range else 0
        found += [one for one in _marks(child.markers, rate, at - begin) if at <= one.start < at + length]
    return found
