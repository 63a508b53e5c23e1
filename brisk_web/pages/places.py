"""Where a finding points at, as one would say it to an editor: timecode of the edit, shot, how long."""

from __future__ import annotations

from bisect import bisect_right
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from brisk_core.edit import FrameRange, Shot
from brisk_core.exact import Timecode
from brisk_core.facts import Inspection, keys
from brisk_web.checks.models import Check

_SHOWN = 12  # places of one finding; the rest is counted


@dataclass(frozen=True, slots=True, kw_only=True)
class Place:
    """One place of a finding."""

    start: int  #: frame of the file
    timecode: str  #: of the edit where the file follows one, else of the file
    shot: str  #: name of the shot of the edit; empty without one
    length: str  #: "9 frames", "3.2 s"
    detail: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Places:
    """The places of one finding."""

    shown: tuple[Place, ...]
    more: int  #: that are not shown


class Guide:
    """Tells places of a check's file."""

    def __init__(self, check: Check, facts: Inspection | None) -> None:
        self._rate = facts[keys.PICTURE_FRAME_RATE] if facts else None
        self._edit: FrameRange | None = None
        self._shots: tuple[Shot, ...] = ()
        self._first = _first_of_file(facts, self._rate)
        if check.timeline and self._rate == check.timeline.edit.rate:
            edit = check.timeline.edit
            self._edit, self._shots = check.timeline.covered(check.range_start, check.range_end), edit.shots()
            self._first = edit.start.plus(self._edit.start) if edit.start else None
        self._starts = [shot.start for shot in self._shots]

    def places(self, spans: list[dict[str, Any]]) -> Places:
        """Return the places of some spans (``start`` and ``end`` in frames of the file, ``detail``)."""
        told = {span.get("detail") or "" for span in spans}
        alike = len(told) == 1 and len(spans) > 1  # then the sentence of the finding tells it
        shown = tuple(self._place(span | {"detail": ""} if alike else span) for span in spans[:_SHOWN])
        return Places(shown=shown, more=max(0, len(spans) - _SHOWN))

    def timecode(self, frame: int) -> str:
        """Return what a frame of the file is called: its timecode, or its number where there is none."""
        return str(self._first.plus(frame)) if self._first else f"frame {frame}"

    def _place(self, span: dict[str, Any]) -> Place:
        start, length = span["start"], span["end"] - span["start"]
        return Place(
            start=start,
            timecode=self.timecode(start),
            shot=self._shot_at(start),
            length=self._long(length),
            detail=span.get("detail") or "",
        )

    def _shot_at(self, frame: int) -> str:
        if self._edit is None or not self._shots:
            return ""
        at = frame + self._edit.start
        shot = self._shots[max(0, bisect_right(self._starts, at) - 1)]
        return shot.name if shot.start <= at < min(shot.end, self._edit.end) else "after the end of the edit"

    def _long(self, frames: int) -> str:
        if self._rate and frames >= 2 * self._rate:
            return f"{float(frames / self._rate):.1f} s"
        return "1 frame" if frames == 1 else f"{frames} frames"


def _first_of_file(facts: Inspection | None, rate: Fraction | None) -> Timecode | None:
    """The timecode of a file's first frame: the one that it carries, else zero."""
    if facts is None or rate is None:
        return None
    carried = next(iter(facts.witnessed(keys.WRAPPER_START_TIMECODE).spoken().values()), None)
    return carried if isinstance(carried, Timecode) else Timecode(frames=0, rate=rate)


def guide_of(check: Check) -> Guide:
    """Return what tells places of a check's file."""
    inspection = check.media_file.inspection
    return Guide(check, inspection.facts if inspection else None)
