"""AAF files: read by OpenTimelineIO's adapter, and what it leaves out by ``aaf2``, on which it stands.

Left out are how the start is counted (drop frame), starts on a timecode track without a number, and the order of
picture tracks, which their numbers tell and not their places in the file.
"""

from __future__ import annotations

import contextlib
import io
from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import aaf2
import opentimelineio as otio

from brisk_core.errors import ValueRefused
from brisk_core.exact import Timecode, nominal_frames

_PRIMARY = 1  # PhysicalTrackNumber of the timecode that counts (AAF Edit Protocol, 6.5)
_NOT_THERE = "Missing Mob"  # ends the adapter's name for a gap in the place of a clip whose material is not in the file
_OWN = "AAF"  # where the adapter keeps what it read


@dataclass(frozen=True, slots=True, kw_only=True)
class AafStart:
    """The timecode at which an edit begins, as the file counts it."""

    frames: int  #: since 00:00:00:00
    counted: int  #: frames in a second of the label, such as 30
    drop: bool

    def at(self, rate: Fraction) -> Timecode | None:
        """The label at a rate; ``None`` where the rate does not count that way."""
        try:
            frames = Fraction(self.frames * nominal_frames(rate), self.counted)
            return Timecode(frames=round(frames), rate=rate, drop=self.drop)
        except ValueRefused:
            return None


def read_aaf(path: Path) -> tuple[Any, AafStart | None]:
    """Return what an AAF file holds as OpenTimelineIO reads it, and where its edit begins.

    Raises whatever the adapter meets.
    """
    with contextlib.redirect_stdout(io.StringIO()):  # the adapter prints what it does not find
        found = otio.adapters.read_from_file(str(path), "AAF")
        start = _start_of(path, found)
    for timeline in (found, *(found if isinstance(found, otio.schema.SerializableCollection) else ())):
        if isinstance(timeline, otio.schema.Timeline):
            _put_in_order(timeline.tracks)
            _name_what_is_not_there(timeline)
    return found, start


def _put_in_order(tracks: Any) -> None:
    """Lay picture tracks out by their numbers, the lowest below, where each has one of its own."""
    laid = list(tracks)
    places = [place for place, track in enumerate(laid) if getattr(track, "kind", "") == otio.schema.TrackKind.Video]
    by_number = {laid[place].metadata.get(_OWN, {}).get("PhysicalTrackNumber"): laid[place] for place in places}
    if None in by_number or len(by_number) < len(places):
        return
    for place, number in zip(places, sorted(by_number), strict=True):
        laid[place] = by_number[number]
    del tracks[:]
    tracks.extend(laid)


def _name_what_is_not_there(timeline: Any) -> None:
    """Put a clip without media in the place of each gap that the adapter makes of material that is not in the file."""
    for gap in list(timeline.find_children(descended_from_type=otio.schema.Gap)):
        if not gap.name.endswith(_NOT_THERE):
            continue
        parent = gap.parent()
        parent[parent.index(gap)] = otio.schema.Clip(
            name="material that is not in the file",
            media_reference=otio.schema.MissingReference(),
            source_range=gap.source_range,
        )


def _start_of(path: Path, found: Any) -> AafStart | None:
    if not isinstance(found, otio.schema.Timeline):
        return None
    with aaf2.open(str(path), "r") as file:
        edits = [
            mob for mob in file.content.mobs if isinstance(mob, aaf2.mobs.CompositionMob) and mob.name == found.name
        ]
        starts = list(_timecodes(edits[0])) if len(edits) == 1 else []
    primary = [start for number, start in starts if number == _PRIMARY]
    if not primary and len(starts) == 1:
        primary = [starts[0][1]]
    return primary[0] if primary else None


def _timecodes(edit: Any) -> Iterator[tuple[int | None, AafStart]]:
    """Yield the timecodes of an edit with the numbers of their tracks."""
    for slot in edit.slots:
        segment = slot.segment
        if isinstance(segment, aaf2.components.Sequence) and len(segment.components) == 1:
            segment = segment.components[0]
        if isinstance(segment, aaf2.components.Timecode) and segment.start is not None and segment.fps:
            number = slot.getvalue("PhysicalTrackNumber")
            yield number, AafStart(frames=segment.start, counted=segment.fps, drop=bool(segment.drop))
