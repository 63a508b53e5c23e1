"""Captions on the frames of their programme."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction

from brisk_core.captions.document import Caption, CaptionDocument, Clock
from brisk_core.errors import ValueRefused
from brisk_core.exact import Timecode, nominal_frames
from brisk_core.facts import Inspection, keys


@dataclass(frozen=True, slots=True, kw_only=True)
class Programme:
    """What captions are held against."""

    rate: Fraction  #: frames a second
    frames: int
    start: Timecode | None  #: label of its first frame

    @property
    def duration(self) -> Fraction:
        """Seconds."""
        return self.frames / self.rate


@dataclass(frozen=True, slots=True)
class Placed:
    """A caption on frames of the programme, which may lie before its first and after its last."""

    caption: Caption
    start: int  #: first frame that shows it
    end: int  #: first frame that does not


def programme_of(inspection: Inspection) -> Programme | None:
    """Return rate and length of an inspected file, ``None`` while they are not known."""
    rate, frames = inspection[keys.PICTURE_FRAME_RATE], inspection[keys.PICTURE_FRAME_COUNT]
    if not rate or not frames:
        return None
    start = next(iter(inspection.witnessed(keys.WRAPPER_START_TIMECODE).spoken().values()), None)
    return Programme(rate=rate, frames=frames, start=start)


def origin_of(document: CaptionDocument, programme: Programme) -> Fraction:
    """Return the moment of the programme's first frame on the document's clock, in seconds."""
    if document.clock is Clock.MEDIA or document.rate is None:
        return Fraction(0)
    if programme.start is None:
        return document.origin or Fraction(0)
    return label_seconds(programme.start, document.rate, drop=document.drop)


def label_seconds(label: Timecode, rate: Fraction, *, drop: bool) -> Fraction:
    """Return the moment at which a timecode of another rate shows a label, in seconds."""
    hours, minutes, seconds, frames = str(label).replace(";", ":").split(":")
    scaled = int(frames) * nominal_frames(rate) // nominal_frames(label.rate)
    try:
        return Timecode.parse(f"{hours}:{minutes}:{seconds}:{scaled:02}", rate, drop=drop).frames / rate
    except ValueRefused:  # a label that drop-frame counting leaves out: the next one
        return Timecode.parse(f"{hours}:{minutes}:{seconds}:02", rate, drop=drop).frames / rate


def place(document: CaptionDocument, programme: Programme) -> tuple[Placed, ...]:
    """Return the captions on frames, in the order of time; those without any length are left out.

    A caption that nothing takes away stands until the programme ends.
    """
    origin = origin_of(document, programme)
    ends = origin + programme.duration
    captions = (replace(one, end=ends) if one.stays else one for one in document.captions)
    found = [
        Placed(
            caption,
            round((caption.start - origin) * programme.rate),
            round((caption.end - origin) * programme.rate),
        )
        for caption in captions
        if caption.end > caption.start
    ]
    return tuple(sorted(found, key=lambda one: (one.start, one.end)))


def timing_of(placed: Sequence[Placed], rate: Fraction) -> list[tuple[float, float]]:
    """Return starts and ends in seconds of the programme."""
    return [(float(one.start / rate), float(one.end / rate)) for one in placed]
