"""Edits written out again with findings as marks, so that an editor sees each fault at its place."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction

import opentimelineio as otio

from brisk_core.edit.timeline import Event, Lane, Source, Timeline
from brisk_core.errors import EditRefused
from brisk_core.exact import Timecode

_COLOURS = {"fail": "RED", "caution": "ORANGE"}  # names of marker colours in OTIO
_REEL = 8  # characters of a reel name in an EDL of the 3600 style
_BLACK = "BL"  # its reel of black
_EXACT = Fraction(1, 10_000)  # frames a second, to which a speed is written


@dataclass(frozen=True, slots=True, kw_only=True)
class Flag:
    """A finding to be marked on the timeline."""

    start: int  #: frames of the timeline
    end: int  #: first frame after
    label: str
    says: str
    outcome: str  #: fail, caution, not measured


def write_otio(timeline: Timeline, flags: Sequence[Flag]) -> str:
    """Return the timeline as an OTIO document, with its own marks and the findings as markers."""
    rate = float(timeline.rate)
    document = otio.schema.Timeline(name=timeline.name)
    if timeline.start:
        document.global_start_time = otio.opentime.RationalTime(timeline.start.frames, rate)
    for lane in timeline.lanes:
        document.tracks.append(_track(lane, timeline.sources, rate))
    for mark in timeline.marks:
        document.tracks.markers.append(_marker(mark.name, mark.start, mark.start + 1, rate, "GREEN", ""))
    for flag in flags:
        colour = _COLOURS.get(flag.outcome, "WHITE")
        document.tracks.markers.append(_marker(flag.label, flag.start, flag.end, rate, colour, flag.says))
    return str(otio.adapters.write_to_string(document, "otio_json"))


def _range(start: float, length: int, rate: float) -> otio.opentime.TimeRange:
    return otio.opentime.TimeRange(otio.opentime.RationalTime(start, rate), otio.opentime.RationalTime(length, rate))


def _marker(name: str, start: int, end: int, rate: float, colour: str, says: str) -> otio.schema.Marker:
    marker = otio.schema.Marker(name=name, marked_range=_range(start, max(end - start, 1), rate), color=colour)
    if says:
        marker.comment = says
    return marker


def _track(lane: Lane, sources: Sequence[Source], rate: float) -> otio.schema.Track:
    kind = otio.schema.TrackKind.Audio if lane.kind == "sound" else otio.schema.TrackKind.Video
    track = otio.schema.Track(name=lane.name, kind=kind)
    at = 0
    for event in lane.events:
        if event.kind == "transition":
            continue
        if event.start > at:
            track.append(otio.schema.Gap(source_range=_range(0, event.start - at, rate)))
        track.append(_item(event, sources, rate))
        at = event.end
    for event in reversed([one for one in lane.events if one.kind == "transition"]):
        _insert_transition(track, event, lane, rate)
    return track


def _insert_transition(track: otio.schema.Track, event: Event, lane: Lane, rate: float) -> None:
    """Put a transition at the cut that it covers; one that covers none has no place in the document."""
    cut = next((one.end for one in track_events(lane) if event.start <= one.end <= event.end), None)
    index = _index_after(track, cut, rate) if cut is not None else -1
    if cut is None or not 0 < index < len(track):
        return
    transition = otio.schema.Transition(
        name=event.name,
        transition_type=otio.schema.TransitionTypes.SMPTE_Dissolve,
        in_offset=otio.opentime.RationalTime(cut - event.start, rate),
        out_offset=otio.opentime.RationalTime(event.end - cut, rate),
    )
    track.insert(index, transition)


def track_events(lane: Lane) -> list[Event]:
    """The clips and gaps of a lane."""
    return [event for event in lane.events if event.kind != "transition"]


def _index_after(track: otio.schema.Track, cut: int, rate: float) -> int:
    """Where in a track an item begins at a frame; -1 when none does."""
    at = 0.0
    for index, child in enumerate(track):
        if isinstance(child, otio.schema.Transition):
            continue
        if round(at) == cut:
            return index
        at += child.duration().rescaled_to(rate).value
    return -1


def _item(event: Event, sources: Sequence[Source], rate: float) -> otio.core.Item:
    if event.kind == "gap":
        return otio.schema.Gap(name=event.name, source_range=_range(0, event.end - event.start, rate))
    begun = float(event.source_start) * rate if event.source_start is not None else 0.0
    clip = otio.schema.Clip(name=event.name, source_range=_range(begun, event.end - event.start, rate))
    if event.source is not None:
        source = sources[event.source]
        clip.media_reference = otio.schema.MissingReference(name=source.name)
    if event.speed == 0:
        clip.effects.append(otio.schema.FreezeFrame())
    elif event.speed != 1:
        clip.effects.append(otio.schema.LinearTimeWarp(time_scalar=float(event.speed)))
    return clip


def write_edl(timeline: Timeline, flags: Sequence[Flag]) -> str:
    """Return the lowest picture lane as an EDL in the 3600 style, each finding a note at its event.

    A transition begins where its event does on the record, so what goes over the cut on both sides is written from its
    first frame. The style has no place for marks but comments; a finding stands as ``* LOC: TIMECODE RED NAME`` under
    the event that holds it. Raises ``EditRefused`` when the timeline has no start timecode or no picture lane.
    """
    if timeline.start is None or not timeline.picture_lanes:
        raise EditRefused("an EDL needs a start timecode and a picture lane; export OTIO in their place")
    drop = timeline.start.drop
    lines = [f"TITLE: {_plain(timeline.name)[:70]}", f"FCM: {'DROP FRAME' if drop else 'NON-DROP FRAME'}", ""]
    waiting = sorted(flags, key=lambda flag: flag.start)
    number = 0
    for row in _edl_rows(timeline.picture_lanes[0]):
        if row.event.kind != "clip" and not row.mixed:
            continue
        number += 1
        lines += _edl_event(timeline, timeline.start, number, row)
        while waiting and waiting[0].start < row.end:
            flag = waiting.pop(0)
            colour = _COLOURS.get(flag.outcome, "WHITE")
            at = timeline.start.plus(max(flag.start, 0))
            lines.append(f"* LOC: {at} {colour:<7} {_plain(flag.label)}: {_plain(flag.says)}")
    return "\n".join(lines) + "\n"


@dataclass(frozen=True, slots=True)
class _Row:
    """A clip, or black, as an EDL has it."""

    event: Event
    start: int  #: on the record, frames of the timeline; the first of its transition
    end: int  #: where the next one begins
    mixed: int  #: frames of its transition, 0 for a cut
    before: Event | None  #: what it comes out of


def _edl_rows(lane: Lane) -> list[_Row]:
    zones = [(event.start, event.end) for event in lane.events if event.kind == "transition"]
    events = track_events(lane)
    if events and events[0].start > 0:
        events.insert(0, Event(kind="gap", name="", start=0, end=events[0].start))
    mixes = [next((zone for zone in zones if zone[0] <= event.start <= zone[1]), None) for event in events]
    rows = []
    for number, (event, mix) in enumerate(zip(events, mixes, strict=True)):
        following = mixes[number + 1] if number + 1 < len(events) else None
        start = max(mix[0], 0) if mix else event.start
        rows.append(
            _Row(
                event,
                start,
                following[0] if following and following[0] > start else event.end,
                mix[1] - start if mix else 0,
                events[number - 1] if number else None,
            )
        )
    return rows


def _edl_event(timeline: Timeline, start: Timecode, number: int, row: _Row) -> list[str]:
    """The lines of one event: one for a cut, two where something goes over into it, and one for its speed."""
    event, length = row.event, row.end - row.start
    reel, record = _reel(timeline, event), (start.plus(row.start), start.plus(row.end))
    first, last = _taken(timeline, event, row.start, length)
    label = _labels(timeline, start)
    lines = []
    if row.mixed:
        before = row.before
        came = _reel(timeline, before) if before is not None else _BLACK
        at = label(_taken(timeline, before, row.start, 0)[0] if before is not None else Fraction(0))
        lines.append(f"{number:03}  {came:<8} V     C        {at} {at} {record[0]} {record[0]}")
    change = f"D    {min(row.mixed, 999):03}" if row.mixed else "C"
    low, high = (label(min(first, last)), label(max(first, last)))
    lines.append(f"{number:03}  {reel:<8} V     {change:<8} {low} {high} {record[0]} {record[1]}")
    if event.kind == "clip" and event.speed != 1:
        rate = event.speed * round(timeline.rate)
        digits = 1 if abs(rate - round(rate, 1)) < _EXACT else 3
        width = digits + 4 + (rate < 0)
        lines.append(f"M2   {reel:<8} {float(rate):0{width}.{digits}f}                {label(first)}")
    if row.mixed and row.before is not None and row.before.kind == "clip":
        lines.append(f"* FROM CLIP NAME: {_plain(row.before.name)}")
    if event.kind == "clip":
        lines.append(f"* {'TO' if row.mixed else 'FROM'} CLIP NAME: {_plain(event.name)}")
    return lines


def _reel(timeline: Timeline, event: Event) -> str:
    if event.kind != "clip":
        return _BLACK
    name = timeline.sources[event.source].name if event.source is not None else ""
    return "".join(one for one in name.upper() if one.isalnum())[:_REEL] or "AX"


def _taken(timeline: Timeline, event: Event, start: int, length: int) -> tuple[Fraction, Fraction]:
    """Return the frames of the source from which and to which an event is taken from a frame of the timeline on."""
    if event.kind != "clip":
        return Fraction(0), Fraction(length)
    begun = (event.source_start or Fraction(0)) * timeline.rate + (start - event.start) * event.speed
    return begun, begun + length * event.speed


def _labels(timeline: Timeline, start: Timecode) -> Callable[[Fraction], Timecode]:
    zero, day = start.plus(-start.frames), 24 * 3600 * round(timeline.rate)
    return lambda frame: zero.plus(round(frame) % day)


def _plain(text: str) -> str:
    return " ".join(text.split())
