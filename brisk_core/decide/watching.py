"""What a person should look at before they sign, and how much of a programme people have seen."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from brisk_core.facts import Group

_ENDS_S = 5  # seconds of head and tail
_AROUND_S = 1  # seconds before and after a place of a finding
_FIRST_OF_SHOT_S = Fraction(1, 2)  # seconds of every shot from its first frame on
_MOST_PLACES = 12  # places of one finding; a fault that is everywhere is seen after a few of them
_OF_PICTURES = (Group.PICTURE.value, Group.SCAN.value, Group.LEVELS.value)
_OPEN = ("fail", "caution", "waived")


@dataclass(frozen=True, slots=True, kw_only=True)
class Stretch:
    """Frames to be watched together."""

    start: int
    end: int  #: first frame after
    why: tuple[str, ...]  #: "the first 5 seconds", "“Freeze”: 9 frames", what matters most first


@dataclass(frozen=True, slots=True, kw_only=True)
class Seen:
    """Frames that somebody watched."""

    start: int
    end: int
    by: str  #: name


def what_to_watch(
    frames: int,
    rate: Fraction,
    findings: Sequence[Mapping[str, Any]],
    *,
    shots: Sequence[tuple[int, str]] = (),
    looked_at: bool = True,
) -> list[Stretch]:
    """Return what to watch of a file of so many frames, in order of time; stretches that touch are one.

    ``shots`` are first frame and name of each; ``looked_at`` says whether the pictures were measured at all: if they
    were not, all of the programme is to be watched. Findings that are not measured and name no place ask for all of it
    where they are about pictures.
    """
    if frames < 1:
        return []
    wanted = [] if looked_at else [(0, frames, "no meter has looked at these pictures")]
    wanted += _of_findings(frames, rate, findings)
    ends = round(_ENDS_S * rate)
    wanted.append((0, min(ends, frames), f"the first {_ENDS_S} seconds"))
    wanted.append((max(0, frames - ends), frames, f"the last {_ENDS_S} seconds"))
    length = max(1, round(_FIRST_OF_SHOT_S * rate))
    wanted += [
        (start, min(start + length, frames), f"first frames of {f'“{name}”' if name else 'a shot'}")
        for start, name in shots
        if 0 <= start < frames
    ]
    return _joined(wanted)


def _of_findings(frames: int, rate: Fraction, findings: Sequence[Mapping[str, Any]]) -> list[tuple[int, int, str]]:
    around = round(_AROUND_S * rate)
    wanted = []
    for row in findings:
        unmeasured = row["outcome"] == "not measured"
        if row["outcome"] not in _OPEN and not unmeasured:
            continue
        for span in row["spans"][:_MOST_PLACES]:
            start, end = max(0, span["start"] - around), min(frames, span["end"] + around)
            if start < end:
                wanted.append((start, end, f"“{row['label']}”"))
        if unmeasured and not row["spans"] and row["group"] in _OF_PICTURES:
            wanted.append((0, frames, f"“{row['label']}” could not be measured"))
    return wanted


def _joined(wanted: Iterable[tuple[int, int, str]]) -> list[Stretch]:
    """Stretches of (start, end, why), in order of time, one where they overlap or touch."""
    ordered = sorted(enumerate(wanted), key=lambda one: (one[1][0], one[0]))
    found: list[tuple[int, int, list[tuple[int, str]]]] = []
    for order, (start, end, why) in ordered:
        if found and start <= found[-1][1]:
            first, last, reasons = found[-1]
            found[-1] = (first, max(last, end), [*reasons, (order, why)])
        else:
            found.append((start, end, [(order, why)]))
    return [
        Stretch(start=start, end=end, why=tuple(dict.fromkeys(why for _, why in sorted(reasons))))
        for start, end, reasons in found
    ]


def share_seen(seen: Iterable[Seen], stretches: Sequence[tuple[int, int]]) -> Fraction:
    """Return how much of some stretches (start, end) has been watched, from 0 to 1; 1 where there is nothing."""
    frames = sum(end - start for start, end in _union(stretches))
    if not frames:
        return Fraction(1)
    watched = _union((one.start, one.end) for one in seen)
    both = sum(
        max(0, min(end, other_end) - max(start, other_start))
        for start, end in _union(stretches)
        for other_start, other_end in watched
    )
    return Fraction(both, frames)


def _union(stretches: Iterable[tuple[int, int]]) -> list[tuple[int, int]]:
    found: list[tuple[int, int]] = []
    for start, end in sorted(stretches):
        if found and start <= found[-1][1]:
            found[-1] = (found[-1][0], max(found[-1][1], end))
        elif start < end:
            found.append((start, end))
    return found
