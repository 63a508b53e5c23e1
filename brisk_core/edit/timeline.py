"""The model of a source edit, and its JSON."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from brisk_core.exact import Timecode, parse_rate, parse_ratio, parse_size

TIMELINE_SCHEMA = "brisk-sentry/timeline/1"


@dataclass(frozen=True, slots=True, kw_only=True)
class Event:
    """One clip, gap or transition on a lane."""

    kind: str  #: clip, gap or transition
    name: str
    start: int  #: first frame, from 0 at the start of the timeline
    end: int  #: first frame after; always > start


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
class Timeline:
    """A source edit. ``None`` stands where neither the file nor a person said."""

    name: str
    rate: Fraction  #: frames a second
    start: Timecode | None
    length: int  #: frames
    lanes: tuple[Lane, ...]
    marks: tuple[Mark, ...] = ()
    rate_stated: bool = True  #: False when the rate was assumed, because an EDL states none
    size: tuple[int, int] | None = None
    scan: str | None = None  #: progressive or interlaced
    field_order: str | None = None  #: top or bottom
    pixel_aspect: Fraction | None = None
    sample_rate: int | None = None  #: Hz

    @property
    def picture_lanes(self) -> tuple[Lane, ...]:
        """The lanes that carry pictures."""
        return tuple(lane for lane in self.lanes if lane.kind == "picture")

    @property
    def cuts(self) -> tuple[int, ...]:
        """Frames at which an event of the first picture lane begins, without the very first."""
        lane = self.picture_lanes[0] if self.picture_lanes else None
        return tuple(event.start for event in lane.events if event.start > 0) if lane else ()


def timeline_to_json(timeline: Timeline) -> dict[str, Any]:
    """Return the timeline as JSON of schema ``brisk-sentry/timeline/1``."""
    rate = timeline.rate
    return {
        "schema": TIMELINE_SCHEMA,
        "name": timeline.name,
        "rate": f"{rate.numerator}/{rate.denominator}",
        "rate_stated": timeline.rate_stated,
        "start": str(timeline.start) if timeline.start else None,
        "length": timeline.length,
        "size": list(timeline.size) if timeline.size else None,
        "scan": timeline.scan,
        "field_order": timeline.field_order,
        "pixel_aspect": f"{timeline.pixel_aspect.numerator}:{timeline.pixel_aspect.denominator}"
        if timeline.pixel_aspect
        else None,
        "sample_rate": timeline.sample_rate,
        "lanes": [
            {
                "kind": lane.kind,
                "name": lane.name,
                "events": [[event.kind, event.name, event.start, event.end] for event in lane.events],
            }
            for lane in timeline.lanes
        ],
        "marks": [[mark.name, mark.start] for mark in timeline.marks],
    }


def timeline_from_json(document: Mapping[str, Any]) -> Timeline:
    """Return the timeline that ``timeline_to_json`` wrote; raises ``ValueError`` for another schema."""
    if document.get("schema") != TIMELINE_SCHEMA:
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
                events=tuple(
                    Event(kind=kind, name=name, start=start, end=end) for kind, name, start, end in lane["events"]
                ),
            )
            for lane in document["lanes"]
        ),
        marks=tuple(Mark(name=name, start=start) for name, start in document["marks"]),
        size=parse_size(document["size"]) if document["size"] else None,
        scan=document["scan"],
        field_order=document["field_order"],
        pixel_aspect=parse_ratio(document["pixel_aspect"]) if document["pixel_aspect"] else None,
        sample_rate=document["sample_rate"],
    )
