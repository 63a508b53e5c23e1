"""The file against the timeline, characteristic by characteristic."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from brisk_core.edit.conform import conform, observed_of
from brisk_core.edit.places import hold_chapters, hold_gaps
from brisk_core.edit.ranges import FrameRange
from brisk_core.edit.timeline import Timeline
from brisk_core.exact import Timecode
from brisk_core.facts import Held, Inspection, Kind, keys, value_to_json

_SAME_SHAPE = Fraction(1, 100)  # of a ratio: 16:9 from 704 or 720 samples is one shape


@dataclass(frozen=True, slots=True, kw_only=True)
class Agreement:
    """One ``edit.*`` characteristic: what the timeline has, what the file has."""

    kind: Kind  #: kind of both values
    timeline: Any  #: None when the timeline does not say
    file: Any  #: None when the file does not say
    agrees: bool | None  #: None when either does not say
    difference: int | None = None  #: frames, for the length
    unit: str = ""

    def to_json(self) -> dict[str, Any]:
        """Return timeline, file and agrees; for a length expected, found and difference (characteristics, edit.*)."""
        if self.unit == "frames":
            return {"expected": self.timeline, "found": self.file, "difference": self.difference}
        per_track = isinstance(self.file, tuple) and self.kind is Kind.COUNT
        return {
            "timeline": value_to_json(self.kind, False, self.timeline),
            "file": value_to_json(self.kind, per_track, self.file),
            "agrees": self.agrees,
        }


def _pair(kind: Kind, timeline: Any, file: Any) -> Agreement:
    known = timeline is not None and file is not None
    return Agreement(kind=kind, timeline=timeline, file=file, agrees=timeline == file if known else None)


def agree(inspection: Inspection, timeline: Timeline, covered: FrameRange | None = None) -> dict[str, Agreement]:
    """Return every ``edit.*`` characteristic that headers and packets can answer, by id."""
    covered = covered or FrameRange.whole(timeline)
    rates = inspection[keys.SOUND_SAMPLE_RATE]
    scan = inspection[keys.PICTURE_SCAN]
    rows = {
        keys.EDIT_SIZE.id: _pair(Kind.SIZE, timeline.size, inspection[keys.PICTURE_SIZE]),
        keys.EDIT_FRAME_RATE.id: _pair(
            Kind.RATE, timeline.rate if timeline.rate_stated else None, inspection[keys.PICTURE_FRAME_RATE]
        ),
        keys.EDIT_SCAN.id: _pair(Kind.TEXT, timeline.scan, scan),
        keys.EDIT_PIXEL_ASPECT.id: _pair(Kind.RATIO, timeline.pixel_aspect, inspection[keys.PICTURE_PIXEL_ASPECT]),
        keys.EDIT_START_TIMECODE.id: _start(inspection, timeline, covered),
        keys.EDIT_SAMPLE_RATE.id: Agreement(
            kind=Kind.COUNT,
            timeline=timeline.sample_rate,
            file=rates or None,
            agrees=all(rate == timeline.sample_rate for rate in rates) if rates and timeline.sample_rate else None,
            unit="Hz",
        ),
        keys.EDIT_LENGTH.id: _length(inspection, timeline, covered),
        keys.EDIT_SHAPE.id: _shape(inspection, timeline),
    }
    return rows


def hold(inspection: Inspection, timeline: Timeline, covered: FrameRange | None = None) -> dict[str, Held]:
    """Return what only the pictures of a file can answer about its timeline, by id; without them nothing."""
    covered = covered or FrameRange.whole(timeline)
    observed = observed_of(inspection)
    if observed is None:
        return {}
    found = conform(timeline, covered, observed).held()
    found[keys.EDIT_GAPS.id] = hold_gaps(timeline, covered, observed)
    found[keys.EDIT_CHAPTERS.id] = hold_chapters(timeline, covered, inspection)
    return found


def _shape(inspection: Inspection, timeline: Timeline) -> Agreement:
    """The shape that is shown: sizes times the shape of their pixels."""
    found = inspection[keys.PICTURE_DISPLAY_ASPECT]
    expected = None
    if timeline.size:
        expected = Fraction(*timeline.size) * (timeline.pixel_aspect or 1)
    agrees = None if expected is None or found is None else abs(found / expected - 1) < _SAME_SHAPE
    return Agreement(kind=Kind.RATIO, timeline=expected, file=found, agrees=agrees)


def _start(inspection: Inspection, timeline: Timeline, covered: FrameRange) -> Agreement:
    expected = timeline.start.plus(covered.start) if timeline.start else None
    spoken = inspection.witnessed(keys.WRAPPER_START_TIMECODE).spoken()
    found: Timecode | None = next(iter(spoken.values()), None)
    agrees = str(expected) == str(found) if expected and found else None
    return Agreement(kind=Kind.TIMECODE, timeline=expected, file=found, agrees=agrees)


def _length(inspection: Inspection, timeline: Timeline, covered: FrameRange) -> Agreement:
    """Frames of the range at the file's rate against frames found."""
    expected: int | None = covered.length
    rate: Fraction | None = inspection[keys.PICTURE_FRAME_RATE]
    if rate is not None and rate != timeline.rate:
        expected = round(covered.length * rate / timeline.rate)
    found = inspection[keys.PICTURE_FRAME_COUNT]
    if found is None or rate is None:
        return Agreement(kind=Kind.COUNT, timeline=expected, file=found, agrees=None, unit="frames")
    return Agreement(
        kind=Kind.COUNT,
        timeline=expected,
        file=found,
        agrees=found == expected,
        difference=found - expected if expected is not None else None,
        unit="frames",
    )
