"""The lines of an EDL in the 3600 style, read for what its OpenTimelineIO adapter does not tell.

That is: whether it counts drop-frame, where the record time starts, where its marks stand, which line is wrong, and
which event is longer on one side than on the other.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from fractions import Fraction

from brisk_core.errors import EditRefused, ValueRefused
from brisk_core.exact import Timecode

_NUMBER = re.compile(r"\d{1,6}")
_WORDS = (8, 9)  # of an event: number, reel, channels, transition, its duration where it has one, four timecodes
_MARK = re.compile(r"\*\s*LOC:\s*(\d\d:\d\d:\d\d[:;]\d\d)\s+\S+(.*)", re.IGNORECASE)  # time, colour, name
_BLACK = "BL"  # the reel of black
_MOST_LINES = 300_000  # 30,000 events with nine remarks each
_DROP_RATE = Fraction(30000, 1001)
#: Used only to check and order labels when nobody said the rate: any label of any rate passes.
_UNSTATED = Fraction(120)
_MOST_NAMED = 5


@dataclass(frozen=True, slots=True, kw_only=True)
class EdlClock:
    """What an EDL says of time."""

    drop: bool  #: FCM: DROP FRAME
    rate: Fraction | None  #: known when given, or when drop-frame counting says 30000/1001
    start: str  #: label of the earliest record time, as written
    highest_frame: int  #: the highest frame number in any label
    marks: tuple[tuple[str, str], ...]  #: label of the record time and name of every mark


def read_clock(text: str, rate: Fraction | None) -> EdlClock:
    """Check every event line and return what they say; raises ``EditRefused`` that names the wrong lines."""
    drop = False
    mistakes: list[str] = []
    records: list[tuple[int, str]] = []
    marks: list[tuple[str, str]] = []
    highest = events = 0
    lines = text.splitlines()
    if len(lines) > _MOST_LINES:
        raise EditRefused(f"the EDL has {len(lines):,} lines; expected at most {_MOST_LINES:,}")
    for number, line in enumerate(lines, 1):
        if line.upper().lstrip().startswith("FCM:"):
            drop = "NON" not in line.upper() and "DROP" in line.upper()
            continue
        if mark := _MARK.match(line):
            marks.append((mark[1], mark[2].strip()))
            continue
        words = line.split(maxsplit=_WORDS[-1])
        if len(words) < 3 or not _NUMBER.fullmatch(words[0]):
            continue
        labels = _labels(words)
        if labels is None:
            mistakes.append(f"line {number}: met {line.strip()[:60]!r}; expected an event with four timecodes")
            continue
        events += 1
        counting = rate or (_DROP_RATE if drop else _UNSTATED)
        times = []
        for label in labels:
            try:
                times.append(Timecode.parse(label, counting, drop=drop))
            except ValueRefused as error:
                mistakes.append(f"line {number}: {error}")
                break
            highest = max(highest, int(re.split(r"[:;]", label)[-1]))
        if len(times) == 4:
            if times[3].frames < times[2].frames:
                mistakes.append(f"line {number}: the record out {times[3]} lies before the record in {times[2]}")
            records.append((times[2].frames, labels[2]))
    if mistakes:
        more = f" (and {len(mistakes) - _MOST_NAMED} more)" if len(mistakes) > _MOST_NAMED else ""
        raise EditRefused("; ".join(mistakes[:_MOST_NAMED]) + more)
    if not events:
        raise EditRefused("the EDL has no events; expected lines such as 001 AX V C and four timecodes")
    return EdlClock(
        drop=drop,
        rate=rate or (_DROP_RATE if drop else None),
        start=min(records)[1],
        highest_frame=highest,
        marks=tuple(marks),
    )


def level_lengths(text: str, rate: Fraction, *, drop: bool) -> tuple[str, list[str]]:
    """Return the EDL without marks and with sources as long as their record time, and a sentence where they were not.

    An event with a speed line (M2) is longer on one side for good reason.
    """
    lines = ["" if _MARK.match(line) else line for line in text.splitlines()]  # marks are read apart
    events = [(at, words) for at, line in enumerate(lines) if (words := _event(line))]
    sentences: list[str] = []
    for number, (at, words) in enumerate(events):
        last = events[number + 1][0] if number + 1 < len(events) else len(lines)
        if any(line.lstrip().upper().startswith("M2") for line in lines[at + 1 : last]):
            continue
        labels = words[-4:]
        source_in, source_out, record_in, record_out = (Timecode.parse(one, rate, drop=drop) for one in labels)
        source, record = source_out.frames - source_in.frames, record_out.frames - record_in.frames
        if source == record or record < 0:
            continue
        lines[at] = "  ".join([*words[:-3], str(source_in.plus(record)), *words[-2:]])
        if words[1].upper() == _BLACK:  # which has no length of its own
            continue
        sentences.append(
            f"line {at + 1}: event {words[0]} takes {source} frames of {words[1]} and fills {record},"
            f" without a speed line; {record} are laid out"
        )
    return "\n".join(lines), sentences


def _event(line: str) -> list[str] | None:
    words = line.split(maxsplit=_WORDS[-1])
    if len(words) < 3 or not _NUMBER.fullmatch(words[0]) or _labels(words) is None:
        return None
    return words


def _labels(words: list[str]) -> list[str] | None:
    """Return the four timecodes of an event line, ``None`` where it is none."""
    if len(words) not in _WORDS or (len(words) == _WORDS[-1] and not words[4].isdigit()):
        return None
    labels = words[-4:]
    return labels if all(":" in label or ";" in label for label in labels) else None
