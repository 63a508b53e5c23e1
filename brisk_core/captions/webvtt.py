"""WebVTT: W3C Web Video Text Tracks, cues with times, settings and text (W3C Candidate Recommendation, section 4)."""

from __future__ import annotations

import re
from collections.abc import Sequence
from fractions import Fraction

from brisk_core.captions.decoding import decode
from brisk_core.captions.document import Caption, CaptionDocument, Oddity, Remark
from brisk_core.captions.plain import flawed, out_of_order, plain
from brisk_core.captions.subrip import ARROW
from brisk_core.text_lines import lines_of

_TIME = r"(?:(\d{2,9}):)?([0-5]\d):([0-5]\d)\.(\d{3})"
_TIMES = re.compile(rf"\s*{_TIME}\s+-->\s+{_TIME}(\s.*)?")
_PLACES = ("region", "line", "position", "vertical")  # settings that put a cue elsewhere (section 4.4)
#: Values that put a cue where it stands without them: on the lowest lines, in the middle.
_DEFAULTS = ("line:auto", "line:-1", "position:auto", "position:50%", "position:50%,center")
_BLOCKS = ("NOTE", "STYLE", "REGION")
_RUBY = re.compile(r"<rt[.\s>].*?(?:</rt>|(?=<rt[.\s>]|</ruby>)|$)")  # how signs are read, beside them (section 4.2.2)
_LANGUAGE = re.compile(r"Language:\s*(\S+)", re.IGNORECASE)


def _seconds(parts: Sequence[str | None]) -> Fraction:
    hours, minutes, seconds, rest = (int(part or 0) for part in parts)
    return Fraction(hours * 3600 + minutes * 60 + seconds) + Fraction(rest, 1000)


def read_webvtt(data: bytes, name: str) -> CaptionDocument:
    """Read a WebVTT file; one that is not UTF-8 is remarked on, since no other code is allowed (section 4.1)."""
    decoded = decode(data)
    rows = lines_of(decoded.text)
    remarks = list(decoded.remarks)
    if decoded.encoding not in ("UTF-8", "ASCII"):
        says = f"written in {decoded.encoding}; WebVTT is UTF-8 only"
        remarks.append(Remark(line=1, kind=Oddity.ENCODING, says=says))
    captions: list[Caption] = []
    at, language = _header(rows)
    if at == 0:
        says = f"begins with “{rows[0][:40] if rows else ''}”; expected WEBVTT"
        remarks.append(Remark(line=1, kind=Oddity.UNREADABLE, says=says))
    while at < len(rows):
        if not rows[at].strip():
            at += 1
            continue
        end = _block_end(rows, at)
        first = rows[at].split()[0]
        if first not in _BLOCKS or ARROW in rows[at]:
            caption, said = _cue(rows, at, end)
            remarks += said
            if caption:
                captions.append(caption)
                remarks += flawed(caption)
        at = end
    remarks += out_of_order(captions)
    return CaptionDocument(
        name=name,
        format="WebVTT",
        captions=tuple(captions),
        encoding=decoded.encoding,
        language=language,
        remarks=tuple(sorted(remarks, key=lambda one: one.line)),
    )


def _header(rows: Sequence[str]) -> tuple[int, str]:
    """Return the row after the header, 0 without one, and the language that it may name."""
    if not rows or not re.match(r"WEBVTT(\s|$)", rows[0]):
        return 0, ""
    at, language = 1, ""
    while at < len(rows) and rows[at].strip() and ARROW not in rows[at]:
        match = _LANGUAGE.match(rows[at])
        language = match.group(1) if match else language
        at += 1
    return at, language


def _block_end(rows: Sequence[str], at: int) -> int:
    """Return the row after a block; a cue ends where another's times stand, with or without an empty row (6.1)."""
    timed = ARROW in rows[at]
    at += 1
    while at < len(rows) and rows[at].strip():
        if ARROW in rows[at]:
            if timed:
                break
            timed = True
        at += 1
    return at


def _cue(rows: Sequence[str], at: int, end: int) -> tuple[Caption | None, list[Remark]]:
    times = next((number for number in range(at, min(at + 2, end)) if ARROW in rows[number]), None)
    if times is None:
        says = f"met “{rows[at][:60]}”, which belongs to no cue; expected times with -->"
        return None, [Remark(line=at + 1, kind=Oddity.UNREADABLE, says=says)]
    match = _TIMES.fullmatch(rows[times])
    if match is None:
        says = f"met “{rows[times][:60]}” as times; expected 00:00:00.000 --> 00:00:00.000, so this cue is lost"
        return None, [Remark(line=times + 1, kind=Oddity.UNREADABLE, says=says)]
    groups = match.groups()
    settings = dict(one.split(":", 1) for one in (groups[8] or "").split() if ":" in one)
    caption = Caption(
        start=_seconds(groups[:4]),
        end=_seconds(groups[4:8]),
        lines=plain(_RUBY.sub("", row) for row in rows[times + 1 : end]),
        place=times + 1,
        region=" ".join(
            where for key in _PLACES if key in settings and (where := f"{key}:{settings[key]}") not in _DEFAULTS
        ),
    )
    return caption, []
