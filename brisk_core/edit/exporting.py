"""Edits written out again with findings as marks, so that an editor sees each fault at its place."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import opentimelineio as otio

from brisk_core.edit.timeline import Event, Lane, Source, Timeline
from brisk_core.errors import EditRefused

_COLOURS = {"fail": "RED", "caution": "ORANGE"}  # names of marker colours in OTIO
_REEL = 8  # characters of a reel name in an EDL of the 3600 style


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

    The style has no place for marks but comments; a finding stands as ``* LOC: TIMECODE RED NAME`` under the event that
    holds it. Raises ``EditRefused`` when the timeline has no start timecode or no picture lane.
    """
    if timeline.start is None or not timeline.picture_lanes:
        raise EditRefused("an EDL needs a start timecode and a picture lane; export OTIO in their place")
    start, drop = timeline.start, timeline.start.drop
    lines = [f"TITLE: {_plain(timeline.name)[:70]}", f"FCM: {'DROP FRAME' if drop else 'NON-DROP FRAME'}", ""]
    waiting = sorted(flags, key=lambda flag: flag.start)
    zero = start.plus(-start.frames)
    number = 0
    for event in track_events(timeline.picture_lanes[0]):
        if event.kind != "clip":
            continue
        number += 1
        length = event.end - event.start
        begun = zero.plus(round((event.source_start or 0) * timeline.rate) % (24 * 3600 * round(timeline.rate)))
        reel = "AX"
        if event.source is not None:
            reel = "".join(one for one in timeline.sources[event.source].name.upper() if one.isalnum())[:_REEL] or "AX"
        times = (begun, begun.plus(length), start.plus(event.start), start.plus(event.end))
        lines.append(f"{number:03}  {reel:<8} V     C        {' '.join(map(str, times))}")
        lines.append(f"* FROM CLIP NAME: {_plain(event.name)}")
        while waiting and waiting[0].start < event.end:
            flag = waiting.pop(0)
            colour = _COLOURS.get(flag.outcome, "WHITE")
            lines.append(
                f"* LOC: {start.plus(max(flag.start, 0))} {colour:<7} {_plain(flag.label)}: {_plain(flag.says)}"
            )
    return "\n".join(lines) + "\n"


def _plain(text: str) -> str:
    return " ".join(text.split())
