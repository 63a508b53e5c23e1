"""Characters of caption files: which code they are written in, and characters that are or may be wrong."""

from __future__ import annotations

import codecs
import re
from dataclasses import dataclass

from brisk_core.captions.document import Oddity, Remark
from brisk_core.text_lines import lines_of

_MARKS = (
    (codecs.BOM_UTF8, "utf-8"),
    (codecs.BOM_UTF32_LE, "utf-32-le"),
    (codecs.BOM_UTF32_BE, "utf-32-be"),
    (codecs.BOM_UTF16_LE, "utf-16-le"),
    (codecs.BOM_UTF16_BE, "utf-16-be"),
)  # the longer mark before the one it begins with
_SPELLED = {
    "utf-8": "UTF-8",
    "utf-16-le": "UTF-16",
    "utf-16-be": "UTF-16",
    "utf-32-le": "UTF-32",
    "utf-32-be": "UTF-32",
}
_FALLBACK = "cp1252"  # what most files that are not Unicode are written in
_FALLBACK_SPELLED = "Windows-1252"
_CONTROLS = re.compile(r"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\u2028\u2029\ufffd]")
# Two to four signs that UTF-8 makes when it is read as Windows-1252 and saved again: "Ã©" for é, and so on.
_TRAIL = "[\u0080-\u00bf\u0152\u0153\u0160\u0161\u0178\u017d\u017e\u0192\u02c6\u02dc\u2013-\u2122]"
_TWICE = re.compile(f"[\u00c2-\u00df]{_TRAIL}|[\u00e0-\u00ef]{_TRAIL}{{2}}|[\u00f0-\u00f4]{_TRAIL}{{3}}")
_AT_THE_END = re.compile("[\u00a0\u00bb\u2013\u2014\u2018-\u201e\u2026\u203a\u2122]")  # signs that words end in as well
_EUROPEAN = re.compile("[\u00a0-\u017f\u2010-\u2044\u20ac\u2122\u2669-\u266f]")  # what captions of Latin letters hold
_LEAST_KINDS, _LEAST_SHARE = 4, 0.9  # of such signs among all beyond ASCII: another script, and nothing else
_MOST_TOLD = 20


@dataclass(frozen=True, slots=True)
class Decoded:
    """The text of a file."""

    text: str  #: with line ends as they are, without a byte order mark
    encoding: str  #: spelled
    remarks: tuple[Remark, ...]


def decode(data: bytes) -> Decoded:
    """Return the text of a file: by its mark, as UTF-8, as UTF-16 without a mark, or else as Windows-1252."""
    for mark, code in _MARKS:
        if data.startswith(mark):
            return _checked(data[len(mark) :].decode(code, "replace"), _SPELLED[code], ())
    if wide := _wide(data):
        says = "UTF-16 without a byte order mark; expected UTF-8, or a mark that tells"
        return _checked(data.decode(wide, "replace"), "UTF-16", (Remark(line=1, kind=Oddity.ENCODING, says=says),))
    try:
        return _checked(data.decode("utf-8"), "UTF-8" if not data.isascii() else "ASCII", ())
    except UnicodeDecodeError as error:
        line = data.count(b"\n", 0, error.start) + 1
        says = f"met byte {data[error.start]:#04x}, which is no UTF-8; the file was read as {_FALLBACK_SPELLED}"
        text = data.decode(_FALLBACK, "replace")
        return _checked(text, _FALLBACK_SPELLED, (Remark(line=line, kind=Oddity.ENCODING, says=says),))


def _wide(data: bytes) -> str:
    """Name the byte order of text in which every second byte is mostly zero, "" for other text."""
    if len(data) < 4 or len(data) % 2:
        return ""
    even, odd = data[::2].count(0), data[1::2].count(0)
    if max(even, odd) < len(data) // 4:
        return ""
    return "utf-16-le" if odd > even else "utf-16-be"


def _checked(text: str, encoding: str, remarks: tuple[Remark, ...]) -> Decoded:
    return Decoded(text=text, encoding=encoding, remarks=(*remarks, *odd_characters(text)))


def odd_characters(text: str) -> tuple[Remark, ...]:
    """Return remarks on characters that no caption should hold, the first of each line."""
    twice = _read_twice(text)
    if not _CONTROLS.search(text) and not twice:
        return ()
    found = []
    for number, line in enumerate(lines_of(text), 1):
        says = (_twice_in(line) if twice else "") or _control_in(line)
        if says:
            found.append(Remark(line=number, kind=Oddity.ENCODING, says=says))
        if len(found) == _MOST_TOLD:
            break
    return tuple(found)


def _read_twice(text: str) -> bool:
    """Was UTF-8 read in another code and saved again?

    A capital letter before an ellipsis or a quotation mark, as in "É…", makes the same bytes. So it takes a place that
    no word has, or a text that has no other signs.
    """
    found = [(match, meant) for match in _TWICE.finditer(text) if (meant := _meant(match.group()))]
    if any(_is_telling(match, meant) for match, meant in found):
        return True
    covered, others = sum(len(match.group()) for match, _ in found), sum(not sign.isascii() for sign in text)
    return len({meant for _, meant in found}) >= _LEAST_KINDS and covered >= _LEAST_SHARE * others


def _meant(signs: str) -> str:
    """The sign that was meant, "" where they are no UTF-8."""
    try:
        return signs.encode(_FALLBACK).decode("utf-8")
    except UnicodeError:
        return ""


def _is_telling(match: re.Match[str], meant: str) -> bool:
    inside = match.string[match.end() : match.end() + 1].isalpha()
    return bool(_EUROPEAN.fullmatch(meant)) and (inside or not _AT_THE_END.match(match.group()[1:]))


def _twice_in(line: str) -> str:
    for match in _TWICE.finditer(line):
        if meant := _meant(match.group()):
            return f"“{match.group()}” looks like “{meant}”, read in another code and saved again"
    return ""


def _control_in(line: str) -> str:
    control = _CONTROLS.search(line)
    if control is None:
        return ""
    if control.group() == "\ufffd":
        return "the sign � stands where a character was lost"
    return f"met the control character U+{ord(control.group()):04X}; expected text"
