"""SCC: the codes of line-21 captions as text, a timecode and its code words a row (CTA-608-E)."""

from __future__ import annotations

import re
from dataclasses import dataclass
from fractions import Fraction

from brisk_core.captions.decoding import decode
from brisk_core.captions.document import CaptionDocument, Clock, Oddity, Remark
from brisk_core.captions.line21.field import Field
from brisk_core.captions.line21.screen import Screen
from brisk_core.captions.plain import flawed
from brisk_core.captions.shown import captions_of
from brisk_core.errors import ValueRefused
from brisk_core.exact import Timecode, nominal_frames
from brisk_core.text_lines import lines_of

RATE = Fraction(30000, 1001)  #: pictures a second that line-21 codes are sent with, one word a picture
_LABEL = r"(\d\d:\d\d:\d\d)([:;.,])(\d\d)"
ROW = re.compile(rf"{_LABEL}[ \t]+[0-9A-Fa-f]{{4}}(?:[ \t]+[0-9A-Fa-f]{{4}})*")
_ALONE = re.compile(_LABEL)
_FORMAT = "SCC"
_DROP = ";.,"  # signs before the frame number of a label that counts drop-frame
_MOST_REMARKS = 200  # of one kind


@dataclass(frozen=True, slots=True)
class _Row:
    line: int
    label: Timecode
    words: list[tuple[int, int]]


def read_line21(data: bytes, name: str) -> CaptionDocument:
    """Read an SCC file; a row that cannot be read is remarked on."""
    decoded = decode(data)
    remarks = list(decoded.remarks)
    rows = _rows(decoded.text, remarks)
    _remark_order(rows, remarks)
    field = Field(1)
    free = 0  # the frame from which the line is free; one frame carries one word
    for row in sorted(rows, key=lambda one: one.label.frames):
        begins = max(free, row.label.frames)
        if begins > row.label.frames:
            remarks.append(_late(row, begins - row.label.frames))
        for number, pair in enumerate(row.words):
            field.feed(begins + number, row.line, pair)
        free = begins + len(row.words)
    captions = [
        caption
        for channel, screen in sorted(field.channels.items())
        for caption in captions_of(screen.finish(), 1 / RATE, "" if channel == "CC1" else channel)
    ]
    for screen in field.channels.values():
        remarks += remarks_of(screen)
    for caption in captions:
        remarks += flawed(caption)
    return CaptionDocument(
        name=name,
        format=_FORMAT,
        captions=tuple(sorted(captions, key=lambda one: (one.start, one.end))),
        encoding="CTA-608",
        clock=Clock.TIMECODE,
        rate=RATE,
        drop=any(row.label.drop for row in rows),
        remarks=tuple(sorted(remarks, key=lambda one: one.line)),
    )


def _late(row: _Row, frames: int) -> Remark:
    word = "frame" if frames == 1 else "frames"
    says = f"the words before it are still being sent at {row.label}, one a frame: it comes {frames} {word} late"
    return Remark(line=row.line, kind=Oddity.UNREADABLE, says=says)


def remarks_of(screen: Screen) -> list[Remark]:
    """Return what a decoder would not show as it was sent."""
    unstyled = "characters come before a code that says how they are shown (RCL, RDC, RU2 to RU4): nobody sees them"
    beyond = "characters come after the last of 32 columns: each is written over the one before it"
    misread = "a byte has the wrong parity: decoders leave its code out, or show a block for its character"
    wrong = screen.wrong_parity
    if wrong and not screen.has_parity:
        misread = "no byte of this channel carries its parity bit: decoders take about half of them for errors"
        wrong = wrong[:1]
    return [
        Remark(line=place, kind=Oddity.UNREADABLE, says=says)
        for places, says in ((screen.unstyled, unstyled), (screen.beyond, beyond), (wrong, misread))
        for place in places[:_MOST_REMARKS]
    ]


def _rows(text: str, remarks: list[Remark]) -> list[_Row]:
    rows = []
    for number, line in enumerate(lines_of(text), 1):
        stripped = line.strip()
        if not stripped or (number == 1 and not _ALONE.match(stripped)):  # the first row names the format
            continue
        if not ROW.fullmatch(stripped):
            says = f"met “{stripped[:40]}”; expected a timecode and words of four hexadecimal digits"
            remarks.append(Remark(line=number, kind=Oddity.UNREADABLE, says=says))
            continue
        label, *words = stripped.split()
        read = _label(label, number, remarks)
        if read is not None:
            rows.append(_Row(number, read, [(int(word[:2], 16), int(word[2:], 16)) for word in words]))
    return rows


def _label(text: str, line: int, remarks: list[Remark]) -> Timecode | None:
    """Return the timecode of a row; a label that its counting does not have is read as the nearest, and remarked on."""
    match = _ALONE.fullmatch(text)
    if match is None:
        return None
    moment, sign, frames = match.groups()
    drop = sign in _DROP
    try:
        return Timecode.parse(f"{moment}:{frames}", RATE, drop=drop)
    except ValueRefused as error:
        remarks.append(Remark(line=line, kind=Oddity.UNREADABLE, says=str(error)))
    nearest = min(int(frames), nominal_frames(RATE) - 1)
    for number in (nearest, 2):  # a label that drop-frame counting leaves out: the next one
        try:
            return Timecode.parse(f"{moment}:{number:02}", RATE, drop=drop)
        except ValueRefused:
            continue
    return None


def _remark_order(rows: list[_Row], remarks: list[Remark]) -> None:
    """Remark on rows whose time lies before that of the row above: they are read in the order of time."""
    latest: _Row | None = None
    for row in rows:
        if latest and row.label.frames < latest.label.frames:
            says = f"its timecode {row.label} lies before that of line {latest.line}, {latest.label}"
            remarks.append(Remark(line=row.line, kind=Oddity.UNREADABLE, says=says))
        else:
            latest = row
