"""Which reader reads a caption file: its first bytes and its name tell."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import PurePosixPath

from brisk_core.captions.decoding import decode
from brisk_core.captions.document import MOST_CAPTIONS, CaptionDocument, Oddity, Remark
from brisk_core.captions.ebu_stl import read_ebu_stl
from brisk_core.captions.languages import language_in
from brisk_core.captions.line21 import ROW, read_line21
from brisk_core.captions.subrip import ARROW, read_subrip
from brisk_core.captions.ttml import read_ttml
from brisk_core.captions.webvtt import read_webvtt
from brisk_core.errors import CaptionsRefused
from brisk_core.text_lines import lines_of

LARGEST = 32 << 20  #: bytes of a caption file; a whole season of subtitles stays below
#: Extensions of caption files, each with its reader.
EXTENSIONS: dict[str, Callable[[bytes, str], CaptionDocument]] = {
    ".srt": read_subrip,
    ".vtt": read_webvtt,
    ".ttml": read_ttml,
    ".dfxp": read_ttml,
    ".itt": read_ttml,
    ".xml": read_ttml,
    ".scc": read_line21,
    ".stl": read_ebu_stl,
}
_WEBVTT = ".vtt"
_TIME_SIGNS = 13  # of a time, and a space before it


def is_caption_name(name: str) -> bool:
    """Does a file of this name hold captions?"""
    return PurePosixPath(name.lower()).suffix in EXTENSIONS


def belongs_to(sidecar: str, media: str) -> bool:
    """Does a caption file stand beside a media file by its name: the same stem, perhaps with a language?"""
    stem = PurePosixPath(media).stem.lower()
    other = PurePosixPath(sidecar).stem.lower()
    return other == stem or other.startswith(f"{stem}.")


def read_captions(data: bytes, name: str) -> CaptionDocument:
    """Read a caption file by what it is, not by what it is called; a name that says otherwise is remarked on.

    Raises ``CaptionsRefused`` for a file that is too large, empty, or in none of the formats.
    """
    if not data.strip():
        raise CaptionsRefused(f"{name} is empty; expected captions")
    if len(data) > LARGEST:
        raise CaptionsRefused(f"{name} has {len(data):,} bytes; expected at most {LARGEST:,} of captions")
    suffix = PurePosixPath(name.lower()).suffix
    reader = _by_contents(data) or EXTENSIONS.get(suffix)
    if reader is read_subrip and suffix == _WEBVTT and b"," not in _first_times(data):
        reader = read_webvtt  # its first word is lacking, which it says itself
    if reader is None:
        raise CaptionsRefused(f"{name} is in no known format; expected SRT, WebVTT, TTML, SCC or EBU-STL")
    try:
        document = reader(data, name)
    except CaptionsRefused as error:
        raise CaptionsRefused(f"{name}: {error}") from error
    if len(document.captions) > MOST_CAPTIONS:
        raise CaptionsRefused(f"{name} holds more than {MOST_CAPTIONS:,} captions; expected those of one programme")
    if EXTENSIONS.get(suffix) not in (reader, None):
        says = f"the name ends in {suffix}, but this is {document.format}"
        remark = Remark(line=0, kind=Oddity.UNREADABLE, says=says)
        document = replace(document, remarks=(remark, *document.remarks))
    return document if document.language else replace(document, language=language_in(name))


def _first_times(data: bytes) -> bytes:
    """The row of times of the first caption: those of SRT have a comma before the milliseconds."""
    arrow = data.find(ARROW.encode())
    return data[data.rfind(b"\n", 0, arrow) + 1 : arrow + len(ARROW) + _TIME_SIGNS] if arrow >= 0 else b""


def _by_contents(data: bytes) -> Callable[[bytes, str], CaptionDocument] | None:
    if data[3:6] == b"STL" and data[6:8].isdigit():
        return read_ebu_stl
    text = decode(data[:65536]).text.lstrip()
    if text.startswith("WEBVTT"):
        return read_webvtt
    if text.startswith("<"):
        return read_ttml
    rows = lines_of(text)[:40]
    if any(ROW.fullmatch(row.strip()) for row in rows):
        return read_line21
    return read_subrip if any(ARROW in row for row in rows) else None
