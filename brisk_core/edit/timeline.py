"""The model of a source edit, and its JSON."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any

from brisk_core.exact import Timecode, parse_rate, parse_ratio, parse_size
from brisk_core.facts import FieldOrder, Scan

TIMELINE_SCHEMA = "brisk-sentry/timeline/2"
_READ = ("brisk-sentry/timeline/1", TIMELINE_SCHEMA)  # the first edition had neither sources nor speeds


@dataclass(frozen=True, slots=True, kw_only=True)
class Event:
    """One clip, gap or transition on a lane."""

    kind: str  #: clip, gap or transition
    name: str
    start: int  #: first frame, from 0 at the start of the timeline
    end: int  #: first frame after; always > start
    source: int | None = None  #: place among the sources of the timeline, for clips with media
    source_start: Fraction | None = None  #: seconds into the clock of the source
    speed: Fraction = Fraction(1)  #: source time that passes in timeline time; 0 stands still, below 0 runs back


@dataclass(frozen=True, slots=True, kw_only=True)
class Source:
    """One piece of source material. ``None`` stands where nobody said."""

    name: str
    rate: Fraction | None = None  #: frames a second
    rate_mode: str | None = None  #: constant or variable
    size: tuple[int, int] | None = None
    scan: Scan | None = None
    pixel_aspect: Fraction | None = None
    sample_rate: int | None = None  #: Hz
    bit_depth: int | None = None
    start: Fraction | None = None  #: seconds at which its media begins on its own clock
    length: Fraction | None = None  #: seconds of media
    online: bool = True  #: False for a clip whose media the edit knows to be missing


@dataclass(frozen=True, slots=True, kw_only=True)
class Lane:
    """One track of the timeline."""

    kind: str  #: picture or sound
    name: str
    events: tuple[Event, ...]  #: in time order


@dataclass(frozen=True, slots=True, kw_only=True)
class Mark:
    """A place somebody marked."""

    name: str
    start: int  #: frame, from 0 at the start of the timeline


@dataclass(frozen=True, slots=True, kw_only=True)
class Shot:
    """What is on screen between two cuts: the topmost clip of all picture lanes, or nothing."""

    number: int  #: from 1
    name: str
    start: int  #: frames from the start of the timeline
    end: int
    event: Event | None  #: None for black
    lane: int  #: picture lane, the lowest is 0; -1 for black
    mixed_in: int = 0  #: frames of the transition at the start, 0 for a cut
    mixed_before: int = 0  #: of them, those that lie before the start

    @property
    def length(self) -> int:
        """Frames."""
        return self.end - self.start


@dataclass(frozen=True, slots=True, kw_only=True)
class Timeline:
    """A source edit. ``None`` stands where neither the file nor a person said."""

    name: str
    rate: Fraction  #: frames a second
    start: Timecode | None
    length: int  #: frames
    lanes: tuple[Lane, ...]
    marks: tuple[Mark, ...] = ()
    sources: tuple[Source, ...] = ()
    rate_stated: bool = True  #: False when the rate was assumed, because an EDL states none
    size: tuple[int, int] | None = None
    scan: Scan | None = None
    field_order: FieldOrder | None = None
    pixel_aspect: Fraction | None = None
    sample_rate: int | None = None  #: Hz
    remarks: tuple[str, ...] = ()  #: events that are laid out otherwise than the file they were read from has them

    @property
    def picture_lanes(self) -> tuple[Lane, ...]:
        """The lanes that carry pictures."""
        return tuple(lane for lane in self.lanes if lane.kind == "picture")

    @property
    def cuts(self) -> tuple[int, ...]:
        """Frames at which another shot begins, without the very first."""
        return tuple(shot.start for shot in self.shots() if shot.start > 0)

    def shots(self) -> tuple[Shot, ...]:
        """Return what is on screen from cut to cut, upper lanes over lower ones.

        Events that go on where the previous one of the same source stopped, at the same speed, are one shot: there is
        nothing to see at such a join.
        """
        pieces = stack_lanes(self.picture_lanes, self.length)
        zones = {
            event.start: event.end for lane in self.picture_lanes for event in lane.events if event.kind == "transition"
        }
        shots: list[Shot] = []
        for lane, event, start, end in pieces:
            if shots and _goes_on(shots[-1], event, start, self.rate):
                shots[-1] = replace(shots[-1], end=end)
                continue
            mixed, before = max(
                ((stop - begin, start - begin) for begin, stop in zones.items() if begin <= start <= stop),
                default=(0, 0),
            )
            shots.append(
                Shot(
                    number=len(shots) + 1,
                    name=event.name if event is not None else "black",
                    start=start,
                    end=end,
                    event=event,
                    lane=lane,
                    mixed_in=mixed,
                    mixed_before=before,
                )
            )
        return tuple(shots)


def stack_lanes(lanes: tuple[Lane, ...], length: int) -> list[tuple[int, Event | None, int, int]]:
    """Return pieces of the timeline with the lane and event on top, in time order; lane -1 and no event for black."""
    pieces: list[tuple[int, Event | None, int, int]] = [(-1, None, 0, length)]
    for number, lane in enumerate(lanes):
        clips = [event for event in lane.events if event.kind == "clip"]
        if not clips:
            continue
        if all(event is None for _, event, _, _ in pieces):
            below: list[tuple[int, Event | None, int, int]] = []
            at = 0
            for clip in clips:
                if clip.start > at:
                    below.append((-1, None, at, clip.start))
                below.append((number, clip, clip.start, clip.end))
                at = clip.end
            if at < length:
                below.append((-1, None, at, length))
            pieces = below
            continue
        pieces = _cover(pieces, [(number, clip, clip.start, clip.end) for clip in clips])
    return pieces


def _cover(
    below: list[tuple[int, Event | None, int, int]], above: list[tuple[int, Event, int, int]]
) -> list[tuple[int, Event | None, int, int]]:
    """Lay pieces over others; both lists are in time order and do not overlap within themselves."""
    covered: list[tuple[int, Event | None, int, int]] = []
    first = 0
    for lane, event, start, end in below:
        at = start
        while first < len(above) and above[first][3] <= start:
            first += 1
        for over in above[first:]:
            if over[2] >= end:
                break
            if over[2] > at:
                covered.append((lane, event, at, over[2]))
            at = max(at, over[3])
        if at < end:
            covered.append((lane, event, at, end))
    return sorted([*covered, *above], key=lambda piece: piece[2])


def _goes_on(shot: Shot, event: Event | None, start: int, rate: Fraction) -> bool:
    """Does an event show what would have come next in the shot anyway?"""
    previous = shot.event
    if previous is None or event is None:
        return previous is None and event is None
    if previous is event:
        return True
    if previous.source is None or previous.source != event.source or previous.speed != event.speed:
        return False
    if previous.source_start is None or event.source_start is None:
        return False
    expected = previous.source_start + Fraction(start - previous.start) / rate * previous.speed
    return abs(expected + Fraction(event.start - start) / rate - event.source_start) < 1 / (2 * rate)


def timeline_to_json(timeline: Timeline) -> dict[str, Any]:
    """Return the timeline as JSON of schema ``brisk-sentry/timeline/2``."""
    return {
        "schema": TIMELINE_SCHEMA,
        "name": timeline.name,
        "rate": _ratio(timeline.rate, "/"),
        "rate_stated": timeline.rate_stated,
        "start": str(timeline.start) if timeline.start else None,
        "length": timeline.length,
        "size": list(timeline.size) if timeline.size else None,
        "scan": timeline.scan,
        "field_order": timeline.field_order,
        "pixel_aspect": _ratio(timeline.pixel_aspect, ":"),
        "sample_rate": timeline.sample_rate,
        "remarks": list(timeline.remarks),
        "lanes": [
            {"kind": lane.kind, "name": lane.name, "events": [_event_to_json(event) for event in lane.events]}
            for lane in timeline.lanes
        ],
        "marks": [[mark.name, mark.start] for mark in timeline.marks],
        "sources": [
            {
                "name": source.name,
                "rate": _ratio(source.rate, "/"),
                "rate_mode": source.rate_mode,
                "size": list(source.size) if source.size else None,
                "scan": source.scan,
                "pixel_aspect": _ratio(source.pixel_aspect, ":"),
                "sample_rate": source.sample_rate,
                "bit_depth": source.bit_depth,
                "start": _ratio(source.start, "/"),
                "length": _ratio(source.length, "/"),
                "online": source.online,
            }
            for source in timeline.sources
        ],
    }


def _ratio(value: Fraction | None, sign: str) -> str | None:
    return f"{value.numerator}{sign}{value.denominator}" if value is not None else None


def _event_to_json(event: Event) -> list[Any]:
    found: list[Any] = [event.kind, event.name, event.start, event.end]
    if event.source is not None or event.speed != 1:
        found += [event.source, _ratio(event.source_start, "/"), _ratio(event.speed, "/")]
    return found


def _event_from_json(row: list[Any]) -> Event:
    kind, name, start, end, *more = row
    if not more:
        return Event(kind=kind, name=name, start=start, end=end)
    source, source_start, speed = more
    return Event(
        kind=kind,
        name=name,
        start=start,
        end=end,
        source=source,
        source_start=Fraction(source_start) if source_start else None,
        speed=Fraction(speed),
    )


def timeline_from_json(document: Mapping[str, Any]) -> Timeline:
    """Return the timeline that ``timeline_to_json`` wrote; raises ``ValueError`` for another schema."""
    if document.get("schema") not in _READ:
        raise ValueError(f"met schema {document.get('schema')!r}; expected {TIMELINE_SCHEMA!r}")
    rate = parse_rate(document["rate"])
    return Timeline(
        name=document["name"],
        rate=rate,
        start=Timecode.parse(document["start"], rate) if document["start"] else None,
        rate_stated=document["rate_stated"],
        length=document["length"],
        lanes=tuple(
            Lane(
                kind=lane["kind"],
                name=lane["name"],
                events=tuple(_event_from_json(row) for row in lane["events"]),
            )
            for lane in document["lanes"]
        ),
        marks=tuple(Mark(name=name, start=start) for name, start in document["marks"]),
        sources=tuple(_source_from_json(source) for source in document.get("sources", ())),
        size=parse_size(document["size"]) if document["size"] else None,
        scan=document["scan"],
        field_order=document["field_order"],
        pixel_aspect=parse_ratio(document["pixel_aspect"]) if document["pixel_aspect"] else None,
        sample_rate=document["sample_rate"],
        remarks=tuple(document.get("remarks", ())),
    )


def _source_from_json(document: Mapping[str, Any]) -> Source:
    return Source(
        name=document["name"],
        rate=parse_rate(document["rate"]) if document["rate"] else None,
        rate_mode=document["rate_mode"],
        size=parse_size(document["size"]) if document["size"] else None,
        scan=document["scan"],
        pixel_aspect=parse_ratio(document["pixel_aspect"]) if document["pixel_aspect"] else None,
        sample_rate=document["sample_rate"],
        bit_depth=document["bit_depth"],
        start=Fraction(document["start"]) if document["start"] else None,
        length=Fraction(document["length"]) if document["length"] else None,
        online=document["online"],
    )
