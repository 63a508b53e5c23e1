"""In and out ranges of a timeline."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from brisk_core.edit.timeline import Timeline
from brisk_core.errors import RangeRefused, ValueRefused
from brisk_core.exact import Timecode, nominal_frames, read_whole


@dataclass(frozen=True, slots=True, kw_only=True)
class FrameRange:
    """A half-open range of a timeline, in frames from its start."""

    start: int
    end: int  #: first frame after; always > start

    @property
    def length(self) -> int:
        """Frames in the range."""
        return self.end - self.start

    @classmethod
    def whole(cls, timeline: Timeline) -> FrameRange:
        """Return the range that is the whole timeline."""
        return cls(start=0, end=timeline.length)


def parse_range(text: str, timeline: Timeline) -> FrameRange:
    """Read ``IN-OUT``, each a timecode of the timeline or a frame number from 0; OUT is the first frame after.

    Raises ``RangeRefused`` when it is no range or does not lie inside the timeline.
    """
    parts = text.split("-")
    if len(parts) != 2:
        raise RangeRefused(f"met {text!r} as a range; expected IN-OUT such as 10:00:00:00-10:00:10:00 or 0-250")
    start, end = (_point(part.strip(), timeline) for part in parts)
    if not 0 <= start < end <= timeline.length:
        first = timeline.start
        whole = f"{first} to {first.plus(timeline.length)}" if first else f"frame 0 to {timeline.length}"
        raise RangeRefused(f"the range {text} does not lie inside the timeline, which is {whole}, in before out")
    return FrameRange(start=start, end=end)


def _point(text: str, timeline: Timeline) -> int:
    if (frame := read_whole(text)) is not None:
        return frame
    if timeline.start is None:
        raise RangeRefused(
            f"met {text!r}, but the timeline has no start timecode; expected frame numbers such as 0-250"
        )
    try:
        label = Timecode.parse(text, timeline.start.rate, drop=timeline.start.drop)
    except ValueRefused as error:
        raise RangeRefused(str(error)) from error
    return label.frames - timeline.start.frames


def carried_over(place: int, before: Timeline, now: Timeline) -> int:
    """Return the frame of an edit that was read at another rate at which a frame of it lies, by its timecode.

    The same label is meant; of frames within a second the nearest. Without timecode it is the same moment.
    The frame lies within the edit as it is now, or at its end.
    """
    if before.start is None or now.start is None:
        found = int(place * now.rate / before.rate)
    else:
        second, _, frames = str(before.start.plus(place)).replace(";", ":").rpartition(":")
        rate, drop, base = now.start.rate, now.start.drop, nominal_frames(now.start.rate)
        within = min(round(Fraction(int(frames) * base, nominal_frames(before.start.rate))), base - 1)
        try:
            label = Timecode.parse(f"{second}:{within:02}", rate, drop=drop)
        except ValueRefused:  # a label that drop-frame counting leaves out: two of 30, four of 60
            label = Timecode.parse(f"{second}:{base // 15:02}", rate, drop=drop)
        found = (label.frames - now.start.frames) % Timecode.frames_of_day(rate, drop)
    return min(max(found, 0), now.length)
