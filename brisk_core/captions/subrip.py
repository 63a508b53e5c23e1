"""SRT: numbered captions with times in hours, minutes, seconds and thousandths, apart by empty lines.

No standard describes it; this reads what is common, and remarks on every line that it cannot read.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from fractions import Fraction

from brisk_core.captions.decoding import decode
from brisk_core.captions.document import Caption, CaptionDocument, Oddity, Remark
from brisk_core.captions.plain import flawed, out_of_order, plain
from brisk_core.text_lines import lines_of

ARROW = "-->"
_TIME = r"(\d{1,3}):(\d{1,2}):(\d{1,2})[,.](\d{1,3})"
_TIMES = re.compile(rf"\s*{_TIME}\s*-->\s*{_TIME}(\s.*)?")
_MOST_DIGITS = 9  # of the number of a caption
_MILLISECONDS = 3  # digits
_LONGEST_TIMES = 200  # characters of a row of times; the pattern below takes long over longer ones
_LOOSELY = re.compile(r".*\d:\d\d.*[-–—−]>.*\d:\d\d.*")  # meant as times, perhaps with a dash of another kind
_DOUBLED = "\r\r\n"  # what a transfer as text makes of CR LF
_TOP = re.compile(r"\{\\an?([789])\}")  # a common mark for "at the top"


def _seconds(parts: Sequence[str]) -> Fraction:
    hours, minutes, seconds, rest = parts
    return Fraction(int(hours) * 3600 + int(minutes) * 60 + int(seconds)) + Fraction(int(rest), 10 ** len(rest))


def read_subrip(data: bytes, name: str) -> CaptionDocument:
    """Read an SRT file."""
    decoded = decode(data)
    captions: list[Caption] = []
    remarks = list(decoded.remarks)
    whole = decoded.text
    if _DOUBLED in whole:
        says = "lines end in CR CR LF, which players read as an empty line after each; expected CR LF or LF"
        remarks.append(Remark(line=1, kind=Oddity.UNREADABLE, says=says))
        whole = whole.replace(_DOUBLED, "\r\n")
    rows = lines_of(whole)
    at, last_number = 0, 0
    while at < len(rows):
        row = rows[at].strip()
        at += 1
        if not row:
            continue
        if _is_number(row) and at < len(rows) and _meant_as_times(rows[at]):
            if int(row) != last_number + 1 and captions:
                says = f"met caption number {row} after {last_number}; expected {last_number + 1}"
                remarks.append(Remark(line=at, kind=Oddity.UNREADABLE, says=says))
            last_number = int(row)
            continue
        match = _TIMES.fullmatch(row)
        if match is None:
            says = _misread(row)
            remarks.append(Remark(line=at, kind=Oddity.UNREADABLE, says=says))
            at = _after_text(rows, at) if _meant_as_times(row) else at
            continue
        place, end = at, _after_text(rows, at)
        text, at = rows[at:end], end
        groups = match.groups()
        caption = Caption(
            start=_seconds(groups[:4]),
            end=_seconds(groups[4:8]),
            lines=plain(text),
            place=place,
            region="top" if any(_TOP.search(one) for one in text) else "",
        )
        captions.append(caption)
        remarks += [*_oddly_written(groups, place), *flawed(caption)]
    remarks += out_of_order(captions)
    return CaptionDocument(
        name=name,
        format="SRT",
        captions=tuple(captions),
        encoding=decoded.encoding,
        remarks=tuple(sorted(remarks, key=lambda one: one.line)),
    )


def _oddly_written(groups: Sequence[str], place: int) -> list[Remark]:
    """Remark on times that players read in more ways than one."""
    found = []
    for hours, minutes, seconds, rest in (groups[:4], groups[4:8]):
        met = f"met “{hours}:{minutes}:{seconds},{rest}” as a time"
        if int(minutes) > 59 or int(seconds) > 59:
            says = f"{met}; expected minutes and seconds up to 59"
        elif len(rest) != _MILLISECONDS:
            says = f"{met}; expected three digits after the comma, since others are read as tenths or as thousandths"
        else:
            continue
        found.append(Remark(line=place, kind=Oddity.UNREADABLE, says=says))
    return found


def _after_text(rows: Sequence[str], at: int) -> int:
    """Return the row after the text of a caption: an empty one, or the times of the next that follow without one."""
    while at < len(rows) and rows[at].strip():
        number = _is_number(rows[at].strip()) and at + 1 < len(rows) and _meant_as_times(rows[at + 1])
        if number or _meant_as_times(rows[at]):
            break
        at += 1
    return at


def _is_number(row: str) -> bool:
    return len(row) <= _MOST_DIGITS and row.isdecimal()


def _meant_as_times(row: str) -> bool:
    return ARROW in row or (len(row) < _LONGEST_TIMES and _LOOSELY.fullmatch(row) is not None)


def _misread(row: str) -> str:
    if _meant_as_times(row):
        return f"met “{row[:60]}” as times; expected 00:00:00,000 --> 00:00:00,000, so this caption is lost"
    return f"met “{row[:60]}”, which belongs to no caption; expected a number and times before it"
