"""The lines of an EDL in the 3600 style (SMPTE ST 258): events, what is said under them, and how they count time."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from fractions import Fraction
from itertools import chain

from brisk_core.errors import EditRefused, ValueRefused
from brisk_core.exact import Timecode
from brisk_core.text_lines import lines_of

BLACK = ("BL", "BLACK")  #: reels of black
NO_REEL = "AX"  #: a source without a reel of its own; each may be another one
_NUMBER = re.compile(r"\d{1,6}")
_LABEL = re.compile(r"(?<!\S)(\d\d[:;.]\d\d[:;.]\d\d[:;.]\d\d)(?!\S)")
#: What stands before the times: number, reel (which may have spaces), channels, and the change to it.
_HEAD = re.compile(
    r"(?P<number>\d+)\s+(?P<reel>\S.*?)\s+(?P<channels>NONE|B|[AV][AV\d/]*)\s+(?P<change>C|D|W\d{1,3}|K\s*[BO]?)"
    r"(?:\s+(?P<length>\d{1,4}))?\s*(?:\(F\))?\s*",
    re.IGNORECASE,
)
_MARK = re.compile(r"\*\s*LOC:\s*(\d\d:\d\d:\d\d[:;]\d\d)\s+\S+(.*)", re.IGNORECASE)  # time, colour, name
_SAID = re.compile(r"(?:\*\s*)*(FROM|TO)?\s*(CLIP NAME|CLIP|FILE|SOURCE FILE)(?: IS)?\s*:\s*(.*)", re.IGNORECASE)
_SPEED = re.compile(r"M2\s+(?P<reel>\S.*?)\s+(?P<speed>[+-]?\d{1,5}(?:\.\d{1,4})?)\s+(?P<at>\S+)\s*", re.IGNORECASE)
_MOST_LINES = 300_000  # 30,000 events with nine remarks each
_LONGEST_LINE = 400  # characters of an event
_DROP_RATE = Fraction(30000, 1001)
#: Used only to check and order labels when nobody said the rate: any label of any rate passes.
_UNSTATED = Fraction(120)
_MOST_NAMED = 5
_MOST_TOGETHER = 16  # lines of one event


@dataclass(slots=True, kw_only=True)
class EdlEvent:
    """One line of an event, with what the lines under it say."""

    line: int  #: from 1
    number: str
    reel: str
    channels: str  #: in capitals
    change: str  #: C, D, W and a number, K, KB or KO
    mixed: int  #: frames of the dissolve or wipe
    times: tuple[str, str, str, str]  #: source in and out, record in and out
    name: str = ""  #: of the clip
    file: str = ""  #: of its media
    speed: str = ""  #: frames a second that its source runs at; negative for backwards
    speed_at: str = ""  #: label of the source where that begins

    @property
    def goes_over(self) -> bool:
        """Is it the second line of a dissolve or a wipe, with the source that comes?"""
        return self.change[0] in "DW"


@dataclass(frozen=True, slots=True, kw_only=True)
class EdlLines:
    """What an EDL says."""

    title: str
    events: tuple[EdlEvent, ...]
    drop: bool  #: its record time counts drop-frame
    rate: Fraction | None  #: known when given, or when drop-frame counting says 30000/1001
    highest_frame: int  #: the highest frame number in any label
    marks: tuple[tuple[str, str], ...]  #: label of the record time and name of every mark


@dataclass(slots=True)
class _Reader:
    title: str = ""
    events: list[EdlEvent] = field(default_factory=list)
    marks: list[tuple[str, str]] = field(default_factory=list)
    mistakes: list[str] = field(default_factory=list)
    counting: str = ""  # what the first FCM line says, in capitals

    def take(self, number: int, line: str) -> None:
        """Read one line."""
        upper = line[:16].upper()
        if upper.startswith("FCM:"):
            self.counting = self.counting or line.upper()  # later ones speak of the sources that follow
        elif upper.startswith("TITLE:"):
            self.title = line[6:].strip()[:200]
        elif mark := _MARK.match(line[:_LONGEST_LINE]):
            self.marks.append((mark[1], mark[2].strip()))
        elif said := _SAID.match(line[:_LONGEST_LINE]):
            self._name(*said.groups())
        elif line.startswith("*") and "FREEZE FRAME" in line[:_LONGEST_LINE].upper():
            for event in self._group()[-1:]:
                event.speed = event.speed or "0"
        elif upper.startswith("M2") and (speed := _SPEED.fullmatch(line[:_LONGEST_LINE])):
            self._pace(**speed.groupdict())
        elif _is_event(line):
            read = _event(number, line)
            if read is None:
                self.mistakes.append(f"line {number}: met {line[:60]!r}; expected an event with four timecodes")
            else:
                self.events.append(read)

    def _group(self) -> list[EdlEvent]:
        """The lines of the newest event: one for each channel, or for each source where one goes over into another."""
        found: list[EdlEvent] = []
        for event in reversed(self.events[-_MOST_TOGETHER:]):
            if event.number != self.events[-1].number:
                break
            found.insert(0, event)
        return found

    def _name(self, which: str | None, what: str, said: str) -> None:
        group = self._group()
        wants_new = (which or "").upper() == "TO"
        fitting = [event for event in group if event.goes_over == wants_new] or ([] if wants_new else group)
        for event in fitting:
            if what.upper().startswith("CLIP"):
                event.name = event.name or said.strip()[:200]
            else:
                event.file = event.file or said.strip()[:400]

    def _pace(self, reel: str, speed: str, at: str) -> None:
        group = self._group()
        for event in [one for one in group if one.reel.upper() == reel.upper()] or group[-1:]:
            event.speed, event.speed_at = speed, at


def _is_event(line: str) -> bool:
    words = line.split(maxsplit=3)
    return len(words) >= 3 and _NUMBER.fullmatch(words[0]) is not None


def _event(number: int, line: str) -> EdlEvent | None:
    if len(line) > _LONGEST_LINE:
        return None
    line = " ".join(line.split())
    labels = list(_LABEL.finditer(line))[:4]
    head = _HEAD.fullmatch(line[: labels[0].start()]) if len(labels) == 4 else None
    if head is None:
        return None
    change = "".join(head["change"].upper().split())
    if change[0] in "DW" and head["length"] is None:
        return None
    first, second, third, last = (re.sub("[;.]", ":", label[1]) for label in labels)
    return EdlEvent(
        line=number,
        number=head["number"],
        reel=head["reel"],
        channels=head["channels"].upper(),
        change=change,
        mixed=int(head["length"] or 0) if change[0] in "DW" else 0,
        times=(first, second, third, last),
    )


def read_lines(text: str, rate: Fraction | None) -> EdlLines:
    """Return what the lines of an EDL say; raises ``EditRefused`` that names the wrong ones."""
    lines = lines_of(text)
    if len(lines) > _MOST_LINES:
        raise EditRefused(f"the EDL has {len(lines):,} lines; expected at most {_MOST_LINES:,}")
    reader = _Reader()
    for number, line in enumerate(lines, 1):
        reader.take(number, line.strip())
    drop = _counts_drop(reader, lines)
    counting = rate or (_DROP_RATE if drop else _UNSTATED)
    wrong = sorted([*reader.mistakes, *_wrong_labels(reader.events, counting, drop=drop)], key=_line_of)
    if wrong:
        more = f" (and {len(wrong) - _MOST_NAMED} more)" if len(wrong) > _MOST_NAMED else ""
        raise EditRefused("; ".join(wrong[:_MOST_NAMED]) + more)
    if not reader.events:
        raise EditRefused("the EDL has no events; expected lines such as 001 AX V C and four timecodes")
    return EdlLines(
        title=reader.title,
        events=tuple(reader.events),
        drop=drop,
        rate=rate or (_DROP_RATE if drop else None),
        highest_frame=max(int(label[-2:]) for label in chain.from_iterable(one.times for one in reader.events)),
        marks=tuple(reader.marks),
    )


def _counts_drop(reader: _Reader, lines: list[str]) -> bool:
    """Does the record time leave labels out? Without a line that says so, a semicolon before the frames does."""
    if reader.counting:
        return "NON" not in reader.counting and "DROP" in reader.counting
    labels = (_LABEL.findall(lines[one.line - 1])[2] for one in reader.events[:1])
    return any(label[-3] == ";" for label in labels)


def _wrong_labels(events: list[EdlEvent], rate: Fraction, *, drop: bool) -> Iterator[str]:
    """Sentences about labels that the counting does not have; those of sources may count either way."""
    for event in events:
        for place, label in enumerate(event.times):
            try:
                Timecode.parse(label, rate, drop=drop and place >= 2)
            except ValueRefused as error:
                yield f"line {event.line}: {error}"
                break


def _line_of(mistake: str) -> int:
    return int(mistake.partition(":")[0].split()[1])
