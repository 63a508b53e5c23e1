"""The lines of an EDL in the 3600 style, read for what its OpenTimelineIO adapter does not tell.

That is: whether it counts drop-frame, where the record time starts, and which line is wrong.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from fractions import Fraction

from brisk_core.errors import EditRefused, ValueRefused
from brisk_core.exact import Timecode

_NUMBER = re.compile(r"\d{1,6}")
_WORDS = (8, 9)  # of an event: number, reel, channels, transition, its duration where it has one, four timecodes
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


def read_clock(text: str, rate: Fraction | None) -> EdlClock:
    """Check every event line and return what they say; raises ``EditRefused`` that names the wrong lines."""
    drop = False
    mistakes: list[str] = []
    records: list[tuple[int, str]] = []
    highest = events = 0
    lines = text.splitlines()
    if len(lines) > _MOST_LINES:
        raise EditRefused(f"the EDL has {len(lines):,} lines; expected at most {_MOST_LINES:,}")
    for number, line in enumerate(lines, 1):
        if line.upper().lstrip().startswith("FCM:"):
            drop = "NON" not in line.upper() and "DROP" in line.upper()
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
        drop=drop, rate=rate or (_DROP_RATE if drop else None), start=min(records)[1], highest_frame=highest
    )


def _labels(words: list[str]) -> list[str] | None:
    """Return the four timecodes of an event line, ``None`` where it is none."""
    if len(words) not in _WORDS or (len(words) == _WORDS[-1] and not words[4].isdigit()):
        return None
    labels = words[-4:]
    return labels if all(":" in label or ";" in label for label in labels) else None
